"""How much of a stroke each texel has received: dabs gather in space, texel by texel."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..kernels import address_of, as_float32, as_int32, carray, in_two_threads, kernel
from ..texels.area import TileArea
from ..texels.ownership import Ownership
from ..texels.raster import TILE
from ..texels.tile_mask import TileMask
from .falloff import NO_TABLE

#: A tip without a picture.
NO_PICTURE = np.zeros((0, 0), np.float32)
#: How a station of a band is laid.
ALONE, JOINED, ANCHOR = 0, 1, 2
#: No mask, and the shares of a tile that is not masked.
NOT_MASKED = np.zeros(0, np.int64)
OPEN = np.ones((TILE, TILE), np.float32)
NOTHING = np.zeros((TILE, TILE), np.float32)
# Kernels get these by their address: threads that count references to one array wait for each other.
OPEN_TILE, NO_TILE = address_of(OPEN), address_of(NOTHING)
#: Dabs that are not stations.
NO_JOINTS = np.zeros(0, np.int8)
#: Tiles along a side of a block; whole blocks are passed over when no dab reaches them.
BLOCK = 8


@dataclass
class Dabs:
    """N dabs in space.

    centers, normals: (N, 3) float64. radii: (N,) model units. strengths: (N,) 0-1.
    hardness: 0-1, the share of the radius with full weight, one for all or (N,). facing_limit: degrees between a
    dab's normal and a texel's, from which on the texel is left alone. build_up: dabs add up instead of stopping
    at strength. table: falloff of `falloff.py`, empty for the smooth one. picture: (h, w) float32, what the tip
    lets through, looked up in the tangent plane along `tangents`, (N, 3) unit vectors to its right.
    numbers: (N,) int32 above 0, which dab laid most on a texel is remembered, for colors that differ.
    joined: (N,) the dabs are stations of a band. ALONE: the station itself is laid. JOINED: all that is near the
    segment from the station before, with radius, strength, hardness and normal running along it. ANCHOR: nothing;
    it was laid before, and is there for the segment that follows.
    guessed: (N,) 1 for stations of a band that are only guessed.
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
    tangents: NDArray[np.float64] | None = None
    numbers: NDArray[np.int32] | None = None
    joined: NDArray[np.int8] | None = None
    guessed: NDArray[np.uint8] | None = None

    def __len__(self) -> int:
        return len(self.centers)


class Coverage:
    """One stroke's coverage of one surface, 0-1, in float32 tiles that appear as they are touched."""

    def __init__(self, ownership: Ownership, hidden: NDArray[np.uint8] | None = None) -> None:
        """hidden: for each face of the table, 1 when it is to be left alone."""
        self.ownership = ownership
        self.hidden = np.zeros(len(ownership.faces), np.uint8) if hidden is None else hidden
        self.tiles: dict[int, NDArray[np.float32]] = {}
        self.addresses = np.zeros(len(ownership.tile_start) - 1, np.int64)
        self.numbers: dict[int, NDArray[np.int32]] = {}
        self.number_addresses = np.zeros(len(self.addresses), np.int64)
        own = ownership
        self._faces = (
            own.tile_start, own.tile_box, own.pieces, own.balls, own.spans, own.matrices, own.normals, own.texel_size,
            self.hidden,
        )  # fmt: skip

    def add(self, dabs: Dabs, mask: TileMask | None = None) -> TileArea:
        """Gather dabs, by the shares that a mask lets through; returns the rectangles in which coverage changed.

        A texel at X with normal m takes strength · falloff(|X - P| / r) where |X - P| < r and
        m · n > cos(limit). Falloff is 1 up to the hardness, then falls as 1 - s²(3 - 2s); a
        hard edge still falls over one texel, so that it shows no stairs.
        """
        if dabs.joined is not None:
            return self.add_band(dabs, self, mask)[0]
        _, _, tiles, masks = self._reached(dabs, mask)
        whole = _elsewhere(mask)
        self.hold(tiles, dabs.numbers is not None)
        rects = _nowhere(len(tiles))
        count = len(dabs)
        hardness = np.zeros(count) + dabs.hardness
        tangents = dabs.tangents if dabs.tangents is not None else np.zeros((count, 3))
        numbers = dabs.numbers if dabs.numbers is not None else np.zeros(count, np.int32)
        limit = np.cos(np.radians(dabs.facing_limit))

        def gather(a: int, b: int) -> None:
            _gather(
                dabs.centers, dabs.normals, dabs.radii, dabs.strengths, hardness, tangents, numbers, limit,
                dabs.build_up, dabs.table, dabs.picture, tiles[a:b], self.addresses, self.number_addresses, masks,
                whole, *self._faces, rects[a:b],
            )  # fmt: skip

        in_two_threads(len(tiles), gather, 4)
        return _changed(tiles, rects)

    def add_band(self, dabs: Dabs, ahead: Coverage, mask: TileMask | None = None) -> tuple[TileArea, TileArea]:
        """Gather stations; returns where this coverage changed, and where what goes ahead of it did.

        ahead: of the same surface; takes what guessed stations cover beyond this coverage.
        """
        middles, reaches, tiles, masks = self._reached(dabs, mask)
        whole = _elsewhere(mask)
        self.hold(tiles)
        loose = np.zeros(len(dabs), np.uint8) if dabs.guessed is None else dabs.guessed
        if dabs.guessed is not None:
            ahead.hold(tiles)
        rects, guessed = _nowhere(len(tiles)), _nowhere(len(tiles))
        hardness = np.zeros(len(dabs)) + dabs.hardness
        limit = np.cos(np.radians(dabs.facing_limit))

        def gather(a: int, b: int) -> None:
            _gather_band(
                dabs.centers, dabs.normals, dabs.radii, dabs.strengths, hardness, dabs.joined, loose, middles, reaches,
                limit, dabs.table, tiles[a:b], self.addresses, ahead.addresses, NO_TILE, masks, whole, *self._faces,
                rects[a:b], guessed[a:b],
            )  # fmt: skip

        in_two_threads(len(tiles), gather, 12)
        return _changed(tiles, rects), _changed(tiles, guessed)

    def _reached(
        self, dabs: Dabs, mask: TileMask | None
    ) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int32], NDArray[np.int64]]:
        """Balls that hold what dabs lay, the tiles that these reach, and the mask's addresses."""
        own = self.ownership
        middles, reaches = np.empty((len(dabs), 3)), np.empty(len(dabs))
        _reach(dabs.centers, dabs.radii, NO_JOINTS if dabs.joined is None else dabs.joined, middles, reaches)
        near = np.zeros(len(self.addresses), np.uint8)
        _near_tiles(own.tile_box, own.block_box, own.columns, middles, reaches, near)
        tiles = np.flatnonzero(near).astype(np.int32)
        if mask is None:
            return middles, reaches, tiles, NOT_MASKED
        mask.hold(tiles)
        return middles, reaches, tiles, mask.addresses

    def hold(self, tiles: NDArray[np.int32], numbered: bool = False) -> None:
        """See that these tiles exist, with room for the numbers of dabs where wanted."""
        for tile in tiles[self.addresses[tiles] == 0]:
            self.tiles[int(tile)] = fresh = np.zeros((TILE, TILE), np.float32)
            self.addresses[tile] = address_of(fresh)
        for tile in tiles[self.number_addresses[tiles] == 0] if numbered else ():
            self.numbers[int(tile)] = which = np.zeros((TILE, TILE), np.int32)
            self.number_addresses[tile] = address_of(which)

    def clear(self, area: TileArea) -> None:
        """Forget what lies in an area; all its tiles exist."""
        _clear(self.addresses, area.tiles, area.rects)

    def take_most(self, other: Coverage, area: TileArea) -> None:
        """In an area, keep the greater of this coverage and another's."""
        self.hold(area.tiles)
        for tile, (top, bottom, left, right) in zip(area.tiles, area.rects, strict=True):
            mine = self.tiles[int(tile)][top:bottom, left:right]
            np.maximum(mine, other.tiles[int(tile)][top:bottom, left:right], out=mine)


def _elsewhere(mask: TileMask | None) -> int:
    """The tile that stands for those a mask does not hold."""
    return NO_TILE if mask is not None and mask.elsewhere == 0 else OPEN_TILE


def _nowhere(count: int) -> NDArray[np.int32]:
    rects = np.empty((count, 4), np.int32)
    rects[:] = (TILE, 0, TILE, 0)
    return rects


def _changed(tiles: NDArray[np.int32], rects: NDArray[np.int32]) -> TileArea:
    hit = rects[:, 1] > 0
    return TileArea(tiles[hit], rects[hit])


@kernel
def _reach(centers, radii, joined, middles, reaches):  # type: ignore[no-untyped-def]
    """For each dab or station a ball that holds all that it lays."""
    for i in range(len(centers)):
        middles[i], reaches[i] = centers[i], radii[i]
        if len(joined) > 0 and joined[i] == ANCHOR:
            reaches[i] = 0.0
        elif len(joined) > 0 and joined[i] == JOINED:
            half2 = 0.0
            for axis in range(3):
                half = (centers[i, axis] - centers[i - 1, axis]) / 2
                middles[i, axis] = centers[i - 1, axis] + half
                half2 += half * half
            reaches[i] = max(radii[i], radii[i - 1]) + np.sqrt(half2)


@kernel
def _clear(addresses, tiles, rects):  # type: ignore[no-untyped-def]
    for i in range(len(tiles)):
        top, bottom, left, right = rects[i]
        _tile_at(addresses[tiles[i]])[top:bottom, left:right] = 0


@kernel
def _box_distance2(box, point):  # type: ignore[no-untyped-def]
    total = 0.0
    for axis in range(3):
        gap = max(box[axis] - point[axis], point[axis] - box[axis + 3], 0.0)
        total += gap * gap
    return total


@kernel
def _near_tiles(boxes, blocks, columns, centers, radii, near):  # type: ignore[no-untyped-def]
    """Mark tiles whose box a dab reaches; blocks of 8 × 8 tiles are asked first."""
    rows = len(boxes) // columns
    across = (columns + 7) // 8
    for b in range(len(blocks)):
        reached = False
        for d in range(len(centers)):
            if _box_distance2(blocks[b], centers[d]) < radii[d] * radii[d]:
                reached = True
                break
        if not reached:
            continue
        top, left = b // across * 8, b % across * 8
        for d in range(len(centers)):
            limit = radii[d] * radii[d]
            for row in range(top, min(top + 8, rows)):
                for t in range(row * columns + left, row * columns + min(left + 8, columns)):
                    if near[t] == 0 and _box_distance2(boxes[t], centers[d]) < limit:
                        near[t] = 1


@kernel
def _gather(  # type: ignore[no-untyped-def]
    centers, normals, radii, strengths, hardness, tangents, numbers, cos_limit, build_up, table, picture, tiles,
    addresses, number_addresses, masks, whole, tile_start, boxes, pieces, balls, spans, matrices, face_normals,
    texel_size, hidden, rects,
):  # fmt: skip
    side = np.zeros(6)
    for k in range(len(tiles)):
        t = tiles[k]
        tile = _tile_at(addresses[t])
        gate = _tile_at(masks[t] if len(masks) > 0 and masks[t] != 0 else whole)
        for d in range(len(centers)):
            r = radii[d]
            if _box_distance2(boxes[t], centers[d]) >= r * r:
                continue
            px, py, pz = centers[d]
            nx, ny, nz = normals[d]
            if picture.shape[0] > 0:
                # The tip's right and down, per radius.
                tx, ty, tz = tangents[d]
                side[0], side[1], side[2] = tx / r, ty / r, tz / r
                side[3], side[4], side[5] = (tz * ny - ty * nz) / r, (tx * nz - tz * nx) / r, (ty * nx - tx * ny) / r
            for p in range(tile_start[t], tile_start[t + 1]):
                reach = balls[p, 3] + r
                bx, by, bz = balls[p, 0] - px, balls[p, 1] - py, balls[p, 2] - pz
                if bx * bx + by * by + bz * bz >= reach * reach:
                    continue
                f = pieces[p, 0]
                if hidden[f] != 0:
                    continue
                if face_normals[f, 0] * nx + face_normals[f, 1] * ny + face_normals[f, 2] * nz <= cos_limit:
                    continue
                h = np.float32(max(0.0, min(hardness[d], 1.0 - texel_size[f] / r)))
                if picture.shape[0] > 0 or number_addresses[t] != 0:
                    _gather_detailed(
                        tile, gate, number_addresses[t], numbers[d], pieces[p], spans, matrices[f], px, py, pz, r,
                        np.float32(strengths[d]), h, build_up, table, picture, side, rects[k],
                    )  # fmt: skip
                else:
                    _gather_piece(tile, gate, pieces[p], spans, matrices[f], px, py, pz, r, np.float32(strengths[d]), h,
                                  build_up, table, rects[k])  # fmt: skip


@kernel
def _gather_band(  # type: ignore[no-untyped-def]
    centers, normals, radii, strengths, hardness, joined, loose, middles, reaches, cos_limit, table, tiles, addresses,
    ahead, nothing, masks, whole, tile_start, boxes, pieces, balls, spans, matrices, face_normals, texel_size, hidden,
    rects, guessed,
):  # fmt: skip
    ends = np.empty(12)
    for k in range(len(tiles)):
        t = tiles[k]
        tile = _tile_at(addresses[t])
        gate = _tile_at(masks[t] if len(masks) > 0 and masks[t] != 0 else whole)
        guess, blank = _tile_at(ahead[t] if ahead[t] != 0 else nothing), _tile_at(nothing)
        for d in range(len(centers)):
            # A station alone, or the segment from the one before.
            b = d - 1 if joined[d] == JOINED else d
            reach = reaches[d]
            if joined[d] == ANCHOR or _box_distance2(boxes[t], middles[d]) >= reach * reach:
                continue
            mx, my, mz = middles[d]
            for p in range(tile_start[t], tile_start[t + 1]):
                far = balls[p, 3] + reach
                bx, by, bz = balls[p, 0] - mx, balls[p, 1] - my, balls[p, 2] - mz
                if bx * bx + by * by + bz * bz >= far * far:
                    continue
                f = pieces[p, 0]
                if hidden[f] != 0:
                    continue
                n = face_normals[f]
                facing0 = n[0] * normals[b, 0] + n[1] * normals[b, 1] + n[2] * normals[b, 2] - cos_limit
                facing1 = n[0] * normals[d, 0] + n[1] * normals[d, 1] + n[2] * normals[d, 2] - cos_limit
                if facing0 <= 0 and facing1 <= 0:
                    continue
                for axis in range(3):
                    ends[axis], ends[axis + 3] = centers[b, axis], centers[d, axis] - centers[b, axis]
                ends[6], ends[7] = radii[b], radii[d]
                ends[8], ends[9] = strengths[b], strengths[d]
                ends[10] = max(0.0, min(hardness[b], 1.0 - texel_size[f] / radii[b]))
                ends[11] = max(0.0, min(hardness[d], 1.0 - texel_size[f] / radii[d]))
                if loose[d] == 0:
                    _gather_segment(tile, gate, blank, pieces[p], spans, matrices[f], mx, my, mz, reach, ends,
                                    facing0, facing1, table, rects[k])  # fmt: skip
                else:
                    _gather_segment(guess, gate, tile, pieces[p], spans, matrices[f], mx, my, mz, reach, ends,
                                    facing0, facing1, table, guessed[k])  # fmt: skip


@kernel
def _gather_segment(  # type: ignore[no-untyped-def]
    tile, gate, other, piece, spans, m, mx, my, mz, reach, ends, facing0, facing1, table, rect
):
    """As `_gather_piece`, by the distance to a segment: along a row both |X - A|² and (X - A) · D are polynomials.

    What lies behind its beginning was laid by what ends there: only texels with (X - A) · D >= 0 are looked at.
    """
    one, zero = np.float32(1.0), np.float32(0.0)
    first, last, parabola = _reached_rows(piece, m, mx, my, mz, reach)
    length2 = ends[3] * ends[3] + ends[4] * ends[4] + ends[5] * ends[5]
    inverse = np.float32(1.0 / length2) if length2 > 0 else zero
    squared = np.float32(length2)
    slope2 = np.float32(m[0] * m[0] + m[1] * m[1] + m[2] * m[2])
    rise = m[0] * ends[3] + m[1] * ends[4] + m[2] * ends[5]
    along1 = np.float32(rise)
    r0, dr = np.float32(ends[6]), np.float32(ends[7] - ends[6])
    s0, ds = np.float32(ends[8]), np.float32(ends[9] - ends[8])
    h0, dh = np.float32(ends[10]), np.float32(ends[11] - ends[10])
    f0, df = np.float32(facing0), np.float32(facing1 - facing0)
    tiny = np.float32(1e-6 * min(ends[6], ends[7]))
    top, bottom, left, right = rect
    for i in range(first, last):
        start, end, _, _ = _reached_texels(piece, spans, i, parabola, reach * reach)
        row = piece[3] + i
        y = piece[2] + row + 0.5
        if length2 > 0:
            # (X - A) · D over the row: its value at x = 0, and `rise` a texel.
            level = (
                (m[0] * (piece[1] + 0.5) + m[3] * y + m[6] - ends[0]) * ends[3]
                + (m[1] * (piece[1] + 0.5) + m[4] * y + m[7] - ends[1]) * ends[4]
                + (m[2] * (piece[1] + 0.5) + m[5] * y + m[8] - ends[2]) * ends[5]
            )
            if rise > 0:
                start = max(start, int(min(max(np.ceil(-level / rise), -1.0), 65.0)))
            elif rise < 0:
                end = min(end, int(min(max(np.floor(-level / rise) + 1, -1.0), 65.0)))
            elif level < 0:
                continue
        if end <= start:
            continue
        begin = start & ~15
        x = piece[1] + begin + 0.5
        ax = m[0] * x + m[3] * y + m[6] - ends[0]
        ay = m[1] * x + m[4] * y + m[7] - ends[1]
        az = m[2] * x + m[5] * y + m[8] - ends[2]
        near0 = np.float32(ax * ax + ay * ay + az * az)
        near1 = np.float32(2.0 * (ax * m[0] + ay * m[1] + az * m[2]))
        along0 = np.float32(ax * ends[3] + ay * ends[4] + az * ends[5])
        curve = (near0, near1, slope2, along0, along1, inverse, squared, r0, dr, s0, ds, h0, dh, f0, df)
        for at in range(begin, end, 16):
            line, share, laid = tile[row, at : at + 16], gate[row, at : at + 16], other[row, at : at + 16]
            low, high, shift = np.float32(start - at), np.float32(end - at), np.float32(at - begin)
            changed = np.int32(0)
            # A loop that decides nothing is turned into vectors; one that looks up a table is not.
            if len(table) > 0:
                for c in range(16):
                    s, w = _near_segment(c, low, high, shift, curve, tiny)
                    w *= table[int(s * np.float32(len(table) - 1) + np.float32(0.5))] * share[c]
                    more = w > max(line[c], laid[c])
                    changed |= np.int32(more)
                    line[c] = w if more else line[c]
            else:
                for c in range(16):
                    s, w = _near_segment(c, low, high, shift, curve, tiny)
                    w *= (one - s * s * (np.float32(3.0) - np.float32(2.0) * s)) * share[c]
                    more = w > max(line[c], laid[c])
                    changed |= np.int32(more)
                    line[c] = w if more else line[c]
            if changed != 0:
                top, bottom = min(top, row), max(bottom, row + 1)
                left, right = min(left, max(start, at)), max(right, min(end, at + 16))
    rect[0], rect[1], rect[2], rect[3] = top, bottom, left, right


@kernel
def _near_segment(c, low, high, shift, curve, tiny):  # type: ignore[no-untyped-def]
    """Of texel c of a row: where between the hard middle and the rim it lies, 0-1, and the strength there."""
    near0, near1, slope2, along0, along1, inverse, squared, r0, dr, s0, ds, h0, dh, f0, df = curve
    one, zero, at = np.float32(1.0), np.float32(0.0), np.float32(c)
    step = at + shift
    along = along0 + along1 * step
    part = min(one, max(zero, along * inverse))
    distance2 = near0 + step * (near1 + slope2 * step) + part * (part * squared - along - along)
    h, r = h0 + dh * part, r0 + dr * part
    s = (np.sqrt(max(distance2, zero)) - h * r) / max((one - h) * r, tiny)
    inside = (at >= low) & (at < high) & (f0 + df * part > zero) & (s < one)
    return min(one, max(zero, s)), s0 + ds * part if inside else zero


@kernel
def _tile_at(address):  # type: ignore[no-untyped-def]
    return carray(as_float32(address), (TILE, TILE))


@kernel
def _reached_rows(piece, m, px, py, pz, r):  # type: ignore[no-untyped-def]
    """Of a piece: the rows a dab reaches, and how squared distances run over row i.

    In a row, X(x) = R + A·x; the squared distance is nearest² + slope2·(x - middle)², with middle linear in i
    and nearest² quadratic. Returns first, end, and three coefficients of nearest², two of middle, slope2.
    """
    ax, ay, az = m[0], m[1], m[2]
    bx, by, bz = m[3], m[4], m[5]
    x, y = piece[1] + 0.5, piece[2] + piece[3] + 0.5
    rx = m[6] + bx * y + ax * x - px
    ry = m[7] + by * y + ay * x - py
    rz = m[8] + bz * y + az * x - pz
    slope2 = ax * ax + ay * ay + az * az
    inverse = 1.0 / slope2 if slope2 > 0 else 0.0
    middle, shift = -(ax * rx + ay * ry + az * rz) * inverse, -(ax * bx + ay * by + az * bz) * inverse
    # What is left of R and its step from row to row across the row's direction.
    rx, ry, rz = rx + ax * middle, ry + ay * middle, rz + az * middle
    bx, by, bz = bx + ax * shift, by + ay * shift, bz + az * shift
    near0, near1, near2 = rx * rx + ry * ry + rz * rz, rx * bx + ry * by + rz * bz, bx * bx + by * by + bz * bz
    first, end = 0, int(piece[4])
    # Where rows hardly step across, as on slivers, each is looked at.
    if near2 > 1e-18 * near0:
        turn = -near1 / near2
        half2 = (r * r - near0) / near2 + turn * turn
        if half2 <= 0:
            end = 0
        else:
            half = np.sqrt(half2)
            first = int(min(max(np.ceil(turn - half), 0.0), float(TILE)))
            end = min(end, int(min(max(np.floor(turn + half) + 1, 0.0), float(TILE))))
    return first, end, (near0, 2 * near1, near2, middle, shift, slope2)


@kernel
def _reached_texels(piece, spans, i, parabola, r2):  # type: ignore[no-untyped-def]
    """Of row i: the texels within the radius, nearest² and middle; `parabola` is the rest of `_reached_rows`."""
    near0, near1, near2, middle0, shift, slope2 = parabola
    nearest2 = max(0.0, near0 + i * (near1 + i * near2))
    middle = middle0 + i * shift
    start, end = int(spans[piece[5] + i, 0]), int(spans[piece[5] + i, 1])
    if nearest2 >= r2:
        end = start
    elif slope2 > 0:
        half = np.sqrt((r2 - nearest2) / slope2)
        # Texels with |x - middle| < half, the ends excluded.
        start = max(start, int(min(max(np.floor(middle - half) + 1, -1.0), 65.0)))
        end = min(end, int(min(max(np.ceil(middle + half), -1.0), 65.0)))
    return start, end, nearest2, middle


@kernel
def _falloff(s, table):  # type: ignore[no-untyped-def]
    s = min(np.float32(1.0), max(np.float32(0.0), s))
    if len(table) > 0:
        return table[int(s * np.float32(len(table) - 1) + np.float32(0.5))]
    return np.float32(1.0) - s * s * (np.float32(3.0) - np.float32(2.0) * s)


@kernel
def _gather_piece(  # type: ignore[no-untyped-def]
    tile, gate, piece, spans, m, px, py, pz, r, strength, hardness, build_up, table, rect
):
    to_unit = np.float32(1.0 / r)
    soft = np.float32(1.0) / (np.float32(1.0) - hardness) if hardness < 1.0 else np.float32(0.0)
    one, zero = np.float32(1.0), np.float32(0.0)
    first, last, parabola = _reached_rows(piece, m, px, py, pz, r)
    slope = np.float32(parabola[5])
    top, bottom, left, right = rect
    for i in range(first, last):
        start, end, nearest2, middle = _reached_texels(piece, spans, i, parabola, r * r)
        if end <= start:
            continue
        row = piece[3] + i
        near = np.float32(nearest2)
        # Sixteen texels at a time, aligned, with weight 0 outside start:end: a count that the compiler knows
        # is one it turns into vectors, however short the row.
        for at in range(start & ~15, end, 16):
            line, share = tile[row, at : at + 16], gate[row, at : at + 16]
            low, high = np.float32(start - at), np.float32(end - at)
            offset = np.float32(at - middle)
            for c in range(16):
                x = np.float32(c)
                dx = x + offset
                w = strength * _falloff((np.sqrt(near + slope * dx * dx) * to_unit - hardness) * soft, table)
                w = w * share[c] if (x >= low) & (x < high) else zero
                line[c] = line[c] + w * (one - line[c]) if build_up else max(line[c], w)
        top, bottom = min(top, row), max(bottom, row + 1)
        left, right = min(left, start), max(right, end)
    rect[0], rect[1], rect[2], rect[3] = top, bottom, left, right


@kernel
def _gather_detailed(  # type: ignore[no-untyped-def]
    tile, gate, number_address, number, piece, spans, m, px, py, pz, r, strength, hardness, build_up, table, picture,
    side, rect,
):  # fmt: skip
    """As `_gather_piece`, through a picture, and remembering which dab laid most on a texel."""
    to_unit = np.float32(1.0 / r)
    soft = np.float32(1.0) / (np.float32(1.0) - hardness) if hardness < 1.0 else np.float32(0.0)
    one, half = np.float32(1.0), np.float32(0.5)
    high, wide = picture.shape
    first, last, parabola = _reached_rows(piece, m, px, py, pz, r)
    slope = np.float32(parabola[5])
    # Place in the tip, -1…1 to the right and down, linear over the piece.
    x, y = piece[1] + 0.5, piece[2] + piece[3] + 0.5
    rx, ry, rz = m[6] + m[3] * y + m[0] * x - px, m[7] + m[4] * y + m[1] * x - py, m[8] + m[5] * y + m[2] * x - pz
    a0 = side[0] * rx + side[1] * ry + side[2] * rz
    b0 = side[3] * rx + side[4] * ry + side[5] * rz
    ax, bx = side[0] * m[0] + side[1] * m[1] + side[2] * m[2], side[3] * m[0] + side[4] * m[1] + side[5] * m[2]
    ay, by = side[0] * m[3] + side[1] * m[4] + side[2] * m[5], side[3] * m[3] + side[4] * m[4] + side[5] * m[5]
    for i in range(first, last):
        start, end, nearest2, middle = _reached_texels(piece, spans, i, parabola, r * r)
        if end <= start:
            continue
        row = piece[3] + i
        near, offset = np.float32(nearest2), np.float32(start - middle)
        a, da = np.float32(a0 + ay * i), np.float32(ax)
        b, db = np.float32(b0 + by * i), np.float32(bx)
        for c in range(end - start):
            dx = np.float32(c) + offset
            w = strength * _falloff((np.sqrt(near + slope * dx * dx) * to_unit - hardness) * soft, table)
            if high > 0:
                at = np.float32(start + c)
                u = (a + da * at + one) * half * np.float32(wide) - half
                v = (b + db * at + one) * half * np.float32(high) - half
                w *= _bilinear(picture, u, v)
            w *= gate[row, start + c]
            old = tile[row, start + c]
            new = old + w * (one - old) if build_up else max(old, w)
            tile[row, start + c] = new
            if number_address != 0 and new > old:
                carray(as_int32(number_address), (TILE, TILE))[row, start + c] = number
        rect[0] = min(rect[0], row)
        rect[1] = max(rect[1], row + 1)
        rect[2] = min(rect[2], start)
        rect[3] = max(rect[3], end)


@kernel
def _bilinear(picture, u, v):  # type: ignore[no-untyped-def]
    high, wide = picture.shape
    x = min(max(int(np.floor(u)), 0), wide - 2)
    y = min(max(int(np.floor(v)), 0), high - 2)
    fx = min(max(u - np.float32(x), np.float32(0.0)), np.float32(1.0))
    fy = min(max(v - np.float32(y), np.float32(0.0)), np.float32(1.0))
    one = np.float32(1.0)
    upper = picture[y, x] * (one - fx) + picture[y, x + 1] * fx
    lower = picture[y + 1, x] * (one - fx) + picture[y + 1, x + 1] * fx
    return upper * (one - fy) + lower * fy
