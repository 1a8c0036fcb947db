"""The rim: texels next to an island show what lies there on the surface, so that paint over a seam goes on unbroken.

A screen mixes the texels on both sides of an island's border. Where the outer one only repeats the inner one, as the
gutter does, whatever rises or falls across a seam shows there as a step. So the rim takes what lies beyond the seam,
mixed from the four texels around that place. Where neither side would meet the other by going on straight, as where a
fill ends there, the gutter stays as it is: an edge is no slope, and would only be blurred. What ends there differs on
one side only; grain differs from texel to texel on both, and goes on.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import as_uint8, as_uint16, carray, kernel
from .area import TileArea
from .composite_picture import Picture, spell_out
from .raster import TILE
from .seam_links import by_tile

#: Of 65535: where a side that went on straight would miss the other by less than FLAT, half of what texels around
#: differ, and GRAIN times what they differ on both sides, there is a slope; by more than twice that, an edge.
FLAT = 4 * 257.0
GRAIN = 3.0


@dataclass
class Rim:
    """Of all surfaces: n rim texels, and the texels inside islands that they are mixed from.

    surface, target, inside: (n,) int32, whose map, which texel there (y · width + x), the nearest one inside. sources:
    (m, 2) int32, surface and texel; weights: (m,) float32; those of rim texel i are starts[i]:starts[i + 1].
    beyond: (n,) int32, the surface on which it goes on. line: (n, 3) int32, a step behind the inside texel, and on
    `beyond` two and three steps before it, all inside islands. around: (n, 2, 9) int32, texels inside islands near the
    inside one, and near the place beyond; -1 for none. sizes: (surfaces, 2) width and height.
    """

    surface: NDArray[np.int32]
    target: NDArray[np.int32]
    inside: NDArray[np.int32]
    starts: NDArray[np.int64]
    sources: NDArray[np.int32]
    weights: NDArray[np.float32]
    beyond: NDArray[np.int32]
    line: NDArray[np.int32]
    around: NDArray[np.int32]
    sizes: NDArray[np.int64]

    def __post_init__(self) -> None:
        rows = np.arange(len(self.target), dtype=np.int32)
        each = np.repeat(rows, np.diff(self.starts))
        near, far = self.around[:, 0], np.column_stack([self.around[:, 1], self.line[:, 1:]])
        here = np.column_stack([self.target, self.inside, self.line[:, 0], near])
        surface = [np.repeat(self.surface, here.shape[1]), np.repeat(self.beyond, far.shape[1]), self.sources[:, 0]]
        texels = np.concatenate([here.ravel(), far.ravel(), self.sources[:, 1]])
        row = np.concatenate([np.repeat(rows, here.shape[1]), np.repeat(rows, far.shape[1]), each])
        some = np.flatnonzero(texels >= 0)
        surfaces, texels, row = np.concatenate(surface)[some], texels[some], row[some]
        #: By surface: what a change there concerns, by tile: which texel there, and which rim texel then.
        self._concerns = {}
        for number in np.unique(surfaces).tolist():
            mine = np.flatnonzero(surfaces == number)
            order, starts = by_tile(texels[mine], *self.sizes[number].tolist())
            self._concerns[number] = (texels[mine][order], row[mine][order], starts)

    @property
    def nbytes(self) -> int:
        """What it takes."""
        kept = (self.surface, self.target, self.inside, self.sources, self.weights, self.line, self.around)
        lists = (array for arrays in self._concerns.values() for array in arrays)
        return sum(array.nbytes for array in (*kept, *lists))

    def spread(
        self, pictures: Mapping[int, Picture], areas: Mapping[int, TileArea], together: bool
    ) -> dict[int, TileArea]:
        """Bring the rim up to date after areas of pictures, by number of surface, changed; returns what changed.

        All pictures have their gutters. together: channels are a color, which is a slope or an edge as a whole.
        """
        found: dict[int, TileArea] = {}
        rows = self._concerned(areas)
        if not len(rows):
            return found
        tables = np.zeros((len(self.sizes), 3), np.int64)
        for number, picture in pictures.items():
            tables[number] = picture.addresses
        changed = np.zeros(len(rows), np.bool_)
        _spread(tables, self.sizes, rows, self.surface, self.target, self.inside, self.starts, self.sources,
                self.weights, self.beyond, self.line, self.around, together, changed)  # fmt: skip
        rows = rows[changed]
        for number in np.unique(self.surface[rows]).tolist():
            texels = self.target[rows[self.surface[rows] == number]]
            found[number] = TileArea.of_texels(texels, int(self.sizes[number, 0]))
        return found

    def _concerned(self, areas: Mapping[int, TileArea]) -> NDArray[np.int64]:
        marks: NDArray[np.uint8] | None = None
        for number, area in areas.items():
            if number in self._concerns and len(area):
                texels, rows, starts = self._concerns[number]
                if marks is None:
                    marks = np.zeros(len(self.target), np.uint8)
                _mark(texels, rows, starts, int(self.sizes[number, 0]), area.tiles, area.rects, marks)
        return np.zeros(0, np.int64) if marks is None else np.flatnonzero(marks)


@kernel
def _mark(texels, rows, starts, width, tiles, rects, marks):  # type: ignore[no-untyped-def]
    for i in range(len(tiles)):
        top, bottom, left, right = rects[i]
        for k in range(starts[tiles[i]], starts[tiles[i] + 1]):
            y, x = texels[k] // width % TILE, texels[k] % width % TILE
            if top <= y < bottom and left <= x < right:
                marks[rows[k]] = 1


@kernel
def _texel(tables, sizes, surface, texel, found):  # type: ignore[no-untyped-def]
    """Four channels of a texel; returns its tile."""
    width = sizes[surface, 0]
    columns, y, x = width // TILE, texel // width, texel % width
    t = y // TILE * columns + x // TILE
    count = columns * (sizes[surface, 1] // TILE)
    if carray(as_uint8(tables[surface, 1]), (count,))[t] != 0:
        line = carray(as_uint16(tables[surface, 2]), (count, 4))[t]
    else:
        line = carray(as_uint16(tables[surface, 0]), (count, TILE, TILE, 4))[t, y % TILE, x % TILE]
    for c in range(4):
        found[c] = np.float32(line[c])
    return t


@kernel
def _around(tables, sizes, surface, texels, low, high):  # type: ignore[no-untyped-def]
    """Between what the texels around a place lie, by channel."""
    one = np.empty(4, np.float32)
    low[:], high[:] = np.float32(65535), np.float32(0)
    for k in range(len(texels)):
        if texels[k] >= 0:
            _texel(tables, sizes, surface, texels[k], one)
            for c in range(4):
                low[c], high[c] = min(low[c], one[c]), max(high[c], one[c])


@kernel
def _spread(  # type: ignore[no-untyped-def]
    tables, sizes, rows, surfaces, targets, insides, starts, sources, weights, beyonds, lines, arounds, together,
    changed,
):  # fmt: skip
    here, there, one, before, ahead, farther = np.empty((6, 4), np.float32)
    missed, differ, both = np.empty((3, 4), np.float32)
    low, high, low_beyond, high_beyond = np.empty((4, 4), np.float32)
    for i in range(len(rows)):
        r = rows[i]
        surface = surfaces[r]
        _texel(tables, sizes, surface, insides[r], here)
        there[:] = np.float32(0)
        for k in range(starts[r], starts[r + 1]):
            _texel(tables, sizes, sources[k, 0], sources[k, 1], one)
            for c in range(4):
                there[c] += one[c] * weights[k]
        _texel(tables, sizes, surface, lines[r, 0], before)
        _texel(tables, sizes, beyonds[r], lines[r, 1], ahead)
        _texel(tables, sizes, beyonds[r], lines[r, 2], farther)
        _around(tables, sizes, surface, arounds[r, 0], low, high)
        _around(tables, sizes, beyonds[r], arounds[r, 1], low_beyond, high_beyond)
        for c in range(4):
            # The lines through two texels of each side, at those of the other.
            apart, two = ahead[c] - here[c], np.float32(2)
            missed[c] = min(abs(apart - two * (here[c] - before[c])), abs(apart - two * (farther[c] - ahead[c])))
            mine, theirs = high[c] - low[c], high_beyond[c] - low_beyond[c]
            differ[c], both[c] = mine + theirs, min(mine, theirs)
            # At a corner the mix may hold a third island, which may end there.
            there[c] = min(max(there[c], min(low[c], low_beyond[c])), max(high[c], high_beyond[c]))
        if together:
            missed[:], differ[:], both[:] = missed.max(), differ.max(), both.max()
        for c in range(4):
            slope = np.float32(FLAT) + np.float32(0.5) * differ[c] + np.float32(GRAIN) * both[c]
            share = min(max(np.float32(2) - missed[c] / slope, np.float32(0)), np.float32(1))
            here[c] += (there[c] - here[c]) * share
        t = _texel(tables, sizes, surface, targets[r], one)
        for c in range(4):
            changed[i] |= np.uint16(here[c] + np.float32(0.5)) != np.uint16(one[c])
        if not changed[i]:
            continue
        width, height = sizes[surface]
        count = (width // TILE) * (height // TILE)
        pixels, colors = (
            carray(as_uint16(tables[surface, 0]), (count, TILE, TILE, 4)),
            carray(as_uint16(tables[surface, 2]), (count, 4)),
        )
        spell_out(pixels, carray(as_uint8(tables[surface, 1]), (count,)), colors, t)
        y, x = targets[r] // width % TILE, targets[r] % width % TILE
        for c in range(4):
            pixels[t, y, x, c] = np.uint16(here[c] + np.float32(0.5))
