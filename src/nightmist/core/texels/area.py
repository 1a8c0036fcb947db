"""A part of a map, as rectangles inside tiles: what a dab touched, what is to be composited or sent."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .raster import TILE


@dataclass
class TileArea:
    """One rectangle in each listed tile.

    tiles: (n,) int32, row · columns + column, each once, rising. rects: (n, 4) int32 (top, bottom, left,
    right) inside the tile, ends excluded.
    """

    tiles: NDArray[np.int32]
    rects: NDArray[np.int32]

    def __len__(self) -> int:
        return len(self.tiles)

    @classmethod
    def of_tiles(cls, tiles: NDArray[np.int32]) -> TileArea:
        """Whole tiles."""
        tiles = np.unique(tiles).astype(np.int32)
        rects = np.tile(np.array([0, TILE, 0, TILE], np.int32), (len(tiles), 1))
        return cls(tiles, rects)

    @classmethod
    def whole(cls, width: int, height: int) -> TileArea:
        """All of a map."""
        return cls.of_tiles(np.arange((width // TILE) * (height // TILE), dtype=np.int32))

    @classmethod
    def empty(cls) -> TileArea:
        """Nothing."""
        return cls(np.zeros(0, np.int32), np.zeros((0, 4), np.int32))

    @property
    def texels(self) -> int:
        """How many texels the rectangles hold."""
        return int(((self.rects[:, 1] - self.rects[:, 0]) * (self.rects[:, 3] - self.rects[:, 2])).sum())

    def joined(self, other: TileArea) -> TileArea:
        """The smallest area of this kind that holds both."""
        if not len(other):
            return self
        tiles, where = np.unique(np.concatenate([self.tiles, other.tiles]), return_inverse=True)
        rects = np.concatenate([self.rects, other.rects])
        joined = np.tile(np.array([TILE, 0, TILE, 0], np.int32), (len(tiles), 1))
        np.minimum.at(joined[:, 0], where, rects[:, 0])
        np.maximum.at(joined[:, 1], where, rects[:, 1])
        np.minimum.at(joined[:, 2], where, rects[:, 2])
        np.maximum.at(joined[:, 3], where, rects[:, 3])
        return TileArea(tiles.astype(np.int32), joined)
