"""The model as arrays by digest, and back."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...core.mesh import Mesh, SurfaceLook
from ...core.mesh.look import SceneNode
from ...core.srgb import decode
from ..values import Model, Surface
from .pool import Pool

FIELDS = ("positions", "faces", "normals", "face_surface", "face_part", "polygon", "seams")
#: The file's nodes, as JSON in an array of bytes: they may be many.
NODES = "nodes"
#: What a mesh's shape consists of: everything that is derived from it can be kept while these stay.
SHAPE = ("positions", "faces", "polygon")


def model_of(mesh: Mesh, pool: Pool) -> Model:
    """Hold a mesh's arrays in a pool, and name them."""
    arrays = {name: pool.add(getattr(mesh, name)) for name in FIELDS}
    arrays.update({f"uv{k}": pool.add(uv) for k, uv in enumerate(mesh.uvs)})
    if mesh.nodes:
        arrays[NODES] = pool.add(np.frombuffer(json.dumps(mesh.nodes).encode(), np.uint8).copy())
    return Model(arrays=arrays, parts=tuple(mesh.parts))


def mesh_of(model: Model, pool: Pool, last: tuple[Model, Mesh] | None = None) -> Mesh:
    """The mesh whose arrays a value names; `last`, another one, lends what is derived from the same shape."""
    uvs = [pool.get(model.arrays[f"uv{k}"]) for k in range(sum(name.startswith("uv") for name in model.arrays))]
    text = pool.get(model.arrays.get(NODES))
    nodes = nodes_from(json.loads(text.tobytes())) if text is not None else []
    if last and all(last[0].arrays[name] == model.arrays[name] for name in SHAPE):
        others = {name: pool.get(model.arrays[name]) for name in FIELDS if name not in SHAPE}
        return last[1].changed(uvs=uvs, parts=list(model.parts), nodes=nodes, **others)
    fields = {name: pool.get(model.arrays[name]) for name in FIELDS}
    return Mesh(uvs=uvs, surfaces=[], parts=list(model.parts), nodes=nodes, **fields)


def nodes_from(rows: list[list[Any]]) -> list[SceneNode]:
    """Nodes of a scene from what JSON makes of them. Raises ValueError where they do not hang together."""
    nodes = [SceneNode(str(name), int(parent), tuple(matrix), int(part)) for name, parent, matrix, part in rows]
    if any(node.parent >= number or len(node.matrix) != 16 for number, node in enumerate(nodes)):
        raise ValueError("the nodes of its scene do not hang together")
    return nodes


def look_of(surface: Surface) -> SurfaceLook:
    """A surface's start values as a file's material has them."""
    red, green, blue = decode(surface.start.base_color).tolist()
    start = surface.start
    return SurfaceLook(
        surface.name, (red, green, blue), start.roughness, start.metallic, start.opacity, untouched=surface.untouched
    )


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
