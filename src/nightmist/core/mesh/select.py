"""Faces that belong together with one face."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..errors import NightmistError
from .mesh import Mesh
from .topology import joined_in_map
from .unwrap import face_areas

Extent = Literal["face", "patch", "facing", "island", "part", "surface"]

#: Degrees up to which normals count as nearly the same.
SAME_ANGLE = 30.0
#: What the cosine of exactly that angle may lose.
ROUNDING = 1e-6
#: Cosine of the angle up to which a face is the image of another.
AGREE = 0.9


def faces_with(
    mesh: Mesh, face: int, by: Extent, uv: NDArray[np.float32], angle: float = SAME_ANGLE
) -> NDArray[np.int64]:
    """Indices of faces, rising. A face stands for its whole polygon; a patch is smooth and ends at seams.

    angle: degrees between neighbors up to which a patch goes on; and from the normal of the polygon up to which others
    of the surface, anywhere, are facing the same way.
    """
    topology = mesh.topology
    if by == "face":
        return np.flatnonzero(mesh.polygon == mesh.polygon[face])
    if by == "part":
        return np.flatnonzero(mesh.face_part == mesh.face_part[face])
    if by == "surface":
        return np.flatnonzero(mesh.face_surface == mesh.face_surface[face])
    if by == "facing":
        label = np.unique(mesh.polygon, return_inverse=True)[1]
        directions = _polygon_means(mesh, mesh.face_normals)
        directions /= np.maximum(np.linalg.norm(directions, axis=1, keepdims=True), 1e-300)
        alike = directions @ directions[label[face]] >= np.cos(np.radians(angle)) - ROUNDING
        return np.flatnonzero(alike[label] & (mesh.face_surface == mesh.face_surface[face]))
    across = np.maximum(topology.neighbor, 0)
    if by == "island":
        joined = joined_in_map(topology, uv) & (mesh.face_surface[across] == mesh.face_surface[:, None])
    elif by == "patch":
        normals = mesh.face_normals
        joined = (normals[across] * normals[:, None]).sum(axis=2) > np.cos(np.radians(angle))
        joined &= ~np.isin(topology.edge, topology.edges_between(mesh.seams))
    else:
        raise NightmistError(f"There is no way {by!r} to select; use face, patch, facing, island, part or surface.")
    label = topology.components(joined)
    return np.flatnonzero(label == label[face])


def _polygon_means(mesh: Mesh, values: NDArray[np.float64]) -> NDArray[np.float64]:
    """(p, 3) of each polygon, by rising number, the mean over its faces of (n, 3) values, weighted by area."""
    label = np.unique(mesh.polygon, return_inverse=True)[1]
    area = face_areas(mesh.corners)
    total = np.maximum(np.bincount(label, area), 1e-300)[:, None]
    return np.stack([np.bincount(label, area * values[:, k]) for k in range(3)], axis=1) / total


def images_of(mesh: Mesh, faces: NDArray[np.int64], matrices: NDArray[np.float64], reach: float) -> NDArray[np.int64]:
    """Faces of polygons that lie where images of those of `faces` come to lie, those included; rising.

    matrices: (k, 3, 4) turns or reflections, and shifts. A polygon has an image where another's middle is no farther
    than `reach` from it, and faces nearly the same way; how they are cut into triangles does not matter.
    """
    polygons, label = np.unique(mesh.polygon, return_inverse=True)
    middle, normals = (_polygon_means(mesh, each) for each in (mesh.corners.mean(axis=1), mesh.face_normals))
    asked = np.unique(label[faces])
    tree = cKDTree(middle)
    found = [asked]
    for matrix in matrices[1:]:
        turn = matrix[:, :3]
        distance, nearest = tree.query(middle[asked] @ turn.T + matrix[:, 3], distance_upper_bound=reach)
        known = np.flatnonzero(np.isfinite(distance))
        other = np.asarray(nearest)[known]
        agrees = ((normals[asked[known]] @ turn.T) * normals[other]).sum(axis=1) > AGREE
        found.append(other[agrees])
    chosen = np.zeros(len(polygons), np.bool_)
    chosen[np.concatenate(found)] = True
    return np.union1d(faces, np.flatnonzero(chosen[label]))
