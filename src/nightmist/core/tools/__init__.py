"""What coverage does to pixels: brush, erase, fill, gradient."""

from .apply import lay_over, take_away
from .gradient import lay_gradient

__all__ = ["lay_gradient", "lay_over", "take_away"]
