"""Height from color: the usual start for a relief where only a painting or a photo is at hand."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

#: Luma of ITU-R BT.709, on the coded values: even steps of what the eye calls lightness become even steps of height.
LUMA = np.array([0.2126, 0.7152, 0.0722])


def heights_of(color: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """(…, 4) uint16 sRGB color with alpha to (…, 2) uint16 height with the same alpha; black is 0, white 65535."""
    height = np.rint(color[..., :3] @ LUMA).astype(np.uint16)
    return np.stack([height, color[..., 3]], axis=-1)
