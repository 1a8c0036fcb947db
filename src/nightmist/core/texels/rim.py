"""The rim: texels next to an island show what lies there on the surface, so that paint over a seam goes on unbroken.

A screen mixes the texels on both sides of an island's border. Where the outer one only repeats the inner one, as the
gutter does, whatever rises or falls across a seam shows there as a step. So the rim takes what lies beyond the seam,
mixed from the texels around that place. Where neither side would meet the other by going on straight, as where a
fill ends there, the gutter stays as it is: an edge is no slope, and would only be blurred. What ends there differs on
one side only; grain differs from texel to texel on both, and goes on.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..kernels import as_uint8, as_uint16, carray, kernel
from .area import TileArea
from .composite_picture import Picture, spell_out
from .raster import TILE

#: Side in texels of the cells by which a change finds the rim texels that it concerns.
CELL = 8
#: Of 65535: where a side that went on straight would miss the other by less than FLAT, half of what texels around
#: differ, and GRAIN times what they differ on both sides, there is a slope; by more than twice that, an edge.
FLAT = 4 * 257.0
GRAIN = 3.0
#: How much higher than all texels around a place it may be, of what they differ: midway between two on a parabola it
#: is a ninth.
CREST = 1 / 9


@dataclass
class Rim:
    """Of surfaces that hang together: n rim texels, and the texels inside islands that they are mixed from.

    Surfaces are counted from 0, whatever their numbers in the mesh. surface, target, inside: (n,) int32, whose map,
    which texel there (y · width + x), the nearest one inside. sources: (m, 2) int32, surface and texel; weights: (m,)
    float32; those of rim texel i are starts[i]:starts[i + 1]. beyond: (n,) int32, the surface on which it goes on;
    place: (n,) int32, the texel there where it does. line: (n, 3) int32, a step behind the inside texel, and on
    `beyond` two and three steps before it, all inside islands. around: (n, 2) uint16, which of the nine texels around
    the inside one, and around `place`, lie inside islands: a bit each, row by row. sizes: (surfaces, 2) width and
    height.
    """

    surface: NDArray[np.int32]
    target: NDArray[np.int32]
    inside: NDArray[np.int32]
    starts: NDArray[np.int64]
    sources: NDArray[np.int32]
    weights: NDArray[np.float32]
    beyond: NDArray[np.int32]
    place: NDArray[np.int32]
    line: NDArray[np.int32]
    around: NDArray[np.uint16]
    sizes: NDArray[np.int64]

    def __post_init__(self) -> None:
        cells = self.sizes[:, 0] // CELL * (self.sizes[:, 1] // CELL)
        #: Each map's first cell, counted over all maps.
        self._first = np.concatenate([[0], np.cumsum(cells)])
        #: Rim texels concerned by a change in a cell, those of cell k from `_bounds[k]` to `_bounds[k + 1]`.
        counts = np.zeros(int(self._first[-1]) + 1, np.int64)
        self._list_rows(counts, np.zeros(0, np.int32))
        self._bounds = np.cumsum(counts)
        self._rows = np.empty(int(self._bounds[-1]), np.int32)
        self._list_rows(self._bounds[:-1].copy(), self._rows)

    def _list_rows(self, ends: NDArray[np.int64], rows: NDArray[np.int32]) -> None:
        _list_rows(self.sizes, self._first, self.surface, self.target, self.inside, self.starts, self.sources,
                   self.beyond, self.place, self.line, ends, rows)  # fmt: skip

    @property
    def nbytes(self) -> int:
        """What it takes."""
        kept: list[NDArray[Any]] = [getattr(self, one.name) for one in fields(self)]
        return sum(array.nbytes for array in (*kept, self._bounds, self._rows))

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
                self.weights, self.beyond, self.place, self.line, self.around, together, changed)  # fmt: skip
        rows = rows[changed]
        for number in np.unique(self.surface[rows]).tolist():
            texels = self.target[rows[self.surface[rows] == number]]
            found[number] = TileArea.of_texels(texels, int(self.sizes[number, 0]))
        return found

    def _concerned(self, areas: Mapping[int, TileArea]) -> NDArray[np.int32]:
        """Rim texels, each once, that a change in these areas may change."""
        marks, found, count = np.zeros(len(self.target), np.bool_), np.empty(len(self.target), np.int32), 0
        for number, area in areas.items():
            count = _mark(self._bounds, self._rows, self._first[number], self.sizes[number, 0], area.tiles, area.rects,
                          marks, found, count)  # fmt: skip
        return found[:count]


@kernel
def _list_rows(  # type: ignore[no-untyped-def]
    sizes, first, surfaces, targets, insides, starts, sources, beyonds, places, lines, ends, rows
):
    """By cells, the rim texels that depend on some texel there: counts them, or lists them where there is room."""
    seen = np.full(first[-1], -1, np.int32)
    for r in range(len(targets)):
        for side in range(2):
            surface, middle = (surfaces[r], insides[r]) if side == 0 else (beyonds[r], places[r])
            width, height = sizes[surface]
            # The nine texels around a place lie in the cells of its corners.
            x, y = middle % width, middle // width
            left, right = (x if x > 0 else width) - 1, x + 1 if x + 1 < width else 0
            top, bottom = (y if y > 0 else height) - 1, y + 1 if y + 1 < height else 0
            for line in (top, bottom):
                row = first[surface] + line // CELL * (width // CELL)
                _enter(row + left // CELL, r, seen, ends, rows)
                _enter(row + right // CELL, r, seen, ends, rows)
        _enter(_cell(first, sizes, surfaces[r], targets[r]), r, seen, ends, rows)
        for k in range(3):
            surface = surfaces[r] if k == 0 else beyonds[r]
            _enter(_cell(first, sizes, surface, lines[r, k]), r, seen, ends, rows)
        for k in range(starts[r], starts[r + 1]):
            _enter(_cell(first, sizes, sources[k, 0], sources[k, 1]), r, seen, ends, rows)


@kernel
def _cell(first, sizes, surface, texel):  # type: ignore[no-untyped-def]
    width = sizes[surface, 0]
    return first[surface] + texel // width // CELL * (width // CELL) + texel % width // CELL


@kernel
def _enter(cell, r, seen, ends, rows):  # type: ignore[no-untyped-def]
    if seen[cell] != r:
        seen[cell] = r
        if len(rows) > 0:
            rows[ends[cell]] = r
            ends[cell] += 1
        else:
            ends[cell + 1] += 1


@kernel
def _mark(bounds, rows, first, width, tiles, rects, marks, found, count):  # type: ignore[no-untyped-def]
    columns = width // TILE
    for i in range(len(tiles)):
        top, bottom, left, right = rects[i]
        y, x = tiles[i] // columns * TILE, tiles[i] % columns * TILE
        for row in range((y + top) // CELL, (y + bottom - 1) // CELL + 1):
            # Cells of a row follow on each other, and so do the lists of what they concern.
            cell = first + row * (width // CELL)
            for k in range(bounds[cell + (x + left) // CELL], bounds[cell + (x + right - 1) // CELL + 1]):
                if not marks[rows[k]]:
                    marks[rows[k]] = True
                    found[count] = rows[k]
                    count += 1
    return count


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
def _around(tables, sizes, surface, middle, inside, low, high):  # type: ignore[no-untyped-def]
    """Between what the texels around a place lie, by channel; `inside` tells which of the nine."""
    one = np.empty(4, np.float32)
    width, height = sizes[surface]
    low[:], high[:] = np.float32(65535), np.float32(0)
    for k in range(9):
        if inside >> k & 1:
            x, y = (middle % width + k % 3 - 1) % width, (middle // width + k // 3 - 1) % height
            _texel(tables, sizes, surface, y * width + x, one)
            for c in range(4):
                low[c], high[c] = min(low[c], one[c]), max(high[c], one[c])


@kernel
def _spread(  # type: ignore[no-untyped-def]
    tables, sizes, rows, surfaces, targets, insides, starts, sources, weights, beyonds, places, lines, arounds,
    together, changed,
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
        t = _texel(tables, sizes, surface, targets[r], one)
        level = True
        for c in range(4):
            level = level and abs(there[c] - here[c]) < np.float32(0.5)
            changed[i] |= np.uint16(here[c]) != np.uint16(one[c])
        if level and not changed[i]:
            # Where nothing rises or falls, as on most of a model, there is nothing to weigh.
            continue
        _texel(tables, sizes, surface, lines[r, 0], before)
        _texel(tables, sizes, beyonds[r], lines[r, 1], ahead)
        _texel(tables, sizes, beyonds[r], lines[r, 2], farther)
        _around(tables, sizes, surface, insides[r], arounds[r, 0], low, high)
        _around(tables, sizes, beyonds[r], places[r], arounds[r, 1], low_beyond, high_beyond)
        for c in range(4):
            # The lines through two texels of each side, at those of the other.
            apart, two = ahead[c] - here[c], np.float32(2)
            missed[c] = min(abs(apart - two * (here[c] - before[c])), abs(apart - two * (farther[c] - ahead[c])))
            mine, theirs = high[c] - low[c], high_beyond[c] - low_beyond[c]
            differ[c], both[c] = mine + theirs, min(mine, theirs)
            # At a corner the mix may hold a third island, which may end there. A crest may lie between texels.
            least, most = min(low[c], low_beyond[c]), max(high[c], high_beyond[c])
            over = np.float32(CREST) * (most - least)
            there[c] = min(max(there[c], least - over, np.float32(0)), most + over, np.float32(65535))
        if together:
            missed[:], differ[:], both[:] = missed.max(), differ.max(), both.max()
        for c in range(4):
            slope = np.float32(FLAT) + np.float32(0.5) * differ[c] + np.float32(GRAIN) * both[c]
            share = min(max(np.float32(2) - missed[c] / slope, np.float32(0)), np.float32(1))
            here[c] += (there[c] - here[c]) * share
        changed[i] = False
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
