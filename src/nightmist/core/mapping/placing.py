"""Where a picture comes to lie that is put onto a surface: upright, along its normal, no deeper than the wall there."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel
from ..mesh import Caster
from ..texels.ownership import Ownership
from .bending import FLAT, rolled_up

#: Rays along a side of the patch over which a normal is smoothed.
PROBES = 5
#: Faces turned further away than this cosine are another side of the model.
SAME_SIDE = 0.2
#: How much of the way to what lies behind a frame reaches.
SHARE_OF_WALL = 0.9
#: How much deeper than the surface bends a frame is at its front and its back, of its longer side.
SPARE = 0.1


def axes_of(normal: Sequence[float] | NDArray[np.float64], roll: float = 0.0) -> NDArray[np.float64]:
    """(3, 3) right, up and towards the viewer as rows: upright where it hangs on a wall, then turned with the clock.

    normal: towards the viewer. roll: degrees. On what lies level, up is away from the viewer of the model's front, -z.
    """
    z = np.asarray(normal, np.float64) / np.linalg.norm(normal)
    x = np.cross((0.0, 1.0, 0.0), z)
    if np.linalg.norm(x) < 1e-6:
        x = np.cross((0.0, 0.0, -np.sign(z[1])), z)
    x /= np.linalg.norm(x)
    y = np.cross(z, x)
    c, s = np.cos(np.radians(roll)), np.sin(np.radians(roll))
    return np.array([c * x - s * y, s * x + c * y, z])


def roll_of(axes: NDArray[np.float64]) -> float:
    """The degrees with which `axes_of` makes these (3, 3) axes, of their own normal."""
    right, up, _ = axes_of(axes[2])
    return float(np.degrees(np.arctan2(-axes[0] @ up, axes[0] @ right)))


def turned_to(axes: NDArray[np.float64], normal: NDArray[np.float64]) -> NDArray[np.float64]:
    """These (3, 3) axes turned the short way until they face along another unit normal (Rodrigues' formula)."""
    x, y, z = np.cross(axes[2], normal)
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    turn = np.eye(3) + cross + cross @ cross / max(1 + float(axes[2] @ normal), 1e-12)
    turned: NDArray[np.float64] = axes @ turn.T
    return turned


def smooth_normal(
    caster: Caster, position: NDArray[np.float64], normal: NDArray[np.float64], reach: float
) -> NDArray[np.float64]:
    """(3,) the unit mean of the normals around a place of the surface, as far as a patch reaches, half its side."""
    right, up, front = axes_of(normal)
    steps = np.linspace(-1, 1, PROBES) * reach
    across, down = (each.ravel() for each in np.meshgrid(steps, steps))
    round_about = np.hypot(across, down) <= reach * 1.001
    starts = position + np.outer(across, right) + np.outer(down, up) + front * reach
    hits = caster.cast(starts[round_about], np.tile(-front, (int(round_about.sum()), 1)))
    same = (hits.face >= 0) & (hits.distance < 2 * reach) & (hits.normal @ front > SAME_SIDE)
    mean = hits.normal[same].sum(axis=0) + front
    unit: NDArray[np.float64] = mean / np.linalg.norm(mean)
    return unit


def depth_of(
    caster: Caster, position: NDArray[np.float64], axes: NDArray[np.float64], width: float, height: float,
    bend: NDArray[np.float64] = FLAT,
) -> float:  # fmt: skip
    """How deep a frame centered on the surface is: for the way that the surface bends away below it, and some more.

    It ends at nine tenths of the way to what lies behind its middle and corners, so that it does not show there.
    bend: how the frame itself is bent, as `bending` has it.
    """
    longest = max(width, height)
    corners = np.array([(0, 0, 0), (-1, -1, 0), (1, -1, 0), (1, 1, 0), (-1, 1, 0)]) * (width / 2, height / 2, 0.0)
    places, normals = rolled_up(corners, bend)
    ways = -normals @ axes
    # In a hollow rays begin before what lies opposite.
    before = min(longest, 0.5 / abs(bend[0])) if bend[0] != 0 else longest
    starts = position + places @ axes - ways * before
    front = caster.cast(starts, ways)
    seen = (front.face >= 0) & (front.distance < 2 * longest) & (-(front.normal * ways).sum(axis=1) > SAME_SIDE)
    seen[0] = True
    # How far below the frame's own surface the model's lies at each place; at the middle it lies on it.
    below = np.where(seen, front.distance - before, 0.0)
    below[0] = 0.0
    skip = 1e-5 * longest
    inside = starts + ways * (before + below + skip)[:, None]
    behind = caster.cast(inside[seen], ways[seen])
    wall = float((below[seen] + skip + behind.distance).min())
    bent = float(np.abs(below[seen]).max())
    half = max(min(SHARE_OF_WALL * wall, 1.2 * bent + SPARE * longest), 1.1 * bent, 1e-6 * longest)
    return 2 * half


def tiles_in_box(own: Ownership, inward: NDArray[np.float64]) -> NDArray[np.int32]:
    """The tiles of which some texel may lie in a frame's box; inward: (3, 4) into its own coordinates."""
    found = np.zeros(len(own.tile_start) - 1, np.bool_)
    _mark(own.tile_start, own.balls, np.ascontiguousarray(inward), found)
    return np.flatnonzero(found).astype(np.int32)


@kernel
def _mark(tile_start, balls, inward, found):  # type: ignore[no-untyped-def]
    stretch = np.zeros(3)
    for k in range(3):
        stretch[k] = np.sqrt(inward[k, 0] ** 2 + inward[k, 1] ** 2 + inward[k, 2] ** 2)
    for t in range(len(found)):
        for p in range(tile_start[t], tile_start[t + 1]):
            meets = True
            for k in range(3):
                q = inward[k, 3]
                for j in range(3):
                    q += inward[k, j] * balls[p, j]
                if abs(q) > 0.5 + balls[p, 3] * stretch[k] + 1e-9:
                    meets = False
                    break
            if meets:
                found[t] = True
                break
