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


def gray_of(picture: NDArray[np.uint16], times: float = 1.0) -> NDArray[np.float32]:
    """(h, w) the gray of an (h, w, 4) picture, times a factor, no more than full."""
    value = picture[..., :3].astype(np.float32) @ (LUMA * times).astype(np.float32)
    return np.minimum(value, np.float32(65535.0), out=value)


def pyramid_of(picture: NDArray[np.uint16], gray: bool, times: float = 1.0) -> Pyramid:
    """The levels of an (h, w, 4) picture with straight alpha. gray: one value instead of a color, times a factor, no
    more than full.

    What is opaque all over and gray takes one channel.
    """
    opaque = bool(picture[..., 3].min() == 65535)
    # The largest level is most of the work: of a photograph it is the picture as it is.
    level: NDArray[np.uint16] | NDArray[np.float32] = picture
    if gray:
        value = gray_of(picture, times)
        level = value[..., None] if opaque else np.stack([value, picture[..., 3].astype(np.float32)], axis=2)
    if not opaque:
        level = level.astype(np.float32, copy=False)
        level[..., :-1] *= level[..., -1:] / 65535
    channels, sizes = level.shape[2], [level.shape[1::-1]]
    while max(sizes[-1]) > 1:
        sizes.append((max(1, sizes[-1][0] // 2), max(1, sizes[-1][1] // 2)))
    ends = np.cumsum([width * height * channels for width, height in sizes])
    starts = np.concatenate([[0], ends[:-1]]).astype(np.int64)
    data = np.empty(ends[-1], np.uint16)
    for (width, height), start, end in zip(sizes, starts, ends, strict=True):
        if level.shape[1::-1] != (width, height):
            smaller = cv2.resize(level, (width, height), interpolation=cv2.INTER_AREA)
            level = smaller.reshape(height, width, channels).astype(np.float32)
        data[start:end] = (level if level.dtype == np.uint16 else np.rint(np.clip(level, 0, 65535))).ravel()
    return Pyramid(data, starts, np.array(sizes, np.int64), channels)
