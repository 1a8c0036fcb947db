"""What a fill covers: faces with clean edges, or texels of one color; only the tiles where it covers anything."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel
from ..mesh import Mesh
from ..texels.gutter import Gutter
from ..texels.ownership import Ownership, own_texels
from ..texels.raster import TILE
from ..texels.tile_mask import TileMask


def faces_mask(
    mesh: Mesh, uv: NDArray[np.float32], own: Ownership, gutter: Gutter, faces: NDArray[np.int64]
) -> TileMask:  # fmt: skip
    """How much of each texel belongs to `faces` of a surface.

    Where chosen and other faces meet inside an island the edge is smoothed by 2 × 2 samples; at an island's
    border it goes on into the gutter, so that no rim shows.
    """
    chosen = np.zeros(len(mesh.faces), np.bool_)
    chosen[faces] = True
    fine = own_texels(mesh, own.faces[chosen[own.faces]], uv, 2 * own.width, 2 * own.height)
    place = _places(own, _coarse_tiles(fine))
    mine = _samples(fine, place)
    # Faces without a texel of their own may still hold samples.
    near = np.ones(len(own.faces), np.bool_)
    near[own.pieces[:, 0]] = False
    near[own.pieces[place[_tile_of_pieces(own)] >= 0, 0]] = True
    every = _samples(own_texels(mesh, own.faces[near], uv, 2 * own.width, 2 * own.height), place)
    parts = np.zeros((len(mine), TILE, TILE), np.float32)
    _shares(own.tile_start, own.pieces, own.spans, chosen[own.faces], place, mine, every, parts)
    return _with_gutter(own, gutter, place, parts)


def color_mask(
    image: NDArray[np.uint16], wanted: Sequence[int], tolerance: float, own: Ownership, gutter: Gutter,
    softness: float = 0.0,
) -> TileMask:  # fmt: skip
    """1 where no channel of (H, W, c) differs from `wanted`, as many, by more than the tolerance, 0-1.

    From there it falls evenly over the softness, 0-1 too.
    """
    color = np.asarray(wanted, np.int32)
    most, soft = round(tolerance * 65535), round(softness * 65535)
    found = np.zeros(len(own.tile_start) - 1, np.bool_)
    nothing = np.zeros((0, TILE, TILE), np.float32)
    _like(image, color, most, soft, own.columns, found, np.zeros(0, np.int32), nothing)
    place = _places(own, np.flatnonzero(found).astype(np.int32))
    parts = np.zeros((int(found.sum()), TILE, TILE), np.float32)
    _like(image, color, most, soft, own.columns, found, place, parts)
    return _with_gutter(own, gutter, place, parts)


def _places(own: Ownership, tiles: NDArray[np.int32]) -> NDArray[np.int32]:
    """(all tiles,): at which place each of `tiles` stands, -1 for others."""
    place = np.full(len(own.tile_start) - 1, -1, np.int32)
    place[tiles] = np.arange(len(tiles))
    return place


def _tile_of_pieces(own: Ownership) -> NDArray[np.int64]:
    return np.repeat(np.arange(len(own.tile_start) - 1), np.diff(own.tile_start))


def _coarse_tiles(fine: Ownership) -> NDArray[np.int32]:
    """Tiles of the map at half the size in which a table has pieces."""
    row, column = np.divmod(fine.used_tiles, fine.columns)
    return np.unique(row // 2 * (fine.columns // 2) + column // 2).astype(np.int32)


def _samples(fine: Ownership, place: NDArray[np.int32]) -> NDArray[np.uint8]:
    """(n, 64, 64): which of a texel's 2 × 2 samples are covered, as four bits."""
    bits = np.zeros((int(place.max(initial=-1)) + 1, TILE, TILE), np.uint8)
    _set_bits(fine.tile_start, fine.pieces, fine.spans, fine.columns, place, bits)
    return bits


def _with_gutter(own: Ownership, gutter: Gutter, place: NDArray[np.int32], parts: NDArray[np.float32]) -> TileMask:
    """Gutter texels take the share of the inside texel that they repeat; their tiles are added."""
    tiles = np.flatnonzero(place >= 0).astype(np.int32)
    every = np.union1d(tiles, gutter.beyond(tiles))
    now = _places(own, every)
    grown = np.zeros((len(every), TILE, TILE), np.float32)
    grown[now[tiles]] = parts[place[tiles]]
    _copy_gutter(*gutter.by_target, own.width, every, now, grown)
    some = grown.any(axis=(1, 2))
    return TileMask.of(every[some], grown[some], len(place))


@kernel
def _set_bits(tile_start, pieces, spans, columns, place, bits):  # type: ignore[no-untyped-def]
    for t in range(len(tile_start) - 1):
        row, column = t // columns, t % columns
        slot = place[row // 2 * (columns // 2) + column // 2]
        if slot < 0:
            continue
        top, left = row % 2 * TILE, column % 2 * TILE
        for p in range(tile_start[t], tile_start[t + 1]):
            for i in range(pieces[p, 4]):
                y = top + pieces[p, 3] + i
                first, end = spans[pieces[p, 5] + i]
                for x in range(left + first, left + end):
                    bits[slot, y // 2, x // 2] |= np.uint8(1 << (y % 2 * 2 + x % 2))


@kernel
def _shares(tile_start, pieces, spans, chosen, place, mine, every, parts):  # type: ignore[no-untyped-def]
    counts = np.array([0, 1, 1, 2, 1, 2, 2, 3, 1, 2, 2, 3, 2, 3, 3, 4])
    for t in range(len(place)):
        k = place[t]
        if k < 0:
            continue
        # A texel whose center is owned counts, even where no sample of a sliver was met.
        for p in range(tile_start[t], tile_start[t + 1]):
            for i in range(pieces[p, 4]):
                first, end = spans[pieces[p, 5] + i]
                parts[k, pieces[p, 3] + i, first:end] = 1.0 if chosen[pieces[p, 0]] else 0.0
        for y in range(TILE):
            for x in range(TILE):
                if every[k, y, x] > 0:
                    parts[k, y, x] = np.float32(counts[mine[k, y, x]] / counts[every[k, y, x]])


@kernel
def _like(image, wanted, most, soft, columns, found, place, parts):  # type: ignore[no-untyped-def]
    """Mark tiles with a texel near a color or, called again with places, write the shares of their texels."""
    for t in range(len(found)):
        if len(place) > 0 and place[t] < 0:
            continue
        top, left = t // columns * TILE, t % columns * TILE
        for y in range(TILE):
            for x in range(TILE):
                off = 0
                for c in range(len(wanted)):
                    off = max(off, abs(int(image[top + y, left + x, c]) - wanted[c]))
                near = off <= most or off < most + soft
                if near and len(place) > 0:
                    parts[place[t], y, x] = 1.0 if off <= most else 1.0 - (off - most) / soft
                found[t] = found[t] or near


@kernel
def _copy_gutter(pairs, starts, width, tiles, place, parts):  # type: ignore[no-untyped-def]
    columns = width // TILE
    for t in tiles:
        for k in range(starts[t], starts[t + 1]):
            ty, tx, sy, sx = pairs[k, 0] // width, pairs[k, 0] % width, pairs[k, 1] // width, pairs[k, 1] % width
            source = place[sy // TILE * columns + sx // TILE]
            value = parts[source, sy % TILE, sx % TILE] if source >= 0 else np.float32(0.0)
            parts[place[t], ty % TILE, tx % TILE] = value
