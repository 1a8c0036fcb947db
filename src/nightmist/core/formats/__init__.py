"""Open files in and out: glTF and GLB, OBJ with MTL, PLY; PNG."""

from .model import read_model

__all__ = ["read_model"]
