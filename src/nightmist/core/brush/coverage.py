"""How much of a stroke each texel has received: dabs gather in space, texel by texel."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..kernels import address_of, as_int32, as_int64, in_two_threads, kernel, read_only
from ..texels.area import TileArea
from ..texels.facing import Facing, flat_facing, limits_of
from ..texels.ownership import Ownership
from ..texels.raster import TILE
from ..texels.tile_mask import TileMask
from ..texels.touched_tiles import TouchedTiles
from .falloff import NO_TABLE
from .gather_band import gather_band
from .gather_dabs import gather_dabs
from .reach import ALONE, JOINED, reach_tiles, tile_at

#: A tip without a picture.
NO_PICTURE = np.zeros((0, 0), np.float32)
#: A tip without colors of its own.
NO_COLORS = np.zeros((0, 0, 3), np.float32)
#: No mask, and the shares of a tile that is not masked.
NOT_MASKED = np.zeros(0, np.int64)
OPEN = np.ones((TILE, TILE), np.float32)
NOTHING = np.zeros((TILE, TILE), np.float32)
# Kernels get these by their address: threads that count references to one array wait for each other.
OPEN_TILE, NO_TILE = address_of(OPEN), address_of(NOTHING)
#: Dabs that are not stations.
NO_JOINTS = np.zeros(0, np.int8)


#: What each of some dabs has of its own, where it is there.
EACH = (
    "centers", "normals", "radii", "strengths", "hardness", "tangents", "numbers", "joined", "guessed",
)  # fmt: skip


@dataclass
class Dabs:
    """N dabs in space.

    centers, normals: (N, 3) float64. radii: (N,) model units. strengths: (N,) 0-1.
    hardness: 0-1, the share of the radius with full weight, one for all or (N,). facing_limit: degrees between a
    dab's normal and what a texel faces, from which on the texel is left alone; 180 for any. build_up: dabs add up
    instead of stopping at strength. table: falloff of `falloff.py`, empty for the smooth one. picture: (h, w) float32,
    what the tip lets through, looked up in the tangent plane along `tangents`, (N, 3) unit vectors to its right.
    colors: (h, w, 3) float32, the picture's own colors, each times what the picture lets through there.
    numbers: (N,) int32 above 0, which dab laid most on a texel is remembered, for colors that differ.
    joined: (N,) the dabs are stations of a band. ALONE: the station itself is laid. JOINED: all that is near the
    segment from the station before, with radius, strength, hardness and normal running along it. ANCHOR: nothing;
    it was laid before, and is there for the segment that follows.
    guessed: (N,) 1 for stations of a band that are only guessed.
    track: which of the mirror's images they are, and which copy of that: dabs of one track follow one another.
    sheet: the name of the surface in whose map they lie, in texels, where they are no places in space.
    """

    centers: NDArray[np.float64]
    normals: NDArray[np.float64]
    radii: NDArray[np.float64]
    strengths: NDArray[np.float64]
    hardness: float | NDArray[np.float64]
    facing_limit: float = 90.0
    build_up: bool = False
    table: NDArray[np.float32] = field(default_factory=lambda: NO_TABLE)
    picture: NDArray[np.float32] = field(default_factory=lambda: NO_PICTURE)
    colors: NDArray[np.float32] = field(default_factory=lambda: NO_COLORS)
    tangents: NDArray[np.float64] | None = None
    numbers: NDArray[np.int32] | None = None
    joined: NDArray[np.int8] | None = None
    guessed: NDArray[np.uint8] | None = None
    track: tuple[int, ...] = (0,)
    sheet: str | None = None

    def __len__(self) -> int:
        return len(self.centers)

    def image(self, kept: NDArray[np.bool_], apart: NDArray[np.bool_], turned_over: bool, **others: Any) -> Dabs:
        """Those that are kept, (N,), of an image of all: with other (N, …) arrays, and another track.

        A band is broken behind what is left out, and where stations have come to lie apart, (N,), from the one before.
        turned_over: the picture, too, as by a reflection.
        """
        all_of_them = replace(self, hardness=np.zeros(len(self)) + self.hardness, **others)
        broken = apart | ~np.concatenate([kept[:1], kept[:-1]])
        if self.joined is not None:
            all_of_them.joined = np.where((self.joined == JOINED) & broken, ALONE, self.joined).astype(np.int8)
        if turned_over:
            all_of_them.picture, all_of_them.colors = self.picture[::-1].copy(), self.colors[::-1].copy()
        each = {name: getattr(all_of_them, name) for name in EACH}
        return replace(all_of_them, **{name: array[kept] for name, array in each.items() if array is not None})


class Coverage:
    """One stroke's coverage of one surface, 0-1, in float32 tiles that appear as they are touched."""

    def __init__(
        self, ownership: Ownership, hidden: NDArray[np.uint8] | None = None, facing: Facing | None = None
    ) -> None:
        """hidden: for each face of the table, 1 when it is to be left alone. facing: as the faces do by themselves."""
        self.ownership = ownership
        self.hidden = np.zeros(len(ownership.faces), np.uint8) if hidden is None else hidden
        count = len(ownership.tile_start) - 1
        self.tiles = TouchedTiles(count, np.float32)
        #: Which dab has laid most on a texel, where that is asked.
        self.numbers = TouchedTiles(count, np.int32)
        #: What dabs with colors of their own have left, opaque.
        self.colors = TouchedTiles(count, np.uint16, 4)
        own, faces = ownership, facing or flat_facing(ownership)
        self._faces = (
            own.tile_start, own.tile_box, own.pieces, own.balls, own.spans, own.matrices, own.normals,
            faces.normals, faces.spread, own.texel_size, self.hidden,
        )  # fmt: skip

    def add(self, dabs: Dabs, mask: TileMask | None = None) -> TileArea:
        """Gather dabs, by the shares that a mask lets through; returns the rectangles in which coverage changed.

        A texel at X that faces m takes strength · falloff(|X - P| / r) where |X - P| < r and m · n > cos(limit), less
        over the last degrees before the limit, by `angle_share`. Falloff is 1 up to the hardness, then falls as
        1 - s²(3 - 2s); a hard edge still falls over one texel, so that it shows no stairs. Where dabs have colors, each
        lies over those before it (source-over, Porter and Duff 1984), by what it takes and what was covered.
        """
        if dabs.joined is not None:
            return self.add_band(dabs, self, mask)[0]
        _, _, tiles, masks = self._reached(dabs, mask)
        whole = _elsewhere(mask)
        self._hold(tiles, dabs.numbers is not None, dabs.colors.size > 0)
        rects = _nowhere(len(tiles))
        count = len(dabs)
        hardness = np.zeros(count) + dabs.hardness
        tangents = dabs.tangents if dabs.tangents is not None else np.zeros((count, 3))
        numbers = dabs.numbers if dabs.numbers is not None else np.zeros(count, np.int32)
        low, high = limits_of(dabs.facing_limit)
        picture, colors = read_only(dabs.picture), read_only(dabs.colors)

        def gather(a: int, b: int) -> None:
            gather_dabs(
                dabs.centers, dabs.normals, dabs.radii, dabs.strengths, hardness, tangents, numbers, low, high,
                dabs.build_up, dabs.table, picture, colors, tiles[a:b], self.tiles.addresses, self.numbers.addresses,
                self.colors.addresses, masks, whole, *self._faces, rects[a:b],
            )  # fmt: skip

        in_two_threads(len(tiles), gather, 4)
        return _changed(tiles, rects)

    def add_band(self, dabs: Dabs, ahead: Coverage, mask: TileMask | None = None) -> tuple[TileArea, TileArea]:
        """Gather stations; returns where this coverage changed, and where what goes ahead of it did.

        ahead: of the same surface; takes what guessed stations cover beyond this coverage.
        """
        middles, reaches, tiles, masks = self._reached(dabs, mask)
        whole = _elsewhere(mask)
        self.tiles.touch(tiles)
        loose = np.zeros(len(dabs), np.uint8) if dabs.guessed is None else dabs.guessed
        if dabs.guessed is not None:
            ahead.tiles.touch(tiles)
        rects, guessed = _nowhere(len(tiles)), _nowhere(len(tiles))
        hardness = np.zeros(len(dabs)) + dabs.hardness
        low, high = limits_of(dabs.facing_limit)

        def gather(a: int, b: int) -> None:
            gather_band(
                dabs.centers, dabs.normals, dabs.radii, dabs.strengths, hardness, dabs.joined, loose, middles, reaches,
                low, high, dabs.table, tiles[a:b], self.tiles.addresses, ahead.tiles.addresses, NO_TILE, masks, whole,
                *self._faces, rects[a:b], guessed[a:b],
            )  # fmt: skip

        in_two_threads(len(tiles), gather, 12)
        return _changed(tiles, rects), _changed(tiles, guessed)

    def _reached(
        self, dabs: Dabs, mask: TileMask | None
    ) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int32], NDArray[np.int64]]:
        """Balls that hold what dabs lay, the tiles that these reach, and the mask's addresses."""
        own = self.ownership
        middles, reaches, found = np.empty((len(dabs), 3)), np.empty(len(dabs)), np.empty(len(own.tile_box), np.int32)
        joined = NO_JOINTS if dabs.joined is None else dabs.joined
        tiles = found[: reach_tiles(own.tile_box, own.block_box, own.columns, dabs.centers, dabs.radii, joined,
                                    middles, reaches, found)]  # fmt: skip
        if mask is None:
            return middles, reaches, tiles, NOT_MASKED
        mask.hold(tiles)
        return middles, reaches, tiles, mask.addresses

    def _hold(self, tiles: NDArray[np.int32], numbered: bool, colored: bool) -> None:
        """See that these tiles exist, with room for the numbers of dabs, or for their colors, where wanted."""
        self.tiles.touch(tiles)
        if numbered:
            self.numbers.touch(tiles)
        if colored:
            self.colors.touch(tiles)

    def clear(self, area: TileArea) -> None:
        """Forget what lies in an area; all its tiles exist."""
        _clear(self.tiles.addresses, area.tiles, area.rects)

    def take_most(self, other: Coverage, area: TileArea) -> None:
        """In an area, keep the greater of this coverage and another's, with what the other remembers of its dabs."""
        self._hold(area.tiles, bool(other.numbers), bool(other.colors))
        _take_most(
            area.tiles, area.rects, self.tiles.addresses, other.tiles.addresses, self.numbers.addresses,
            other.numbers.addresses, self.colors.addresses, other.colors.addresses,
        )  # fmt: skip


def _elsewhere(mask: TileMask | None) -> int:
    """The tile that stands for those a mask does not hold."""
    return NO_TILE if mask is not None and mask.elsewhere == 0 else OPEN_TILE


def _nowhere(count: int) -> NDArray[np.int32]:
    rects = np.empty((count, 4), np.int32)
    rects[:] = (TILE, 0, TILE, 0)
    return rects


def _changed(tiles: NDArray[np.int32], rects: NDArray[np.int32]) -> TileArea:
    kept = np.empty_like(tiles)
    count = _keep_changed(tiles, rects, kept)
    return TileArea(kept[:count], rects[:count])


@kernel
def _keep_changed(tiles, rects, kept):  # type: ignore[no-untyped-def]
    count = 0
    for i in range(len(tiles)):
        if rects[i, 1] > 0:
            kept[count], rects[count] = tiles[i], rects[i]
            count += 1
    return count


@kernel
def _clear(addresses, tiles, rects):  # type: ignore[no-untyped-def]
    for i in range(len(tiles)):
        top, bottom, left, right = rects[i]
        tile_at(addresses[tiles[i]])[top:bottom, left:right] = 0


@kernel
def _take_most(  # type: ignore[no-untyped-def]
    tiles, rects, mine, theirs, my_numbers, their_numbers, my_colors, their_colors
):
    for i in range(len(tiles)):
        t = tiles[i]
        top, bottom, left, right = rects[i]
        line, other = tile_at(mine[t]), tile_at(theirs[t])
        for y in range(top, bottom):
            for x in range(left, right):
                if other[y, x] <= line[y, x]:
                    continue
                line[y, x] = other[y, x]
                if their_numbers[t] != 0:
                    at = 4 * (TILE * y + x)
                    as_int32(my_numbers[t] + at)[0] = as_int32(their_numbers[t] + at)[0]
                if their_colors[t] != 0:
                    at = 8 * (TILE * y + x)
                    as_int64(my_colors[t] + at)[0] = as_int64(their_colors[t] + at)[0]
