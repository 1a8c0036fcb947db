"""Smear, soften and sharpen: tools that move what is there, dab by dab.

They read a dense picture of one map of a layer, whose gutter has been filled with what really lies beyond each
island's border (`texels/seam_links.py`), so that a neighbor is always the next texel of the picture. Each tile first
takes a block of the picture with a margin around it, as floats, channel by channel, color times alpha: what the
tools do is linear in it, and rows are computed sixteen texels at a time.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import as_float32, as_uint16, carray, copy_line, in_two_threads, kernel
from ..texels.area import TileArea
from ..texels.ownership import Ownership
from ..texels.raster import TILE

#: What one dab of sharpen at full weight adds of the difference to the mean; a stroke lays about eight on a place.
SHARPEN = 0.25
#: How far from a texel the tools look at most, texels; a block's margin is MARGIN, what a row of sixteen needs.
REACH = 13
MARGIN = 16
BLOCK = TILE + 2 * MARGIN


@dataclass
class Reworked:
    """What one dab works on, in one map of a layer.

    picture: (H, W, channels) uint16, alpha last, changed in place. area: where, with the weights in the table
    `weights` of float32 tiles. tiles: table of the layer's own tiles, which receive what the picture receives.
    """

    picture: NDArray[np.uint16]
    own: Ownership
    area: TileArea
    weights: NDArray[np.int64]
    tiles: NDArray[np.int64]


def load_around(
    picture: NDArray[np.uint16], loaded: NDArray[np.bool_], addresses: NDArray[np.int64], area: TileArea
) -> NDArray[np.int32]:
    """Copy tiles into a dense picture where tools will look that work in an area; returns those that are new.

    loaded: (rows, columns), kept up to date. addresses: of the layer's tiles, 0 for a transparent one.
    """
    fresh = np.empty(9 * len(area), np.int32)
    count = _load(picture, loaded, addresses, area.tiles, area.rects, fresh)
    return fresh[:count]


def smear(work: Reworked, move: NDArray[np.float64]) -> None:
    """Pull paint along: each texel takes from where the brush was, by its weight.

    move: (3,), how far the brush has moved since the last dab, model units.
    """
    own = work.own
    _in_tiles(
        work,
        lambda tiles, rects: _smear(work.picture, own.tile_start, own.pieces, own.spans, own.matrices, own.columns,
                                    tiles, rects, work.weights, move, work.tiles),
    )  # fmt: skip


def soften(work: Reworked, step: int) -> None:
    """Mix each texel with its eight neighbors `step` texels away, by its weight (1-2-1 in both directions)."""
    _filter(work, step, 1.0)


def sharpen(work: Reworked, step: int) -> None:
    """Move each texel away from the mean of its eight neighbors, color and alpha each by itself, by its weight."""
    _filter(work, step, -SHARPEN)


def _filter(work: Reworked, step: int, amount: float) -> None:
    _in_tiles(
        work,
        lambda tiles, rects: _mix(work.picture, work.own.columns, tiles, rects, work.weights, step, np.float32(amount),
                                  work.tiles),
    )  # fmt: skip


def _in_tiles(work: Reworked, run: Callable[[NDArray[np.int32], NDArray[np.int32]], None]) -> None:
    """The tiles receive what is computed from the picture; only when all are done does the picture follow."""
    area = work.area
    in_two_threads(len(area), lambda a, b: run(area.tiles[a:b], area.rects[a:b]), 4)
    _take_over(work.picture, work.own.columns, area.tiles, area.rects, work.weights, work.tiles)


@kernel
def _wrapped(i, size):  # type: ignore[no-untyped-def]
    # Cheaper than a modulo, for steps that are shorter than the map.
    if i < 0:
        return i + size
    return i - size if i >= size else i


@kernel
def _load(picture, loaded, addresses, tiles, rects, fresh):  # type: ignore[no-untyped-def]
    rows, columns = loaded.shape
    channels = picture.shape[2]
    count = 0
    for i in range(len(tiles)):
        top, bottom, left, right = rects[i]
        for dy in range(-1 if top < REACH else 0, 2 if bottom > TILE - REACH else 1):
            for dx in range(-1 if left < REACH else 0, 2 if right > TILE - REACH else 1):
                row, column = (tiles[i] // columns + dy) % rows, (tiles[i] % columns + dx) % columns
                if loaded[row, column]:
                    continue
                loaded[row, column] = True
                fresh[count] = row * columns + column
                count += 1
                for y in range(TILE):
                    start = column * TILE * channels
                    line = picture[row * TILE + y].reshape(columns * TILE * channels)[start : start + TILE * channels]
                    if addresses[row, column]:
                        copy_line(carray(as_uint16(addresses[row, column]), (TILE, TILE * channels))[y], line)
                    else:
                        line[:] = 0
    return count


@kernel
def _take_over(picture, columns, tiles, rects, weights, addresses):  # type: ignore[no-untyped-def]
    """Copy from the tiles to the picture where there is weight, run by run."""
    channels = picture.shape[2]
    for i in range(len(tiles)):
        row0, column0 = tiles[i] // columns * TILE, tiles[i] % columns * TILE
        weight = carray(as_float32(weights[tiles[i]]), (TILE, TILE))
        tile = carray(as_uint16(addresses[tiles[i]]), (TILE, TILE * channels))
        top, bottom, left, right = rects[i]
        for y in range(top, bottom):
            line = picture[row0 + y, column0 : column0 + TILE].reshape(TILE * channels)
            x = left
            while x < right:
                start = x
                while x < right and weight[y, x] > 0:
                    x += 1
                copy_line(tile[y, start * channels : x * channels], line[start * channels : x * channels])
                x += 1


@kernel
def _take_block(picture, row0, column0, top, bottom, left, right, block):  # type: ignore[no-untyped-def]
    """Rows and columns of a tile, which may lie outside it by MARGIN, times alpha; the map wraps."""
    height, width, channels = picture.shape
    alpha = channels - 1
    inside = column0 + left >= 0 and column0 + right <= width
    for y in range(top, bottom):
        line = picture[_wrapped(row0 + y, height)]
        for c in range(channels):
            out = block[c, y + MARGIN, left + MARGIN : right + MARGIN]
            if inside:
                part = line[column0 + left : column0 + right]
                for k in range(len(part)):
                    times = np.float32(part[k, alpha]) if c < alpha else np.float32(1.0)
                    out[k] = np.float32(part[k, c]) * times
            else:
                for k in range(right - left):
                    x = _wrapped(column0 + left + k, width)
                    times = np.float32(line[x, alpha]) if c < alpha else np.float32(1.0)
                    out[k] = np.float32(line[x, c]) * times


@kernel
def _put_row(tile, weight, line, values, first, end):  # type: ignore[no-untyped-def]
    """Divide a row of floats, (channels, 64), by alpha and round it into a row of a tile where there is weight."""
    alpha = len(line) - 1
    half, none, full = np.float32(0.5), np.int32(0), np.int32(65535)
    for at in range(first & ~31, end, 32):
        covers = line[alpha, at : at + 32]
        for c in range(alpha):
            color, to = line[c, at : at + 32], values[c, at : at + 32]
            for j in range(32):
                value = np.int32(color[j] / max(covers[j], half) + half)
                # What covers nothing has no color.
                value = value if covers[j] >= half else none
                to[j] = np.uint16(min(full, max(none, value)))
        to = values[alpha, at : at + 32]
        for j in range(32):
            to[j] = np.uint16(min(full, max(none, np.int32(covers[j] + half))))
    for c in range(alpha + 1):
        for x in range(first, end):
            if weight[x] > 0:
                tile[x, c] = values[c, x]


@kernel
def _move_in_texels(m, move):  # type: ignore[no-untyped-def]
    """A move in space as a move in texels of a face: least squares in its plane, no farther than the gutter reaches."""
    g11 = m[0] * m[0] + m[1] * m[1] + m[2] * m[2]
    g12 = m[0] * m[3] + m[1] * m[4] + m[2] * m[5]
    g22 = m[3] * m[3] + m[4] * m[4] + m[5] * m[5]
    b1 = m[0] * move[0] + m[1] * move[1] + m[2] * move[2]
    b2 = m[3] * move[0] + m[4] * move[1] + m[5] * move[2]
    det = max(g11 * g22 - g12 * g12, 1e-300)
    dx = np.float32(min(max((g22 * b1 - g12 * b2) / det, -12.0), 12.0))
    dy = np.float32(min(max((g11 * b2 - g12 * b1) / det, -12.0), 12.0))
    return dx, dy


@kernel
def _smear(picture, tile_start, pieces, spans, matrices, columns, tiles, rects, weights, move, addresses):  # type: ignore[no-untyped-def]
    channels = picture.shape[2]
    one = np.float32(1.0)
    block, line = np.zeros((channels, BLOCK, BLOCK), np.float32), np.zeros((channels, TILE), np.float32)
    values = np.zeros((channels, TILE), np.uint16)
    for i in range(len(tiles)):
        t = tiles[i]
        weight = carray(as_float32(weights[t]), (TILE, TILE))
        tile = carray(as_uint16(addresses[t]), (TILE, TILE, channels))
        top, bottom, left, right = rects[i]
        _take_block(picture, t // columns * TILE, t % columns * TILE, top - REACH, bottom + REACH, left - REACH,
                    right + REACH, block)  # fmt: skip
        for p in range(tile_start[t], tile_start[t + 1]):
            dx, dy = _move_in_texels(matrices[pieces[p, 0]], move)
            whole_x, whole_y = int(np.floor(-dx)), int(np.floor(-dy))
            fx, fy = -dx - np.float32(whole_x), -dy - np.float32(whole_y)
            w00, w01, w10, w11 = (one - fx) * (one - fy), fx * (one - fy), (one - fx) * fy, fx * fy
            for y in range(max(top, pieces[p, 3]), min(bottom, pieces[p, 3] + pieces[p, 4])):
                span = spans[pieces[p, 5] + y - pieces[p, 3]]
                first, end = max(int(span[0]), left), min(int(span[1]), right)
                yy, y0 = y + MARGIN, y + MARGIN + whole_y
                for at in range(first & ~31, end, 32):
                    share = weight[y, at : at + 32]
                    xx, x0 = at + MARGIN, at + MARGIN + whole_x
                    for c in range(channels):
                        upper, lower = block[c, y0, x0 : x0 + 33], block[c, y0 + 1, x0 : x0 + 33]
                        here, out = block[c, yy, xx : xx + 32], line[c, at : at + 32]
                        for j in range(32):
                            came = w00 * upper[j] + w01 * upper[j + 1] + w10 * lower[j] + w11 * lower[j + 1]
                            out[j] = came * share[j] + here[j] * (one - share[j])
                _put_row(tile[y], weight[y], line, values, first, end)


@kernel
def _mean_of_nine(plane, y, x, step, out):  # type: ignore[no-untyped-def]
    """1-2-1 in both directions around 32 texels of a row, from (y, x) of a plane on."""
    two, four, sixteenth = np.float32(2.0), np.float32(4.0), np.float32(1 / 16)
    ya, yb, xa, xb = y - step, y + step, x - step, x + step
    a0, a1, a2 = plane[ya, xa : xa + 32], plane[ya, x : x + 32], plane[ya, xb : xb + 32]
    b0, b1, b2 = plane[y, xa : xa + 32], plane[y, x : x + 32], plane[y, xb : xb + 32]
    c0, c1, c2 = plane[yb, xa : xa + 32], plane[yb, x : x + 32], plane[yb, xb : xb + 32]
    for j in range(32):
        near = a0[j] + a2[j] + c0[j] + c2[j] + two * (a1[j] + b0[j] + b2[j] + c1[j]) + four * b1[j]
        out[j] = near * sixteenth


@kernel
def _mix(picture, columns, tiles, rects, weights, step, amount, addresses):  # type: ignore[no-untyped-def]
    """Toward the mean of nine by a positive amount, away from it by a negative one."""
    channels = picture.shape[2]
    alpha = channels - 1
    zero, tiny = np.float32(0.0), np.float32(1e-30)
    block, line = np.zeros((channels, BLOCK, BLOCK), np.float32), np.zeros((channels, TILE), np.float32)
    means = np.zeros((channels, 32), np.float32)
    values = np.zeros((channels, TILE), np.uint16)
    for i in range(len(tiles)):
        t = tiles[i]
        weight = carray(as_float32(weights[t]), (TILE, TILE))
        tile = carray(as_uint16(addresses[t]), (TILE, TILE, channels))
        top, bottom, left, right = rects[i]
        _take_block(picture, t // columns * TILE, t % columns * TILE, top - step, bottom + step, left - step,
                    right + step, block)  # fmt: skip
        for y in range(top, bottom):
            yy = y + MARGIN
            for at in range(left & ~31, right, 32):
                share, xx = weight[y, at : at + 32], at + MARGIN
                for c in range(channels):
                    _mean_of_nine(block[c], yy, xx, step, means[c])
                    here, near, out = block[c, yy, xx : xx + 32], means[c], line[c, at : at + 32]
                    if amount > 0 or c == alpha:
                        for j in range(32):
                            out[j] = here[j] + (near[j] - here[j]) * share[j] * amount
                if amount < 0:
                    # Away from the mean, color and alpha each by itself: divided by little they would run wild.
                    held, covers, near_covers = block[alpha, yy, xx : xx + 32], line[alpha, at : at + 32], means[alpha]
                    for c in range(alpha):
                        here, near, out = block[c, yy, xx : xx + 32], means[c], line[c, at : at + 32]
                        for j in range(32):
                            color = here[j] / max(held[j], tiny)
                            away = color - near[j] / max(near_covers[j], tiny)
                            out[j] = (color - away * share[j] * amount) * max(covers[j], zero)
            _put_row(tile[y], weight[y], line, values, left, right)
