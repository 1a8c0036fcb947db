"""Which way texels face, up to which angle they take paint, and where it fades."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel
from ..mesh import Mesh
from .ownership import Ownership, normals_over

#: Degrees over which paint fades before the limit.
FADE = 8.0
#: Cosines that no face is beyond.
ANY_ANGLE = (-3.0, -2.0)


@dataclass(frozen=True)
class Facing:
    """Which way a table's texels face where an angle is asked.

    normals: (faces, 9) float64, affine in texel coordinates as `normals_over` has them, not of unit length. Smooth on
    what is round, so that a limit runs around a body in a line, not in the zigzag of its faces; the face's own where
    its normals only soften the look of an edge. spread: (faces,) how far they are from the face's own at most, as the
    length of their difference.
    """

    normals: NDArray[np.float64]
    spread: NDArray[np.float64]


def facing_of(mesh: Mesh, uvs: NDArray[np.float32], own: Ownership) -> Facing:
    """What a surface's texels face. uvs: (F, 3, 2) of the map that `own` is of."""
    found, flat = normals_over(mesh, uvs, own), own.normals
    corners = mesh.normals[own.faces].astype(np.float64)
    edged = ~mesh.is_round[own.faces]
    found[edged, :6], found[edged, 6:] = 0.0, flat[edged]
    spread = np.linalg.norm(corners - flat[:, None], axis=2).max(axis=1)
    spread[edged] = 0.0
    return Facing(found, spread)


def flat_facing(own: Ownership) -> Facing:
    """Each face's texels face as the face does."""
    count = len(own.normals)
    return Facing(np.concatenate([np.zeros((count, 6)), own.normals], axis=1), np.zeros(count))


def limits_of(degrees: float) -> tuple[float, float]:
    """Cosines of the angle from which on paint begins and is whole, for the widest one that takes any; 180 is any."""
    if degrees >= 180:
        return ANY_ANGLE
    return math.cos(math.radians(degrees)), math.cos(math.radians(max(degrees - FADE, 0.0)))


@kernel
def angle_share(normal, x, y, way, low, high):  # type: ignore[no-untyped-def]
    """How much of its paint a texel takes for the angle between what it faces and a unit vector: 3t² - 2t³ of the
    cosine, 0 at low and 1 at high. normal: a row of `Facing.normals`.
    """
    if high <= -2.0:
        return 1.0
    length, along = 1e-30, 0.0
    for k in range(3):
        n = normal[k] * x + normal[k + 3] * y + normal[k + 6]
        length += n * n
        along += n * way[k]
    t = min(max((along / np.sqrt(length) - low) / max(high - low, 1e-9), 0.0), 1.0)
    return t * t * (3 - 2 * t)
