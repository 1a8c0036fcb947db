"""What is painted on: triangles, their UV sets, surfaces and parts."""

from .look import SurfaceLook
from .mesh import Mesh
from .pick import Caster, Hits

__all__ = ["Caster", "Hits", "Mesh", "SurfaceLook"]
