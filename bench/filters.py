"""Blur over a whole map against `cv2.GaussianBlur` of as many planes; the library knows no islands and no seams."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from nightmist.core.filters.blur import spread_of
from nightmist.core.filters.ground import Ground, ground_of
from nightmist.core.filters.run import Blur
from nightmist.core.filters.small import small_side
from nightmist.core.mesh.bodies import practice_body
from nightmist.core.texels import TILE
from nightmist.core.texels.ownership import own_texels

from .measure import best_of

#: Tiles that are made at once, as a document makes them.
AT_ONCE = 128


def main(quick: bool = False) -> None:
    side = 512 if quick else 2048
    mesh = practice_body("sphere", 1.0)

    def ground(factor: int) -> Ground:
        size = small_side(side, factor)
        uvs = (mesh.uvs[0] * (side / factor / size)).astype(np.float32)
        return ground_of(mesh, 0, own_texels(mesh, np.arange(len(mesh.faces)), uvs, size, size), uvs)

    whole = ground(1)
    image = np.random.default_rng(1).random((side, side, 3), dtype=np.float32)
    planes = np.ascontiguousarray(
        image.reshape(side // TILE, TILE, side // TILE, TILE, 3).swapaxes(1, 2).reshape(-1, TILE, TILE, 3)
    )
    tiles = np.arange(len(planes), dtype=np.int32)
    print(f"filters: three planes of a ball's map of {side} blurred, islands and seams minded")

    def below(some: NDArray[np.int32]) -> NDArray[np.float32]:
        return planes[some]

    for radius in (2.0, 5.0, 20.0):
        spread = spread_of(radius, whole.wide)
        small = ground(spread.factor) if spread.factor > 1 else None

        def ours(radius: float = radius, small: Ground | None = small) -> None:
            blur = Blur(whole, spread_of(radius, whole.wide), small)
            for first in range(0, len(tiles), AT_ONCE):
                blur.make(tiles[first : first + AT_ONCE], below)

        def theirs(radius: float = radius) -> None:
            cv2.GaussianBlur(image, (0, 0), radius)

        mine, library = best_of(1 if quick else 3, ours, theirs)
        times = mine / library
        print(
            f"  radius {radius:g}: {mine * 1000:6.1f} ms, {times:.2f} times cv2.GaussianBlur ({library * 1000:.1f} ms)"
        )
