"""Fill and gradient: what a whole surface takes, texel by texel."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..kernels import kernel
from ..texels.ownership import Ownership


def used_tiles(own: Ownership) -> NDArray[np.int64]:
    """Numbers of the tiles that hold some island: what a fill covers, gaps between islands included.

    Whole tiles leave no rim at any seam.
    """
    return np.flatnonzero(np.diff(own.tile_start) > 0)


def along(own: Ownership, start: Sequence[float], end: Sequence[float]) -> NDArray[np.float32]:
    """(H, W) float32: how far each owned texel lies from `start` (0) to `end` (1), clamped; NaN where unowned.

    Points are in model space. Raises NightmistError when both are the same.
    """
    axis = np.subtract(end, start, dtype=np.float64)
    length2 = float(axis @ axis)
    if length2 <= 0:
        raise NightmistError("A gradient needs two different points: start and end are the same.")
    result = np.full((own.height, own.width), np.nan, np.float32)
    _project(own.tile_start, own.pieces, own.spans, own.matrices, own.columns, np.asarray(start, np.float64),
             axis / length2, result)  # fmt: skip
    return result


@kernel
def _project(tile_start, pieces, spans, matrices, columns, start, axis, out):  # type: ignore[no-untyped-def]
    for t in range(len(tile_start) - 1):
        top, left = (t // columns) * 64, (t % columns) * 64
        for p in range(tile_start[t], tile_start[t + 1]):
            m = matrices[pieces[p, 0]]
            for i in range(pieces[p, 4]):
                row = pieces[p, 3] + i
                y = pieces[p, 2] + row + 0.5
                first, last = spans[pieces[p, 5] + i]
                for c in range(first, last):
                    x = pieces[p, 1] + c + 0.5
                    value = 0.0
                    for k in range(3):
                        value += (m[k] * x + m[k + 3] * y + m[k + 6] - start[k]) * axis[k]
                    out[top + row, left + c] = min(1.0, max(0.0, value))
