"""Tangent-space normals from height (F13), in real units."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..texels.ownership import Ownership


def normals_from_height(
    height: NDArray[np.uint16],
    depth: float,
    texel_width: NDArray[np.float32],
    texel_height: NDArray[np.float32],
) -> NDArray[np.uint16]:
    """(H, W, 3) uint16 normals, (n + 1) / 2 per channel, +Y up as in glTF.

    height: (H, W) uint16; the full range spans `depth` model units. texel_width, texel_height: (H, W) size
    of each texel in model units along its row and column. Slopes are central differences over the two
    neighbors; the map wraps.
    """
    h = height.astype(np.float32) * np.float32(depth / 65535)
    slope_x = (np.roll(h, -1, axis=1) - np.roll(h, 1, axis=1)) / (2 * texel_width)
    slope_down = (np.roll(h, -1, axis=0) - np.roll(h, 1, axis=0)) / (2 * texel_height)
    length = np.sqrt(slope_x**2 + slope_down**2 + 1)
    normals = np.stack([-slope_x / length, slope_down / length, 1 / length], axis=2)
    return np.rint(np.clip(normals * 32767.5 + 32767.5, 0, 65535)).astype(np.uint16)


def texel_sizes(own: Ownership) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(H, W) width and height of texels in model units; unowned texels take the surface's median."""
    sizes = np.stack([np.linalg.norm(own.matrices[:, 0:3], axis=1), np.linalg.norm(own.matrices[:, 3:6], axis=1)])
    found = []
    owner = own.owner()
    for size in sizes:
        positive = size[size > 0]
        usual = float(np.median(positive)) if len(positive) else 1.0
        table = np.append(np.where(size > 0, size, usual), usual).astype(np.float32)
        found.append(table[owner])
    return found[0], found[1]
