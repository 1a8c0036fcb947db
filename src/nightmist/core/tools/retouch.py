"""Smear, soften and sharpen: tools that move what is there, dab by dab (N69, N70).

They work on a dense picture of one map of a layer, whose gutter has been filled with what really lies beyond
each island's border (`texels/across.py`), so that a neighbor is always the next texel of the picture.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..kernels import as_float32, as_uint16, carray, in_two_threads, kernel
from ..texels.area import TileArea
from ..texels.ownership import Ownership


def smear(
    picture: NDArray[np.uint16], own: Ownership, area: TileArea, weights: NDArray[np.int64], move: NDArray[np.float64],
    tiles: NDArray[np.int64],
) -> None:  # fmt: skip
    """Pull paint along: each texel takes from where the brush was, by its weight.

    picture: (H, W, channels) uint16, alpha last, changed in place. weights: table of float32 tiles. move: (3,)
    how far the brush has moved since the last dab, model units. tiles: table of the layer's own tiles, which
    receive what the picture receives.
    """
    fresh = np.empty((len(area), 64, 64, picture.shape[2]), np.uint16)
    in_two_threads(
        len(area),
        lambda a, b: _smear(picture, own.tile_start, own.pieces, own.spans, own.matrices, own.columns, area.tiles[a:b],
                            area.rects[a:b], weights, move, fresh[a:b]),
        4,
    )  # fmt: skip
    _put(picture, own.columns, area.tiles, area.rects, weights, fresh, tiles)


def soften(
    picture: NDArray[np.uint16], own: Ownership, area: TileArea, weights: NDArray[np.int64], step: int,
    tiles: NDArray[np.int64],
) -> None:  # fmt: skip
    """Mix each texel with its eight neighbors `step` texels away, by its weight (1-2-1 in both directions)."""
    _filter(picture, own, area, weights, step, tiles, 1.0)


def sharpen(
    picture: NDArray[np.uint16], own: Ownership, area: TileArea, weights: NDArray[np.int64], step: int,
    tiles: NDArray[np.int64],
) -> None:  # fmt: skip
    """Move each texel, alpha too, away from the mean of its neighbors, by its weight."""
    _filter(picture, own, area, weights, step, tiles, -1.0)


def _filter(
    picture: NDArray[np.uint16], own: Ownership, area: TileArea, weights: NDArray[np.int64], step: int,
    tiles: NDArray[np.int64], amount: float,
) -> None:  # fmt: skip
    fresh = np.empty((len(area), 64, 64, picture.shape[2]), np.uint16)
    in_two_threads(
        len(area),
        lambda a, b: _mix(picture, own.columns, area.tiles[a:b], area.rects[a:b], weights, step, np.float32(amount),
                          fresh[a:b]),
        4,
    )  # fmt: skip
    _put(picture, own.columns, area.tiles, area.rects, weights, fresh, tiles)


@kernel
def _wrapped(i, size):  # type: ignore[no-untyped-def]
    # Cheaper than a modulo, for steps that are shorter than the map.
    if i < 0:
        return i + size
    return i - size if i >= size else i


@kernel
def _put(picture, columns, tiles, rects, weights, fresh, addresses):  # type: ignore[no-untyped-def]
    channels = picture.shape[2]
    for i in range(len(tiles)):
        row0, column0 = tiles[i] // columns * 64, tiles[i] % columns * 64
        weight = carray(as_float32(weights[tiles[i]]), (64, 64))
        tile = carray(as_uint16(addresses[tiles[i]]), (64, 64, channels))
        top, bottom, left, right = rects[i]
        for y in range(top, bottom):
            for x in range(left, right):
                if weight[y, x] > 0:
                    for c in range(channels):
                        tile[y, x, c] = picture[row0 + y, column0 + x, c] = fresh[i, y, x, c]


@kernel
def _smear(picture, tile_start, pieces, spans, matrices, columns, tiles, rects, weights, move, fresh):  # type: ignore[no-untyped-def]
    height, width, channels = picture.shape
    alpha = channels - 1
    half, zero, one = np.float32(0.5), np.float32(0.0), np.float32(1.0)
    for i in range(len(tiles)):
        t = tiles[i]
        row0, column0 = t // columns * 64, t % columns * 64
        weight = carray(as_float32(weights[t]), (64, 64))
        top, bottom, left, right = rects[i]
        for p in range(tile_start[t], tile_start[t + 1]):
            m = matrices[pieces[p, 0]]
            # The move in texels: least squares in the face's plane.
            g11 = m[0] * m[0] + m[1] * m[1] + m[2] * m[2]
            g12 = m[0] * m[3] + m[1] * m[4] + m[2] * m[5]
            g22 = m[3] * m[3] + m[4] * m[4] + m[5] * m[5]
            b1 = m[0] * move[0] + m[1] * move[1] + m[2] * move[2]
            b2 = m[3] * move[0] + m[4] * move[1] + m[5] * move[2]
            det = max(g11 * g22 - g12 * g12, 1e-300)
            # Farther than the gutter reaches there is nothing to take from.
            dx = np.float32(min(max((g22 * b1 - g12 * b2) / det, -12.0), 12.0))
            dy = np.float32(min(max((g11 * b2 - g12 * b1) / det, -12.0), 12.0))
            whole_x, whole_y = int(np.floor(-dx)), int(np.floor(-dy))
            fx, fy = -dx - np.float32(whole_x), -dy - np.float32(whole_y)
            w00, w01, w10, w11 = (one - fx) * (one - fy), fx * (one - fy), (one - fx) * fy, fx * fy
            for k in range(pieces[p, 4]):
                y = pieces[p, 3] + k
                if y < top or y >= bottom:
                    continue
                yy = row0 + y
                y0 = _wrapped(yy + whole_y, height)
                y1 = _wrapped(y0 + 1, height)
                first, last = spans[pieces[p, 5] + k]
                for x in range(max(int(first), left), min(int(last), right)):
                    w = weight[y, x]
                    if w <= zero:
                        continue
                    xx = column0 + x
                    x0 = _wrapped(xx + whole_x, width)
                    x1 = _wrapped(x0 + 1, width)
                    a00, a01 = w00 * picture[y0, x0, alpha], w01 * picture[y0, x1, alpha]
                    a10, a11 = w10 * picture[y1, x0, alpha], w11 * picture[y1, x1, alpha]
                    came = (a00 + a01 + a10 + a11) * w
                    held = np.float32(picture[yy, xx, alpha]) * (one - w)
                    out = came + held
                    fresh[i, y, x, alpha] = np.uint16(out + half)
                    if out < half:
                        fresh[i, y, x, :alpha] = 0
                        continue
                    share = w / out
                    for c in range(alpha):
                        taken = (a00 * picture[y0, x0, c] + a01 * picture[y0, x1, c] + a10 * picture[y1, x0, c]
                                 + a11 * picture[y1, x1, c])  # fmt: skip
                        fresh[i, y, x, c] = np.uint16(taken * share + picture[yy, xx, c] * (held / out) + half)


@kernel
def _mix(picture, columns, tiles, rects, weights, step, amount, fresh):  # type: ignore[no-untyped-def]
    height, width, channels = picture.shape
    alpha = channels - 1
    half, one, full = np.float32(0.5), np.float32(1.0), np.float32(65535.0)
    two, four, sixteenth, opaque = np.float32(2.0), np.float32(4.0), np.float32(1 / 16), np.float32(16 * 65535)
    for i in range(len(tiles)):
        t = tiles[i]
        row0, column0 = t // columns * 64, t % columns * 64
        weight = carray(as_float32(weights[t]), (64, 64))
        top, bottom, left, right = rects[i]
        for y in range(top, bottom):
            yy = row0 + y
            ya, yb = _wrapped(yy - step, height), _wrapped(yy + step, height)
            for x in range(left, right):
                w = weight[y, x]
                if w <= 0:
                    continue
                xx = column0 + x
                xa, xb = _wrapped(xx - step, width), _wrapped(xx + step, width)
                a0, a1, a2 = picture[ya, xa, alpha], picture[ya, xx, alpha], picture[ya, xb, alpha]
                b0, b1, b2 = picture[yy, xa, alpha], picture[yy, xx, alpha], picture[yy, xb, alpha]
                c0, c1, c2 = picture[yb, xa, alpha], picture[yb, xx, alpha], picture[yb, xb, alpha]
                total = np.float32(a0 + a2 + c0 + c2) + np.float32(2.0) * np.float32(a1 + b0 + b2 + c1)
                total += np.float32(4.0) * np.float32(b1)
                if total == opaque:
                    # All nine cover fully, as is usual: the plain mean.
                    fresh[i, y, x, alpha] = b1
                    for c in range(alpha):
                        old = np.float32(picture[yy, xx, c])
                        corners = np.float32(picture[ya, xa, c]) + np.float32(picture[ya, xb, c])
                        corners += np.float32(picture[yb, xa, c]) + np.float32(picture[yb, xb, c])
                        sides = np.float32(picture[ya, xx, c]) + np.float32(picture[yb, xx, c])
                        sides += np.float32(picture[yy, xa, c]) + np.float32(picture[yy, xb, c])
                        mean = (corners + two * sides + four * old) * sixteenth
                        value = old + (mean - old) * w * amount
                        fresh[i, y, x, c] = np.uint16(min(max(value, np.float32(0.0)), full) + half)
                    continue
                held = np.float32(b1)
                near = total * sixteenth
                out = min(max(held + (near - held) * w * amount, np.float32(0.0)), full)
                fresh[i, y, x, alpha] = np.uint16(out + half)
                if out < half:
                    fresh[i, y, x, :alpha] = 0
                    continue
                for c in range(alpha):
                    old = np.float32(picture[yy, xx, c])
                    if total < half:
                        fresh[i, y, x, c] = picture[yy, xx, c]
                        continue
                    corners = (np.float32(a0) * picture[ya, xa, c] + np.float32(a2) * picture[ya, xb, c]
                               + np.float32(c0) * picture[yb, xa, c] + np.float32(c2) * picture[yb, xb, c])  # fmt: skip
                    sides = (np.float32(a1) * picture[ya, xx, c] + np.float32(b0) * picture[yy, xa, c]
                             + np.float32(b2) * picture[yy, xb, c] + np.float32(c1) * picture[yb, xx, c])  # fmt: skip
                    mean = (corners + np.float32(2.0) * sides + np.float32(4.0) * held * old) / total
                    mixed = (held * (one - w) * old + near * w * mean) / out
                    value = mixed if amount > 0 else old + (old - mean) * w
                    fresh[i, y, x, c] = np.uint16(min(max(value, np.float32(0.0)), full) + half)
