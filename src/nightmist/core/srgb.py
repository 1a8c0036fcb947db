"""The sRGB transfer function (IEC 61966-2-1), on numbers 0-1 and arrays of them."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray


def encode(linear: ArrayLike) -> NDArray[np.float64]:
    """sRGB-encoded values of linear light."""
    light = np.asarray(linear, np.float64)
    return np.where(light <= 0.0031308, 12.92 * light, 1.055 * np.maximum(light, 0) ** (1 / 2.4) - 0.055)


def decode(encoded: ArrayLike) -> NDArray[np.float64]:
    """Linear light of sRGB-encoded values."""
    value = np.asarray(encoded, np.float64)
    return np.where(value <= 0.04045, value / 12.92, (np.maximum(value + 0.055, 0) / 1.055) ** 2.4)
