"""Pictures made by code that tile without a seam: what materials are made of."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

#: Pixels of a side.
SIDE = 512

Gray = NDArray[np.float64]


def noise(seed: int, coarse: float, rough: float = 1.0, stretch: float = 1.0) -> Gray:
    """(SIDE, SIDE) 0-1, cloudy: details `coarse` pixels wide and finer ones, by 1 / frequency^(1 + rough).

    stretch: how much longer details are down than across.
    """
    spectrum = np.fft.fft2(np.random.default_rng(seed).normal(size=(SIDE, SIDE)))
    y, x = np.meshgrid(np.fft.fftfreq(SIDE) * stretch, np.fft.fftfreq(SIDE), indexing="ij")
    frequency = np.hypot(x, y)
    weight = 1 / np.maximum(frequency, 1 / coarse) ** (1 + rough)
    weight[frequency < 0.5 / coarse] = 0
    return even(np.real(np.fft.ifft2(spectrum * weight)))


def even(values: Gray) -> Gray:
    """Values spread evenly over 0-1, so that a threshold covers the share that it says."""
    ranks = np.empty(values.size)
    ranks[np.argsort(values, axis=None, kind="stable")] = np.linspace(0, 1, values.size)
    return ranks.reshape(values.shape)


def cells(seed: int, count: int) -> tuple[Gray, Gray]:
    """Crystals around random points: a value for each, and how near its border is, 0 there to 1."""
    rng = np.random.default_rng(seed)
    points, values = rng.random((count, 2)), rng.random(count)
    v, u = coordinates()
    distance, nearest = cKDTree(points, boxsize=np.ones(2)).query(np.stack([v.ravel(), u.ravel()], 1), k=[1, 2])
    found, away = np.asarray(nearest), np.asarray(distance)
    border = (away[:, 1] - away[:, 0]) * np.sqrt(count)
    return values[found[:, 0]].reshape(SIDE, SIDE), np.clip(border, 0, 1).reshape(SIDE, SIDE)


def ramp(values: Gray, low: float, high: float) -> Gray:
    """0 up to low, 1 from high on, smooth between."""
    t = np.clip((values - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def tinted(values: Gray, colors: Sequence[str]) -> NDArray[np.float64]:
    """(SIDE, SIDE, 3) colors #rrggbb from the first at 0 to the last at 1."""
    table = np.array([[int(color[i : i + 2], 16) / 255 for i in (1, 3, 5)] for color in colors])
    at = np.linspace(0, 1, len(colors))
    return np.stack([np.interp(values, at, table[:, c]) for c in range(3)], axis=2)


def mixed(one: NDArray[np.float64], other: NDArray[np.float64], share: Gray) -> NDArray[np.float64]:
    """One where the share is 0, the other where it is 1."""
    return one + (other - one) * (share[..., None] if one.ndim == 3 else share)


def coordinates() -> tuple[Gray, Gray]:
    """(v, u) of pixel centers, 0-1."""
    v, u = (np.mgrid[:SIDE, :SIDE] + 0.5) / SIDE
    return v, u
