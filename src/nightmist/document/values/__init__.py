"""What a document is made of: frozen values, by id, with no behavior but their own validity."""

from .base import Name, Share, Value, describe, new_id
from .paint import CHANNELS, EMPTY_PIGMENT, MAPS, TOOLS, MapName, Pigment, PressureCurve, Tip, Tool, hex_channels
from .parts import (
    DEFAULT_DEPTH,
    MODEL,
    PROJECT,
    AnyValue,
    Brushed,
    DocumentValues,
    Hit,
    MissingPicture,
    Model,
    Node,
    Project,
    StartValues,
    Surface,
    TipPicture,
    checked_size,
)
from .stroke import CloneSource, StrokeRecord

__all__ = [
    "CHANNELS", "DEFAULT_DEPTH", "EMPTY_PIGMENT", "MAPS", "MODEL", "PROJECT", "TOOLS", "AnyValue", "Brushed",
    "CloneSource", "DocumentValues", "Hit", "MapName", "MissingPicture", "Model", "Name", "Node", "Pigment",
    "PressureCurve", "Project", "Share", "StartValues", "StrokeRecord", "Surface", "Tip", "TipPicture", "Tool",
    "Value", "checked_size", "describe", "hex_channels", "new_id",
]  # fmt: skip
