"""The document: surfaces, layers, commands and history. No web, no database."""

from .document import Document
from .types import Pigment, PressureCurve, Tip

__all__ = ["Document", "Pigment", "PressureCurve", "Tip"]
