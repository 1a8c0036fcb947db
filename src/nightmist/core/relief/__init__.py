"""Relief: normals from painted height."""

from .normals import normals_from_height

__all__ = ["normals_from_height"]
