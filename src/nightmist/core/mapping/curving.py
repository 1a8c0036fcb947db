"""How a surface bends around a place, found by rays, so that a picture can be laid along it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..mesh import Caster
from .placing import SAME_SIDE, axes_of

#: Rays along a side of the patch that is looked at.
PROBES = 11
#: Places with which a curve can be told.
LEAST = 12
#: How far from the first, smaller patch's curve a place may lie and still belong to it: a share of the reach.
BESIDE = 0.06
#: Radians between a picture's middle and its edge below which it lies flat, and beyond which it would go to the back.
SLIGHT, MOST = 0.1, np.pi / 2
#: The least share of how a patch's heights differ that a curve must account for; one edge across it comes to 0.94.
ACCOUNTED = 0.97
#: Of the greater curvature: what is bent less than that the other way is bent about an axis.
ONE_WAY = 0.5


class Curve(NamedTuple):
    """A surface around a place: its curvatures, 1 / radius, if it bends about an axis, and if about a point.

    Negative: a hollow. lean: degrees with the clock by which the axis of least curvature leans from upright. shape:
    what fits it best.
    """

    about_axis: float
    about_point: float
    lean: float
    shape: str


def curve_of(
    caster: Caster, position: NDArray[np.float64], normal: NDArray[np.float64], width: float, height: float
) -> Curve:
    """How the surface bends below a picture of some size, its normal towards the viewer."""
    reach = max(width, height) / 2
    # In lengths of the reach, so that no term is lost beside another.
    near = _places(caster, position, normal, min(width, height) / 2) / reach
    far = _places(caster, position, normal, reach) / reach
    if len(near) < LEAST:
        return Curve(0.0, 0.0, 0.0, "planar")
    bent = _quadric(near)
    off = np.abs(_terms(far) @ bent + 2 * far[:, 2])
    same = far[off < BESIDE + np.abs(far[:, 2]) / 2]
    patch = same if len(same) >= LEAST else near
    bent = _quadric(patch)
    curvatures, ways = np.linalg.eigh(np.array([[bent[0], bent[1]], [bent[1], bent[2]]]))
    order = np.argsort(-np.abs(curvatures))
    most, least = curvatures[order]
    across, along = ways[:, order[0]], ways[:, order[1]]
    along = along * (np.sign(along[1]) or 1.0)
    axis = _curvature(patch, (patch[:, :2] @ across) ** 2 + patch[:, 2] ** 2, (patch[:, :2] @ along) ** 2)
    point = _curvature(patch, (patch**2).sum(axis=1))
    shape = "cylindrical" if abs(least) < ONE_WAY * abs(most) else "wrap"
    turn = abs(axis if shape == "cylindrical" else point) * float(np.abs(across) @ (width, height)) / 2 / reach
    if not SLIGHT < turn < MOST or _accounted(patch) < ACCOUNTED or (shape == "wrap" and most * least < 0):
        shape = "planar"
    return Curve(axis / reach, point / reach, float(np.degrees(np.arctan2(along[0], along[1]))), shape)


def _places(
    caster: Caster, position: NDArray[np.float64], normal: NDArray[np.float64], reach: float
) -> NDArray[np.float64]:
    """(n, 3) places of the surface in a round patch, in its own axes from its middle, front up."""
    axes = axes_of(normal)
    steps = np.linspace(-1, 1, PROBES) * reach
    x, y = (each.ravel() for each in np.meshgrid(steps, steps))
    inside = np.hypot(x, y) <= reach * 1.001
    starts = position + np.column_stack([x, y, np.full(len(x), 2 * reach)])[inside] @ axes
    hits = caster.cast(starts, np.tile(-axes[2], (len(starts), 1)))
    same = (hits.face >= 0) & (hits.distance < 4 * reach) & (hits.normal @ axes[2] > SAME_SIDE)
    found: NDArray[np.float64] = (hits.position[same] - position) @ axes.T
    return found


def _terms(places: NDArray[np.float64]) -> NDArray[np.float64]:
    """(n, 7) terms of a quadric that make twice the depth: exact for cylinders and balls that touch the plane."""
    x, y, z = places.T
    return np.column_stack([x**2, 2 * x * y, y**2, z**2, x, y, np.ones(len(x))])


def _quadric(places: NDArray[np.float64]) -> NDArray[np.float64]:
    """(7,) the quadric nearest to some places; its first three are the curvatures at the middle."""
    return np.asarray(np.linalg.lstsq(_terms(places), -2 * places[:, 2], rcond=1e-6)[0], np.float64)


def _curvature(places: NDArray[np.float64], *terms: NDArray[np.float64]) -> float:
    """The curvature with which a bend comes nearest to some places, however they are tilted.

    terms: what twice their depth is made of, the first times that curvature.
    """
    columns = np.column_stack([*terms, places[:, :2], np.ones(len(places))])
    return float(np.linalg.lstsq(columns, -2 * places[:, 2], rcond=1e-9)[0][0])


def _accounted(places: NDArray[np.float64]) -> float:
    """Which share of how heights differ from a plane a paraboloid accounts for; two planes that meet are none."""
    terms = np.delete(_terms(places), 3, axis=1)

    def left(terms: NDArray[np.float64]) -> float:
        off = places[:, 2] - terms @ np.linalg.lstsq(terms, places[:, 2], rcond=1e-9)[0]
        return float(off @ off)

    return 1 - left(terms) / max(left(terms[:, 3:]), 1e-300)
