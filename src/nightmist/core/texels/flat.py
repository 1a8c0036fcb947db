"""The map itself as a surface, for strokes that are drawn in it: one texel is one unit, y points down."""

from __future__ import annotations

from functools import cache

import numpy as np

from .ownership import Ownership
from .raster import TILE

#: Which way its one face looks: to whom x points right and y down. And the same affine in texel coordinates, as
#: `normals_over` has it.
FLAT_NORMAL = np.array([0.0, 0.0, -1.0])
FLAT_NORMALS = np.array([[0.0, 0, 0, 0, 0, 0, *FLAT_NORMAL]])


@cache
def flat_ownership(width: int, height: int) -> Ownership:
    """A table in which one face owns every texel of a map, at the place (x, y, 0)."""
    rows, columns = height // TILE, width // TILE
    count = rows * columns
    left = np.tile(np.arange(columns), rows) * TILE
    top = np.repeat(np.arange(rows), columns) * TILE
    pieces = np.zeros((count, 6), np.int32)
    pieces[:, 1], pieces[:, 2], pieces[:, 4] = left, top, TILE
    low = np.column_stack([left, top, np.zeros(count)]) + [0.5, 0.5, 0]
    high = low + [TILE - 1, TILE - 1, 0]
    middle = (low + high) / 2
    balls = np.column_stack([middle, np.linalg.norm(high - middle, axis=1)])
    return Ownership(
        width, height, np.arange(count + 1, dtype=np.int64), np.concatenate([low, high], axis=1).astype(np.float64),
        pieces, balls.astype(np.float64), np.tile(np.array([[0, TILE]], np.uint8), (TILE, 1)),
        np.array([[1.0, 0, 0, 0, 1.0, 0, 0, 0, 0]]), FLAT_NORMAL[None], np.ones(1), np.zeros(1, np.int64),
    )  # fmt: skip
