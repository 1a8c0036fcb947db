"""Faces that belong together with one face."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from .mesh import Mesh
from .topology import joined_in_map

Extent = Literal["face", "patch", "island", "part", "surface"]

#: Degrees between neighbors up to which a patch goes on.
PATCH_ANGLE = 30.0


def faces_with(mesh: Mesh, face: int, by: Extent, uv: NDArray[np.float32]) -> NDArray[np.int64]:
    """Indices of faces, rising. A face stands for its whole polygon; a patch is smooth and ends at seams."""
    topology = mesh.topology
    if by == "face":
        return np.flatnonzero(mesh.polygon == mesh.polygon[face])
    if by == "part":
        return np.flatnonzero(mesh.face_part == mesh.face_part[face])
    if by == "surface":
        return np.flatnonzero(mesh.face_surface == mesh.face_surface[face])
    across = np.maximum(topology.neighbor, 0)
    if by == "island":
        joined = joined_in_map(topology, uv) & (mesh.face_surface[across] == mesh.face_surface[:, None])
    elif by == "patch":
        normals = mesh.face_normals
        joined = (normals[across] * normals[:, None]).sum(axis=2) > np.cos(np.radians(PATCH_ANGLE))
        joined &= ~np.isin(topology.edge, topology.edges_between(mesh.seams))
    else:
        raise NightmistError(f"There is no way {by!r} to select; use face, patch, island, part or surface.")
    label = topology.components(joined)
    return np.flatnonzero(label == label[face])
