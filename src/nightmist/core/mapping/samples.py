"""Samples of pictures between their pixels and their sizes (Williams 1983, trilinear), a row of texels at a time."""

from __future__ import annotations

import numpy as np

from ..kernels import kernel

#: A share of a level that would not be seen in 8 bits.
FAINT = np.float32(1 / 128)
#: Up to this level, footprints of 1.2 pixels, the picture itself does not alias: reading another level would only blur.
SHARP = np.float32(0.25)


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


@kernel
def _channel(pixel, shift):  # type: ignore[no-untyped-def]
    return np.float32(np.int32((pixel >> np.uint64(shift)) & np.uint64(0xFFFF)))


@kernel
def _add_level(words, starts, sizes, each, u, v, lows, shares, first, end, wrap, sums):  # type: ignore[no-untyped-def]
    """Add a level's samples to a row. What lies at the rim comes after the others: among them it doubles their time."""
    rims, step = 0, np.uint64(each)
    for i in range(first, end):
        share = shares[i]
        if share <= 0:
            continue
        low = lows[i]
        width = sizes[low, 0]
        x, y = u[i] * width - 0.5, v[i] * sizes[low, 1] - 0.5
        left, top = np.floor(x), np.floor(y)
        if left < 0 or top < 0 or left >= width - 1 or top >= sizes[low, 1] - 1:
            rims += 1
            continue
        across, down = np.float32(x - left), np.float32(y - top)
        w11 = across * down * share
        across, down = across * share, down * share
        w00, w01, w10 = share - across - down + w11, across - w11, down - w11
        # Unsigned: an index that may count from the end costs a comparison each.
        p = np.uint64(starts[low] + (int(top) * width + int(left)) * each)
        q = p + np.uint64(width * each)
        for word in range(each):
            k = np.uint64(word)
            a, b, c, d = words[p + k], words[p + step + k], words[q + k], words[q + step + k]
            for j in range(4):
                s = 16 * j
                sums[i, 4 * word + j] += (
                    w00 * _channel(a, s) + w01 * _channel(b, s) + w10 * _channel(c, s) + w11 * _channel(d, s)
                )  # fmt: skip
    if rims == 0:
        return
    for i in range(first, end):
        share, low = shares[i], lows[i]
        width, height = sizes[low, 0], sizes[low, 1]
        left, top = np.floor(u[i] * width - 0.5), np.floor(v[i] * height - 0.5)
        if share <= 0 or not (left < 0 or top < 0 or left >= width - 1 or top >= height - 1):
            continue
        p00, p01, p10, p11, w00, w01, w10, w11 = corner_of(width, height, u[i], v[i], wrap)
        start = starts[low]
        for word in range(each):
            a, b = words[start + p00 * each + word], words[start + p01 * each + word]
            c, d = words[start + p10 * each + word], words[start + p11 * each + word]
            for j in range(4):
                s = 16 * j
                sums[i, 4 * word + j] += share * (
                    w00 * _channel(a, s) + w01 * _channel(b, s) + w10 * _channel(c, s) + w11 * _channel(d, s)
                )  # fmt: skip


@kernel
def add_samples(  # type: ignore[no-untyped-def]
    words, starts, sizes, count, each, u, v, levels, weights, lows, shares, first, end, wrap, sums
):
    """Add weighted samples of a picture, all its channels, to those of a row of texels: sums (n, channels) float32.

    words: uint64, four channels each, the first lowest. starts, sizes: of its `count` levels, in words; (width,
    height). each: words of a pixel. u, v: (n,) float64, 0-1 across the picture, v down. levels: (n,) float32 of the
    footprints, 0 the picture itself; between levels and pixels it is mixed. weights: (n,) float32; 0: nothing is
    wanted there. u and v are worked on, as are lows (n,) int64 and shares (n,) float32.
    """
    one, mixes, widest = np.float32(1.0), False, np.float32(0.0)
    if wrap < 2:
        for i in range(first, end):
            u[i], v[i] = folded(u[i], wrap), folded(v[i], wrap)
    for i in range(first, end):
        widest = max(widest, levels[i])
        lows[i], shares[i] = 0, weights[i]
    if widest > SHARP:
        for i in range(first, end):
            lows[i], coarser = level_at(levels[i], count)
            shares[i] = weights[i] * (one - coarser)
            mixes = mixes or coarser > 0
    _add_level(words, starts, sizes, each, u, v, lows, shares, first, end, wrap, sums)
    if mixes:
        for i in range(first, end):
            lows[i] = min(lows[i] + 1, count - 1)
            shares[i] = weights[i] - shares[i]
        _add_level(words, starts, sizes, each, u, v, lows, shares, first, end, wrap, sums)


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
