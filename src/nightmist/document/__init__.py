"""The document: values, changes and history, and what paints and prepares them. No web, no database."""

from .api import Document
from .values import Frame, Mapping, MixByHeight, Pigment, PressureCurve, Tip

__all__ = ["Document", "Frame", "Mapping", "MixByHeight", "Pigment", "PressureCurve", "Tip"]
