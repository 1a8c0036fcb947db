"""The rim: texels next to an island show what lies there on the surface, so that paint over a seam goes on unbroken.

A screen mixes the texels on both sides of an island's border. Where the outer one only repeats the inner one, as the
gutter does, whatever rises or falls across a seam shows there as a step. So the rim takes what lies beyond the seam,
mixed from the four texels around that place. Where the sides differ more than either does by itself near the seam, as
where a fill ends there, the gutter stays as it is: an edge is no slope, and would only be blurred.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array, diags_array

from ..kernels import address_of, as_uint8, as_uint16, carray, kernel
from ..mesh.mesh import Mesh
from .area import TileArea, with_neighbors
from .composite_picture import Picture, spell_out
from .gutter import Gutter
from .ownership import Ownership
from .raster import TILE
from .seam_links import by_tile, links_over_seams

#: Texels off an island up to which they belong to its rim: those that a screen mixes with it.
REACH = 1.5
#: Places that lie in a rim themselves are followed so often.
ROUNDS = 6
#: Shares of a texel below which it does not count.
LEAST = 1 / 512
#: Of 65535: where a side that went on straight would miss the other by less than FLAT and half of what texels around
#: differ, there is a slope; by more than twice that, an edge.
FLAT = 4 * 257.0
#: The texels around one, itself among them.
AROUND = tuple((dx, dy) for dy in (-1, 0, 1) for dx in (-1, 0, 1))


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
        surface = np.concatenate([self.surface, self.surface, self.sources[:, 0]])
        texel = np.concatenate([self.target, self.inside, self.sources[:, 1]])
        row = np.concatenate([rows, rows, each])
        #: By surface: what a change there concerns, by tile: which texel there, and which rim texel then.
        self._concerns = {}
        for number in np.unique(surface).tolist():
            mine = np.flatnonzero(surface == number)
            order, starts = by_tile(texel[mine], *self.sizes[number].tolist())
            self._concerns[number] = (texel[mine][order], row[mine][order], starts)

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
            tables[number] = [address_of(part) for part in (picture.pixels, picture.plain, picture.colors)]
        changed = np.zeros(len(rows), np.bool_)
        _spread(tables, self.sizes, rows, self.surface, self.target, self.inside, self.starts, self.sources,
                self.weights, self.beyond, self.line, self.around, together, changed)  # fmt: skip
        rows = rows[changed]
        for number in np.unique(self.surface[rows]).tolist():
            width = int(self.sizes[number, 0])
            texels = self.target[rows[self.surface[rows] == number]]
            y, x = texels // width, texels % width
            tiles = (y // TILE * (width // TILE) + x // TILE).astype(np.int32)
            rects = np.stack([y % TILE, y % TILE + 1, x % TILE, x % TILE + 1], 1).astype(np.int32)
            found[number] = TileArea.of_rects(tiles, rects)
        return found

    def _concerned(self, areas: Mapping[int, TileArea]) -> NDArray[np.int64]:
        marks: NDArray[np.uint8] | None = None
        for number, area in areas.items():
            if number in self._concerns and len(area):
                texels, rows, starts = self._concerns[number]
                if marks is None:
                    marks = np.zeros(len(self.target), np.uint8)
                width, height = self.sizes[number].tolist()
                # What texels around differ counts as well.
                near = with_neighbors(area, width, height)
                _mark(texels, rows, starts, width, near.tiles, near.rects, marks)
        return np.zeros(0, np.int64) if marks is None else np.flatnonzero(marks)


def rim_of(
    mesh: Mesh, owns: Sequence[Ownership], gutters: Sequence[Gutter], texels: NDArray[np.float64],
    sizes: NDArray[np.int64],
) -> Rim:  # fmt: skip
    """The rims of all surfaces, which owns, gutters and sizes, (k, 2), go by.

    texels: (F, 3, 2), every face in its own map. Places beyond a seam that lie in a rim themselves are mixed from what
    that is mixed from, so only texels inside islands remain. The surface's own border has no rim.
    """
    offsets = np.concatenate([[0], np.cumsum(sizes[:, 0] * sizes[:, 1])])
    links = [
        links_over_seams(mesh, number, own, gutter, texels, sizes, REACH)
        for number, (own, gutter) in enumerate(zip(owns, gutters, strict=True))
    ]
    second, third = (
        np.concatenate([
            links_over_seams(mesh, number, own, gutter, texels, sizes, REACH, steps).place
            for number, (own, gutter) in enumerate(zip(owns, gutters, strict=True))
        ]) for steps in (2, 3)
    )  # fmt: skip
    surface = np.concatenate([np.full(len(link.target), number) for number, link in enumerate(links)]).astype(np.int32)
    target, inside, beyond, place = (
        np.concatenate([getattr(link, name) for link in links]) for name in ("target", "inside", "surface", "place")
    )
    width, height = sizes[beyond].T
    # Where the walk came to no end, its place is the middle of the inside texel.
    ended = (beyond == surface) & (place == np.stack([inside % width + 0.5, inside // width + 0.5], 1)).all(axis=1)
    # Of all texels of all maps: 0 in gaps, -1 inside islands, else one more than the number of the rim texel.
    kind = np.concatenate([-own.covered().ravel().astype(np.int32) for own in owns])
    kind[offsets[surface] + target] = np.arange(1, len(target) + 1, dtype=np.int32)
    corner = np.floor(place - 0.5).astype(np.int64)
    part = place - 0.5 - corner
    rows, texel, weight = [], [], []
    for dx, dy in ((0, 0), (1, 0), (0, 1), (1, 1)):
        x, y = (corner[:, 0] + dx) % width, (corner[:, 1] + dy) % height
        rows.append(np.arange(len(target)))
        texel.append(offsets[beyond] + y * width + x)
        weight.append(np.abs(1 - dx - part[:, 0]) * np.abs(1 - dy - part[:, 1]) * ~ended)
    row, source, share = np.concatenate(rows), np.concatenate(texel), np.concatenate(weight)
    known, other = kind[source] < 0, kind[source] > 0
    inner, number = np.unique(source[known], return_inverse=True)
    mixed = csr_array((share[known], (row[known], number)), shape=(len(target), len(inner)))
    through = csr_array((share[other], (row[other], kind[source][other] - 1)), shape=(len(target), len(target)))
    whole = term = mixed
    for _ in range(ROUNDS):
        term = through @ term
        whole = whole + term
    whole = _even(whole)
    whole.data[whole.data < LEAST] = 0
    whole.eliminate_zeros()
    whole = _even(whole)
    ahead = _texel_at(second, sizes[beyond])
    # Where not even two steps lead into an island again, as on slivers, nothing is known of the other side.
    used = np.flatnonzero((np.diff(whole.indptr) > 0) & (kind[offsets[beyond] + ahead] < 0))
    ahead = ahead[used]
    whole = whole[used]
    surface, target, inside, beyond, place = surface[used], target[used], inside[used], beyond[used], place[used]
    line = np.stack([
        _inside(kind, offsets, sizes, surface, _mirrored(target, inside, sizes[surface]), inside),
        ahead, _inside(kind, offsets, sizes, beyond, _texel_at(third[used], sizes[beyond]), ahead),
    ], axis=1)  # fmt: skip
    around = np.stack([
        _covered_near(kind, offsets, sizes, surface, inside % sizes[surface, 0], inside // sizes[surface, 0]),
        _covered_near(kind, offsets, sizes, beyond, *np.floor(place.T).astype(np.int64)),
    ], axis=1)  # fmt: skip
    at = inner[whole.indices]
    of = np.searchsorted(offsets, at, side="right") - 1
    return Rim(
        surface, target, inside, whole.indptr.astype(np.int64),
        np.stack([of, at - offsets[of]], 1).astype(np.int32), whole.data.astype(np.float32), beyond, line, around,
        sizes,
    )  # fmt: skip


def _even(weights: csr_array) -> csr_array:
    """Rows that sum to one."""
    sums = np.asarray(weights.sum(axis=1)).ravel()
    even: csr_array = csr_array(diags_array(1 / np.maximum(sums, 1e-12)) @ weights)
    return even


def _texel_at(place: NDArray[np.float32], sizes: NDArray[np.int64]) -> NDArray[np.int64]:
    """(n,) texels in which places (n, 2) lie; maps wrap."""
    x, y = np.floor(place.T).astype(np.int64)
    found: NDArray[np.int64] = y % sizes[:, 1] * sizes[:, 0] + x % sizes[:, 0]
    return found


def _mirrored(target: NDArray[np.int32], inside: NDArray[np.int32], sizes: NDArray[np.int64]) -> NDArray[np.int64]:
    """(n,) the texels that lie as far behind the inside ones as the targets lie before them."""
    width, height = sizes.T
    y, x = 2 * (inside // width) - target // width, 2 * (inside % width) - target % width
    found: NDArray[np.int64] = y % height * width + x % width
    return found


def _inside(
    kind: NDArray[np.int32], offsets: NDArray[np.int64], sizes: NDArray[np.int64], surface: NDArray[np.int32],
    texel: NDArray[np.int64], other: NDArray[np.integer[Any]],
) -> NDArray[np.int32]:  # fmt: skip
    """(n,) texels, or where they are in no island the others."""
    return np.where(kind[offsets[surface] + texel] < 0, texel, other).astype(np.int32)


def _covered_near(
    kind: NDArray[np.int32], offsets: NDArray[np.int64], sizes: NDArray[np.int64], surface: NDArray[np.int32],
    x: NDArray[np.int64], y: NDArray[np.int64],
) -> NDArray[np.int32]:  # fmt: skip
    """(n, 9): texels inside islands around texels of surfaces; -1 for others."""
    width, height = sizes[surface].T
    found = np.stack([(y + dy) % height * width + (x + dx) % width for dx, dy in AROUND], axis=1)
    return np.where(kind[offsets[surface][:, None] + found] < 0, found, -1).astype(np.int32)


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
    missed, differ = np.empty((2, 4), np.float32)
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
            differ[c] = high[c] - low[c] + high_beyond[c] - low_beyond[c]
            # At a corner the mix may hold a third island, which may end there.
            there[c] = min(max(there[c], min(low[c], low_beyond[c])), max(high[c], high_beyond[c]))
        if together:
            missed[:], differ[:] = missed.max(), differ.max()
        for c in range(4):
            slope = np.float32(FLAT) + np.float32(0.5) * differ[c]
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
