"""The document: values, changes and history, and what paints and prepares them. No web, no database."""

from .api import Document
from .values import Pigment, PressureCurve, Tip

__all__ = ["Document", "Pigment", "PressureCurve", "Tip"]
