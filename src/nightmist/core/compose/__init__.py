"""Blend modes and the compositing of a surface's layers into its maps."""

from .blend import BLEND_MODES, BlendMode
from .stack import Sheet, compose_color, compose_value

__all__ = ["BLEND_MODES", "BlendMode", "Sheet", "compose_color", "compose_value"]
