"""Pictures laid over a surface: by UV, or projected from a frame, one or three ways at once, texel by texel.

A frame's own coordinates q are -0.5 to 0.5 inside its box, y up, z towards the viewer of its front. Flat: u = qx + 0.5,
v = 0.5 - qy. Cylinder: u by the angle atan2(qx, qz). Sphere: v by asin(qy / |q|). Box: flat along the axis that the
normal follows most. Three ways: all three, by |n|^k. One-point wrap: the picture's middle in front, its rim pinched in
one point behind (a spherical environment map, Blinn and Newell 1976, seen along -z).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..kernels import as_uint16, carray, in_two_threads, inlined, kernel
from ..texels.ownership import Ownership
from ..texels.raster import TILE
from .pyramid import WRAPS, Wrap
from .samples import BLOCKS, EVERY, add_samples
from .sheets import Sheets

#: Ways to lay a picture; kernels know them by their place.
Shape = Literal["uv", "planar", "cylindrical", "spherical", "box", "triplanar", "wrap"]
SHAPES: tuple[Shape, ...] = ("uv", "planar", "cylindrical", "spherical", "box", "triplanar", "wrap")


@dataclass(frozen=True)
class Laying:
    """How a picture is laid.

    inverse: (3, 4) float64 from model space to the frame's own coordinates; turn: (3, 3) its directions as rows.
    placing: (2, 3) float64 from the shape's u, v to the picture's: repeat, turn, offset. sharpness: of three ways.
    """

    shape: Shape
    inverse: NDArray[np.float64]
    turn: NDArray[np.float64]
    placing: NDArray[np.float64]
    wrap: Wrap = "repeat"
    sharpness: float = 4.0


def placing_of(repeat: tuple[float, float], turn: float, offset: tuple[float, float]) -> NDArray[np.float64]:
    """(2, 3): the picture as often as `repeat` says, turned by degrees with the clock about the middle, shifted."""
    angle = np.radians(turn)
    c, s = np.cos(angle), np.sin(angle)
    matrix = np.array([[c, s], [-s, c]]) @ np.diag(repeat)
    shift = np.array([0.5, 0.5]) - np.asarray(offset) - matrix @ np.array([0.5, 0.5])
    return np.column_stack([matrix, shift])


def lay_pictures(
    own: Ownership, normals: NDArray[np.float64], sheets: Sheets, laying: Laying, tiles: NDArray[np.int32],
    addresses: NDArray[np.int64], channels: Sequence[int],
) -> None:  # fmt: skip
    """Write tiles of rasters, one for each picture, uint16 with straight alpha in the last of their `channels`.

    addresses: (n, pictures) of the tiles, empty so far. By UV all texels are written, else those that faces own.
    """
    shape, wrap = SHAPES.index(laying.shape), WRAPS.index(laying.wrap)
    placing, inverse, turn = (
        np.ascontiguousarray(each, np.float64) for each in (laying.placing, laying.inverse, laying.turn)
    )
    words, starts, words_each = sheets.words
    pictures = (words, starts, sheets.sizes, sheets.levels, words_each, sheets.places)
    each = np.asarray(channels, np.int64)

    def work(a: int, b: int) -> None:
        if shape == 0:
            _lay_by_uv(own.width, own.height, *pictures, placing, wrap, tiles[a:b], addresses[a:b], each)
        else:
            _lay_by_place(own.tile_start, own.pieces, own.spans, own.matrices, normals, *pictures, shape, inverse,
                          turn, placing, wrap, laying.sharpness, tiles[a:b], addresses[a:b], each)  # fmt: skip

    in_two_threads(len(tiles), work, least=2)


@kernel
def _placed(placing, u, v):  # type: ignore[no-untyped-def]
    """Where a shape's (u, v) lies in the picture."""
    return placing[0, 0] * u + placing[0, 1] * v + placing[0, 2], placing[1, 0] * u + placing[1, 1] * v + placing[1, 2]


@kernel
def _write_rows(places, sums, addresses, each, row, first, end):  # type: ignore[no-untyped-def]
    """Texels of a row of each picture's tile from the sums of the sheets: straight alpha, rounded."""
    for m in range(len(places)):
        sheet, channels = sums[places[m, 0]], each[m]
        texels = carray(as_uint16(addresses[m]), (TILE, TILE, channels))[row]
        red, alpha = places[m, 1], places[m, 3]
        if channels == 4:
            step = 1 if places[m, 2] == 4 else 0
            for column in range(first, end):
                line = sheet[column]
                a, scale = _solid(line[alpha])
                texels[column, 0] = _rounded(line[red] * scale)
                texels[column, 1] = _rounded(line[red + step] * scale)
                texels[column, 2] = _rounded(line[red + 2 * step] * scale)
                texels[column, 3] = _rounded(a)
        else:
            for column in range(first, end):
                a, scale = _solid(sheet[column, alpha])
                texels[column, 0] = _rounded(sheet[column, red] * scale)
                texels[column, 1] = _rounded(a)


@kernel
def _solid(a):  # type: ignore[no-untyped-def]
    """An alpha of 65535, and by what colors times alpha become colors."""
    full = np.float32(65535.0)
    # Shares that add up to one in float32 may fall short of it by a hair.
    whole = full if a >= np.float32(0.99998) * full else a
    return whole, full / a if a > np.float32(1e-4) else np.float32(0.0)


@kernel
def _rounded(value):  # type: ignore[no-untyped-def]
    return np.uint16(np.int32(min(value, np.float32(65535.0)) + np.float32(0.5)))


@kernel
def _lay_by_uv(  # type: ignore[no-untyped-def]
    width, height, data, starts, sizes, counts, held, places, placing, wrap, tiles, addresses, each
):
    columns = width // TILE
    sums, found = np.zeros((len(starts), TILE, 4 * held.max()), np.float32), np.zeros(len(starts), np.float32)
    us, vs = np.zeros(TILE), np.zeros(TILE)
    pixels, corners = np.zeros(TILE, np.int32), np.zeros((4, TILE), np.float32)
    levels, weights = np.zeros(BLOCKS, np.float32), np.ones(TILE, np.float32)
    for s in range(len(starts)):
        across = max(
            np.hypot(placing[0, 0] / width * sizes[s, 0, 0], placing[1, 0] / width * sizes[s, 0, 1]),
            np.hypot(placing[0, 1] / height * sizes[s, 0, 0], placing[1, 1] / height * sizes[s, 0, 1]),
        )
        found[s] = np.float32(np.log2(max(across, 1e-9)))
    for i in range(len(tiles)):
        top, left = tiles[i] // columns * TILE, tiles[i] % columns * TILE
        for row in range(TILE):
            v = (top + row + 0.5) / height
            for column in range(TILE):
                u = (left + column + 0.5) / width
                us[column], vs[column] = _placed(placing, u, v)
            sums[:] = np.float32(0.0)
            for s in range(len(starts)):
                levels[:] = found[s]
                add_samples(
                    data, starts[s], sizes[s], counts[s], held[s], us, vs, levels, weights, 0, TILE, wrap, pixels,
                    corners, sums[s],
                )  # fmt: skip
            _write_rows(places, sums, addresses[i], each, row, 0, TILE)


@kernel
def flat_place(axis, sign, x, y, z):  # type: ignore[no-untyped-def]
    """(u, v) on the plane across an axis, not mirrored from the side that a normal's sign tells."""
    if axis == 0:
        return 0.5 - sign * z, 0.5 - y
    if axis == 1:
        return 0.5 + x, 0.5 + sign * z
    return 0.5 + sign * x, 0.5 - y


@kernel
def _place(shape, axis, sign, x, y, z):  # type: ignore[no-untyped-def]
    """(u, v) of a place in the frame's coordinates."""
    if shape == 2:
        return 0.5 + np.arctan2(x, z) / (2 * np.pi), 0.5 - y
    if shape == 3:
        away = max(np.sqrt(x * x + y * y + z * z), 1e-30)
        up = np.arcsin(min(1.0, max(-1.0, y / away)))
        return 0.5 + np.arctan2(x, z) / (2 * np.pi), 0.5 - up / np.pi
    if shape == 6:
        away = max(np.sqrt(x * x + y * y + z * z), 1e-30)
        m = 2 * np.sqrt(max(x * x + y * y + (z + away) * (z + away), 1e-30))
        return 0.5 + x / m, 0.5 - y / m
    return flat_place(axis, sign, x, y, z)


@kernel
def inward_step(inverse, m, x, y, step, q):  # type: ignore[no-untyped-def]
    """A texel's place in the frame, and how it changes from one texel to the next across and down: step (2, 3)."""
    for k in range(3):
        q[k] = inverse[k, 3]
        step[0, k], step[1, k] = 0.0, 0.0
        for j in range(3):
            q[k] += inverse[k, j] * (m[j] * x + m[j + 3] * y + m[j + 6])
            step[0, k] += inverse[k, j] * m[j]
            step[1, k] += inverse[k, j] * m[j + 3]


@inlined
def looking(turn, smooth, x, y, n, slope):  # type: ignore[no-untyped-def]
    """Which way a texel looks in the frame, and how that changes from one to the next; not of unit length."""
    for k in range(3):
        n[k], slope[k] = 0.0, 0.0
        for j in range(3):
            n[k] += turn[k, j] * (smooth[j] * x + smooth[j + 3] * y + smooth[j + 6])
            slope[k] += turn[k, j] * smooth[j]


@kernel
def level_of(shape, axis, placing, sizes, q, step):  # type: ignore[no-untyped-def]
    """The pyramid's level for a texel: from how far apart it and its neighbors lie in the picture, around any seam."""
    u, v = _place(shape, axis, 1.0, q[0], q[1], q[2])
    longest = 1e-9
    for k in range(2):
        a, b = _place(shape, axis, 1.0, q[0] + step[k, 0], q[1] + step[k, 1], q[2] + step[k, 2])
        du, dv = a - u, b - v
        if shape == 2 or shape == 3:
            du -= np.round(du)
        across = (placing[0, 0] * du + placing[0, 1] * dv) * sizes[0, 0]
        down = (placing[1, 0] * du + placing[1, 1] * dv) * sizes[0, 1]
        longest = max(longest, across * across + down * down)
    return np.float32(0.5 * np.log2(longest))


@inlined
def weigh_sides(shape, sharpness, faint, n, slope, left, right, counted):  # type: ignore[no-untyped-def]
    """How much each axis counts on texels of a row: one of them in a box, by its power three ways.

    The first texel looks along n, the others each a `slope` further. counted: (3, TILE).
    """
    one, nothing = np.float32(1.0), np.float32(0.0)
    nx, ny, nz, sx, sy, sz = n[0], n[1], n[2], slope[0], slope[1], slope[2]
    for i in range(np.uint64(left), np.uint64(right)):
        x = np.float64(np.int64(i) - left)
        a, b, c = np.abs(nx + sx * x), np.abs(ny + sy * x), np.abs(nz + sz * x)
        first, second = (a >= b) & (a >= c), (b > a) & (b >= c)
        most = a if first else (b if second else c)
        inverse = 1.0 / (most if most > 1e-30 else 1e-30)
        p, q, r = np.float32(a * inverse), np.float32(b * inverse), np.float32(c * inverse)
        counted[0, i] = one if first else (p if shape == 5 and p > faint else nothing)
        counted[1, i] = one if second else (q if shape == 5 and q > faint else nothing)
        counted[2, i] = (r if shape == 5 and r > faint else nothing) if first or second else one
    if shape != 5:
        return
    for k in range(3):
        for i in range(np.uint64(left), np.uint64(right)):
            counted[k, i] *= counted[k, i]
            # The usual sharpness needs no logarithm.
            counted[k, i] = counted[k, i] * counted[k, i] if sharpness == 4 else counted[k, i] ** (sharpness / 2)
    for i in range(np.uint64(left), np.uint64(right)):
        inverse = one / (counted[0, i] + counted[1, i] + counted[2, i])
        counted[0, i], counted[1, i], counted[2, i] = (
            counted[0, i] * inverse, counted[1, i] * inverse, counted[2, i] * inverse,
        )  # fmt: skip


@kernel
def _line(axis, sign, placing, q, step):  # type: ignore[no-untyped-def]
    """(u, v) in the picture of a row's first texel, flat across an axis, and how far the next one lies from there."""
    u, v = flat_place(axis, sign, q[0], q[1], q[2])
    a, b = flat_place(axis, sign, q[0] + step[0, 0], q[1] + step[0, 1], q[2] + step[0, 2])
    u, v = _placed(placing, u, v)
    a, b = _placed(placing, a, b)
    return u, v, a - u, b - v


@inlined
def place_flat(axis, placing, n, slope, q, step, left, right, us, vs):  # type: ignore[no-untyped-def]
    """Where texels of a row lie in the picture, flat across an axis, seen from the side to which each looks."""
    front_u, front_v, front_du, front_dv = _line(axis, 1.0, placing, q, step)
    back_u, back_v, back_du, back_dv = _line(axis, -1.0, placing, q, step)
    n0, dn = n[axis], slope[axis]
    for i in range(np.uint64(left), np.uint64(right)):
        x = np.float64(np.int64(i) - left)
        front = n0 + dn * x >= 0
        us[i] = front_u + front_du * x if front else back_u + back_du * x
        vs[i] = front_v + front_dv * x if front else back_v + back_dv * x


@inlined
def place_round(shape, placing, q, step, left, right, us, vs):  # type: ignore[no-untyped-def]
    """The same around an axis or a point."""
    for i in range(left, right):
        x = i - left
        u, v = _place(shape, 2, 1.0, q[0] + step[0, 0] * x, q[1] + step[0, 1] * x, q[2] + step[0, 2] * x)
        us[i], vs[i] = _placed(placing, u, v)


@inlined
def any_counts(weights, left, right):  # type: ignore[no-untyped-def]
    """Whether any texel of a row counts."""
    total = np.float32(0.0)
    for i in range(np.uint64(left), np.uint64(right)):
        total += weights[i]
    return total > 0


@kernel
def _lay_by_place(  # type: ignore[no-untyped-def]
    tile_start,
    pieces,
    spans,
    matrices,
    normals,
    data,
    starts,
    sizes,
    counts,
    held,
    places,
    shape,
    inverse,
    turn,
    placing,
    wrap,
    sharpness,
    tiles,
    addresses,
    each,
):
    q, n, ahead = np.empty(3), np.ones(3), np.empty(3)
    step, slope = np.empty((2, 3)), np.zeros(3)
    sheets = len(starts)
    levels, flat_levels = np.zeros((sheets, BLOCKS), np.float32), np.zeros((3, sheets), np.float32)
    # Of the texels of a row: how much each side counts; where they lie in the picture of one.
    counted, us, vs = np.ones((3, TILE), np.float32), np.zeros(TILE), np.zeros(TILE)
    pixels, corners = np.zeros(TILE, np.int32), np.zeros((4, TILE), np.float32)
    sums = np.zeros((sheets, TILE, 4 * held.max()), np.float32)
    sided = shape == 4 or shape == 5
    flat = sided or shape == 1
    # Below this share of the greatest a side would not be seen.
    faint, power = np.float32(0.002 ** (1 / sharpness)), np.float32(sharpness)
    for i in range(len(tiles)):
        t, into = tiles[i], addresses[i]
        for p in range(tile_start[t], tile_start[t + 1]):
            m, smooth = matrices[pieces[p, 0]], normals[pieces[p, 0]]
            if flat:
                # All over a face one footprint.
                inward_step(inverse, m, 0.0, 0.0, step, q)
                for k in range(0 if sided else 2, 3):
                    for s in range(sheets):
                        flat_levels[k, s] = level_of(shape, k, placing, sizes[s], q, step)
            for line in range(pieces[p, 4]):
                row = pieces[p, 3] + line
                left, right = spans[pieces[p, 5] + line]
                x, y = pieces[p, 1] + left + 0.5, pieces[p, 2] + row + 0.5
                inward_step(inverse, m, x, y, step, q)
                if sided:
                    looking(turn, smooth, x, y, n, slope)
                    weigh_sides(shape, power, faint, n, slope, left, right, counted)
                sums[:, left:right] = np.float32(0.0)
                for k in range(0 if sided else 2, 3):
                    if not any_counts(counted[k], left, right):
                        continue
                    if flat:
                        place_flat(k, placing, n, slope, q, step, left, right, us, vs)
                        for s in range(sheets):
                            levels[s] = flat_levels[k, s]
                    else:
                        place_round(shape, placing, q, step, left, right, us, vs)
                        for block in range((right - left + EVERY - 1) // EVERY):
                            for j in range(3):
                                ahead[j] = q[j] + step[0, j] * (block * EVERY)
                            for s in range(sheets):
                                levels[s, block] = level_of(shape, k, placing, sizes[s], ahead, step)
                    for s in range(sheets):
                        add_samples(
                            data, starts[s], sizes[s], counts[s], held[s], us, vs, levels[s], counted[k], left, right,
                            wrap, pixels, corners, sums[s],
                        )  # fmt: skip
                _write_rows(places, sums, into, each, row, left, right)
