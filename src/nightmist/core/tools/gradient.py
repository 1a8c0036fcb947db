"""Gradients over a surface."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..kernels import as_uint16, carray, in_two_threads, kernel
from ..texels.ownership import Ownership
from ..texels.raster import TILE

#: No images but the points themselves.
ALONE = np.eye(3, 4)[None]


def lay_gradient(
    own: Ownership, hidden: NDArray[np.uint8], start: Sequence[float], end: Sequence[float], tiles: NDArray[np.int32],
    after: NDArray[np.int64], values: tuple[Sequence[float], Sequence[float]], matrices: NDArray[np.float64] = ALONE,
) -> None:  # fmt: skip
    """Cover owned texels of some tiles with a mix of two values, 0-1 a channel, by position from start to end.

    Points are in model space; before the start and beyond the end the mix does not go on. matrices: (k, 3, 4) images
    of both points; each texel goes by those whose middle is nearest. hidden: (n,) 1 for
    each face of the table that is to be left alone. after: table of
    addresses of uint16 tiles with one channel more than the values, alpha. Raises NightmistError when both
    points are the same.
    """
    starts, ends = (matrices[:, :, :3] @ np.asarray(point, np.float64) + matrices[:, :, 3] for point in (start, end))
    axes = ends - starts
    length2 = float(axes[0] @ axes[0])
    if length2 <= 0:
        raise NightmistError("A gradient needs two different points: start and end are the same.")
    first, second = (np.asarray(value, np.float64) for value in values)
    in_two_threads(
        len(tiles),
        lambda a, b: _lay_gradient(own.tile_start, own.pieces, own.spans, own.matrices, hidden, tiles[a:b], after,
                                   starts, axes / length2, (starts + ends) / 2, first, second),
    )  # fmt: skip


@kernel
def _lay_gradient(  # type: ignore[no-untyped-def]
    tile_start, pieces, spans, matrices, hidden, tiles, after, starts, axes, middles, first, second
):
    channels = len(first) + 1
    for t in tiles:
        tile = carray(as_uint16(after[t]), (TILE, TILE, channels))
        for p in range(tile_start[t], tile_start[t + 1]):
            if hidden[pieces[p, 0]] != 0:
                continue
            m = matrices[pieces[p, 0]]
            for i in range(pieces[p, 4]):
                row = pieces[p, 3] + i
                y = pieces[p, 2] + row + 0.5
                left, right = spans[pieces[p, 5] + i]
                for column in range(left, right):
                    x = pieces[p, 1] + column + 0.5
                    image, nearest = 0, np.inf
                    for other in range(len(middles) if len(middles) > 1 else 0):
                        away = 0.0
                        for k in range(3):
                            gap = m[k] * x + m[k + 3] * y + m[k + 6] - middles[other, k]
                            away += gap * gap
                        # The first counts where two are as near.
                        if away < nearest:
                            image, nearest = other, away
                    share = 0.0
                    for k in range(3):
                        share += (m[k] * x + m[k + 3] * y + m[k + 6] - starts[image, k]) * axes[image, k]
                    share = min(1.0, max(0.0, share))
                    for c in range(channels - 1):
                        tile[row, column, c] = np.uint16((first[c] + (second[c] - first[c]) * share) * 65535 + 0.5)
                    tile[row, column, channels - 1] = 65535
