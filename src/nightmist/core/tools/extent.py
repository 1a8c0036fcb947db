"""What a fill covers: whole surfaces, faces with clean edges, texels of one color; and gradients."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..kernels import kernel
from ..mesh import Mesh
from ..texels.gutter import Gutter
from ..texels.ownership import Ownership, own_texels


def used_tiles(own: Ownership) -> NDArray[np.int64]:
    """Numbers of the tiles that hold some island: what a fill covers, gaps between islands included.

    Whole tiles leave no rim at any seam.
    """
    return np.flatnonzero(np.diff(own.tile_start) > 0)


def face_coverage(
    mesh: Mesh, uv: NDArray[np.float32], own: Ownership, gutter: Gutter, faces: NDArray[np.int64]
) -> NDArray[np.float32]:
    """(H, W) float32: how much of each texel belongs to `faces` (F23).

    Where chosen and other faces meet inside an island the edge is smoothed by 2 × 2 samples; at an island's
    border it goes on into the gutter, so that no rim shows.
    """
    chosen = np.zeros(len(mesh.faces), np.bool_)
    chosen[faces] = True
    mine = own.faces[chosen[own.faces]]
    counts = []
    for members in (mine, own.faces):
        fine = own_texels(mesh, members, uv, 2 * own.width, 2 * own.height).covered()
        counts.append(fine.reshape(own.height, 2, own.width, 2).sum(axis=(1, 3)))
    cover = np.divide(counts[0], counts[1], out=np.zeros(counts[0].shape), where=counts[1] > 0)
    # A texel whose center is owned counts, even where no sample of a sliver was met.
    owner = own.owner()
    lone = (owner >= 0) & (counts[1] == 0)
    cover[lone] = chosen[own.faces[owner[lone]]]
    cover[(owner < 0) & (counts[1] == 0)] = 0
    pairs, _ = gutter.by_target
    cover.ravel()[pairs[:, 0]] = cover.ravel()[pairs[:, 1]]
    smooth: NDArray[np.float32] = cover.astype(np.float32)
    return smooth


def same_color(
    image: NDArray[np.uint16], wanted: Sequence[int], tolerance: float, gutter: Gutter
) -> NDArray[np.float32]:
    """(H, W) float32: 1 where no channel of (H, W, c) differs from `wanted` by more than the tolerance, 0-1."""
    away = np.abs(image.astype(np.int32) - np.asarray(wanted, np.int32)).max(axis=2)
    cover: NDArray[np.float32] = (away <= round(tolerance * 65535)).astype(np.float32)
    pairs, _ = gutter.by_target
    cover.ravel()[pairs[:, 0]] = cover.ravel()[pairs[:, 1]]
    return cover


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
