"""How the frames of decals lie in space: along which curve, where they are further along it, what they hold."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...core.mapping.bending import FLAT, bend_about_axis, bend_about_point, rolled_up
from ...core.mapping.frames import inverse_of
from ...core.mapping.placing import axes_of, roll_of, turned_to
from ...core.mesh import Mesh
from ..values import AnyFrame, BodyFrame, SurfaceFrame

#: Radians from side to side of a frame below which it lies flat.
LEAST_BEND = 1e-4


def bend_of(frame: AnyFrame) -> NDArray[np.float64]:
    """(4,) how a frame is bent, in its own axes."""
    if not isinstance(frame, SurfaceFrame) or frame.shape == "planar":
        return FLAT
    if max(frame.width, frame.height) < LEAST_BEND * abs(frame.radius):
        return FLAT
    if frame.shape == "cylindrical":
        return bend_about_axis(frame.radius, frame.axis - frame.roll)
    return bend_about_point(frame.radius)


def slid(frame: SurfaceFrame, x: float, y: float) -> SurfaceFrame:
    """A frame that has gone along its own surface, right and up, in model units."""
    axes = axes_of(frame.normal, frame.roll)
    if frame.shape == "planar":
        flat: SurfaceFrame = frame.but(position=(np.array(frame.position) + (x, y) @ axes[:2]).tolist())
        return flat
    places, normals = rolled_up(np.array([[x, y, 0.0]]), bend_of(frame))
    place, normal = np.array(frame.position) + places[0] @ axes, normals[0] @ axes
    roll = roll_of(turned_to(axes, normal))
    # The axis leans as far from its sides as before.
    gone: SurfaceFrame = frame.but(
        position=place.tolist(), normal=normal.tolist(), roll=roll, axis=frame.axis + roll - frame.roll
    )
    return gone


def part_inside(mesh: Mesh, frame: BodyFrame) -> int | None:
    """The part of which most faces lie inside a frame."""
    middles = mesh.corners.mean(axis=1)
    inward = inverse_of(frame.position, frame.size, frame.turn)
    inside = (np.abs(middles @ inward[:, :3].T + inward[:, 3]) <= 0.5 + 1e-3).all(axis=1)
    return int(np.bincount(mesh.face_part[inside]).argmax()) if inside.any() else None
