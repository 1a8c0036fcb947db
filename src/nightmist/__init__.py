"""Nightmist: paint color, roughness, metallic and bump directly onto 3D models.

The names below are the public surface of the package, the same engine that the browser uses.
"""

from .core.errors import NightmistError
from .core.mapping import Camera
from .core.mesh.planner import plan_map_size
from .document import Document, Frame, Mapping, MixByHeight, Pigment, PressureCurve, Tip

__all__ = [
    "Camera",
    "Document",
    "Frame",
    "Mapping",
    "MixByHeight",
    "NightmistError",
    "Pigment",
    "PressureCurve",
    "Tip",
    "plan_map_size",
]
