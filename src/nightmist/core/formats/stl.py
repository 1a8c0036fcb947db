"""STL in, binary and ascii: triangles only, so the model is unwrapped on import."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..mesh.look import SurfaceLook
from ..mesh.mesh import MAX_FACES, Mesh, build_mesh

RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
HEAD = 84


def read_stl(name: str, data: bytes) -> Mesh:
    """A model of one part and one surface, its corners welded where they meet exactly."""
    corners = _binary(name, data) if _is_binary(data) else _ascii(name, data)
    if len(corners) > MAX_FACES:
        raise NightmistError(f"{name} has {len(corners):,} triangles; at most {MAX_FACES:,} can be opened.")
    rows, index = np.unique(corners.reshape(-1, 3) + np.float32(0), axis=0, return_inverse=True)
    zeros = np.zeros(len(corners), np.int32)
    faces = index.reshape(-1, 3).astype(np.int32)
    return build_mesh(rows, faces, [], None, zeros, zeros.copy(), [SurfaceLook("surface")], ["part"], name)


def _is_binary(data: bytes) -> bool:
    # Binary files may begin with "solid" too; their count tells them apart.
    if len(data) >= HEAD and HEAD + int.from_bytes(data[80:84], "little") * RECORD.itemsize == len(data):
        return True
    return data.lstrip()[:5].lower() != b"solid"


def _binary(name: str, data: bytes) -> NDArray[np.float32]:
    if len(data) < HEAD:
        raise NightmistError(f"{name} is cut off: a binary STL has at least {HEAD} bytes, this one {len(data)}.")
    count = int.from_bytes(data[80:84], "little")
    if HEAD + count * RECORD.itemsize > len(data):
        raise NightmistError(f"{name} is cut off: it announces {count:,} triangles in {len(data):,} bytes.")
    return np.frombuffer(data, RECORD, count, HEAD)["corners"].astype(np.float32)


def _ascii(name: str, data: bytes) -> NDArray[np.float32]:
    found = re.findall(rb"vertex\s+(\S+)\s+(\S+)\s+(\S+)", data, re.IGNORECASE)
    if len(found) % 3 or data.rstrip().split(b"\n")[-1].strip()[:8].lower() != b"endsolid":
        raise NightmistError(f"{name} is cut off: it ends within a triangle or without 'endsolid'.")
    return np.array([[float(v) for v in vertex] for vertex in found], np.float32).reshape(-1, 3, 3)
