"""Boxes in model space that pictures are projected from."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..brush.mirror import rotation

Three = tuple[float, float, float]


def turn_of(degrees: Three) -> NDArray[np.float64]:
    """(3, 3): a frame's axes as columns, turned about its own x, then y, then z."""
    x, y, z = np.radians(degrees)
    return rotation("x", x) @ rotation("y", y) @ rotation("z", z)


def inward_of(
    axes: NDArray[np.float64], position: Sequence[float], size: Sequence[float] | NDArray[np.float64]
) -> NDArray[np.float64]:
    """(3, 4): from model space to a frame's own coordinates, -0.5 to 0.5 inside its box."""
    inward = axes / np.asarray(size, np.float64)[:, None]
    return np.column_stack([inward, -inward @ np.asarray(position, np.float64)])


def inverse_of(position: Three, size: Three, turn: Three) -> NDArray[np.float64]:
    """(3, 4): from model space to a frame's own coordinates, -0.5 to 0.5 inside its box."""
    return inward_of(turn_of(turn).T, position, size)


def degrees_of(turn: NDArray[np.float64]) -> Three:
    """The degrees of which `turn_of` makes a (3, 3) turn; where y is upright, x is taken as 0."""
    y = np.arcsin(np.clip(turn[0, 2], -1, 1))
    if abs(turn[0, 2]) > 1 - 1e-9:
        x, z = 0.0, np.arctan2(turn[1, 0], turn[1, 1])
    else:
        x, z = np.arctan2(-turn[1, 2], turn[2, 2]), np.arctan2(-turn[0, 1], turn[0, 0])
    a, b, c = np.degrees((x, y, z)).tolist()
    return a, b, c


def fitted(points: NDArray[np.float64], turn: Three) -> tuple[Three, Three]:
    """Position and size of the smallest frame of a given turn around (n, 3) points; flat ones get some depth."""
    axes = turn_of(turn)
    own = points @ axes
    low, high = own.min(axis=0), own.max(axis=0)
    size = np.maximum(high - low, 1e-3 * max(float((high - low).max()), 1e-9))
    x, y, z = (axes @ ((low + high) / 2)).tolist()
    w, h, d = size.tolist()
    return (x, y, z), (w, h, d)
