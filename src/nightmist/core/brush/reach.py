"""What a dab or a band's station reaches: tiles by their boxes, rows and texels of pieces by linear forms."""

from __future__ import annotations

import numpy as np

from ..kernels import as_float32, carray, kernel
from ..texels.raster import TILE

#: How a station of a band is laid.
ALONE, JOINED, ANCHOR = 0, 1, 2
#: Texels that are looked at together. Loops over them must not say how many: a count that is written out is taken apart
#: before it is turned into vectors, which come out half as wide.
LANES = 8


@kernel
def _balls(centers, radii, joined, middles, reaches):  # type: ignore[no-untyped-def]
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
def box_distance2(box, point):  # type: ignore[no-untyped-def]
    total = 0.0
    for axis in range(3):
        gap = max(box[axis] - point[axis], point[axis] - box[axis + 3], 0.0)
        total += gap * gap
    return total


@kernel
def reach_tiles(  # type: ignore[no-untyped-def]
    boxes, blocks, columns, centers, radii, joined, middles, reaches, tiles
):
    """List the tiles whose box a dab reaches, in order; returns how many they are. Blocks of 8 × 8 are asked first.

    middles, reaches: become, for each dab or station, a ball that holds all that it lays.
    """
    _balls(centers, radii, joined, middles, reaches)
    near = np.zeros(len(boxes), np.uint8)
    rows, across = len(boxes) // columns, (columns + 7) // 8
    for b in range(len(blocks)):
        reached = False
        for d in range(len(middles)):
            reached = reached or box_distance2(blocks[b], middles[d]) < reaches[d] * reaches[d]
        if not reached:
            continue
        top, left = b // across * 8, b % across * 8
        for d in range(len(middles)):
            limit = reaches[d] * reaches[d]
            for row in range(top, min(top + 8, rows)):
                for t in range(row * columns + left, row * columns + min(left + 8, columns)):
                    if near[t] == 0 and box_distance2(boxes[t], middles[d]) < limit:
                        near[t] = 1
    count = 0
    for t in range(len(near)):
        if near[t] != 0:
            tiles[count] = t
            count += 1
    return count


@kernel
def reach_boxes(boxes, centers, radii, reached):  # type: ignore[no-untyped-def]
    """Mark boxes, (n, 6), that meet the one around all dabs, and so whatever a band joins them to."""
    low, high, widest = np.full(3, np.inf), np.full(3, -np.inf), 0.0
    for d in range(len(centers)):
        widest = max(widest, radii[d])
        for axis in range(3):
            low[axis], high[axis] = min(low[axis], centers[d, axis]), max(high[axis], centers[d, axis])
    for b in range(len(boxes)):
        reached[b] = True
        for axis in range(3):
            if boxes[b, axis] > high[axis] + widest or boxes[b, axis + 3] < low[axis] - widest:
                reached[b] = False


@kernel
def tile_at(address):  # type: ignore[no-untyped-def]
    return carray(as_float32(address), (TILE, TILE))


@kernel
def reached_rows(piece, m, px, py, pz, r):  # type: ignore[no-untyped-def]
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
    near0, near1, near2, middle, shift, slope2 = row_parabola(rx, ry, rz, ax, ay, az, bx, by, bz, 0.0)
    first, end = 0, int(piece[4])
    # Where rows hardly step across, as on slivers, each is looked at.
    if near2 > 1e-18 * near0:
        turn = -0.5 * near1 / near2
        half2 = (r * r - near0) / near2 + turn * turn
        if half2 <= 0:
            end = 0
        else:
            half = np.sqrt(half2)
            first = int(min(max(np.ceil(turn - half), 0.0), float(TILE)))
            end = min(end, int(min(max(np.floor(turn + half) + 1, 0.0), float(TILE))))
    return first, end, (near0, near1, near2, middle, shift, slope2)


@kernel
def row_parabola(rx, ry, rz, ax, ay, az, bx, by, bz, least):  # type: ignore[no-untyped-def]
    """How |R + A·x + B·i|² runs over row i, as `reached_rows` tells it. least: slope2 up to which it does not run."""
    slope2 = ax * ax + ay * ay + az * az
    inverse = 1.0 / slope2 if slope2 > least else 0.0
    middle, shift = -(ax * rx + ay * ry + az * rz) * inverse, -(ax * bx + ay * by + az * bz) * inverse
    # What is left of R and its step from row to row across the row's direction.
    rx, ry, rz = rx + ax * middle, ry + ay * middle, rz + az * middle
    bx, by, bz = bx + ax * shift, by + ay * shift, bz + az * shift
    near0, near1, near2 = rx * rx + ry * ry + rz * rz, rx * bx + ry * by + rz * bz, bx * bx + by * by + bz * bz
    return near0, 2.0 * near1, near2, middle, shift, slope2


@kernel
def reached_texels(piece, spans, i, parabola, r2):  # type: ignore[no-untyped-def]
    """Of row i: the texels within the radius, nearest² and middle; `parabola` is the rest of `reached_rows`."""
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
