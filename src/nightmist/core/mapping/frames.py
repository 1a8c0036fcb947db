"""Boxes in model space that pictures are projected from."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..brush.mirror import rotation

Three = tuple[float, float, float]


def turn_of(degrees: Three) -> NDArray[np.float64]:
    """(3, 3): a frame's axes as columns, turned about its own x, then y, then z."""
    x, y, z = np.radians(degrees)
    return rotation("x", x) @ rotation("y", y) @ rotation("z", z)


def inverse_of(position: Three, size: Three, turn: Three) -> NDArray[np.float64]:
    """(3, 4): from model space to a frame's own coordinates, -0.5 to 0.5 inside its box."""
    inward = turn_of(turn).T / np.asarray(size)[:, None]
    return np.column_stack([inward, -inward @ np.asarray(position)])
