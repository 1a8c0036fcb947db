"""UVs in one step by a shape: planar, box, cylinder, sphere, from a frame."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from ..errors import NightmistError
from .mesh import Mesh

Shape = Literal["planar", "box", "cylinder", "sphere"]
Vector = tuple[float, float, float]

#: A face counts as a cylinder's lid when its normal is nearer to the axis than this cosine.
LID = 0.9


class ShapeAxes(BaseModel):
    """A box in model space: where it is, and its axes right, up and out as unit vectors."""

    model_config = ConfigDict(frozen=True, allow_inf_nan=False)

    center: Vector
    right: Vector
    up: Vector

    @property
    def axes(self) -> NDArray[np.float64]:
        """(3, 3) rows right, up, out, at right angles to each other."""
        right, up = np.array(self.right, np.float64), np.array(self.up, np.float64)
        out = np.cross(right, up)
        if np.linalg.norm(out) < 1e-9:
            raise NightmistError("A frame needs two axes in different directions.")
        out /= np.linalg.norm(out)
        up = np.cross(out, right / np.linalg.norm(right))
        return np.stack([right / np.linalg.norm(right), up, out])


def frame_around(corners: NDArray[np.float64], axis: str = "y") -> ShapeAxes:
    """The frame in the middle of (N, 3, 3) triangles whose up is a model axis, "x", "y" or "z"."""
    ups: dict[str, tuple[Sequence[float], Sequence[float]]] = {
        "x": ((0, 1, 0), (1, 0, 0)), "y": ((1, 0, 0), (0, 1, 0)), "z": ((1, 0, 0), (0, 0, 1)),
    }  # fmt: skip
    if axis not in ups:
        raise NightmistError(f"There is no axis {axis!r}; use 'x', 'y' or 'z'.")
    points = corners.reshape(-1, 3)
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    right, up = ups[axis]
    return ShapeAxes(center=tuple(middle), right=tuple(right), up=tuple(up))


def unwrap_by_shape(mesh: Mesh, faces: NDArray[np.int64], shape: Shape, frame: ShapeAxes) -> NDArray[np.float64]:
    """(len(faces), 3, 2) UVs in model units, v down, lids and sides apart from each other."""
    corners = (mesh.corners[faces] - np.array(frame.center)) @ frame.axes.T
    normals = mesh.face_normals[faces] @ frame.axes.T
    if shape == "planar":
        return _seen_from(corners, np.array([0.0, 0, 1]))
    if shape == "box":
        return _box(corners, normals)
    if shape == "cylinder":
        return _cylinder(corners, normals)
    return _sphere(corners)


def _seen_from(corners: NDArray[np.float64], out: NDArray[np.float64]) -> NDArray[np.float64]:
    """Flat as seen against `out`: up in space is up in the map, and nothing is mirrored."""
    up = np.array([0.0, 1, 0]) if abs(out[1]) < 0.5 else np.array([0.0, 0, -1]) * np.sign(out[1])
    right = np.cross(up, out)
    return np.stack([corners @ right, -(corners @ up)], axis=-1)


def _box(corners: NDArray[np.float64], normals: NDArray[np.float64]) -> NDArray[np.float64]:
    axis = np.abs(normals).argmax(axis=1)
    positive = normals[np.arange(len(normals)), axis] >= 0
    flat = np.empty((len(corners), 3, 2))
    gap = 2.0 * float(np.ptp(corners.reshape(-1, 3), axis=0).max())
    for side in range(6):
        mine = (axis == side // 2) & (positive == (side % 2 == 0))
        out = np.zeros(3)
        out[side // 2] = 1.0 if side % 2 == 0 else -1.0
        # Sides lie apart from each other, so that a shared corner does not make them one island.
        flat[mine] = _seen_from(corners[mine], out) + np.array([side * gap, 0])
    return flat


def _cylinder(corners: NDArray[np.float64], normals: NDArray[np.float64]) -> NDArray[np.float64]:
    radius = np.hypot(corners[..., 0], corners[..., 2])
    wall = np.abs(normals[:, 1]) <= LID
    mean = float(radius[wall].mean()) if wall.any() else 1.0
    flat = np.stack([_turn(corners, radius) * mean, -corners[..., 1]], axis=-1)
    gap = 2.0 * float(np.ptp(corners.reshape(-1, 3), axis=0).max()) + 2 * np.pi * mean
    for k, sign in enumerate((1.0, -1.0)):
        lid = ~wall & (np.sign(normals[:, 1]) == sign)
        flat[lid] = _seen_from(corners[lid], np.array([0.0, sign, 0])) + np.array([(k + 1) * gap * 2, 0])
    return flat


def _sphere(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    length = np.maximum(np.linalg.norm(corners, axis=2), 1e-300)
    mean = float(length.mean())
    radius = np.hypot(corners[..., 0], corners[..., 2])
    rise = np.arcsin(np.clip(corners[..., 1] / length, -1, 1))
    return np.stack([_turn(corners, radius) * mean, -rise * mean], axis=-1)


def _turn(corners: NDArray[np.float64], radius: NDArray[np.float64]) -> NDArray[np.float64]:
    """(N, 3) angles about up, 0 at the front, continuous in each face; at a pole the mean of the other two."""
    angle = np.arctan2(corners[..., 0], corners[..., 2])
    pole = radius < 1e-6 * max(float(radius.max()), 1e-300)
    known = np.where(pole, np.nan, angle)
    wraps = np.nanmax(known, axis=1) - np.nanmin(known, axis=1) > np.pi
    angle = np.where(wraps[:, None] & (angle < 0), angle + 2 * np.pi, angle)
    known = np.where(pole, np.nan, angle)
    mean = np.nanmean(known, axis=1, keepdims=True)
    return np.where(pole, mean, angle)
