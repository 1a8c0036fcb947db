"""Blend modes and the compositing of a surface's stack into its maps."""

from .blend import BLEND_MODES, BlendMode
from .evaluate import evaluate
from .program import Group, MapUse, Mask, Painted, compiled

__all__ = ["BLEND_MODES", "BlendMode", "Group", "MapUse", "Mask", "Painted", "compiled", "evaluate"]
