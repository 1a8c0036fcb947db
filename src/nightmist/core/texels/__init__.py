"""Which face owns a texel, where it is in space, and the sparse 16-bit rasters that hold the paint."""

from .area import TileArea
from .gutter import Gutter
from .ownership import Ownership
from .raster import TILE, Raster

__all__ = ["TILE", "Gutter", "Ownership", "Raster", "TileArea"]
