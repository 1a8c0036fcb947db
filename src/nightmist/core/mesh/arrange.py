"""Moves whole islands in the map: place, turn, size, order."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from .checkup import island_densities
from .mesh import Mesh
from .packing import boxes_of, no_room
from .unwrap import flat_areas

Arrangement = Literal[
    "fit", "enlarge", "upright", "stack", "mirror_across", "mirror_down", "unflip", "quarter_left", "quarter_right",
    "align_left", "align_right", "align_top", "align_bottom", "align_center", "align_middle",
]  # fmt: skip
ARRANGEMENTS: tuple[Arrangement, ...] = Arrangement.__args__  # type: ignore[attr-defined]

#: Which way a line runs in the map.
Axis = Literal["across", "down"]

#: a, b, c, d, e, f: x' = a·x + c·y + e, y' = b·x + d·y + f, in texels.
Affine = tuple[float, float, float, float, float, float]

#: Arrangements of all islands together, about the middle of their box: a, b, c, d.
WHOLE: dict[Arrangement, tuple[float, float, float, float]] = {
    "mirror_across": (-1, 0, 0, 1), "mirror_down": (1, 0, 0, -1),
    "quarter_left": (0, -1, 1, 0), "quarter_right": (0, 1, -1, 0),
}  # fmt: skip


def moved(corners: NDArray[np.float64], matrix: Affine) -> NDArray[np.float64]:
    """(n, 3, 2) corners, in texels, under an affine map. Raises NightmistError for one that flattens them."""
    a, b, c, d, e, f = matrix
    if not np.isfinite(matrix).all() or abs(a * d - b * c) < 1e-9:
        raise NightmistError("Islands cannot be scaled down to nothing.")
    x, y = corners[..., 0], corners[..., 1]
    return np.stack([a * x + c * y + e, b * x + d * y + f], axis=-1)


def lined_up(corners: NDArray[np.float64], points: NDArray[np.int64], axis: Axis) -> NDArray[np.float64]:
    """(n, 3, 2) corners, in texels, with some UV points on one line across or down the map, through their middle.

    points: numbers of corners, row · 3 + k; corners at the same place are one point and go along. Raises
    NightmistError for fewer than two points, and where faces would be left without area.
    """
    flat = corners.reshape(-1, 2)
    # Points that touch are one: a hundredth of a texel is nothing.
    _, point = np.unique(np.rint(flat * 100), axis=0, return_inverse=True)
    chosen = np.unique(point.ravel()[points])
    if len(chosen) < 2:
        raise NightmistError("Pick at least two points of the map to bring into one line.")
    along = 1 if axis == "across" else 0
    goes = np.isin(point.ravel(), chosen)
    found = flat.copy()
    _, first = np.unique(point.ravel()[goes], return_index=True)
    found[goes, along] = flat[goes, along][first].mean()
    lined: NDArray[np.float64] = found.reshape(-1, 3, 2)
    lost = (np.abs(flat_areas(lined)) < 1e-6) & (np.abs(flat_areas(corners)) >= 1e-6)
    if lost.any():
        raise NightmistError(
            "Faces would be left without area, as all their points are picked. Pick one line of points at a time."
        )
    return lined


def arranged(
    mesh: Mesh, faces: NDArray[np.int64], corners: NDArray[np.float64], island: NDArray[np.int64],
    size: tuple[int, int], how: Arrangement, margin: float = 0,
) -> NDArray[np.float64]:  # fmt: skip
    """(n, 3, 2) corners of `faces`, in texels, after one arrangement. island: (n,) labels 0…k-1.

    margin: texels of which "enlarge" keeps half free along the map's border, as packing does.
    """
    count = int(island.max()) + 1
    low, span = boxes_of(corners, island, count)
    middle = low + span / 2
    if how == "fit":
        return _fit(corners, size)
    if how == "enlarge":
        return _enlarged(corners, size, margin)
    if how == "upright":
        return turned_about(corners, island, middle, upright_turns(mesh, faces, corners, island))
    if how == "stack":
        return _stacked(corners, island, low, span)
    if how == "unflip":
        across = np.where(np.bincount(island, flat_areas(corners), count) > 0, -1.0, 1.0)
        return _scaled(corners, island, middle, np.column_stack([across, np.ones(count)]))
    if how in WHOLE:
        a, b, c, d = WHOLE[how]
        x, y = np.mean(_bounds(corners), axis=0)
        return moved(corners, (a, b, c, d, x - a * x - c * y, y - b * x - d * y))
    aligned: NDArray[np.float64] = corners + _alignment(low, span, how)[island][:, None]
    return aligned


def with_density(
    mesh: Mesh, faces: NDArray[np.int64], corners: NDArray[np.float64], island: NDArray[np.int64], target: float
) -> NDArray[np.float64]:
    """(n, 3, 2) corners, in texels, with each island scaled about its middle to `target` texels per unit."""
    if not (np.isfinite(target) and target > 0):
        raise NightmistError(f"A density of {target!r} does not work; give texels per model unit, above 0.")
    count = int(island.max()) + 1
    density, _ = island_densities(mesh.corners[faces], np.abs(flat_areas(corners)), island)
    low, span = boxes_of(corners, island, count)
    scale = target / np.maximum(density, 1e-300)
    return _scaled(corners, island, low + span / 2, np.column_stack([scale, scale]))


def _bounds(corners: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The upper left and the lower right corner of the box around all."""
    points = corners.reshape(-1, 2)
    return points.min(axis=0), points.max(axis=0)


def _fit(corners: NDArray[np.float64], size: tuple[int, int]) -> NDArray[np.float64]:
    """All together inside the map: moved by the overhang, and scaled down only if they are too large."""
    low, high = _bounds(corners)
    scale = min(1.0, float((np.array(size) / np.maximum(high - low, 1e-300)).min()))
    placed = (corners - low) * scale + low
    high = low + (high - low) * scale
    inside: NDArray[np.float64] = placed - np.minimum(low, 0) - np.maximum(high - np.array(size), 0)
    return inside


def _enlarged(corners: NDArray[np.float64], size: tuple[int, int], margin: float) -> NDArray[np.float64]:
    """All together from the map's corner on, as large as the map takes within half a margin on each of its sides."""
    room = np.array(size) - margin
    if room.min() <= 0:
        raise no_room(margin, size)
    low, high = _bounds(corners)
    enlarged: NDArray[np.float64] = (corners - low) * (room / np.maximum(high - low, 1e-300)).min() + margin / 2
    return enlarged


def _scaled(
    corners: NDArray[np.float64], island: NDArray[np.int64], middle: NDArray[np.float64], scale: NDArray[np.float64]
) -> NDArray[np.float64]:
    center = middle[island][:, None]
    scaled: NDArray[np.float64] = center + (corners - center) * scale[island][:, None]
    return scaled


def turned_about(
    corners: NDArray[np.float64], island: NDArray[np.int64], middle: NDArray[np.float64], angle: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Each island turned about its middle by its angle, radians, with the clock as seen (v points down)."""
    center = middle[island][:, None]
    away = corners - center
    c, s = np.cos(angle)[island][:, None], np.sin(angle)[island][:, None]
    return center + np.stack([c * away[..., 0] - s * away[..., 1], s * away[..., 0] + c * away[..., 1]], axis=-1)


def upright_turns(
    mesh: Mesh, faces: NDArray[np.int64], corners: NDArray[np.float64], island: NDArray[np.int64]
) -> NDArray[np.float64]:
    """(k,) turns, radians with the clock, after which the model's up, +y, points up in the map."""
    space = mesh.corners[faces]
    p1, p2 = space[:, 1] - space[:, 0], space[:, 2] - space[:, 0]
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    # Up = a·p1 + b·p2 in the face's plane, by least squares; its image is a·e1 + b·e2.
    g11, g12, g22 = (p1 * p1).sum(1), (p1 * p2).sum(1), (p2 * p2).sum(1)
    det = np.maximum(g11 * g22 - g12 * g12, 1e-300)
    a = (g22 * p1[:, 1] - g12 * p2[:, 1]) / det
    b = (g11 * p2[:, 1] - g12 * p1[:, 1]) / det
    image = (a[:, None] * e1 + b[:, None] * e2) * np.linalg.norm(np.cross(p1, p2), axis=1)[:, None]
    count = int(island.max()) + 1
    x, y = np.bincount(island, image[:, 0], count), np.bincount(island, image[:, 1], count)
    # Lids have no up; they stay.
    clear = np.hypot(x, y) > 1e-6 * max(float(np.hypot(x, y).max()), 1e-300)
    return np.where(clear, -np.pi / 2 - np.arctan2(y, x), 0.0)


def _stacked(
    corners: NDArray[np.float64], island: NDArray[np.int64], low: NDArray[np.float64], span: NDArray[np.float64]
) -> NDArray[np.float64]:
    """All islands onto the first, each scaled so that its box is as long as the first one's."""
    scale = span[0].max() / np.maximum(span.max(axis=1), 1e-300)
    stacked: NDArray[np.float64] = low[0] + (corners - low[island][:, None]) * scale[island][:, None, None]
    return stacked


def _alignment(low: NDArray[np.float64], span: NDArray[np.float64], how: Arrangement) -> NDArray[np.float64]:
    """(k, 2) moves that bring islands' boxes to one line."""
    high, move = low + span, np.zeros_like(low)
    if how == "align_left":
        move[:, 0] = low[:, 0].min() - low[:, 0]
    elif how == "align_right":
        move[:, 0] = high[:, 0].max() - high[:, 0]
    elif how == "align_center":
        move[:, 0] = (low[:, 0].min() + high[:, 0].max()) / 2 - (low + high)[:, 0] / 2
    elif how == "align_top":
        move[:, 1] = low[:, 1].min() - low[:, 1]
    elif how == "align_bottom":
        move[:, 1] = high[:, 1].max() - high[:, 1]
    elif how == "align_middle":
        move[:, 1] = (low[:, 1].min() + high[:, 1].max()) / 2 - (low + high)[:, 1] / 2
    else:
        raise NightmistError(f"There is no arrangement {how!r}; there are {', '.join(ARRANGEMENTS)}.")
    return move
