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
def take_sample(data, starts, sizes, channels, u, v, level, wrap):  # type: ignore[no-untyped-def]
    """A sample at (u, v), 0-1 across the picture, v down: red, green, blue premultiplied, and alpha; gray as red.

    level: of the footprint, 0 the picture itself; between levels and pixels it is mixed. Returned as numbers, not
    written: that keeps them in registers.
    """
    most = len(starts) - 1
    level = min(max(level, np.float32(0.0)), np.float32(most))
    low = int(level)
    fine = np.float32(level - low)
    u, v = folded(u, wrap), folded(v, wrap)
    one, unit = np.float32(1.0), np.float32(1.0 / 65535.0)
    r, g, b, a = np.float32(0.0), np.float32(0.0), np.float32(0.0), np.float32(0.0)
    for k in range(2):
        share = fine if k == 1 else one - fine
        if share <= 0:
            continue
        start = starts[low + k]
        p00, p01, p10, p11, w00, w01, w10, w11 = corner_of(sizes[low + k, 0], sizes[low + k, 1], u, v, wrap)
        scale = share * unit
        w00, w01, w10, w11 = w00 * scale, w01 * scale, w10 * scale, w11 * scale
        p00, p01, p10, p11 = (
            start + p00 * channels,
            start + p01 * channels,
            start + p10 * channels,
            start + p11 * channels,
        )
        r += w00 * data[p00] + w01 * data[p01] + w10 * data[p10] + w11 * data[p11]
        if channels == 4:
            g += w00 * data[p00 + 1] + w01 * data[p01 + 1] + w10 * data[p10 + 1] + w11 * data[p11 + 1]
            b += w00 * data[p00 + 2] + w01 * data[p01 + 2] + w10 * data[p10 + 2] + w11 * data[p11 + 2]
            a += w00 * data[p00 + 3] + w01 * data[p01 + 3] + w10 * data[p10 + 3] + w11 * data[p11 + 3]
        elif channels == 2:
            a += w00 * data[p00 + 1] + w01 * data[p01 + 1] + w10 * data[p10 + 1] + w11 * data[p11 + 1]
        else:
            a += (w00 + w01 + w10 + w11) * np.float32(65535.0)
    return r, g, b, a
