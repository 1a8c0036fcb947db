"""The shape of a mesh alone, and what follows from it; meshes that differ in other things share it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from .topology import Topology, topology_of


@dataclass
class Shape:
    """positions: (V, 3) float32. faces: (F, 3) int32 into them. polygon: (F,) int32. All as in Mesh."""

    positions: NDArray[np.float32]
    faces: NDArray[np.int32]
    polygon: NDArray[np.int32]

    @cached_property
    def weld(self) -> NDArray[np.int64]:
        """(V,) number of each position; those at exactly one place share it."""
        # Adding 0 makes -0 and 0 the same bytes.
        rows = np.ascontiguousarray(self.positions + np.float32(0)).view("V12").ravel()
        _, first, weld = np.unique(rows, return_index=True, return_inverse=True)
        return np.argsort(np.argsort(first))[weld.ravel()].astype(np.int64)

    @cached_property
    def corners(self) -> NDArray[np.float64]:
        """(F, 3, 3) corner positions."""
        return self.positions[self.faces].astype(np.float64)

    @cached_property
    def face_normals(self) -> NDArray[np.float64]:
        """(F, 3) geometric normals of unit length; zero for faces without area."""
        a, b, c = self.corners[:, 0], self.corners[:, 1], self.corners[:, 2]
        cross = np.cross(b - a, c - a)
        length = np.linalg.norm(cross, axis=1, keepdims=True)
        normals: NDArray[np.float64] = np.divide(cross, length, out=np.zeros_like(cross), where=length > 0)
        return normals

    @cached_property
    def bounds(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Lowest and highest corner of the box around all faces."""
        points = self.corners.reshape(-1, 3)
        return points.min(axis=0), points.max(axis=0)

    @cached_property
    def topology(self) -> Topology:
        """Which faces meet where."""
        return topology_of(self.weld, self.faces, self.polygon)
