"""Samples of pictures between their pixels and their sizes (Williams 1983, trilinear), a row of texels at a time."""

from __future__ import annotations

import numpy as np

from ..kernels import inlined, kernel
from ..texels.raster import TILE
from .four_channels import add_mixed

#: A share of a level that would not be seen in 8 bits.
FAINT = np.float32(1 / 128)
#: Up to this level, footprints of 1.2 pixels, the picture itself does not alias: reading another level would only blur.
SHARP = np.float32(0.25)

#: Texels of a row that share a footprint, and how many such blocks a tile's row has.
EVERY = 8
BLOCKS = TILE // EVERY
#: What stands for a pixel's number where there is none: nothing is wanted, or the four around lie not all inside.
NOTHING, RIM = np.int32(-1), np.int32(-2)


@kernel
def folded(u, wrap):  # type: ignore[no-untyped-def]
    """A coordinate brought to 0-1, where the picture repeats or mirrors: a division of integers would be slow."""
    if wrap == 0:
        return u - np.floor(u)
    if wrap == 1:
        u = u - 2 * np.floor(u / 2)
        return u if u <= 1 else 2 - u
    return u


@kernel
def _wrapped(i, count, wrap):  # type: ignore[no-untyped-def]
    """The pixel that stands for number i of a row of `count`, at most one beyond it; -1 where there is none."""
    if 0 <= i < count:
        return i
    if wrap == 0:
        return i + count if i < 0 else i - count
    return -1 if wrap == 3 else min(max(i, 0), count - 1)


@kernel
def corner_of(width, height, u, v, wrap):  # type: ignore[no-untyped-def]
    """The four pixels around (u, v), by number, and the share of each; of those beyond the edge none."""
    one, zero = np.float32(1.0), np.float32(0.0)
    x, y = u * width - 0.5, v * height - 0.5
    left, top = int(np.floor(x)), int(np.floor(y))
    across, down = np.float32(x - left), np.float32(y - top)
    c0, c1 = _wrapped(left, width, wrap), _wrapped(left + 1, width, wrap)
    r0, r1 = _wrapped(top, height, wrap), _wrapped(top + 1, height, wrap)
    near, far = one - down, down
    w00, w01, w10, w11 = near * (one - across), near * across, far * (one - across), far * across
    if wrap == 3:
        if c0 < 0:
            c0, w00, w10 = 0, zero, zero
        if c1 < 0:
            c1, w01, w11 = 0, zero, zero
        if r0 < 0:
            r0, w00, w01 = 0, zero, zero
        if r1 < 0:
            r1, w10, w11 = 0, zero, zero
    return r0 * width + c0, r0 * width + c1, r1 * width + c0, r1 * width + c1, w00, w01, w10, w11


@kernel
def level_at(level, count):  # type: ignore[no-untyped-def]
    """The finer of two levels between which a footprint lies, and the share of the coarser one."""
    one = np.float32(1.0)
    if level < one:
        level = max(level - SHARP, np.float32(0.0)) / (one - SHARP)
    level = min(level, np.float32(count - 1))
    low = int(level)
    fine = np.float32(level - low)
    if fine < FAINT or fine > one - FAINT:
        return low + int(fine > FAINT), np.float32(0.0)
    return low, fine


@inlined
def _find_pixels(u, v, weights, part, width, height, first, end, places, corners):  # type: ignore[no-untyped-def]
    """The four pixels around each texel of a row: the first of them, by number, and the shares of all.

    RIM where some lie beyond the edge, NOTHING where none is wanted. Without a branch, so that it becomes vectors.
    """
    nothing, across_all, down_all, wide = np.float32(0.0), np.float64(width), np.float64(height), np.int32(width)
    # Unsigned: an index that may count from the end keeps loops from becoming vectors.
    for i in range(np.uint64(first), np.uint64(end)):
        x, y = u[i] * across_all - 0.5, v[i] * down_all - 0.5
        left, top = np.floor(x), np.floor(y)
        within = (left >= 0) & (top >= 0) & (left < across_all - 1) & (top < down_all - 1)
        across, down = np.float32(x - left), np.float32(y - top)
        share = weights[i] * part
        both = across * down * share
        across, down = across * share, down * share
        corners[0, i], corners[1, i] = share - across - down + both, across - both
        corners[2, i], corners[3, i] = down - both, both
        place = np.int32(top if within else 0.0) * wide + np.int32(left if within else 0.0)
        places[i] = (place if within else RIM) if share > nothing else NOTHING


@inlined
def _mix_pixels(words, start, row, each, first, end, places, corners, sums):  # type: ignore[no-untyped-def]
    """Add what was found to the sums; whether some lies at the rim. row: pixels from one to the one below it."""
    step, below, wide, rims = np.int64(each), np.int64(row * each), sums.shape[1], False
    for i in range(np.uint64(first), np.uint64(end)):
        if places[i] < 0:
            rims = rims or places[i] == RIM
            continue
        at, first_word = np.int64(i) * wide, start + places[i] * step
        for word in range(each):
            p = first_word + word
            add_mixed(
                sums, at + 4 * word, words, (p, p + step, p + below, p + below + step),
                (corners[0, i], corners[1, i], corners[2, i], corners[3, i]),
            )  # fmt: skip
    return rims


@kernel
def _add_rims(  # type: ignore[no-untyped-def]
    words, start, width, height, each, u, v, weights, part, first, end, wrap, places, sums
):
    """The same of what lies at the rim: among the others it would double their time."""
    for i in range(first, end):
        if places[i] != RIM:
            continue
        p00, p01, p10, p11, w00, w01, w10, w11 = corner_of(width, height, u[i], v[i], wrap)
        share = weights[i] * part
        for word in range(each):
            p = start + word
            add_mixed(
                sums, i * sums.shape[1] + 4 * word, words,
                (p + p00 * each, p + p01 * each, p + p10 * each, p + p11 * each),
                (share * w00, share * w01, share * w10, share * w11),
            )  # fmt: skip


@inlined
def add_samples(  # type: ignore[no-untyped-def]
    words, starts, sizes, count, each, u, v, levels, weights, first, end, wrap, places, corners, sums
):
    """Add weighted samples of a picture, all its channels, to those of a row of texels: sums (n, channels) float32.

    words: uint64, four channels each, the first lowest. starts, sizes: of its `count` levels, in words; (width,
    height). each: words of a pixel. u, v: (n,) float64, 0-1 across the picture, v down; they are worked on. levels:
    (BLOCKS,) float32 of the footprints of each EVERY texels from the first one on, 0 the picture itself; between levels
    and pixels it is mixed. weights: (n,) float32; 0: nothing is wanted there. places, corners: to work on, (n,) int32
    and (4, n) float32.
    """
    if wrap < 2:
        for i in range(np.uint64(first), np.uint64(end)):
            u[i], v[i] = folded(u[i], wrap), folded(v[i], wrap)
    # The finer level of each texel, then the coarser one where two are mixed.
    for turn in range(2):
        start, block = first, 0
        while start < end:
            low, coarser = level_at(levels[block], count)
            stop, block = start + EVERY, block + 1
            while stop < end and level_at(levels[block], count) == (low, coarser):
                stop, block = stop + EVERY, block + 1
            stop = min(stop, end)
            part = coarser if turn == 1 else np.float32(1.0) - coarser
            if part > 0:
                level = min(low + turn, count - 1)
                width, height = sizes[level, 0], sizes[level, 1]
                _find_pixels(u, v, weights, part, width, height, start, stop, places, corners)
                if _mix_pixels(words, starts[level], width, each, start, stop, places, corners, sums):
                    _add_rims(
                        words, starts[level], width, height, each, u, v, weights, part, start, stop, wrap, places, sums
                    )
            start = stop


@kernel
def take_value(data, starts, sizes, u, v, level, wrap):  # type: ignore[no-untyped-def]
    """The same of a picture of one channel, opaque: its value, 0-1."""
    low, fine = level_at(level, len(starts))
    u, v = folded(u, wrap), folded(v, wrap)
    one, unit, found = np.float32(1.0), np.float32(1.0 / 65535.0), np.float32(0.0)
    for k in range(2):
        share = (fine if k == 1 else one - fine) * unit
        if share > 0:
            start = starts[low + k]
            p00, p01, p10, p11, w00, w01, w10, w11 = corner_of(sizes[low + k, 0], sizes[low + k, 1], u, v, wrap)
            found += share * (
                w00 * data[start + p00] + w01 * data[start + p01] + w10 * data[start + p10] + w11 * data[start + p11]
            )
    return found
