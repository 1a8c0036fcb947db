"""Relief: normals from painted height."""

from .normals import write_normals

__all__ = ["write_normals"]
