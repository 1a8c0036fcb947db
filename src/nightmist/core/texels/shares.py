"""Shares of texels from what is known about them: values in a range, where they look, a picture's flat colors."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..kernels import kernel
from ..mesh import Mesh
from .ownership import Ownership, normals_over
from .raster import TILE


def range_shares(values: NDArray[np.float64], low: float, high: float, fade: float) -> NDArray[np.float64]:
    """1 where values lie from low to high, 0 outside, with a smooth step of width `fade` around both ends."""
    half = max(fade, 1e-9) / 2
    return smoothstep(low - half, low + half, values) * (1 - smoothstep(high - half, high + half, values))


def smoothstep(low: float, high: float, values: NDArray[np.float64]) -> NDArray[np.float64]:
    """0 up to low, 1 from high on, 3t² - 2t³ between."""
    t = np.clip((values - low) / (high - low), 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


def facing_shares(
    mesh: Mesh, uvs: NDArray[np.float32], own: Ownership, direction: Sequence[float], limit: float, fade: float
) -> NDArray[np.float64]:
    """(H, W) 1 where a surface's smooth normal is within `limit` degrees of a direction, 0 beyond limit + fade.

    0 where no face owns a texel. Raises NightmistError for a direction without length.
    """
    way = np.asarray(direction, np.float64)
    if not np.isfinite(way).all() or not way.any():
        raise NightmistError("A direction needs a length: give x, y and z, not all 0.")
    normals = normals_over(mesh, uvs, own)
    cosine = np.full((own.height, own.width), -2.0)
    _cosines(own.tile_start, own.pieces, own.spans, own.columns, normals, way / np.linalg.norm(way), cosine)
    angle = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
    return np.where(cosine < -1.5, 0.0, 1 - smoothstep(limit, limit + max(fade, 1e-6), angle))


@kernel
def _cosines(tile_start, pieces, spans, columns, matrices, way, cosine):  # type: ignore[no-untyped-def]
    """Of the angle between each owned texel's normal and a direction; of the last face where several own it."""
    for t in range(len(tile_start) - 1):
        top, left = t // columns * TILE, t % columns * TILE
        for p in range(tile_start[t], tile_start[t + 1]):
            m = matrices[pieces[p, 0]]
            for i in range(pieces[p, 4]):
                row = pieces[p, 3] + i
                y = pieces[p, 2] + row + 0.5
                first, end = spans[pieces[p, 5] + i]
                for column in range(first, end):
                    x = pieces[p, 1] + column + 0.5
                    along, length = 0.0, 0.0
                    for k in range(3):
                        n = m[k] * x + m[k + 3] * y + m[k + 6]
                        along += n * way[k]
                        length += n * n
                    cosine[top + row, left + column] = along / max(np.sqrt(length), 1e-12)


def flat_color_shares(
    pixels: NDArray[np.uint16], color: NDArray[np.float64], tolerance: float, width: int, height: int
) -> NDArray[np.float64]:
    """(height, width) 1 where an (h, w, 4) picture over the map shows a color, no channel farther off than tolerance.

    A median of 3 × 3 lets go of single texels.
    """
    near = cv2.resize(pixels[..., :3], (width, height), interpolation=cv2.INTER_NEAREST_EXACT)
    like = np.abs(np.asarray(near, np.float64) - color).max(axis=2) <= tolerance
    return np.asarray(cv2.medianBlur(like.astype(np.uint8) * 255, 3), np.float64) / 255
