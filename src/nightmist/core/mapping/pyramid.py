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
def _folded(u, wrap):  # type: ignore[no-untyped-def]
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
def _take(data, start, width, height, channels, x, y, wrap, share, found):  # type: ignore[no-untyped-def]
    """Add a sample of one level at pixels (x, y)."""
    left, top = int(np.floor(x)), int(np.floor(y))
    across, down = np.float32(x - left), np.float32(y - top)
    one = np.float32(1.0)
    c0, c1 = _wrapped(left, width, wrap), _wrapped(left + 1, width, wrap)
    r0, r1 = _wrapped(top, height, wrap), _wrapped(top + 1, height, wrap)
    w00, w01 = share * (one - across) * (one - down), share * across * (one - down)
    w10, w11 = share * (one - across) * down, share * across * down
    if wrap == 3:
        if c0 < 0:
            c0, w00, w10 = 0, np.float32(0.0), np.float32(0.0)
        if c1 < 0:
            c1, w01, w11 = 0, np.float32(0.0), np.float32(0.0)
        if r0 < 0:
            r0, w00, w01 = 0, np.float32(0.0), np.float32(0.0)
        if r1 < 0:
            r1, w10, w11 = 0, np.float32(0.0), np.float32(0.0)
    p00, p01 = start + (r0 * width + c0) * channels, start + (r0 * width + c1) * channels
    p10, p11 = start + (r1 * width + c0) * channels, start + (r1 * width + c1) * channels
    unit = np.float32(1.0 / 65535.0)
    w00, w01, w10, w11 = w00 * unit, w01 * unit, w10 * unit, w11 * unit
    if channels == 4:
        for c in range(3):
            found[c] += w00 * data[p00 + c] + w01 * data[p01 + c] + w10 * data[p10 + c] + w11 * data[p11 + c]
        found[4] += w00 * data[p00 + 3] + w01 * data[p01 + 3] + w10 * data[p10 + 3] + w11 * data[p11 + 3]
        return
    found[0] += w00 * data[p00] + w01 * data[p01] + w10 * data[p10] + w11 * data[p11]
    if channels == 1:
        found[4] += (w00 + w01 + w10 + w11) * np.float32(65535.0)
    else:
        found[4] += w00 * data[p00 + 1] + w01 * data[p01 + 1] + w10 * data[p10 + 1] + w11 * data[p11 + 1]


@kernel
def take_sample(data, starts, sizes, channels, u, v, level, wrap, weight, found):  # type: ignore[no-untyped-def]
    """Add a sample at (u, v), 0-1 across the picture, v down: premultiplied channels, then alpha, each times weight.

    level: of the footprint, 0 the picture itself; between levels and pixels it is mixed. found: (5,) float32, color in
    the first three, gray in the first, alpha in the last.
    """
    most = len(starts) - 1
    level = min(max(level, np.float32(0.0)), np.float32(most))
    low = int(level)
    fine = np.float32(level - low)
    half = np.float32(0.5)
    u, v = _folded(u, wrap), _folded(v, wrap)
    width, height = sizes[low, 0], sizes[low, 1]
    share = weight * (np.float32(1.0) - fine)
    _take(data, starts[low], width, height, channels, u * width - half, v * height - half, wrap, share, found)
    if fine > 0:
        width, height = sizes[low + 1, 0], sizes[low + 1, 1]
        share = weight * fine
        _take(data, starts[low + 1], width, height, channels, u * width - half, v * height - half, wrap, share, found)
