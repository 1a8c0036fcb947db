"""Dense pictures to work on, kept from stroke to stroke: bringing up their memory costs as much as a short stroke."""

from __future__ import annotations

import math
from mmap import mmap

import numpy as np
from numpy.typing import NDArray

#: Bytes kept for the next stroke: one color map of 4096, or four of 2048.
MOST_BYTES = 128 * 2**20


class DensePictures:
    """Lends (H, W, channels) uint16 arrays, whose content is whatever was left in them."""

    def __init__(self) -> None:
        self.free: list[NDArray[np.uint16]] = []

    def take(self, shape: tuple[int, int, int]) -> NDArray[np.uint16]:
        """One of this shape, used before or new."""
        for index, picture in enumerate(self.free):
            if picture.shape == shape:
                return self.free.pop(index)
        # Small pages: a stroke touches little of the map, and the large ones NumPy asks for are cleared whole.
        return np.frombuffer(mmap(-1, 2 * math.prod(shape)), np.uint16).reshape(shape)

    def give_back(self, picture: NDArray[np.uint16]) -> None:
        """Keep it for the next stroke; what was kept longest goes when there is too much."""
        self.free.append(picture)
        while sum(kept.nbytes for kept in self.free) > MOST_BYTES:
            self.free.pop(0)
