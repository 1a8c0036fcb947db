"""The model as arrays by digest, and back."""

from __future__ import annotations

import numpy as np

from ..core.mesh import Mesh, SurfaceLook
from .pool import Pool
from .types import MeshState, SurfaceState, decode

FIELDS = ("positions", "faces", "normals", "face_surface", "face_part", "polygon", "seams")


def mesh_state(mesh: Mesh, pool: Pool) -> MeshState:
    """Hold a mesh's arrays in a pool, and name them."""
    arrays = {name: pool.add(getattr(mesh, name)) for name in FIELDS}
    arrays.update({f"uv{k}": pool.add(uv) for k, uv in enumerate(mesh.uvs)})
    return MeshState(arrays=arrays, parts=list(mesh.parts))


def mesh_from(state: MeshState, surfaces: list[SurfaceState], pool: Pool) -> Mesh:
    """The mesh whose arrays a state names."""
    uvs = [pool.get(state.arrays[f"uv{k}"]) for k in range(sum(name.startswith("uv") for name in state.arrays))]
    looks = [look_of(surface) for surface in surfaces]
    return Mesh(
        uvs=uvs, surfaces=looks, parts=list(state.parts), **{name: pool.get(state.arrays[name]) for name in FIELDS}
    )


def look_of(surface: SurfaceState) -> SurfaceLook:
    """A surface's start values as a file's material has them."""
    red, green, blue = (decode(c) for c in surface.start.base_color)
    return SurfaceLook(surface.name, (red, green, blue), surface.start.roughness, surface.start.metallic)


def faces_of_runs(runs: list[tuple[int, int]], count: int) -> np.ndarray:
    """Face indices from runs (first, end), those beyond `count` left out."""
    parts = [np.arange(max(a, 0), min(b, count)) for a, b in runs]
    return np.unique(np.concatenate(parts)).astype(np.int64) if parts else np.zeros(0, np.int64)


def runs_of_faces(faces: np.ndarray) -> list[tuple[int, int]]:
    """Face indices as runs (first, end)."""
    if not len(faces):
        return []
    faces = np.sort(faces)
    breaks = np.flatnonzero(np.diff(faces) != 1)
    firsts = np.concatenate([faces[:1], faces[breaks + 1]])
    ends = np.concatenate([faces[breaks], faces[-1:]]) + 1
    return [(int(a), int(b)) for a, b in zip(firsts, ends, strict=True)]
