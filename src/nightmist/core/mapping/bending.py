"""Frames that lie along a curve: rolled about an axis as a label on a drum, or about a point as one on a ball.

Where a frame's plane touches the surface both are the same. What lies as far as an arc a around, and z above the curve
of radius r, is in space at s = (r + z) sin(a / r) across and (r + z) cos(a / r) - r above the plane. About an axis
that rolls out without distortion; about a point every way from the middle keeps its length (the azimuthal equidistant
projection: Snyder, Map Projections, A Working Manual, 1987, section 25). A negative radius is a hollow.

A bend is (4,) float64: 1 / r, 0 where the frame is flat; the way across the axis in the frame's own x and y, a unit;
and whether it bends about a point, 1 or 0.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from ..kernels import inlined

FLAT = np.array([0.0, 1.0, 0.0, 0.0])
#: Steps along a side of a frame at which its bounds in space are looked up.
STEPS = 33


def bend_about_axis(radius: float, lean: float) -> NDArray[np.float64]:
    """A bend about an axis that leans by some degrees, with the clock, from the frame's own y."""
    angle = math.radians(lean)
    return np.array([1 / radius, math.cos(angle), -math.sin(angle), 0.0])


def bend_about_point(radius: float) -> NDArray[np.float64]:
    """A bend about a point below the frame's middle."""
    return np.array([1 / radius, 1.0, 0.0, 1.0])


def rolled_up(
    places: NDArray[np.float64], bend: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(n, 3) where places of a frame lie in space, in the frame's own axes, and the unit normals of the curve there.

    places: (n, 3) along its x, its y, and above it, in model units.
    """
    curvature, _, _, round_about = bend
    normals = np.tile((0.0, 0.0, 1.0), (len(places), 1))
    if curvature == 0:
        return places.copy(), normals
    if round_about:
        arc = np.hypot(places[:, 0], places[:, 1])
        across = places[:, :2] / np.maximum(arc, 1e-300)[:, None]
    else:
        across = np.tile(bend[1:3], (len(places), 1))
        arc = places[:, :2] @ bend[1:3]
    angle, grown = curvature * arc, 1 + curvature * places[:, 2]
    found = places.copy()
    found[:, :2] += (grown * np.sin(angle) / curvature - arc)[:, None] * across
    found[:, 2] = (grown * np.cos(angle) - 1) / curvature
    normals[:, :2], normals[:, 2] = np.sin(angle)[:, None] * across, np.cos(angle)
    return found, normals


def bounds_of(size: NDArray[np.float64], bend: NDArray[np.float64]) -> NDArray[np.float64]:
    """(2, 3) the lowest and the highest place in space, in the frame's own axes, of a bent box.

    size: (3,) its width, height and depth.
    """
    steps = np.linspace(-0.5, 0.5, STEPS)
    x, y, z = (each.ravel() for each in np.meshgrid(steps * size[0], steps * size[1], (-size[2] / 2, size[2] / 2)))
    arc = np.hypot(x, y) if bend[3] else np.abs(x * bend[1] + y * bend[2])
    # What would go around further than to the other side does not.
    half = math.pi / abs(bend[0])
    share = half / np.maximum(arc, half)
    corners, _ = rolled_up(np.column_stack([x * share, y * share, z]), bend)
    # As far as the curve may rise between two steps.
    step = min(float(np.hypot(size[0], size[1])) / (STEPS - 1), half)
    spare = abs(bend[0]) * step**2 / 4
    return np.array([corners.min(axis=0) - spare, corners.max(axis=0) + spare])


@inlined
def rolled_out(x, y, z, bend):  # type: ignore[no-untyped-def]
    """Where a place in space lies in a bent frame, x, y and z, and the unit normal of the curve there."""
    curvature = bend[0]
    a, b = bend[1], bend[2]
    if bend[3] != 0:
        s = np.hypot(x, y)
        a, b = x / max(s, 1e-300), y / max(s, 1e-300)
    else:
        s = x * a + y * b
    angle = np.arctan2(curvature * s, 1 + curvature * z)
    longer = angle / curvature - s
    up = (np.hypot(curvature * s, 1 + curvature * z) - 1) / curvature
    sine = np.sin(angle)
    return x + longer * a, y + longer * b, up, sine * a, sine * b, np.cos(angle)
