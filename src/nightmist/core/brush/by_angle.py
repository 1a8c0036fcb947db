"""What dabs and bands leave on texels that face away from them: less and less, up to the limit."""

from __future__ import annotations

import numpy as np

from ..kernels import floats_at, kernel
from ..texels.raster import TILE
from .reach import LANES, reached_rows


@kernel
def share_by_angle(  # type: ignore[no-untyped-def]
    gate, piece, spans, m, middle, reach, ends, facing, normal0, normal1, low, high, shares
):
    """What a gate lets through of a segment, less where its piece lies at an angle to the normals at its ends.

    As `angle_share` of both, each by how near the texel lies to that end; along a row all that goes into it is linear,
    but for the square of the facing's length. ends: where the segment begins, and from there to its end. gate, shares:
    where the tiles lie; beside the piece, shares may hold anything.
    """
    one, zero = np.float32(1.0), np.float32(0.0)
    from_low, scale = np.float32(low), np.float32(1.0 / max(high - low, 1e-9))
    length2 = ends[3] * ends[3] + ends[4] * ends[4] + ends[5] * ends[5]
    inverse = 1.0 / length2 if length2 > 0 else 0.0
    slope = np.float32((m[0] * ends[3] + m[1] * ends[4] + m[2] * ends[5]) * inverse)
    turn0 = np.float32(facing[0] * normal0[0] + facing[1] * normal0[1] + facing[2] * normal0[2])
    turn1 = np.float32(facing[0] * normal1[0] + facing[1] * normal1[1] + facing[2] * normal1[2])
    bend = np.float32(facing[0] * facing[0] + facing[1] * facing[1] + facing[2] * facing[2])
    first, last, _ = reached_rows(piece, m, middle[0], middle[1], middle[2], reach)
    for i in range(first, last):
        row, start = piece[3] + i, int(spans[piece[5] + i, 0]) & ~(LANES - 1)
        # As many texels as vectors hold without a rest.
        count = ((spans[piece[5] + i, 1] + LANES - 1) & ~(LANES - 1)) - start
        x, y = piece[1] + start + 0.5, piece[2] + row + 0.5
        along0, along1, size0, size1, begin = 0.0, 0.0, 1e-30, 0.0, 0.0
        for axis in range(3):
            n = facing[axis] * x + facing[axis + 3] * y + facing[axis + 6]
            along0, along1 = along0 + n * normal0[axis], along1 + n * normal1[axis]
            size0, size1 = size0 + n * n, size1 + 2.0 * n * facing[axis]
            begin += (m[axis] * x + m[axis + 3] * y + m[axis + 6] - ends[axis]) * ends[axis + 3] * inverse
        a0, a1, s0, s1 = np.float32(along0), np.float32(along1), np.float32(size0), np.float32(size1)
        part0 = np.float32(begin)
        at = 4 * (TILE * row + start)
        held, line = floats_at(gate + at, count), floats_at(shares + at, count)
        for c in range(count):
            step = np.float32(c)
            unit = one / np.sqrt(max(s0 + step * (s1 + step * bend), np.float32(1e-30)))
            part = min(one, max(zero, part0 + slope * step))
            t0 = min(one, max(zero, ((a0 + turn0 * step) * unit - from_low) * scale))
            t1 = min(one, max(zero, ((a1 + turn1 * step) * unit - from_low) * scale))
            t0 = t0 * t0 * (np.float32(3.0) - np.float32(2.0) * t0)
            t1 = t1 * t1 * (np.float32(3.0) - np.float32(2.0) * t1)
            line[c] = held[c] * (t0 + part * (t1 - t0))
