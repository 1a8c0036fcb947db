"""The grid of cells into which islands are packed: one bit a cell, 64 in a word."""

from __future__ import annotations

import numpy as np

from ..kernels import kernel


@kernel
def _set_run(row, first, last):  # type: ignore[no-untyped-def]
    """Set the bits first…last of a row of words."""
    for w in range(first // 64, last // 64 + 1):
        bits = ~np.uint64(0)
        if w == first // 64:
            bits = bits << np.uint64(first % 64)
        if w == last // 64:
            bits = bits & (~np.uint64(0) >> np.uint64(63 - last % 64))
        row[w] |= bits


@kernel
def _mark(t, gap, columns, mask):  # type: ignore[no-untyped-def]
    """Set the bits of cells within `gap` of those a triangle reaches into; mask: (rows, words)."""
    rows = mask.shape[0]
    y0 = int(np.floor(min(t[0, 1], t[1, 1], t[2, 1])))
    y1 = int(np.floor(max(t[0, 1], t[1, 1], t[2, 1])))
    for y in range(max(y0, -gap), min(y1, rows + gap) + 1):
        # What of the triangle lies in this row of cells, from left to right.
        low, high = 1e300, -1e300
        for k in range(3):
            ax, ay, bx, by = t[k, 0], t[k, 1], t[(k + 1) % 3, 0], t[(k + 1) % 3, 1]
            if max(ay, by) < y or min(ay, by) > y + 1:
                continue
            if ay == by:
                low, high = min(low, ax, bx), max(high, ax, bx)
            else:
                s0 = min(max((y - ay) / (by - ay), 0.0), 1.0)
                s1 = min(max((y + 1 - ay) / (by - ay), 0.0), 1.0)
                x0, x1 = ax + (bx - ax) * s0, ax + (bx - ax) * s1
                low, high = min(low, x0, x1), max(high, x0, x1)
        if low > high:
            continue
        first, last = max(int(np.floor(low)) - gap, 0), min(int(np.floor(high)) + gap, columns - 1)
        if first <= last:
            for yy in range(max(y - gap, 0), min(y + gap + 1, rows)):
                _set_run(mask[yy], first, last)


@kernel
def block(triangles, gap, columns, mask):  # type: ignore[no-untyped-def]
    for t in range(len(triangles)):
        _mark(triangles[t], gap, columns, mask)


@kernel
def _is_set(row, x):  # type: ignore[no-untyped-def]
    return (row[x // 64] >> np.uint64(x % 64)) & np.uint64(1) != 0


@kernel
def _longest(row, columns, value):  # type: ignore[no-untyped-def]
    """Of the first cells of a row, how many one after the other are set, or free, at most."""
    longest, run = 0, 0
    for x in range(columns):
        run = run + 1 if _is_set(row, x) == value else 0
        longest = max(longest, run)
    return longest


@kernel
def _has_room(needed, room, top):  # type: ignore[no-untyped-def]
    """Whether in each row below `top` there are as many free cells side by side as the mask needs there."""
    y = 0
    while y < len(needed) and room[top + y] >= needed[y]:
        y += 1
    return y == len(needed)


@kernel
def _advance(mask, left, row, word, hit):  # type: ignore[no-untyped-def]
    """How far right a mask must go at least, when it meets blocked cells where the bits `hit` of a word are."""
    x = word * 64
    while hit & np.uint64(1) == 0:
        hit >>= np.uint64(1)
        x += 1
    start = x - left
    while start > 0 and _is_set(mask, start - 1):
        start -= 1
    end = x
    while end + 1 < len(row) * 64 and _is_set(row, end + 1):
        end += 1
    return end + 1 - left - start


@kernel
def _fits(mask, words, blocked, top, left, met):  # type: ignore[no-untyped-def]
    """0 when the mask fits at (left, top), else by how much `left` has to grow at least; and its row that says so.

    met: the row that is asked first: where the mask met something before, it likely does again.
    """
    shift = np.uint64(left % 64)
    back = np.uint64(64) - shift
    word, rows = left // 64, len(mask)
    y = met
    for _ in range(rows):
        line, below = mask[y], blocked[top + y]
        carry = np.uint64(0)
        for w in range(words):
            bits = line[w]
            hit = ((bits << shift) | carry) & below[word + w]
            if hit:
                return _advance(line, left, below, word + w, hit), y
            carry = bits >> back if shift else np.uint64(0)
        hit = carry & below[word + words]
        if hit:
            return _advance(line, left, below, word + words, hit), y
        y += 1
        if y == rows:
            y = 0
    return 0, met


@kernel
def _block_mask(mask, top, left, gap, columns, blocked):  # type: ignore[no-untyped-def]
    """Set the bits of cells within `gap` of those of a mask that lies at (left, top)."""
    rows = len(blocked)
    wide = np.zeros(blocked.shape[1], np.uint64)
    for y in range(len(mask)):
        wide[:] = 0
        x, end = 0, mask.shape[1] * 64
        while x < end:
            if not _is_set(mask[y], x):
                x += 1
                continue
            first = x
            while x < end and _is_set(mask[y], x):
                x += 1
            _set_run(wide, max(left + first - gap, 0), min(left + x - 1 + gap, columns - 1))
        for yy in range(max(top + y - gap, 0), min(top + y + gap + 1, rows)):
            for w in range(len(wide)):
                blocked[yy, w] |= wide[w]


@kernel
def _turned(x, y, width, height, way):  # type: ignore[no-untyped-def]
    """A point of a box of this size after `way` quarter turns."""
    if way == 0:
        return x, y
    if way == 1:
        return y, width - x
    if way == 2:
        return width - x, height - y
    return height - y, x


@kernel
def _first_place(mask, wide, columns, blocked, room, start, end):  # type: ignore[no-untyped-def]
    """(top, left) where a mask, `wide` cells wide, fits first, row by row from `start` to `end`; -1, -1 for nowhere.

    room: of each row of the grid, the free cells side by side at most.
    """
    rows, words, met = len(mask), mask.shape[1], 0
    needed = np.empty(rows, np.int64)
    for y in range(rows):
        needed[y] = _longest(mask[y], wide, True)
    for top in range(start, end):
        # Far quicker to ask than the places are, and nearly always enough.
        if not _has_room(needed, room, top):
            continue
        left = 0
        while left <= columns - wide:
            step, met = _fits(mask, words, blocked, top, left, met)
            if step == 0:
                return top, left
            left += step
    return -1, -1


@kernel
def place(corners, faces, starts, order, spans, gap, columns, blocked, ways, places):  # type: ignore[no-untyped-def]
    """Put one island after the other where it fits first, row by row; False when one does not fit.

    corners: (F, 3, 2) in cells, each island's from (0, 0); faces, starts: those of island i are faces[starts[i] :
    starts[i + 1]]; order: of the islands; spans: (n, 2) their sizes. blocked: (rows, words) bits of cells that are
    taken, two words more than `columns` cells need; places: (n, 3) filled with left, top and quarter turns.
    """
    rows = len(blocked)
    moved, empty = np.empty((3, 2)), np.zeros((0, 0), np.uint64)
    hint, hint_size = 0, 1e300
    room = np.empty(rows, np.int64)
    for y in range(rows):
        room[y] = _longest(blocked[y], columns, False)
    for k in range(len(order)):
        i = order[k]
        best_top, best_left, best_turn, best_mask = -1, -1, 0, empty
        size = max(spans[i, 0], spans[i, 1])
        # Among many small islands the search goes on where the last of about this size went.
        start = hint if len(order) > 400 and size > 0.9 * hint_size else 0
        if start == 0:
            hint_size = size
        for way in range(ways):
            w = spans[i, 1] if way % 2 else spans[i, 0]
            h = spans[i, 0] if way % 2 else spans[i, 1]
            high, wide = int(np.floor(h)) + 1, int(np.floor(w)) + 1
            if high > rows or wide > columns:
                continue
            mask = np.zeros((high, (wide + 63) // 64), np.uint64)
            for f in faces[starts[i] : starts[i + 1]]:
                for c in range(3):
                    moved[c] = _turned(corners[f, c, 0], corners[f, c, 1], spans[i, 0], spans[i, 1], way)
                _mark(moved, 0, wide, mask)
            end = rows - high + 1
            if best_top >= 0:
                end = min(end, best_top)
            top, left = _first_place(mask, wide, columns, blocked, room, start, end)
            if top >= 0:
                best_top, best_left, best_turn, best_mask = top, left, way, mask
        if best_top < 0:
            return False
        hint = best_top
        places[i, 0], places[i, 1], places[i, 2] = best_left, best_top, best_turn
        _block_mask(best_mask, best_top, best_left, gap, columns, blocked)
        for y in range(max(best_top - gap, 0), min(best_top + len(best_mask) + gap, rows)):
            room[y] = _longest(blocked[y], columns, False)
    return True
