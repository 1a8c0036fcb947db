"""What rays meet in a soft light: the pixels of a small picture of the model."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel
from ..mesh import Mesh
from ..mesh.pick import Hits, blend_normals, weigh_corners
from ..texels.composite_picture import Picture
from ..texels.raster import TILE

#: Where the light comes from; shares of it that fall everywhere, from there, and on what faces the eye.
LIGHT = np.array([0.45, 0.75, 0.5]) / np.linalg.norm([0.45, 0.75, 0.5])
EVERYWHERE, FROM_LIGHT, FACING = 0.42, 0.4, 0.22


class Seen:
    """What each of N rays has shown so far.

    image: (N, 3) float32 display colors 0-1. through: (N,) float32, how much of the ray is still going.
    """

    def __init__(self, count: int) -> None:
        self.image, self.through = np.zeros((count, 3), np.float32), np.ones(count, np.float32)

    def add(
        self, mesh: Mesh, hits: Hits, which: NDArray[np.int64], ways: NDArray[np.float64], going: NDArray[np.int64],
        uvs: NDArray[np.float32], color: Picture, opacity: Picture, channel: int,
    ) -> None:  # fmt: skip
        """Rays meet a surface in those of M hits that are numbered in `which`.

        ways: (M, 3) the rays' unit directions. going: (M,) which of the N rays each is. uvs: (F, 3, 2) of the mesh's
        faces. color: sRGB in its first three channels. opacity: 0-65535 in its `channel`.
        """
        _add(
            mesh.corners, mesh.normals, hits.face, hits.position, which, ways, going, uvs,
            color.pixels, color.plain, color.colors, opacity.pixels, opacity.plain, opacity.colors, channel,
            color.columns, color.width, color.height, LIGHT, self.image, self.through,
        )  # fmt: skip


@kernel
def _add(corners, normals, face, position, which, ways, going, uvs, color, color_plain, color_colors,  # type: ignore[no-untyped-def]
         values, values_plain, values_colors, channel, columns, width, height, light, image, through):  # fmt: skip
    weights, normal = np.empty((1, 3)), np.empty((1, 3))
    for hit in which:
        f, ray = face[hit], going[hit]
        weigh_corners(corners[f : f + 1], position[hit : hit + 1], weights)
        normal[:] = 0.0
        blend_normals(normals[f : f + 1], weights, normal)
        u, v, lit, facing = 0.0, 0.0, 0.0, 0.0
        for k in range(3):
            u += uvs[f, k, 0] * weights[0, k]
            v += uvs[f, k, 1] * weights[0, k]
            lit += normal[0, k] * light[k]
            facing += normal[0, k] * ways[hit, k]
        x, y = np.int64(0), np.int64(0)
        # Faces without area have no place in themselves.
        if np.isfinite(u) and np.isfinite(v):
            x, y = np.int64(np.floor(u * width)) % width, np.int64(np.floor(v * height)) % height
        shade = EVERYWHERE + FROM_LIGHT * max(lit, 0.0) + FACING * abs(facing)
        tile, y, x = y // TILE * columns + x // TILE, y % TILE, x % TILE
        opacity = values_colors[tile, channel] if values_plain[tile] else values[tile, y, x, channel]
        there = opacity / 65535
        for k in range(3):
            value = color_colors[tile, k] if color_plain[tile] else color[tile, y, x, k]
            image[ray, k] += min(value / 65535 * shade, 1.0) * through[ray] * there
        through[ray] *= 1 - there
