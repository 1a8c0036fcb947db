"""The model as the stage shows it: one binary answer, described in docs/paint-socket.md."""

from __future__ import annotations

import json
import struct
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.mesh import Mesh
from ..core.mesh.corners import welded_corners
from ..core.mesh.topology import islands_everywhere
from ..document import Document

MAGIC = b"NMM1"


@dataclass
class Snapshot:
    """What the stage needs of a document; arrays are never changed in place, so it can be written elsewhere."""

    mesh: Mesh
    arrays: dict[str, str]
    surfaces: list[tuple[str, NDArray[np.int64], NDArray[np.float32]]]

    @classmethod
    def of(cls, document: Document) -> Snapshot:
        """Taken in the project's thread, in no time."""
        surfaces = [(surface.name, surface.faces, surface.uvs) for surface in document.surfaces.values()]
        return cls(document.shaded_mesh, dict(document.model.arrays), surfaces)


def write_mesh(snapshot: Snapshot) -> bytes:
    """Magic, length of the header, the header as JSON, then its arrays, each at a multiple of 4 bytes."""
    mesh = snapshot.mesh
    body = bytearray()

    def put(array: NDArray[Any]) -> list[int]:
        at = len(body)
        body.extend(np.ascontiguousarray(array).tobytes())
        body.extend(b"\0" * (-len(body) % 4))
        return [at, array.size]

    topology = mesh.topology
    placed = np.full((len(mesh.faces), 3, 2), np.nan, np.float32)
    for _, faces, uv in snapshot.surfaces:
        placed[faces] = uv[faces]
    island = islands_everywhere(topology, placed, mesh.face_surface)
    surfaces = []
    for name, faces, uv in snapshot.surfaces:
        corners = np.nan_to_num(uv[faces])
        # Islands that touch at a corner do not share it: each moves alone.
        label = np.repeat(island[faces].astype(np.uint32).view(np.float32)[:, None], 3, axis=1)
        rows, index = welded_corners([mesh.positions[mesh.faces[faces]], mesh.normals[faces], corners, label])
        surfaces.append(
            {
                "name": name,
                "position": put(rows[:, 0:3]),
                "normal": put(rows[:, 3:6]),
                "uv": put(rows[:, 6:8]),
                "index": put(index),
                "face": put(faces.astype(np.uint32)),
            }
        )
    header = {
        "arrays": snapshot.arrays,
        "faces": len(mesh.faces),
        "uv_sets": len(mesh.uvs),
        "surfaces": surfaces,
        "part": put(mesh.face_part.astype(np.uint32)),
        "island": put(island.astype(np.uint32)),
        "piece": put(topology.components(np.ones_like(topology.edge, np.bool_)).astype(np.uint32)),
        "polygon": put(mesh.polygon.astype(np.uint32)),
        "seams": put(_seam_sides(mesh)),
    }
    text = json.dumps(header, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    return MAGIC + struct.pack("<I", len(text)) + text + bytes(body)


def _seam_sides(mesh: Mesh) -> NDArray[np.uint32]:
    """Sides (face · 3 + side) that are marked as seams."""
    topology = mesh.topology
    marked = np.zeros(len(topology.ends), np.bool_)
    marked[topology.edges_between(mesh.seams)] = True
    return np.flatnonzero(marked[topology.edge].ravel()).astype(np.uint32)
