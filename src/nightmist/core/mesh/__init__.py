"""What is painted on: triangles, their UV sets, surfaces and parts."""

from .mesh import Mesh, SurfaceLook
from .pick import Caster, Hits

__all__ = ["Caster", "Hits", "Mesh", "SurfaceLook"]
