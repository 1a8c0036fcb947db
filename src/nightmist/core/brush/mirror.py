"""Strokes repeated by symmetry: across planes of the model, and around an axis."""

from __future__ import annotations

from itertools import product

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from ..mesh.pick import Caster, Hits

#: A mirrored dab is laid only where the body has a match: this near, as a share of the model's size …
NEAR = 0.01
#: … and facing the same way within 60 degrees.
AGREE = 0.5


class Mirror(BaseModel):
    """Planes through a point, "x", "y", "z" or several of them, and turns around an axis through it."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    planes: str = Field(default="", pattern="^x?y?z?$", description="axes whose sign is turned, each on its own")
    axis: str = Field(default="y", pattern="^[xyz]$")
    turns: int = Field(default=1, ge=1, le=32, description="how often around the axis")
    center: tuple[float, float, float] = Field(default=(0, 0, 0), description="what planes and axis go through")

    def matrices(self) -> NDArray[np.float64]:
        """(k, 3, 4): all copies, the identity first; the image of p is m[:, :3] @ p + m[:, 3]."""
        signs = [np.eye(3)]
        for flips in product(*[(1.0, -1.0)] * len(self.planes)):
            flip = np.ones(3)
            flip[["xyz".index(plane) for plane in self.planes]] = flips
            if (flip < 0).any():
                signs.append(np.diag(flip))
        turned = [rotation(self.axis, 2 * np.pi * k / self.turns) @ sign for sign in signs for k in range(self.turns)]
        distinct: list[NDArray[np.float64]] = []
        for matrix in turned:
            if not any(np.allclose(matrix, other, atol=1e-9) for other in distinct):
                distinct.append(matrix)
        center = np.asarray(self.center)
        return np.array([np.column_stack([matrix, center - matrix @ center]) for matrix in distinct])


def reach_of(bounds: tuple[NDArray[np.float64], NDArray[np.float64]]) -> float:
    """How near an image's match lies, model units, on a model with these bounds."""
    low, high = bounds
    return NEAR * float(np.linalg.norm(high - low))


def match_of(
    caster: Caster, centers: NDArray[np.float64], normals: NDArray[np.float64]
) -> tuple[Hits, NDArray[np.bool_]]:
    """What a model has at images of places, (n, 3) with unit normals, and (n,) where that is a match."""
    reach = reach_of(caster.mesh.bounds)
    hits = caster.cast(centers + normals * reach, -normals)
    good = (hits.face >= 0) & (hits.distance <= 2 * reach) & ((hits.normal * normals).sum(axis=1) > AGREE)
    return hits, good


def rotation(axis: str, angle: float) -> NDArray[np.float64]:
    """A turn about a model axis, radians, against the clock seen from its tip."""
    c, s = np.cos(angle), np.sin(angle)
    a, b = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}[axis]
    matrix = np.eye(3)
    matrix[a, a], matrix[a, b], matrix[b, a], matrix[b, b] = c, -s, s, c
    return matrix
