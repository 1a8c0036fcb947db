"""The pinhole camera that screen strokes are seen through."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from ..errors import NightmistError, describe
from ..kernels import kernel

Vector = tuple[float, float, float]
Axes = tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]


class Camera(BaseModel):
    """A perspective view. Screen pixels count from the top left corner of the viewport."""

    model_config = ConfigDict(frozen=True, allow_inf_nan=False)

    eye: Vector
    target: Vector
    up: Vector = (0.0, 1.0, 0.0)
    fov_y: float = Field(default=40.0, gt=0.1, lt=179.0, description="vertical field of view in degrees")
    viewport: tuple[float, float]

    @model_validator(mode="after")
    def _looks_somewhere(self) -> Camera:
        if self.viewport[0] <= 0 or self.viewport[1] <= 0:
            raise ValueError("the camera's viewport needs a width and a height above 0")
        if math.dist(self.eye, self.target) < 1e-12:
            raise ValueError("the camera's eye and target are the same point")
        return self

    @classmethod
    def look_at(
        cls,
        eye: Sequence[float] | NDArray[np.float64],
        target: Sequence[float] | NDArray[np.float64],
        fov_y: float = 40.0,
        viewport: Sequence[float] = (1280, 800),
        up: Sequence[float] = (0.0, 1.0, 0.0),
    ) -> Camera:
        """A camera at `eye` looking at `target`. Raises NightmistError for views that see nothing."""
        try:
            return cls.model_validate(
                {
                    "eye": tuple(eye),
                    "target": tuple(target),
                    "up": tuple(up),
                    "fov_y": fov_y,
                    "viewport": tuple(viewport),
                }
            )
        except ValidationError as error:
            raise NightmistError(describe("This camera cannot look", error)) from error

    @property
    def axes(self) -> Axes:
        """Unit vectors right, up and forward."""
        return _axes(self.eye, self.target, self.up)

    def rays(self, pixels: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Origins and unit directions, both (N, 3), through (N, 2) screen positions."""
        right, up, forward = self.axes
        half = math.tan(math.radians(self.fov_y) / 2)
        origins, directions = np.empty((len(pixels), 3)), np.empty((len(pixels), 3))
        _rays(pixels, *self.viewport, half, right, up, forward, self.eye, origins, directions)
        return origins, directions

    def units_per_pixel(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """(N,) size of one screen pixel, in model units, at the depth of (N, 3) points."""
        size = np.empty(len(points))
        _sizes(points, *self.lens, size)
        return size

    @property
    def lens(self) -> tuple[Vector, NDArray[np.float64], float]:
        """Eye, forward and scale, as `pixel_size` takes them."""
        return self.eye, self.axes[2], 2 * math.tan(math.radians(self.fov_y) / 2) / self.viewport[1]


@kernel
def pixel_size(point, eye, forward, scale):  # type: ignore[no-untyped-def]
    """One screen pixel in model units at the depth of a point. scale: its size one unit in front of the eye."""
    depth = 0.0
    for axis in range(3):
        depth += (point[axis] - eye[axis]) * forward[axis]
    return max(depth, 1e-12) * scale


@kernel
def _sizes(points, eye, forward, scale, size):  # type: ignore[no-untyped-def]
    for i in range(len(points)):
        size[i] = pixel_size(points[i], eye, forward, scale)


@kernel
def _rays(pixels, width, height, half, right, up, forward, eye, origins, directions):  # type: ignore[no-untyped-def]
    for i in range(len(pixels)):
        x = (2 * pixels[i, 0] - width) / height * half
        y = (height - 2 * pixels[i, 1]) / height * half
        length = 0.0
        for axis in range(3):
            origins[i, axis] = eye[axis]
            directions[i, axis] = forward[axis] + x * right[axis] + y * up[axis]
            length += directions[i, axis] ** 2
        for axis in range(3):
            directions[i, axis] /= np.sqrt(length)


@lru_cache(maxsize=64)
def _axes(eye: Vector, target: Vector, upward: Vector) -> Axes:
    forward = np.subtract(target, eye)
    forward = forward / np.linalg.norm(forward)
    right = np.cross(forward, upward)
    if np.linalg.norm(right) < 1e-9 * max(float(np.linalg.norm(upward)), 1e-30):
        # Looking along up: any sideways axis will do, +x keeps the picture from turning at random.
        right = np.cross(forward, (0.0, 0.0, -1.0) if abs(forward[2]) < 0.9 else (1.0, 0.0, 0.0))
    right = right / np.linalg.norm(right)
    return right, np.cross(right, forward), forward
