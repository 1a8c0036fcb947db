"""What coverage does to pixels: brush, erase, fill, gradient."""

from .apply import composite_over, erase
from .gradient import lay_gradient

__all__ = ["composite_over", "erase", "lay_gradient"]
