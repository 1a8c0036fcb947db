"""Blend modes and the compositing of a surface's stack into its maps."""

from .blend import BLEND_MODES, BlendMode
from .evaluate import evaluate
from .program import Adjust, Group, MapUse, Mask, Mix, Painted, Replace, compiled

__all__ = [
    "BLEND_MODES",
    "Adjust",
    "BlendMode",
    "Group",
    "MapUse",
    "Mask",
    "Mix",
    "Painted",
    "Replace",
    "compiled",
    "evaluate",
]
