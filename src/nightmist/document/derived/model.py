"""The model as arrays by digest, and back."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...core.mesh import Mesh, SurfaceLook
from ...core.srgb import decode
from ..values import Model, Surface
from .pool import Pool

FIELDS = ("positions", "faces", "normals", "face_surface", "face_part", "polygon", "seams")
#: What a mesh's shape consists of: everything that is derived from it can be kept while these stay.
SHAPE = ("positions", "faces", "polygon")


def model_of(mesh: Mesh, pool: Pool) -> Model:
    """Hold a mesh's arrays in a pool, and name them."""
    arrays = {name: pool.add(getattr(mesh, name)) for name in FIELDS}
    arrays.update({f"uv{k}": pool.add(uv) for k, uv in enumerate(mesh.uvs)})
    return Model(arrays=arrays, parts=tuple(mesh.parts))


def mesh_of(model: Model, pool: Pool, last: tuple[Model, Mesh] | None = None) -> Mesh:
    """The mesh whose arrays a value names; `last`, another one, lends what is derived from the same shape."""
    uvs = [pool.get(model.arrays[f"uv{k}"]) for k in range(sum(name.startswith("uv") for name in model.arrays))]
    if last and all(last[0].arrays[name] == model.arrays[name] for name in SHAPE):
        others = {name: pool.get(model.arrays[name]) for name in FIELDS if name not in SHAPE}
        return last[1].changed(uvs=uvs, parts=list(model.parts), **others)
    return Mesh(
        uvs=uvs, surfaces=[], parts=list(model.parts), **{name: pool.get(model.arrays[name]) for name in FIELDS}
    )


def look_of(surface: Surface) -> SurfaceLook:
    """A surface's start values as a file's material has them."""
    red, green, blue = decode(surface.start.base_color).tolist()
    return SurfaceLook(surface.name, (red, green, blue), surface.start.roughness, surface.start.metallic)


def faces_of_runs(runs: list[tuple[int, int]], count: int) -> NDArray[np.int64]:
    """Face indices from runs (first, end), those beyond `count` left out."""
    parts = [np.arange(max(a, 0), min(b, count)) for a, b in runs]
    return np.unique(np.concatenate(parts)).astype(np.int64) if parts else np.zeros(0, np.int64)


def runs_of_faces(faces: NDArray[np.int64]) -> list[tuple[int, int]]:
    """Face indices as runs (first, end)."""
    if not len(faces):
        return []
    faces = np.sort(faces)
    breaks = np.flatnonzero(np.diff(faces) != 1)
    firsts = np.concatenate([faces[:1], faces[breaks + 1]])
    ends = np.concatenate([faces[breaks], faces[-1:]]) + 1
    return [(int(a), int(b)) for a, b in zip(firsts, ends, strict=True)]
