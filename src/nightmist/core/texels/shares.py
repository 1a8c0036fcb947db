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

#: Of a picture of flat colors how many are told apart, on which share of it, and texels a side that are looked at.
MOST_COLORS, LEAST_SHARE, LOOKED_AT = 24, 0.001, 1024


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

    Where it is transparent it shows none. A median of 3 × 3 lets go of single texels.
    """
    near = cv2.resize(pixels, (width, height), interpolation=cv2.INTER_NEAREST_EXACT)
    like = np.abs(np.asarray(near[..., :3], np.float64) - color).max(axis=2) <= tolerance
    like &= near[..., 3] > 0
    return np.asarray(cv2.medianBlur(like.astype(np.uint8) * 255, 3), np.float64) / 255


def flat_colors(pixels: NDArray[np.uint16], tolerance: float) -> NDArray[np.uint8]:
    """(n, 3) the colors that an (h, w, 4) picture of flat colors marks areas with, in steps of 8 bits.

    The one of most texels comes first; at most `MOST_COLORS`, each on `LEAST_SHARE` of the picture or more. Colors
    within the tolerance (of 65535, a channel) are one, their mean, and what a border mixes is none.
    """
    height, width = pixels.shape[:2]
    shrunk = max(1.0, max(height, width) / LOOKED_AT)
    size = max(1, round(width / shrunk)), max(1, round(height / shrunk))
    near = cv2.resize(pixels, size, interpolation=cv2.INTER_NEAREST_EXACT)
    around = np.ones((3, 3), np.uint8)
    differs = (cv2.dilate(near, around) - cv2.erode(near, around)).max(axis=2)
    shown = near[..., 3] > 0
    flat = shown & (differs <= tolerance)
    eight = np.rint(near[flat if flat.any() else shown][:, :3] / 257).astype(np.int64)
    codes, counts = np.unique(eight @ [65536, 256, 1], return_counts=True)
    colors = np.stack([codes >> 16, codes >> 8 & 255, codes & 255], axis=1)
    found: list[tuple[int, NDArray[np.int64]]] = []
    while len(counts) and len(found) < MOST_COLORS:
        color = colors[counts.argmax()]
        for _ in range(3):
            # Noise may have made the commonest a color of its rim.
            same = np.abs(colors - color).max(axis=1) * 257 <= tolerance
            color = np.rint(np.average(colors[same], axis=0, weights=counts[same])).astype(np.int64)
        found.append((int(counts[same].sum()), color))
        colors, counts = colors[~same], counts[~same]
    kept = sorted((each for each in found if each[0] >= LEAST_SHARE * eight.shape[0]), key=lambda each: -each[0])
    return np.array([color for _, color in kept], np.uint8).reshape(-1, 3)


def flat_color_at(pixels: NDArray[np.uint16], uv: tuple[float, float], tolerance: float) -> NDArray[np.float64]:
    """(3,) of 65535: the color that marks a UV in an (h, w, 4) picture of flat colors, laid into the map and repeated.

    The nearest of its `flat_colors`, whose noise it leaves out; the pixel's own where none lies within the tolerance.
    """
    row, column = (int(share % 1 * count) for share, count in zip((uv[1], uv[0]), pixels.shape[:2], strict=True))
    own = pixels[row, column, :3].astype(np.float64)
    flat = flat_colors(pixels, tolerance) * 257.0
    off = np.abs(flat - own).max(axis=1, initial=0)
    return np.asarray(flat[off.argmin()]) if len(flat) and off.min() <= tolerance else own
