"""A part of a map, as rectangles inside tiles: what a dab touched, what is to be composited or sent."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, lru_cache, reduce

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel
from .raster import TILE, TILE_TEXELS

#: Areas that are united one by one; more are sorted.
FEW = 4


@dataclass(frozen=True)
class TileArea:
    """One rectangle in each listed tile; never changed in place, so that one may stand in many places.

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
        return cls.of_distinct(distinct(tiles))

    @classmethod
    def of_distinct(cls, tiles: NDArray[np.int32]) -> TileArea:
        """Whole tiles that rise, each once."""
        rects = np.empty((len(tiles), 4), np.int32)
        rects[:] = (0, TILE, 0, TILE)
        return cls(tiles, rects)

    @classmethod
    def of_rects(cls, tiles: NDArray[np.int32], rects: NDArray[np.int32]) -> TileArea:
        """The smallest area that holds these rectangles: tiles in any order, some more than once."""
        order = np.argsort(tiles, kind="stable")
        united, bounds = np.empty(len(tiles), np.int32), np.empty((len(tiles), 4), np.int32)
        count = _unite(tiles, rects, order, united, bounds)
        return cls(united[:count], bounds[:count])

    @classmethod
    def of_texels(cls, texels: NDArray[np.int32]) -> TileArea:
        """The smallest area that holds texels, as `in_tiles` numbers them."""
        y, x = texels % TILE_TEXELS // TILE, texels % TILE
        return cls.of_rects(texels // TILE_TEXELS, np.stack([y, y + 1, x, x + 1], axis=1))

    @classmethod
    def union(cls, areas: list[TileArea]) -> TileArea:
        """The smallest area of this kind that holds all of these."""
        # All of a map is often among them more than once.
        some = list({id(area): area for area in areas if len(area)}.values())
        if len(some) < FEW:
            return reduce(TileArea.joined, some, cls.empty())
        return cls.of_rects(
            np.concatenate([each.tiles for each in some]), np.concatenate([each.rects for each in some])
        )

    @classmethod
    @lru_cache(maxsize=64)
    def whole(cls, width: int, height: int) -> TileArea:
        """All of a map: always the same object, which is joined with itself in no time."""
        return cls.of_tiles(np.arange((width // TILE) * (height // TILE), dtype=np.int32))

    @classmethod
    @cache
    def empty(cls) -> TileArea:
        """Nothing."""
        return cls(np.zeros(0, np.int32), np.zeros((0, 4), np.int32))

    def only(self, mask: NDArray[np.bool_]) -> TileArea:
        """The tiles for which (n,) a mask holds."""
        if mask.all():
            return self
        return TileArea(self.tiles[mask], self.rects[mask])

    @property
    def texels(self) -> int:
        """How many texels the rectangles hold."""
        return int(((self.rects[:, 1] - self.rects[:, 0]) * (self.rects[:, 3] - self.rects[:, 2])).sum())

    def joined(self, other: TileArea) -> TileArea:
        """The smallest area of this kind that holds both."""
        if other is self or not len(self) or not len(other):
            return self if len(self) else other
        tiles, rects = np.empty(len(self) + len(other), np.int32), np.empty((len(self) + len(other), 4), np.int32)
        count = _merge(self.tiles, self.rects, other.tiles, other.rects, tiles, rects)
        return TileArea(tiles[:count], rects[:count])


def in_tiles(texels: NDArray[np.integer], width: int | NDArray[np.int64]) -> NDArray[np.int32]:
    """Texels y · width + x of a map as its tiles lie: tile · TILE_TEXELS + row there · TILE + column."""
    y, x = texels // width, texels % width
    tiles = y // TILE * (width // TILE) + x // TILE
    found: NDArray[np.int32] = (tiles * TILE_TEXELS + y % TILE * TILE + x % TILE).astype(np.int32)
    return found


def by_tile(texels: NDArray[np.int32], count: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The places of texels, as `in_tiles` numbers them, in order of their tiles, and where each of so many begins."""
    # 16 bits are enough for every tile of the largest map, and sort by counting.
    tile = (texels // TILE_TEXELS).astype(np.uint16)
    order = np.argsort(tile, kind="stable")
    return order, np.searchsorted(tile[order], np.arange(count + 1))


def distinct(tiles: NDArray[np.integer]) -> NDArray[np.int32]:
    """Each of some tiles once, in order; `np.unique` counts them in a hash table, which takes ten times as long."""
    ordered = np.sort(tiles.astype(np.int32))
    found: NDArray[np.int32] = ordered[np.diff(ordered, prepend=-1) != 0]
    return found


def with_neighbors(area: TileArea, width: int, height: int, reach: int = 1) -> TileArea:
    """An area of a map and the texels within `reach` of it (at most a tile); the map wraps."""
    tiles, rects = np.empty(9 * len(area), np.int32), np.empty((9 * len(area), 4), np.int32)
    count = _spill(area.tiles, area.rects, height // TILE, width // TILE, reach, tiles, rects)
    return TileArea.of_rects(tiles[:count], rects[:count])


@kernel
def _spill(tiles, rects, rows, columns, reach, found, parts):  # type: ignore[no-untyped-def]
    """Rectangles grown by `reach`, cut where they reach into tiles around; returns how many parts there are."""
    count = 0
    for i in range(len(tiles)):
        for dy in range(-1, 2):
            top = max(rects[i, 0] - reach - dy * TILE, 0)
            bottom = min(rects[i, 1] + reach - dy * TILE, TILE)
            for dx in range(-1, 2):
                left = max(rects[i, 2] - reach - dx * TILE, 0)
                right = min(rects[i, 3] + reach - dx * TILE, TILE)
                if bottom > top and right > left:
                    row, column = (tiles[i] // columns + dy) % rows, (tiles[i] % columns + dx) % columns
                    found[count] = row * columns + column
                    parts[count, 0], parts[count, 1], parts[count, 2], parts[count, 3] = top, bottom, left, right
                    count += 1
    return count


@kernel
def _unite(tiles, rects, order, united, bounds):  # type: ignore[no-untyped-def]
    count = 0
    for i in order:
        if count == 0 or united[count - 1] != tiles[i]:
            united[count] = tiles[i]
            bounds[count] = rects[i]
            count += 1
            continue
        for side in (0, 2):
            bounds[count - 1, side] = min(bounds[count - 1, side], rects[i, side])
            bounds[count - 1, side + 1] = max(bounds[count - 1, side + 1], rects[i, side + 1])
    return count


@kernel
def _merge(tiles, rects, others, others_rects, united, bounds):  # type: ignore[no-untyped-def]
    count, i, j = 0, 0, 0
    while i < len(tiles) or j < len(others):
        mine = j == len(others) or (i < len(tiles) and tiles[i] <= others[j])
        theirs = i == len(tiles) or (j < len(others) and others[j] <= tiles[i])
        united[count] = tiles[i] if mine else others[j]
        bounds[count] = rects[i] if mine else others_rects[j]
        if mine and theirs:
            for side in (0, 2):
                bounds[count, side] = min(bounds[count, side], others_rects[j, side])
                bounds[count, side + 1] = max(bounds[count, side + 1], others_rects[j, side + 1])
        i, j, count = i + int(mine), j + int(theirs), count + 1
    return count


@kernel
def forget_bounds(bounds):  # type: ignore[no-untyped-def]
    """Nothing is known to have changed in any of n tiles: (n, 4) rectangles, inside out."""
    for t in range(len(bounds)):
        bounds[t, 0] = bounds[t, 2] = TILE
        bounds[t, 1] = bounds[t, 3] = 0


@kernel
def list_bounded(bounds, tiles):  # type: ignore[no-untyped-def]
    """List the tiles whose rectangle holds anything, in order; returns how many they are."""
    count = 0
    for t in range(len(bounds)):
        if bounds[t, 1] > 0:
            tiles[count] = t
            count += 1
    return count
