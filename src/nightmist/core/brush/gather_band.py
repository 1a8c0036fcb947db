"""Kernels that gather a band on tiles: what is near the segments between its stations."""

from __future__ import annotations

import numpy as np

from ..kernels import borrowed, floats_at, held_or, kernel
from ..texels.raster import TILE
from .by_angle import share_by_angle
from .reach import ANCHOR, JOINED, LANES, box_distance2, reached_rows, reached_texels

#: How a piece lies to what a segment lays.
OUTSIDE, ACROSS, INSIDE = 0, 1, 2


@kernel
def gather_band(  # type: ignore[no-untyped-def]
    centers, normals, radii, strengths, hardness, joined, loose, middles, reaches, low, high, table, tiles, addresses,
    ahead, nothing, masks, whole, tile_start, boxes, pieces, balls, spans, matrices, face_normals, facing, spread,
    texel_size, hidden, rects, guessed,
):  # fmt: skip
    pieces, balls, spans, boxes = borrowed(pieces), borrowed(balls), borrowed(spans), borrowed(boxes)
    matrices, face_normals, facing = borrowed(matrices), borrowed(face_normals), borrowed(facing)
    normals, middles, table = borrowed(normals), borrowed(middles), borrowed(table)
    rects, guessed = borrowed(rects), borrowed(guessed)
    ends = np.empty(14)
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
            for axis in range(3):
                ends[axis], ends[axis + 3] = centers[b, axis], centers[d, axis] - centers[b, axis]
            ends[6], ends[7] = radii[b], radii[d]
            ends[8], ends[9] = strengths[b], strengths[d]
            ends[10], ends[11] = hardness[b], hardness[d]
            # How far behind its beginning a growing radius reaches.
            ends[12] = max(radii[d] - radii[b], 0.0) * radii[d] * radii[d] / max(radii[b], 1e-12)
            for p in range(tile_start[t], tile_start[t + 1]):
                lies = _lies(balls[p], mx, my, mz, reach, ends)
                f = pieces[p, 0]
                if lies == OUTSIDE or hidden[f] != 0:
                    continue
                n = face_normals[f]
                along0 = n[0] * normals[b, 0] + n[1] * normals[b, 1] + n[2] * normals[b, 2]
                along1 = n[0] * normals[d, 0] + n[1] * normals[d, 1] + n[2] * normals[d, 2]
                if max(along0, along1) + spread[f] <= low:
                    continue
                ends[13] = texel_size[f]
                through = gate
                if min(along0, along1) - spread[f] < high:
                    through = averted.ctypes.data
                    share_by_angle(gate, pieces[p], spans, matrices[f], middles[d], reach, ends, facing[f],
                                   normals[b], normals[d], low, high, through)  # fmt: skip
                if loose[d] == 0:
                    _gather_segment(tile, through, nothing, pieces[p], spans, matrices[f], mx, my, mz, reach,
                                    lies == INSIDE, ends, table, rects[k])  # fmt: skip
                else:
                    _gather_segment(guess, through, tile, pieces[p], spans, matrices[f], mx, my, mz, reach,
                                    lies == INSIDE, ends, table, guessed[k])  # fmt: skip


@kernel
def _lies(ball, mx, my, mz, reach, ends):  # type: ignore[no-untyped-def]
    """How the ball around a piece lies to what a segment lays anew: its reach, less what lies behind its beginning."""
    away2 = (ball[0] - mx) ** 2 + (ball[1] - my) ** 2 + (ball[2] - mz) ** 2
    if away2 >= (reach + ball[3]) ** 2:
        return OUTSIDE
    length2, along = 0.0, ends[12]
    for axis in range(3):
        length2 += ends[axis + 3] * ends[axis + 3]
        along += (ball[axis] - ends[axis]) * ends[axis + 3]
    around = ball[3] * np.sqrt(length2)
    if along < -around:
        return OUTSIDE
    inner = reach - ball[3]
    return INSIDE if along >= around and inner > 0 and away2 < inner * inner else ACROSS


@kernel
def _gather_segment(  # type: ignore[no-untyped-def]
    tile, gate, other, piece, spans, m, mx, my, mz, reach, whole, ends, table, rect
):
    """As `_gather_piece`, by the distance to a segment: along a row both |X - A|² and (X - A) · D are polynomials.

    What lies behind its beginning was laid by what ends there: only texels with (X - A) · D >= 0 are looked at, and
    those behind that a growing radius reaches. whole: so are all of the piece.
    tile, gate, other: where they lie; other holds what counts already, though it is kept elsewhere.
    """
    one, zero, none = np.float32(1.0), np.float32(0.0), np.int32(TILE)
    first, last, parabola = 0, int(piece[4]), (0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    if not whole:
        first, last, parabola = reached_rows(piece, m, mx, my, mz, reach)
    length2 = ends[3] * ends[3] + ends[4] * ends[4] + ends[5] * ends[5]
    inverse = np.float32(1.0 / length2) if length2 > 0 else zero
    squared = np.float32(length2)
    slope2 = np.float32(m[0] * m[0] + m[1] * m[1] + m[2] * m[2])
    rise = m[0] * ends[3] + m[1] * ends[4] + m[2] * ends[5]
    along1 = np.float32(rise)
    r0, dr = np.float32(ends[6]), np.float32(ends[7] - ends[6])
    s0, ds = np.float32(ends[8]), np.float32(ends[9] - ends[8])
    # A hard edge still falls over one texel.
    size = np.float32(ends[13])
    h0, dh = np.float32(ends[10]), np.float32(ends[11] - ends[10])
    tiny = np.float32(max(1e-6 * min(ends[6], ends[7]), 1e-30))
    top, bottom, left, right = rect
    for i in range(first, last):
        start, end = int(spans[piece[5] + i, 0]), int(spans[piece[5] + i, 1])
        if not whole:
            start, end, _, _ = reached_texels(piece, spans, i, parabola, reach * reach)
        row = piece[3] + i
        y = piece[2] + row + 0.5
        if length2 > 0 and not whole:
            # (X - A) · D over the row, and how far behind is looked: its value at x = 0, and `rise` a texel.
            level = ends[12] + (
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
        curve = (near0, near1, slope2, along0, along1, inverse, squared, r0, dr, s0, ds, h0, dh, size)
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
    along0, along1, inverse = curve[3], curve[4], curve[5]
    part = min(np.float32(1.0), max(np.float32(0.0), (along0 + along1 * np.float32(c)) * inverse))
    return _within(c, part, low, high, curve, tiny)


@kernel
def _near_cone(c, low, high, curve, tiny):  # type: ignore[no-untyped-def]
    """The same where the radius runs from r to r + dr: by the disc in whose radius it lies deepest.

    |V - tD| / (r + t dr) is least at t = (r V · D + dr V²) / (r D² + dr V · D); where one end holds the other whole
    there may be no such t, and that end counts.
    """
    near0, near1, slope2, along0, along1, _, squared, r0, dr, _, _, _, _, _ = curve
    one, zero, step = np.float32(1.0), np.float32(0.0), np.float32(c)
    along, from_start = along0 + along1 * step, near0 + step * (near1 + slope2 * step)
    share, whole = r0 * along + dr * from_start, r0 * squared + dr * along
    part = min(one, max(zero, share / whole)) if whole > zero else (one if dr > zero else zero)
    return _within(c, part, low, high, curve, tiny)


@kernel
def _within(c, part, low, high, curve, tiny):  # type: ignore[no-untyped-def]
    near0, near1, slope2, along0, along1, _, squared, r0, dr, s0, ds, h0, dh, size = curve
    one, zero, step = np.float32(1.0), np.float32(0.0), np.float32(c)
    along = along0 + along1 * step
    distance2 = near0 + step * (near1 + slope2 * step) + part * (part * squared - along - along)
    r = r0 + dr * part
    hard = min((h0 + dh * part) * r, max(r - size, zero))
    s = (np.sqrt(max(distance2, zero)) - hard) / max(r - hard, tiny)
    inside = (c >= low) & (c < high) & (s < one)
    return min(one, max(zero, s)), s0 + ds * part if inside else zero
