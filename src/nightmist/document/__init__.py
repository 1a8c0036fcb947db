"""The document: values, changes and history, and what paints and prepares them. No web, no database."""

from .api import Document
from .api_pictures import key_out
from .api_stencils import Stencil
from .values import DecalRelief, Frame, FromGray, Mapping, MixByHeight, Pigment, PressureCurve, Tip

__all__ = [
    "DecalRelief",
    "Document",
    "Frame",
    "FromGray",
    "Mapping",
    "MixByHeight",
    "Pigment",
    "PressureCurve",
    "Stencil",
    "Tip",
    "key_out",
]
