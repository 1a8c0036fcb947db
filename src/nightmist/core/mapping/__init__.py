"""From pictures and the screen to the surface."""

from .camera import Camera

__all__ = ["Camera"]
