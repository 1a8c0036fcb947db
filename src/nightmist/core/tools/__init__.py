"""What coverage does to pixels: brush, erase, fill, gradient."""

from .apply import lay_over, take_away
from .extent import along, used_tiles

__all__ = ["along", "lay_over", "take_away", "used_tiles"]
