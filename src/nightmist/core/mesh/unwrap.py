"""UVs for models that bring none, by the library xatlas."""

from __future__ import annotations

import numpy as np
import xatlas
from numpy.typing import NDArray

from .mesh import Mesh


def has_uvs(mesh: Mesh, faces: NDArray[np.int64]) -> bool:
    """True when these faces have UVs with some area in the first UV set."""
    if not mesh.uvs:
        return False
    uv = mesh.uvs[0][faces].astype(np.float64)
    if not np.isfinite(uv).all():
        return False
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    return float(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum()) > 1e-9


def unwrap_missing(mesh: Mesh, resolution: int) -> list[str]:
    """Unwrap, in place, each surface without usable UVs; returns the names of those surfaces.

    resolution: texels along the map's side, so that islands get a margin of 8 texels.
    """
    unwrapped = []
    for index, look in enumerate(mesh.surfaces):
        faces = mesh.faces_of(index)
        if has_uvs(mesh, faces):
            continue
        if not mesh.uvs:
            mesh.uvs.append(np.zeros((len(mesh.faces), 3, 2), np.float32))
        mesh.uvs[0][faces] = automatic_uvs(mesh, faces, resolution)
        unwrapped.append(look.name)
    return unwrapped


def automatic_uvs(mesh: Mesh, faces: NDArray[np.int64], resolution: int) -> NDArray[np.float32]:
    """(len(faces), 3, 2) UVs in 0-1 without overlap, packed into one square."""
    # Corners at one place are one vertex to xatlas, whatever the file split them for.
    points, weld = np.unique(mesh.positions[mesh.faces[faces].reshape(-1)], axis=0, return_inverse=True)
    atlas = xatlas.Atlas()
    atlas.add_mesh(points.astype(np.float32), weld.reshape(-1, 3).astype(np.uint32))
    pack = xatlas.PackOptions()
    pack.resolution = resolution
    pack.padding = 8
    pack.bilinear = True
    atlas.generate(xatlas.ChartOptions(), pack)
    _, corners, uvs = atlas[0]
    # xatlas keeps the order of faces; a face it could not chart keeps zero UVs.
    found = np.asarray(uvs, np.float32)[np.asarray(corners, np.int64)]
    scale = max(float(found.max()), 1e-9) if found.max() > 1 else 1.0
    return (found / scale).astype(np.float32)
