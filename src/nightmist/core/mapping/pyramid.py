"""A picture at all its sizes (Williams 1983)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

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
    def words(self) -> tuple[NDArray[np.uint64], NDArray[np.int64]]:
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
