"""Free shapes in a map as shares of its texels."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..errors import NightmistError
from ..kernels import kernel
from .raster import TILE
from .tile_mask import TileMask

#: Lines of samples a texel; along a line shares are exact.
LINES = 4


def polygon_mask(polygon: Sequence[Sequence[float]], width: int, height: int) -> TileMask:
    """How much of each texel of a map lies in a polygon, (n, 2) in UV (0-1, v down), by the even-odd rule.

    Raises NightmistError for fewer than three corners, and for places that are no numbers.
    """
    corners = np.asarray(polygon, np.float64)
    if corners.ndim != 2 or corners.shape[1:] != (2,) or len(corners) < 3 or not np.isfinite(corners).all():
        raise NightmistError("A shape in the map needs three corners or more, each u and v.")
    corners = corners * [width, height]
    low, high = np.clip(np.floor(corners.min(axis=0)), 0, [width, height]), corners.max(axis=0)
    columns = width // TILE
    first, last = int(low[1]) // TILE, min(int(np.ceil(high[1])), height) - 1
    rows = np.arange(first, last // TILE + 1) if last >= 0 else np.arange(0)
    found, parts = [], []
    for row in rows:
        strip = np.zeros((TILE, width), np.float32)
        _fill(corners, int(row) * TILE, strip)
        tiles = strip.reshape(TILE, columns, TILE).transpose(1, 0, 2)
        some = np.flatnonzero(tiles.any(axis=(1, 2)))
        found.append(row * columns + some)
        parts.append(tiles[some])
    if not found:
        return TileMask(columns * (height // TILE), elsewhere=0)
    numbers = np.concatenate(found).astype(np.int32)
    return TileMask.of(numbers, np.ascontiguousarray(np.concatenate(parts)), columns * (height // TILE))


@kernel
def _fill(corners, top, strip):  # type: ignore[no-untyped-def]
    """Add the shares of a strip of rows from `top` on."""
    height, width = strip.shape
    crossings = np.empty(len(corners), np.float64)
    for line in range(height * LINES):
        y = top + (line + 0.5) / LINES
        count = 0
        for i in range(len(corners)):
            ax, ay = corners[i]
            bx, by = corners[i - 1]
            if (ay <= y) != (by <= y):
                crossings[count] = ax + (y - ay) / (by - ay) * (bx - ax)
                count += 1
        crossings[:count].sort()
        row = strip[line // LINES]
        for k in range(0, count - 1, 2):
            left, right = max(crossings[k], 0.0), min(crossings[k + 1], float(width))
            for x in range(int(left), min(int(np.ceil(right)), width)):
                row[x] += np.float32(max(0.0, min(right, x + 1.0) - max(left, float(x))) / LINES)
