"""Nightmist: paint color, roughness, metallic, bump and opacity directly onto 3D models.

The names below are the public surface of the package, the same engine that the browser uses.
"""

from .core.errors import NightmistError
from .core.mapping import Camera
from .core.mesh.planner import plan_map_size
from .document import (
    DecalRelief,
    Document,
    Frame,
    FromGray,
    Mapping,
    MixByHeight,
    Pigment,
    PressureCurve,
    Stencil,
    Tip,
    key_out,
)

__all__ = [
    "Camera",
    "DecalRelief",
    "Document",
    "Frame",
    "FromGray",
    "Mapping",
    "MixByHeight",
    "NightmistError",
    "Pigment",
    "PressureCurve",
    "Stencil",
    "Tip",
    "key_out",
    "plan_map_size",
]
