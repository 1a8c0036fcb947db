"""A picture at all its sizes, sampled between pixels and between sizes (Williams 1983, trilinear)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel

#: How a picture goes on beyond its edges; kernels know them by their place.
Wrap = Literal["repeat", "mirror", "clamp", "none"]
WRAPS: tuple[Wrap, ...] = ("repeat", "mirror", "clamp", "none")
#: The level of texels that want none of a picture.
NOTHING = np.float32(-2.0)
#: A share of a level that would not be seen in 8 bits.
FAINT = np.float32(1 / 128)
#: Shares by which stored red, green and blue make a gray (ITU-R BT.709).
LUMA = np.array([0.2126, 0.7152, 0.0722])


@dataclass
class Pyramid:
    """data: uint16, level after level, each (h, w, channels); channels: 1 gray, 2 gray and alpha, 4 color and alpha.

    Color is premultiplied. starts: where each level begins. sizes: (levels, 2) width, height.
    """

    data: NDArray[np.uint16]
    starts: NDArray[np.int64]
    sizes: NDArray[np.int64]
    channels: int

    @property
    def pixels(self) -> tuple[NDArray[np.uint64], NDArray[np.int64]]:
        """Of a color: its pixels, four channels at once, red lowest, and where each level begins among them."""
        return self.data.view(np.uint64), self.starts // 4

    @property
    def nbytes(self) -> int:
        """What it takes."""
        return self.data.nbytes


def pyramid_of(picture: NDArray[np.uint16], gray: bool) -> Pyramid:
    """The levels of an (h, w, 4) picture with straight alpha. gray: one value instead of a color.

    What is opaque all over and gray takes one channel.
    """
    level = picture.astype(np.float32)
    opaque = bool((picture[..., 3] == 65535).all())
    if gray:
        value = level[..., :3] @ LUMA.astype(np.float32)
        level = value[..., None] if opaque else np.stack([value, level[..., 3]], axis=2)
    if level.shape[2] > 1:
        level[..., :-1] *= level[..., -1:] / 65535
    levels = [level]
    while max(levels[-1].shape[:2]) > 1:
        height, width = levels[-1].shape[:2]
        smaller = cv2.resize(levels[-1], (max(1, width // 2), max(1, height // 2)), interpolation=cv2.INTER_AREA)
        levels.append(np.asarray(smaller, np.float32).reshape(*smaller.shape[:2], level.shape[2]))
    flat = [np.rint(np.clip(one, 0, 65535)).astype(np.uint16).ravel() for one in levels]
    starts = np.cumsum([0, *(len(one) for one in flat[:-1])]).astype(np.int64)
    sizes = np.array([(one.shape[1], one.shape[0]) for one in levels], np.int64)
    return Pyramid(np.concatenate(flat), starts, sizes, level.shape[2])


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
    level = min(max(level, np.float32(0.0)), np.float32(count - 1))
    low = int(level)
    fine = np.float32(level - low)
    if fine < FAINT or fine > np.float32(1.0) - FAINT:
        return low + int(fine > FAINT), np.float32(0.0)
    return low, fine


@kernel
def _channel(pixel, shift):  # type: ignore[no-untyped-def]
    return np.float32(np.int32((pixel >> np.uint64(shift)) & np.uint64(0xFFFF)))


@kernel
def _add_level(pixels, starts, sizes, u, v, lows, shares, first, end, wrap, found):  # type: ignore[no-untyped-def]
    """Add a level's samples to a row. What lies at the rim comes after the others: among them it doubles their time."""
    unit, rims = np.float32(1.0 / 65535.0), 0
    for i in range(first, end):
        low, share = lows[i], shares[i] * unit
        width = sizes[low, 0]
        x, y = u[i] * width - 0.5, v[i] * sizes[low, 1] - 0.5
        left, top = np.floor(x), np.floor(y)
        if share <= 0 or left < 0 or top < 0 or left >= width - 1 or top >= sizes[low, 1] - 1:
            rims += 1
            continue
        across, down = np.float32(x - left), np.float32(y - top)
        w11 = across * down * share
        across, down = across * share, down * share
        w00, w01, w10 = share - across - down + w11, across - w11, down - w11
        # Unsigned: an index that may count from the end costs a comparison each.
        p = np.uint64(starts[low] + int(top) * width + int(left))
        q = p + np.uint64(width)
        a, b, c, d = pixels[p], pixels[p + np.uint64(1)], pixels[q], pixels[q + np.uint64(1)]
        for k in range(4):
            s = 16 * k
            found[i, k] += (
                w00 * _channel(a, s) + w01 * _channel(b, s) + w10 * _channel(c, s) + w11 * _channel(d, s)
            )  # fmt: skip
    if rims == 0:
        return
    for i in range(first, end):
        low, share = lows[i], shares[i] * unit
        width, height = sizes[low, 0], sizes[low, 1]
        left, top = np.floor(u[i] * width - 0.5), np.floor(v[i] * height - 0.5)
        if share <= 0 or not (left < 0 or top < 0 or left >= width - 1 or top >= height - 1):
            continue
        p00, p01, p10, p11, w00, w01, w10, w11 = corner_of(width, height, u[i], v[i], wrap)
        start = starts[low]
        a, b, c, d = pixels[start + p00], pixels[start + p01], pixels[start + p10], pixels[start + p11]
        for k in range(4):
            s = 16 * k
            found[i, k] += share * (
                w00 * _channel(a, s) + w01 * _channel(b, s) + w10 * _channel(c, s) + w11 * _channel(d, s)
            )  # fmt: skip


@kernel
def take_colors(pixels, starts, sizes, u, v, levels, lows, first, end, wrap, found):  # type: ignore[no-untyped-def]
    """Samples of a row of texels: red, green, blue premultiplied, and alpha, 0-1, into found (n, 4) float32.

    pixels, starts: of `Pyramid.pixels`. u, v: (n,) 0-1 across the picture, v down. levels: (n,) float32 of their
    footprints, 0 the picture itself; between levels and pixels it is mixed; NOTHING: nothing is wanted there. These
    three, and lows (n,) int64, are worked on.
    """
    one, nothing = np.float32(1.0), np.float32(0.0)
    mixes = False
    for i in range(first, end):
        for k in range(4):
            found[i, k] = np.float32(0.0)
        lows[i] = 0
        if levels[i] == NOTHING:
            levels[i] = nothing
            continue
        u[i], v[i] = folded(u[i], wrap), folded(v[i], wrap)
        lows[i], coarser = level_at(levels[i], len(starts))
        # From here on: how much the finer level counts.
        levels[i] = one - coarser
        mixes = mixes or coarser > 0
    _add_level(pixels, starts, sizes, u, v, lows, levels, first, end, wrap, found)
    if mixes:
        for i in range(first, end):
            lows[i] = min(lows[i] + 1, len(starts) - 1)
            levels[i] = one - levels[i] if levels[i] > 0 else nothing
        _add_level(pixels, starts, sizes, u, v, lows, levels, first, end, wrap, found)


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
