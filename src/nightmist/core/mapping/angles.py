"""Up to which angle faces take paint, and where it fades."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from ..mesh import Mesh
from ..texels.ownership import Ownership, normals_over

#: Degrees over which paint fades before the limit.
FADE = 8.0
#: Degrees between a face and the normals at its corners up to which it stands for a piece of something round. Beyond,
#: an edge was shaded softly.
ROUND = 25.0
#: Cosines that no face is beyond.
ANY_ANGLE = (-3.0, -2.0)


def limits_of(degrees: float) -> tuple[float, float]:
    """Cosines of the angle from which on paint begins and is whole, for the widest one that takes any."""
    return math.cos(math.radians(degrees)), math.cos(math.radians(max(degrees - FADE, 0.0)))


def facing_normals(mesh: Mesh, uvs: NDArray[np.float32], own: Ownership) -> NDArray[np.float64]:
    """(faces, 9) which way texels face where an angle is asked, as `normals_over` has them, not of unit length.

    Smooth on what is round, so that a limit runs around a body in a line, not in the zigzag of its faces; the face's
    own where its normals only soften the look of an edge. uvs: (F, 3, 2) of the map that `own` is of.
    """
    found = normals_over(mesh, uvs, own)
    flat = own.normals
    nearest = np.einsum("fck,fk->fc", mesh.normals[own.faces].astype(np.float64), flat).min(axis=1)
    edged = nearest < math.cos(math.radians(ROUND))
    found[edged, :6], found[edged, 6:] = 0.0, flat[edged]
    return found
