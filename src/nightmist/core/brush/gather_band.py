"""Kernels that gather a band on tiles: what is near the segments between its stations."""

from __future__ import annotations

import numpy as np

from ..kernels import borrowed, floats_at, held_or, kernel
from ..texels.raster import TILE
from .by_angle import share_by_angle
from .reach import ANCHOR, JOINED, LANES, box_distance2, reached_rows, row_parabola

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
    """How the ball around a piece lies to what a segment lays anew: all within the radius of it, less what lies behind
    its beginning.
    """
    if (ball[0] - mx) ** 2 + (ball[1] - my) ** 2 + (ball[2] - mz) ** 2 >= (reach + ball[3]) ** 2:
        return OUTSIDE
    length2, along, from_start2, from_end2 = 0.0, 0.0, 0.0, 0.0
    for axis in range(3):
        away = ball[axis] - ends[axis]
        length2 += ends[axis + 3] * ends[axis + 3]
        along += away * ends[axis + 3]
        from_start2 += away * away
        from_end2 += (away - ends[axis + 3]) ** 2
    around = ball[3] * np.sqrt(length2)
    if along + ends[12] < -around:
        return OUTSIDE
    radius = max(ends[6], ends[7])
    beside2 = from_start2 - along * along / length2 if length2 > 0 else from_start2
    if beside2 >= (radius + ball[3]) ** 2:
        return OUTSIDE
    inner = radius - ball[3]
    near2 = beside2 if along <= length2 - around else from_end2
    return INSIDE if along + ends[12] >= around and inner > 0 and near2 < inner * inner else ACROSS


@kernel
def _gather_segment(  # type: ignore[no-untyped-def]
    tile, gate, other, piece, spans, m, mx, my, mz, reach, whole, ends, table, rect
):
    """As `_gather_piece`, by the distance to a segment: along a row both |X - A|² and (X - A) · D are polynomials.

    What lies behind its beginning was laid by what ends there: only texels with (X - A) · D >= 0 are looked at, and
    those behind that a growing radius reaches. whole: so are all of the piece.
    tile, gate, other: where they lie; other holds what counts already, though it is kept elsewhere.
    """
    one, zero = np.float32(1.0), np.float32(0.0)
    first, last = 0, int(piece[4])
    if not whole:
        first, last, _ = reached_rows(piece, m, mx, my, mz, reach)
        if first >= last:
            return
    length2 = ends[3] * ends[3] + ends[4] * ends[4] + ends[5] * ends[5]
    inverse = np.float32(1.0 / length2) if length2 > 0 else zero
    squared = np.float32(length2)
    step2 = m[0] * m[0] + m[1] * m[1] + m[2] * m[2]
    rise = m[0] * ends[3] + m[1] * ends[4] + m[2] * ends[5]
    slope2, along1 = np.float32(step2), np.float32(rise)
    # X - A where the first row begins.
    x, y = piece[1] + 0.5, piece[2] + piece[3] + 0.5
    ax, ay, az = m[0] * x + m[3] * y + m[6], m[1] * x + m[4] * y + m[7], m[2] * x + m[5] * y + m[8]
    ax, ay, az = ax - ends[0], ay - ends[1], az - ends[2]
    around = beside = (0.0, 0.0, 0.0, 0.0, 0.0, 0.0)
    between = (0.0, 0.0, 0.0, 0.0, 0.0)
    if not whole:
        around, beside, between = _bounds(ax, ay, az, m, ends, length2)
    r0, dr = np.float32(ends[6]), np.float32(ends[7] - ends[6])
    s0, ds = np.float32(ends[8]), np.float32(ends[9] - ends[8])
    # A hard edge still falls over one texel.
    size = np.float32(ends[13])
    h0, dh = np.float32(ends[10]), np.float32(ends[11] - ends[10])
    tiny = np.float32(max(1e-6 * min(ends[6], ends[7]), 1e-30))
    hard = min(h0 * r0, max(r0 - size, zero))
    fall = one / max(r0 - hard, tiny)
    top, bottom, left, right = rect
    for i in range(first, last):
        start, end = int(spans[piece[5] + i, 0]), int(spans[piece[5] + i, 1])
        row = piece[3] + i
        if not whole:
            start, end = _near_in_row(start, end, i, around, beside, between)
        if end <= start:
            continue
        begin = start & ~(LANES - 1)
        bx, by, bz = ax + begin * m[0] + i * m[3], ay + begin * m[1] + i * m[4], az + begin * m[2] + i * m[5]
        near0 = np.float32(bx * bx + by * by + bz * bz)
        near1 = np.float32(2.0 * (bx * m[0] + by * m[1] + bz * m[2]))
        along0 = np.float32(bx * ends[3] + by * ends[4] + bz * ends[5])
        curve = (near0, near1, slope2, along0, along1, inverse, squared, r0, dr, s0, ds, h0, dh, size)
        # As many texels as vectors hold without a rest.
        stop = (end + LANES - 1) & ~(LANES - 1)
        at = 4 * (TILE * row + begin)
        count = stop - begin
        line, share, laid = floats_at(tile + at, count), floats_at(gate + at, count), floats_at(other + at, count)
        low, high = np.int32(start - begin), np.int32(end - begin)
        # A flag by the greatest: what is joined by "or" takes 64 bits here, and vectors of half as many texels.
        changed = np.int32(-1)
        # A loop that decides nothing is turned into vectors; one that looks up a table is not. They are
        # three, since one made by a function takes a tenth longer.
        if len(table) > 0:
            for c in range(count):
                s, w = _near_cone(np.int32(c), low, high, curve, tiny)
                w *= table[int(s * np.float32(len(table) - 1) + np.float32(0.5))] * share[c]
                more = w > max(line[c], laid[c])
                changed = max(changed, np.int32(c if more else -1))
                line[c] = w if more else line[c]
        elif dr == zero and dh == zero:
            for c in range(count):
                s, w = _near_segment(np.int32(c), low, high, curve, hard, fall)
                w *= (one - s * s * (np.float32(3.0) - np.float32(2.0) * s)) * share[c]
                more = w > max(line[c], laid[c])
                changed = max(changed, np.int32(c if more else -1))
                line[c] = w if more else line[c]
        else:
            for c in range(count):
                s, w = _near_cone(np.int32(c), low, high, curve, tiny)
                w *= (one - s * s * (np.float32(3.0) - np.float32(2.0) * s)) * share[c]
                more = w > max(line[c], laid[c])
                changed = max(changed, np.int32(c if more else -1))
                line[c] = w if more else line[c]
        if changed >= 0:
            top, bottom = min(top, row), max(bottom, row + 1)
            left, right = min(left, start), max(right, end)
    rect[0], rect[1], rect[2], rect[3] = top, bottom, left, right


@kernel
def _bounds(ax, ay, az, m, ends, length2):  # type: ignore[no-untyped-def]
    """What bounds the rows of a piece, whose first row begins at X - A, as `_near_in_row` takes it: the ball around the
    segment's end and the cylinder around the segment, as `_within_row` takes them, and how (X - A) · D runs.
    """
    radius2 = max(ends[6], ends[7]) ** 2
    dx, dy, dz = ends[3], ends[4], ends[5]
    around = row_parabola(ax - dx, ay - dy, az - dz, m[0], m[1], m[2], m[3], m[4], m[5], 0.0)
    along, rise = ax * dx + ay * dy + az * dz, m[0] * dx + m[1] * dy + m[2] * dz
    slant = m[3] * dx + m[4] * dy + m[5] * dz
    inverse = 1.0 / length2 if length2 > 0 else 0.0
    p, q, s = along * inverse, rise * inverse, slant * inverse
    # The same across D; rows that run along it step across by rounding only.
    least = 1e-9 * (m[0] * m[0] + m[1] * m[1] + m[2] * m[2])
    beside = row_parabola(ax - p * dx, ay - p * dy, az - p * dz, m[0] - q * dx, m[1] - q * dy, m[2] - q * dz,
                          m[3] - s * dx, m[4] - s * dy, m[5] - s * dz, least)  # fmt: skip
    return (
        _room(around, 0.0, radius2),
        _room(beside, least, radius2),
        (along, slant, 1.0 / rise if rise != 0 else 1e30, length2, ends[12]),
    )


@kernel
def _room(parabola, least, radius2):  # type: ignore[no-untyped-def]
    """Of a row's parabola: radius² less its least, where that is, and one over its slope; flat ones are wide open."""
    near0, near1, near2, middle, shift, slope2 = parabola
    return radius2 - near0, -near1, -near2, middle, shift, 1.0 / slope2 if slope2 > least else 1e30


@kernel
def _within_row(i, room):  # type: ignore[no-untyped-def]
    """Between which x of row i it is within the radius; from inf to -inf where it nowhere is."""
    left0, left1, left2, middle, shift, inverse = room
    left = left0 + i * (left1 + i * left2)
    if left < 0:
        return np.inf, -np.inf
    half = np.sqrt(left * inverse)
    return middle + i * shift - half, middle + i * shift + half


@kernel
def _near_in_row(start, end, i, around, beside, between):  # type: ignore[no-untyped-def]
    """The texels of a row, from `start` to `end`, that lie within the radius of a segment and not behind it.

    They follow one another: those beside the segment, with (X - A) · D no more than D², and those around its end.
    """
    low, high = _within_row(i, around)
    along0, slant, inverse, length2, behind = between
    if length2 > 0:
        along = along0 + i * slant
        begins, past = (-behind - along) * inverse, (length2 - along) * inverse
        left, right = _within_row(i, beside)
        left, right = max(left, min(begins, past)), min(right, max(begins, past))
        if left <= right:
            low, high = min(low, left), max(high, right)
        if inverse > 0:
            low = max(low, begins)
        else:
            high = min(high, begins)
    # Far away they may be greater than an integer.
    if low > min(high, 64.0):
        return end, end
    return max(start, int(np.ceil(max(low, -1.0)))), min(end, int(np.floor(min(high, 64.0))) + 1)


@kernel
def _near_segment(c, low, high, curve, hard, fall):  # type: ignore[no-untyped-def]
    """Of texel c of a row, where radius and hardness stay: where between the hard middle and the rim it lies, 0-1, and
    the strength there. hard, fall: the middle's radius, and one over what is left of the radius.
    """
    along0, along1, inverse = curve[3], curve[4], curve[5]
    part = min(np.float32(1.0), max(np.float32(0.0), (along0 + along1 * np.float32(c)) * inverse))
    s = (np.sqrt(_distance2(c, part, curve)) - hard) * fall
    return _there(c, s, part, low, high, curve)


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
    _, _, _, _, _, _, _, r0, dr, _, _, h0, dh, size = curve
    r = r0 + dr * part
    hard = min((h0 + dh * part) * r, max(r - size, np.float32(0.0)))
    s = (np.sqrt(_distance2(c, part, curve)) - hard) / max(r - hard, tiny)
    return _there(c, s, part, low, high, curve)


@kernel
def _distance2(c, part, curve):  # type: ignore[no-untyped-def]
    """Squared, from what lies a part of the way along the segment."""
    near0, near1, slope2, along0, along1, _, squared, _, _, _, _, _, _, _ = curve
    step = np.float32(c)
    along = along0 + along1 * step
    return max(near0 + step * (near1 + slope2 * step) + part * (part * squared - along - along), np.float32(0.0))


@kernel
def _there(c, s, part, low, high, curve):  # type: ignore[no-untyped-def]
    """Every falloff ends with 0: what lies beyond the rim needs no question."""
    s0, ds = curve[9], curve[10]
    inside = (c >= low) & (c < high)
    return min(np.float32(1.0), max(np.float32(0.0), s)), s0 + ds * part if inside else np.float32(0.0)
