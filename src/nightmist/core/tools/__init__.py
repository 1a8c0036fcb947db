"""What coverage does to pixels: brush, erase, fill, gradient."""

from .apply import lay_over, take_away
from .extent import lay_gradient, used_tiles

__all__ = ["lay_gradient", "lay_over", "take_away", "used_tiles"]
