"""Rays against the model, by Embree."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from numpy.typing import NDArray

from ..kernels import kernel
from .mesh import Mesh


@dataclass
class Hits:
    """Where N rays meet the model.

    face: (N,) int32, -1 where nothing was hit. position, normal: (N, 3) float64; the normal is the
    geometric one of the face that was hit. distance: (N,) along the unit ray.
    """

    face: NDArray[np.int32]
    position: NDArray[np.float64]
    normal: NDArray[np.float64]
    distance: NDArray[np.float64]


class Caster:
    """Finds the nearest face along a ray."""

    def __init__(self, mesh: Mesh, hidden_parts: Sequence[int] = ()) -> None:
        """Faces of hidden parts are not there for rays."""
        self.mesh = mesh
        self.visible = np.flatnonzero(~np.isin(mesh.face_part, list(hidden_parts))).astype(np.int32)
        # Embree works in float32: centering and scaling keeps its precision for models far from the origin.
        low, high = mesh.bounds
        self.center = (low + high) / 2
        self.scale = 1.0 / max(float((high - low).max()), 1e-12)
        self.scene = rtcore_scene.EmbreeScene(robust=True)
        if len(self.visible):
            corners = mesh.corners[self.visible]
            TriangleMesh(self.scene, ((corners - self.center) * self.scale).astype(np.float32))
            # Its tree is made with the first ray.
            self.scene.run(np.zeros((1, 3), np.float32), np.ones((1, 3), np.float32))

    def cast(self, origins: NDArray[np.float64], directions: NDArray[np.float64]) -> Hits:
        """Nearest hits of rays given by (N, 3) origins and (N, 3) unit directions."""
        count, mesh = len(origins), self.mesh
        face, distance = np.empty(count, np.int32), np.empty(count)
        position, normal = np.empty((2, count, 3))
        starts, ways = np.empty((2, count, 3), np.float32)
        _start(origins, directions, self.center, self.scale, starts, ways)
        found = self.scene.run(starts, ways) if len(self.visible) else np.full(count, -1, np.int32)
        _meet(found, self.visible, mesh.corners, mesh.face_normals, origins, directions, face, position, normal,
              distance)  # fmt: skip
        return Hits(face, position, normal, distance)

    def facing(self, hits: Hits) -> NDArray[np.float64]:
        """(N, 3) unit vectors: what the places of hits face, smooth on what is round; the hits' normals elsewhere."""
        normals, mesh = hits.normal.copy(), self.mesh
        _face(mesh.is_round, mesh.corners, mesh.normals, hits.face, hits.position, normals)
        return normals

    def attributes(self, hits: Hits, which: NDArray[np.int64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """(N, 3) weights of the corners and (N, 3) unit shading normals of the hits numbered in `which`."""
        face = hits.face[which]
        weights = barycentric(self.mesh.corners[face], hits.position[which])
        normals = np.zeros((len(face), 3))
        blend_normals(self.mesh.normals[face], weights, normals)
        return weights, normals


@kernel
def _start(origins, directions, center, scale, starts, ways):  # type: ignore[no-untyped-def]
    """Rays in the scene's own units."""
    for i in range(len(origins)):
        along = 0.0
        for axis in range(3):
            along += (origins[i, axis] - center[axis]) * scale * directions[i, axis]
        # A far eye loses float32 precision along the ray, so start near the model's bounding ball.
        skip = max(-along - 1.0, 0.0)
        for axis in range(3):
            starts[i, axis] = (origins[i, axis] - center[axis]) * scale + directions[i, axis] * skip
            ways[i, axis] = directions[i, axis]


@kernel
def _meet(found, visible, corners, normals, origins, directions, face, position, normal, distance):  # type: ignore[no-untyped-def]
    """Where rays meet the planes of the faces that were found, in float64."""
    for i in range(len(found)):
        if found[i] < 0:
            face[i], distance[i], position[i], normal[i] = -1, np.inf, 0.0, 0.0
            continue
        f = face[i] = visible[found[i]]
        slope, gap = 0.0, 0.0
        for axis in range(3):
            slope += normals[f, axis] * directions[i, axis]
            gap += normals[f, axis] * (corners[f, 0, axis] - origins[i, axis])
        t = gap / (slope if abs(slope) >= 1e-12 else 1e-12)
        for axis in range(3):
            position[i, axis] = origins[i, axis] + directions[i, axis] * t
            normal[i, axis] = normals[f, axis]
        distance[i] = t


@kernel
def _face(is_round, corners, normals, face, position, facing):  # type: ignore[no-untyped-def]
    weights = np.empty((1, 3))
    for i in range(len(face)):
        if face[i] >= 0 and is_round[face[i]]:
            f = face[i]
            weigh_corners(corners[f : f + 1], position[i : i + 1], weights)
            facing[i] = 0.0
            blend_normals(normals[f : f + 1], weights, facing[i : i + 1])


def barycentric(corners: NDArray[np.float64], points: NDArray[np.float64]) -> NDArray[np.float64]:
    """(N, 3) weights of (N, 3) points within triangles (N, 3, 3)."""
    weights = np.empty((len(points), 3))
    weigh_corners(corners, points, weights)
    return weights


@kernel
def weigh_corners(corners, points, weights):  # type: ignore[no-untyped-def]
    """Shares of a triangle's area that lie over against each corner."""
    for i in range(len(points)):
        a, b, c, p = corners[i, 0], corners[i, 1], corners[i, 2], points[i]
        bx, by, bz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
        cx, cy, cz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
        px, py, pz = p[0] - a[0], p[1] - a[1], p[2] - a[2]
        nx, ny, nz = by * cz - bz * cy, bz * cx - bx * cz, bx * cy - by * cx
        area2 = nx * nx + ny * ny + nz * nz
        wb = ((py * cz - pz * cy) * nx + (pz * cx - px * cz) * ny + (px * cy - py * cx) * nz) / area2
        wc = ((by * pz - bz * py) * nx + (bz * px - bx * pz) * ny + (bx * py - by * px) * nz) / area2
        weights[i, 0], weights[i, 1], weights[i, 2] = 1 - wb - wc, wb, wc


@kernel
def blend_normals(normals, weights, blended):  # type: ignore[no-untyped-def]
    """The corners' normals, (N, 3, 3), by their weights, of unit length."""
    for i in range(len(weights)):
        length = 0.0
        for axis in range(3):
            for corner in range(3):
                blended[i, axis] += normals[i, corner, axis] * weights[i, corner]
            length += blended[i, axis] * blended[i, axis]
        length = max(np.sqrt(length), 1e-12)
        for axis in range(3):
            blended[i, axis] /= length
