"""Kernels that gather a band on tiles: what is near the segments between its stations."""

from __future__ import annotations

import numpy as np

from ..kernels import floats_at, held_or, kernel
from ..texels.raster import TILE
from .reach import ANCHOR, JOINED, LANES, box_distance2, reached_rows, reached_texels


@kernel
def gather_band(  # type: ignore[no-untyped-def]
    centers, normals, radii, strengths, hardness, joined, loose, middles, reaches, low, high, table, tiles, addresses,
    ahead, nothing, masks, whole, tile_start, boxes, pieces, balls, spans, matrices, face_normals, facing, spread,
    texel_size, hidden, rects, guessed,
):  # fmt: skip
    ends = np.empty(13)
    averted = np.zeros((TILE, TILE), np.float32)
    for k in range(len(tiles)):
        t = tiles[k]
        tile = addresses[t]
        gate = held_or(masks, t, whole)
        guess = held_or(ahead, t, nothing)
        for d in range(len(centers)):
            # A station alone, or the segment from the one before.
            b = d - 1 if joined[d] == JOINED else d
            reach = reaches[d]
            if joined[d] == ANCHOR or box_distance2(boxes[t], middles[d]) >= reach * reach:
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
                along0 = n[0] * normals[b, 0] + n[1] * normals[b, 1] + n[2] * normals[b, 2]
                along1 = n[0] * normals[d, 0] + n[1] * normals[d, 1] + n[2] * normals[d, 2]
                if max(along0, along1) + spread[f] <= low:
                    continue
                for axis in range(3):
                    ends[axis], ends[axis + 3] = centers[b, axis], centers[d, axis] - centers[b, axis]
                ends[6], ends[7] = radii[b], radii[d]
                ends[8], ends[9] = strengths[b], strengths[d]
                ends[10], ends[11], ends[12] = hardness[b], hardness[d], texel_size[f]
                through = gate
                if min(along0, along1) - spread[f] < high:
                    through = averted.ctypes.data
                    _share_by_angle(gate, pieces[p], spans, matrices[f], middles[d], reach, ends, facing[f],
                                    normals[b], normals[d], low, high, through)  # fmt: skip
                if loose[d] == 0:
                    _gather_segment(tile, through, nothing, pieces[p], spans, matrices[f], mx, my, mz, reach, ends,
                                    table, rects[k])  # fmt: skip
                else:
                    _gather_segment(guess, through, tile, pieces[p], spans, matrices[f], mx, my, mz, reach, ends,
                                    table, guessed[k])  # fmt: skip


@kernel
def _share_by_angle(  # type: ignore[no-untyped-def]
    gate, piece, spans, m, middle, reach, ends, facing, normal0, normal1, low, high, shares
):
    """What a gate lets through of a segment, less where its piece lies at an angle to the normals at its ends.

    As `angle_share` of both, each by how near the texel lies to that end; along a row all that goes into it is linear,
    but for the square of the facing's length.
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
        row, start = piece[3] + i, int(spans[piece[5] + i, 0])
        count = spans[piece[5] + i, 1] - start
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


@kernel
def _gather_segment(  # type: ignore[no-untyped-def]
    tile, gate, other, piece, spans, m, mx, my, mz, reach, ends, table, rect
):
    """As `_gather_piece`, by the distance to a segment: along a row both |X - A|² and (X - A) · D are polynomials.

    What lies behind its beginning was laid by what ends there: only texels with (X - A) · D >= 0 are looked at, and
    those behind that a growing radius reaches.
    tile, gate, other: where they lie; other holds what counts already, though it is kept elsewhere.
    """
    one, zero, none = np.float32(1.0), np.float32(0.0), np.int32(TILE)
    first, last, parabola = reached_rows(piece, m, mx, my, mz, reach)
    length2 = ends[3] * ends[3] + ends[4] * ends[4] + ends[5] * ends[5]
    inverse = np.float32(1.0 / length2) if length2 > 0 else zero
    squared = np.float32(length2)
    slope2 = np.float32(m[0] * m[0] + m[1] * m[1] + m[2] * m[2])
    rise = m[0] * ends[3] + m[1] * ends[4] + m[2] * ends[5]
    along1 = np.float32(rise)
    r0, dr = np.float32(ends[6]), np.float32(ends[7] - ends[6])
    behind = max(ends[7] - ends[6], 0.0) * ends[7] * ends[7] / max(ends[6], 1e-12)
    s0, ds = np.float32(ends[8]), np.float32(ends[9] - ends[8])
    # A hard edge still falls over one texel.
    size = np.float32(ends[12])
    h0, dh = np.float32(ends[10]), np.float32(ends[11] - ends[10])
    hardest = max(zero, one - size / r0)
    tiny = np.float32(max(1e-6 * min(ends[6], ends[7]), 1e-30))
    top, bottom, left, right = rect
    for i in range(first, last):
        start, end, _, _ = reached_texels(piece, spans, i, parabola, reach * reach)
        row = piece[3] + i
        y = piece[2] + row + 0.5
        if length2 > 0:
            # (X - A) · D over the row, and how far behind is looked: its value at x = 0, and `rise` a texel.
            level = behind + (
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
        begin = start & ~(LANES - 1)
        x = piece[1] + begin + 0.5
        ax = m[0] * x + m[3] * y + m[6] - ends[0]
        ay = m[1] * x + m[4] * y + m[7] - ends[1]
        az = m[2] * x + m[5] * y + m[8] - ends[2]
        near0 = np.float32(ax * ax + ay * ay + az * az)
        near1 = np.float32(2.0 * (ax * m[0] + ay * m[1] + az * m[2]))
        along0 = np.float32(ax * ends[3] + ay * ends[4] + az * ends[5])
        curve = (near0, near1, slope2, along0, along1, inverse, squared, r0, dr, s0, ds, h0, dh, hardest, size)
        # As many texels as vectors hold without a rest.
        stop = (end + LANES - 1) & ~(LANES - 1)
        at = 4 * (TILE * row + begin)
        count = stop - begin
        line, share, laid = floats_at(tile + at, count), floats_at(gate + at, count), floats_at(other + at, count)
        low, high = np.int32(start - begin), np.int32(end - begin)
        least, most = none, np.int32(-1)
        # A loop that decides nothing is turned into vectors; one that looks up a table is not. They are
        # three, since one made by a function takes a tenth longer.
        if len(table) > 0:
            for c in range(count):
                s, w = _near_cone(np.int32(c), low, high, curve, tiny)
                w *= table[int(s * np.float32(len(table) - 1) + np.float32(0.5))] * share[c]
                more = w > max(line[c], laid[c])
                least, most = min(least, np.int32(c) if more else none), max(most, np.int32(c if more else -1))
                line[c] = w if more else line[c]
        elif dr == zero:
            for c in range(count):
                s, w = _near_segment(np.int32(c), low, high, curve, tiny)
                w *= (one - s * s * (np.float32(3.0) - np.float32(2.0) * s)) * share[c]
                more = w > max(line[c], laid[c])
                least, most = min(least, np.int32(c) if more else none), max(most, np.int32(c if more else -1))
                line[c] = w if more else line[c]
        else:
            for c in range(count):
                s, w = _near_cone(np.int32(c), low, high, curve, tiny)
                w *= (one - s * s * (np.float32(3.0) - np.float32(2.0) * s)) * share[c]
                more = w > max(line[c], laid[c])
                least, most = min(least, np.int32(c) if more else none), max(most, np.int32(c if more else -1))
                line[c] = w if more else line[c]
        if most >= 0:
            top, bottom = min(top, row), max(bottom, row + 1)
            left, right = min(left, begin + least), max(right, begin + most + 1)
    rect[0], rect[1], rect[2], rect[3] = top, bottom, left, right


@kernel
def _near_segment(c, low, high, curve, tiny):  # type: ignore[no-untyped-def]
    """Of texel c of a row: where between the hard middle and the rim it lies, 0-1, and the strength there."""
    along0, along1, inverse, h0, dh, hardest = curve[3], curve[4], curve[5], curve[11], curve[12], curve[13]
    part = min(np.float32(1.0), max(np.float32(0.0), (along0 + along1 * np.float32(c)) * inverse))
    return _within(c, part, min(h0 + dh * part, hardest), low, high, curve, tiny)


@kernel
def _near_cone(c, low, high, curve, tiny):  # type: ignore[no-untyped-def]
    """The same where the radius runs from r to r + dr: by the disc in whose radius it lies deepest.

    |V - tD| / (r + t dr) is least at t = (r V · D + dr V²) / (r D² + dr V · D); where one end holds the other whole
    there may be no such t, and that end counts.
    """
    near0, near1, slope2, along0, along1, _, squared, r0, dr, _, _, h0, dh, _, size = curve
    one, zero, step = np.float32(1.0), np.float32(0.0), np.float32(c)
    along, from_start = along0 + along1 * step, near0 + step * (near1 + slope2 * step)
    share, whole = r0 * along + dr * from_start, r0 * squared + dr * along
    part = min(one, max(zero, share / whole)) if whole > zero else (one if dr > zero else zero)
    hardest = max(zero, one - size / max(r0 + dr * part, tiny))
    return _within(c, part, min(h0 + dh * part, hardest), low, high, curve, tiny)


@kernel
def _within(c, part, h, low, high, curve, tiny):  # type: ignore[no-untyped-def]
    near0, near1, slope2, along0, along1, _, squared, r0, dr, s0, ds, _, _, _, _ = curve
    one, zero, step = np.float32(1.0), np.float32(0.0), np.float32(c)
    along = along0 + along1 * step
    distance2 = near0 + step * (near1 + slope2 * step) + part * (part * squared - along - along)
    r = r0 + dr * part
    s = (np.sqrt(max(distance2, zero)) - h * r) / max((one - h) * r, tiny)
    inside = (c >= low) & (c < high) & (s < one)
    return min(one, max(zero, s)), s0 + ds * part if inside else zero
