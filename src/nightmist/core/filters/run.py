"""Filters as a document runs them: which tiles they look at to make others, and where a change is felt."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ..kernels import in_two_threads, kernel
from ..mesh import Mesh
from ..texels.area import TileArea, with_neighbors
from ..texels.ownership import Ownership
from ..texels.raster import TILE
from .blur import Spread, blur_tiles
from .distort import Distortion, move_tiles, take_moved
from .ground import Ground
from .small import enlarge, shrink

#: (n,) tiles to (n, 64, 64, p) float32 numbers: what is to be filtered.
Below = Callable[[NDArray[np.int32]], NDArray[np.float32]]


class Filter(Protocol):
    """Makes tiles of what lies below, and knows where that shows."""

    def make(self, tiles: NDArray[np.int32], below: Below) -> NDArray[np.float32]:
        """(n, 64, 64, p) tiles of what the filter makes."""

    def reach(self, area: TileArea) -> TileArea:
        """Where a change below in an area is felt, itself included."""

    def forget(self, tiles: NDArray[np.int32]) -> None:
        """What lies below these tiles has changed."""


class Still:
    """Leaves what lies below as it is."""

    def make(self, tiles: NDArray[np.int32], below: Below) -> NDArray[np.float32]:
        """(n, 64, 64, p)."""
        return below(tiles)

    def reach(self, area: TileArea) -> TileArea:
        """Nothing looks at neighbors."""
        return area

    def forget(self, tiles: NDArray[np.int32]) -> None:
        """Nothing of what lies below is held."""


class Blur:
    """Blurs, or with a strength of sharpening moves away from the blurred."""

    def __init__(self, ground: Ground, spread: Spread, small: Ground | None = None, sharpen: float = 0.0) -> None:
        """small: of the map that is `spread.factor` times smaller, when that is above 1."""
        self.ground, self.spread, self.small, self.sharpen = ground, spread, small or ground, sharpen
        count = ground.size[0] // TILE * (ground.size[1] // TILE)
        self.fresh = np.zeros(count, np.bool_)
        #: Tiles with texels outside all islands.
        self.open = _tiles_of(ground.labels < 0).any(axis=(2, 3)).ravel()
        self.shrunk = np.zeros((0, 0, 0), np.float32)

    def make(self, tiles: NDArray[np.int32], below: Below) -> NDArray[np.float32]:
        """(n, 64, 64, p)."""
        if self.spread.factor == 1:
            active = self.ground.looked_at(TileArea.of_tiles(tiles), self.spread.steps).tiles
            planes = below(active)
            wanted = np.searchsorted(active, tiles)
            plain = planes[wanted]
            blurred = blur_tiles(self.ground, self.spread, active, planes)[wanted]
        else:
            blurred = self._make_small(tiles, below)
            # What lies outside all islands stays as it is, and has to be looked at for that.
            some = self.open[tiles] | (self.sharpen > 0)
            plain = blurred.copy()
            if some.any():
                plain[some] = below(tiles[some])
        _finish(self.ground.labels, tiles, plain, np.float32(self.sharpen), blurred)
        return blurred

    def _make_small(self, tiles: NDArray[np.int32], below: Below) -> NDArray[np.float32]:
        area = self._to_small(TileArea.of_tiles(tiles))
        # At an island's edge texels may lie in small ones beside it, or between such.
        area = with_neighbors(area, *self.small.size, 2)
        active = self.small.looked_at(area, self.spread.steps + 1).tiles
        self._see(active, below)
        columns, factor = self.small.size[0] // TILE, self.spread.factor
        planes = np.empty((len(active), TILE, TILE, self.shrunk.shape[2]), np.float32)
        _copy_tiles(self.shrunk, columns, active, planes)
        planes = blur_tiles(self.small, self.spread, active, planes)
        slots = np.full(columns * (self.small.size[1] // TILE), -1, np.int32)
        slots[active] = np.arange(len(active))
        made = np.zeros((len(tiles), TILE, TILE, planes.shape[3]), np.float32)
        lost = enlarge(self.ground, self.small, factor, tiles, slots, planes, made)
        if lost.any():
            # Slivers that no texel of the small map lies in stay as they are.
            made[lost] = below(tiles[lost])
            enlarge(self.ground, self.small, factor, tiles, slots, planes, made)
        return made

    def _see(self, active: NDArray[np.int32], below: Below) -> None:
        """Shrink what lies in small tiles, as far as that is not done."""
        new = self._to_large(TileArea.of_tiles(active)).tiles
        new = new[~self.fresh[new]]
        for first in range(0, len(new), 128):
            some = new[first : first + 128]
            planes = below(some)
            if not self.shrunk.size:
                self.shrunk = np.zeros((*self.small.labels.shape, planes.shape[3]), np.float32)
            shrink(self.ground, self.small, self.spread.factor, some, planes, self.shrunk)
        self.fresh[new] = True

    def reach(self, area: TileArea) -> TileArea:
        """Where a change below is felt."""
        if self.spread.factor == 1:
            return self.ground.reach(area, self.spread.steps)
        grown = self.small.reach(self._to_small(area), self.spread.steps + 1)
        return self._to_large(with_neighbors(grown, *self.small.size, 2)).joined(area)

    def forget(self, tiles: NDArray[np.int32]) -> None:
        """What lies below these tiles has changed."""
        self.fresh[tiles] = False

    def _to_small(self, area: TileArea) -> TileArea:
        """The part of the small map that holds an area of the large one."""
        factor = self.spread.factor
        columns, small_columns = self.ground.size[0] // TILE, self.small.size[0] // TILE
        row, column = area.tiles // columns * TILE, area.tiles % columns * TILE
        tiles = row // (factor * TILE) * small_columns + column // (factor * TILE)
        at = np.stack([row // factor % TILE] * 2 + [column // factor % TILE] * 2, axis=1)
        rects = at + area.rects // factor
        rects[:, 1::2] = at[:, 1::2] + -(-area.rects[:, 1::2] // factor)
        return TileArea.of_rects(tiles.astype(np.int32), rects.astype(np.int32))

    def _to_large(self, area: TileArea) -> TileArea:
        """The part of the large map that an area of the small one holds."""
        factor = self.spread.factor
        (columns, rows), small_columns = (side // TILE for side in self.ground.size), self.small.size[0] // TILE
        tiles, rects = [], []
        for dy in range(factor):
            for dx in range(factor):
                row, column = area.tiles // small_columns * factor + dy, area.tiles % small_columns * factor + dx
                rect = np.clip(area.rects * factor - np.array([dy, dy, dx, dx]) * TILE, 0, TILE)
                some = (rect[:, 1] > rect[:, 0]) & (rect[:, 3] > rect[:, 2]) & (row < rows) & (column < columns)
                tiles.append((row * columns + column)[some])
                rects.append(rect[some])
        return TileArea.of_rects(np.concatenate(tiles).astype(np.int32), np.concatenate(rects).astype(np.int32))


class Distort:
    """Moves what lies on a surface about by noise."""

    def __init__(
        self, mesh: Mesh, surface: int, own: Ownership, uvs: NDArray[np.float32], ground: Ground, how: Distortion
    ):
        """uvs: (F, 3, 2) of all faces."""
        self.mesh, self.surface, self.own, self.ground, self.how = mesh, surface, own, ground, how
        self.texels = np.nan_to_num(uvs.astype(np.float64) * (own.width, own.height))
        count = ground.size[0] // TILE * (ground.size[1] // TILE)
        #: Of each tile that was made those that it takes from.
        self.sources: list[NDArray[np.int32] | None] = [None] * count

    def make(self, tiles: NDArray[np.int32], below: Below) -> NDArray[np.float32]:
        """(n, 64, 64, p)."""
        moved = move_tiles(self.mesh, self.surface, self.own, self.texels, self.how, tiles)
        for i, tile in enumerate(tiles):
            if self.sources[tile] is None:
                self.sources[tile] = moved.sources(i, *self.ground.size)
        needed = np.unique(np.concatenate([tiles, *(self._sources(tile) for tile in tiles)])).astype(np.int32)
        slots = np.full(len(self.sources), -1, np.int32)
        slots[needed] = np.arange(len(needed))
        return take_moved(self.ground, tiles, moved, slots, below(needed))

    def _sources(self, tile: int) -> NDArray[np.int32]:
        found = self.sources[tile]
        if found is None:
            one = np.array([tile], np.int32)
            moved = move_tiles(self.mesh, self.surface, self.own, self.texels, self.how, one)
            found = self.sources[tile] = moved.sources(0, *self.ground.size)
        return found

    def reach(self, area: TileArea) -> TileArea:
        """Whole tiles that take from an area."""
        changed = np.zeros(len(self.sources), np.bool_)
        changed[area.tiles] = True
        if changed[self.own.used_tiles].all():
            return area
        felt = [tile for tile in self.own.used_tiles if changed[self._sources(tile)].any()]
        return TileArea.of_tiles(np.array(felt, np.int32)).joined(area)

    def forget(self, tiles: NDArray[np.int32]) -> None:
        """Nothing of what lies below is held."""


def to_texels(planes: NDArray[np.float32], first: int, alpha: int | None, into: NDArray[np.uint16]) -> None:
    """Round premultiplied numbers, (n, 64, 64, p), into texels with straight alpha, (n, 64, 64, channels).

    first: the plane of the first color. alpha: that of the alpha; None: opaque.
    """
    in_two_threads(len(planes), lambda a, b: _to_texels(planes[a:b], first, -1 if alpha is None else alpha, into[a:b]))


@kernel
def _to_texels(planes, first, alpha, into):  # type: ignore[no-untyped-def]
    one, zero, full, half = np.float32(1.0), np.float32(0.0), np.float32(65535.0), np.float32(0.5)
    last = into.shape[3] - 1
    for i in range(len(planes)):
        for y in range(TILE):
            for x in range(TILE):
                cover = one
                if alpha >= 0:
                    cover = min(max(planes[i, y, x, alpha], zero), one)
                for c in range(last):
                    value = planes[i, y, x, first + c]
                    if alpha >= 0:
                        value = value / cover if cover > np.float32(1e-6) else zero
                    into[i, y, x, c] = np.uint16(min(max(value, zero), one) * full + half)
                into[i, y, x, last] = np.uint16(cover * full + half)


def _tiles_of(image: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(rows, columns, 64, 64) of (H, W)."""
    height, width = image.shape
    return image.reshape(height // TILE, TILE, width // TILE, TILE).swapaxes(1, 2)


@kernel
def _finish(labels, tiles, plain, sharpen, blurred):  # type: ignore[no-untyped-def]
    """Move away from the blurred where that is wanted; outside all islands all stays as it was."""
    columns = labels.shape[1] // TILE
    for i in range(len(tiles)):
        top, left = tiles[i] // columns * TILE, tiles[i] % columns * TILE
        for y in range(TILE):
            for x in range(TILE):
                if labels[top + y, left + x] < 0:
                    for p in range(plain.shape[3]):
                        blurred[i, y, x, p] = plain[i, y, x, p]
                elif sharpen > 0:
                    for p in range(plain.shape[3]):
                        blurred[i, y, x, p] = plain[i, y, x, p] + sharpen * (plain[i, y, x, p] - blurred[i, y, x, p])


@kernel
def _copy_tiles(image, columns, tiles, into):  # type: ignore[no-untyped-def]
    for i in range(len(tiles)):
        top, left = tiles[i] // columns * TILE, tiles[i] % columns * TILE
        into[i] = image[top : top + TILE, left : left + TILE]
