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

from ..kernels import address_of, as_int64, as_uint8, as_uint16, carray, in_two_threads, kernel, shorts_at
from .area import TileArea, forget_bounds, list_bounded
from .composite_picture import Picture, spell_out
from .raster import TILE, TILE_TEXELS

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

    Surfaces are counted from 0, whatever their numbers in the mesh, and texels as pictures hold them, tile after tile
    (`in_tiles`). surface, target, inside: (n,) int32, whose map, which texel there, the nearest one inside. sources:
    (m, 2) int32, surface and texel; weights: (m,) float32; those of rim texel i are starts[i]:starts[i + 1]. beyond:
    (n,) int32, the surface on which it goes on; place: (n,) int32, the texel there where it does. line: (n, 3) int32, a
    step behind the inside texel, and on `beyond` two and three steps before it, all inside islands. around: (n, 2)
    uint16, which of the nine texels around the inside one, and around `place`, lie inside islands: a bit each, row by
    row. sizes: (surfaces, 2) width and height.
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
        tiles = self.sizes[:, 0] // TILE * (self.sizes[:, 1] // TILE)
        #: Each map's first tile, and its first cell, counted over all maps.
        self._tiles = np.concatenate([[0], np.cumsum(tiles)]).astype(np.int32)
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
        made, changed = np.empty((len(rows), 4), np.uint16), np.zeros(len(rows), np.bool_)

        def mix(a: int, b: int) -> None:
            _mix(address_of(tables), self.sizes, rows[a:b], self.surface, self.target, self.inside, self.starts,
                 self.sources, self.weights, self.beyond, self.place, self.line, self.around, together, made[a:b],
                 changed[a:b])  # fmt: skip

        # No texel of a rim is mixed from another.
        in_two_threads(len(rows), mix)
        tiles, bounds = np.empty(int(self._tiles[-1]), np.int32), np.empty((int(self._tiles[-1]), 4), np.int32)
        count = _write(tables, self.sizes, rows, self.surface, self.target, made, changed, self._tiles, bounds, tiles)
        surfaces = np.searchsorted(self._tiles, tiles[:count], side="right") - 1
        for number in dict.fromkeys(surfaces.tolist()):
            its = tiles[:count][surfaces == number]
            found[number] = TileArea(its - self._tiles[number], bounds[its])
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
            for dy in (-1, 1):
                for dx in (-1, 1):
                    corner = _beside(middle, dx, dy, width // TILE, height // TILE)
                    _enter(_cell(first, sizes, surface, corner), r, seen, ends, rows)
        _enter(_cell(first, sizes, surfaces[r], targets[r]), r, seen, ends, rows)
        for k in range(3):
            surface = surfaces[r] if k == 0 else beyonds[r]
            _enter(_cell(first, sizes, surface, lines[r, k]), r, seen, ends, rows)
        for k in range(starts[r], starts[r + 1]):
            _enter(_cell(first, sizes, sources[k, 0], sources[k, 1]), r, seen, ends, rows)


@kernel
def _cell(first, sizes, surface, texel):  # type: ignore[no-untyped-def]
    columns = sizes[surface, 0] // TILE
    y = texel // TILE_TEXELS // columns * TILE + texel % TILE_TEXELS // TILE
    x = texel // TILE_TEXELS % columns * TILE + texel % TILE
    return first[surface] + y // CELL * (sizes[surface, 0] // CELL) + x // CELL


@kernel
def _beside(texel, dx, dy, columns, rows):  # type: ignore[no-untyped-def]
    """The texel so many to the right, and down, of another: at most a tile away. The map wraps."""
    x, y = texel % TILE + dx, texel % TILE_TEXELS // TILE + dy
    if 0 <= x < TILE and 0 <= y < TILE:
        return texel + dy * TILE + dx
    tile = texel // TILE_TEXELS
    column, row = (tile % columns + x // TILE) % columns, (tile // columns + y // TILE) % rows
    return (row * columns + column) * TILE_TEXELS + y % TILE * TILE + x % TILE


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
def _texel(tables, surface, texel):  # type: ignore[no-untyped-def]
    """The four channels of a texel, in a tuple, which takes no memory. tables: where they lie, as handing over an array
    takes longer than all the rest.
    """
    table, tile = as_int64(tables + 24 * surface), texel // TILE_TEXELS
    pixels, plain, colors = table[0], table[1], table[2]
    line = shorts_at(pixels + 8 * texel if as_uint8(plain)[tile] == 0 else colors + 8 * tile, 4)
    return np.float32(line[0]), np.float32(line[1]), np.float32(line[2]), np.float32(line[3])


@kernel
def _added(one, other, weight):  # type: ignore[no-untyped-def]
    a, b, c, d = one
    return a + other[0] * weight, b + other[1] * weight, c + other[2] * weight, d + other[3] * weight


@kernel
def _lesser(one, other):  # type: ignore[no-untyped-def]
    return min(one[0], other[0]), min(one[1], other[1]), min(one[2], other[2]), min(one[3], other[3])


@kernel
def _greater(one, other):  # type: ignore[no-untyped-def]
    return max(one[0], other[0]), max(one[1], other[1]), max(one[2], other[2]), max(one[3], other[3])


@kernel
def _around(tables, columns, rows, surface, middle, inside):  # type: ignore[no-untyped-def]
    """Between what the texels around a place lie, by channel; `inside` tells which of the nine. columns, rows: of the
    map's tiles.
    """
    none, full = np.float32(0), np.float32(65535)
    low, high = (full, full, full, full), (none, none, none, none)
    for k in range(9):
        if inside >> k & 1:
            one = _texel(tables, surface, _beside(middle, k % 3 - 1, k // 3 - 1, columns, rows))
            low, high = _lesser(low, one), _greater(high, one)
    return low, high


@kernel
def _mix(  # type: ignore[no-untyped-def]
    tables, sizes, rows, surfaces, targets, insides, starts, sources, weights, beyonds, places, lines, arounds,
    together, made, changed,
):  # fmt: skip
    """What each of some rim texels becomes, and whether that is anything else than it was."""
    missed, differ, both, mixed = np.empty((4, 4), np.float32)
    for i in range(len(rows)):
        r = rows[i]
        surface, other = surfaces[r], beyonds[r]
        here = _texel(tables, surface, insides[r])
        there = (np.float32(0), np.float32(0), np.float32(0), np.float32(0))
        for k in range(starts[r], starts[r + 1]):
            there = _added(there, _texel(tables, sources[k, 0], sources[k, 1]), weights[k])
        one = _texel(tables, surface, targets[r])
        level = True
        for c in range(4):
            level = level and abs(there[c] - here[c]) < np.float32(0.5)
            changed[i] |= np.uint16(here[c]) != np.uint16(one[c])
        if level and not changed[i]:
            # Where nothing rises or falls, as on most of a model, there is nothing to weigh.
            continue
        before, ahead = _texel(tables, surface, lines[r, 0]), _texel(tables, other, lines[r, 1])
        farther = _texel(tables, other, lines[r, 2])
        columns, down = sizes[surface, 0] // TILE, sizes[surface, 1] // TILE
        low, high = _around(tables, columns, down, surface, insides[r], arounds[r, 0])
        columns, down = sizes[other, 0] // TILE, sizes[other, 1] // TILE
        low_beyond, high_beyond = _around(tables, columns, down, other, places[r], arounds[r, 1])
        for c in range(4):
            # The lines through two texels of each side, at those of the other.
            apart, two = ahead[c] - here[c], np.float32(2)
            missed[c] = min(abs(apart - two * (here[c] - before[c])), abs(apart - two * (farther[c] - ahead[c])))
            mine, theirs = high[c] - low[c], high_beyond[c] - low_beyond[c]
            differ[c], both[c] = mine + theirs, min(mine, theirs)
            # At a corner the mix may hold a third island, which may end there. A crest may lie between texels.
            least, most = min(low[c], low_beyond[c]), max(high[c], high_beyond[c])
            over = np.float32(CREST) * (most - least)
            mixed[c] = min(max(there[c], least - over, np.float32(0)), most + over, np.float32(65535))
        if together:
            for each in (missed, differ, both):
                each[:] = max(each[0], each[1], each[2], each[3])
        changed[i] = False
        for c in range(4):
            slope = np.float32(FLAT) + np.float32(0.5) * differ[c] + np.float32(GRAIN) * both[c]
            share = min(max(np.float32(2) - missed[c] / slope, np.float32(0)), np.float32(1))
            made[i, c] = np.uint16(here[c] + (mixed[c] - here[c]) * share + np.float32(0.5))
            changed[i] |= made[i, c] != np.uint16(one[c])


@kernel
def _write(tables, sizes, rows, surfaces, targets, made, changed, first, bounds, tiles):  # type: ignore[no-untyped-def]
    """Write rim texels that changed. Returns in how many tiles, counted over all maps: `tiles` lists them in order, and
    `bounds` tells where by the tile.
    """
    forget_bounds(bounds)
    for i in range(len(rows)):
        if not changed[i]:
            continue
        surface, texel = surfaces[rows[i]], targets[rows[i]]
        count, tile = sizes[surface, 0] // TILE * (sizes[surface, 1] // TILE), texel // TILE_TEXELS
        y, x = texel % TILE_TEXELS // TILE, texel % TILE
        pixels = carray(as_uint16(tables[surface, 0]), (count, TILE, TILE, 4))
        colors = carray(as_uint16(tables[surface, 2]), (count, 4))
        spell_out(pixels, carray(as_uint8(tables[surface, 1]), (count,)), colors, tile)
        bound = bounds[first[surface] + tile]
        bound[0], bound[1] = min(bound[0], y), max(bound[1], y + 1)
        bound[2], bound[3] = min(bound[2], x), max(bound[3], x + 1)
        for c in range(4):
            pixels[tile, y, x, c] = made[i, c]
    return list_bounded(bounds, tiles)
