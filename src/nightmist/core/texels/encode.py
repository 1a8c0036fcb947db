"""Rectangles of maps for the screen: 8 bits a channel, rounded once."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..kernels import in_two_threads, kernel


def to_bytes(image: NDArray[np.uint16]) -> NDArray[np.uint8]:
    """uint16 to uint8 of the same shape (rows first), nearest of 256 even steps."""
    out = np.empty(image.shape, np.uint8)
    in_two_threads(len(image), lambda a, b: _round(image[a:b].reshape(b - a, -1), out[a:b].reshape(b - a, -1)), 128)
    return out


@kernel
def eight_bits(v):  # type: ignore[no-untyped-def]
    """v · 255 / 65535 to the nearest, without a division: equal for every v."""
    return np.uint8((np.uint32(v) * np.uint32(255) + np.uint32(32895)) >> np.uint32(16))


@kernel
def _round(source, target):  # type: ignore[no-untyped-def]
    for y in range(source.shape[0]):
        for x in range(source.shape[1]):
            target[y, x] = eight_bits(source[y, x])
