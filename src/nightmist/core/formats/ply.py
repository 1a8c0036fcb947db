"""PLY in, by the library plyfile: vertices, polygons, and UVs where the file has them."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray
from plyfile import PlyData, PlyParseError

from ..errors import NightmistError
from ..mesh.look import SurfaceLook
from ..mesh.mesh import MAX_FACES, Mesh, build_mesh
from ..mesh.polygons import cut_polygon, cut_strip

UV_NAMES = (("s", "t"), ("u", "v"), ("texture_u", "texture_v"))


def read_ply(name: str, data: bytes) -> Mesh:
    """A model of one part and one surface. PLY's v points up, as OBJ's."""
    try:
        # The header's counts are not to be believed before the size of the file has been compared with them.
        header = data[: data.find(b"end_header")].decode("ascii", "replace")
        counts = [int(line.split()[2]) for line in header.splitlines() if line.startswith("element ")]
        if sum(counts) > len(data):
            raise NightmistError(f"{name} is cut off: it announces {sum(counts):,} items in {len(data):,} bytes.")
        ply = PlyData.read(io.BytesIO(data), mmap=False)
    except (PlyParseError, UnicodeDecodeError, MemoryError) as error:
        raise NightmistError(f"{name} is damaged and cannot be read: {error}.") from error
    elements = {element.name: element.data for element in ply.elements}
    if "vertex" not in elements or not elements.keys() & {"face", "tristrips"}:
        raise NightmistError(f"{name} holds points only; a model with faces is needed.")
    vertex, face = elements["vertex"], elements["face" if "face" in elements else "tristrips"]
    positions = np.column_stack([vertex[axis] for axis in "xyz"]).astype(np.float32)
    key = "vertex_indices" if "vertex_indices" in (face.dtype.names or ()) else "vertex_index"
    polygons = list(face[key])
    if "face" not in elements:
        polygons = [triangle for strip in polygons for triangle in _of_strip(strip)]
    corners, source = _triangles(name, positions, polygons)
    uvs = []
    names = vertex.dtype.names or ()
    for u, v in UV_NAMES:
        if u in names and v in names:
            pair = np.column_stack([vertex[u], 1.0 - vertex[v]]).astype(np.float32)
            uvs = [pair[np.clip(corners, 0, len(pair) - 1)]]
            break
    if "texcoord" in (face.dtype.names or ()):
        uvs = [_corner_uvs(list(face["texcoord"]), source)]
    normals = None
    if {"nx", "ny", "nz"} <= set(names):
        each = np.column_stack([vertex[axis] for axis in ("nx", "ny", "nz")]).astype(np.float32)
        normals = each[np.clip(corners, 0, len(each) - 1)]
    zeros = np.zeros(len(corners), np.int32)
    polygon = source[:, 0].astype(np.int32)
    looks = [SurfaceLook("surface")]
    made = build_mesh(positions, corners, uvs, normals, zeros, zeros.copy(), looks, ["part"], name, polygon)
    colored = [what for what, element in (("vertex", vertex), ("face", face)) if "red" in (element.dtype.names or ())]
    made.notes += [f"Not read here and left out: {what} colors." for what in colored]
    return made


def _of_strip(strip: NDArray[np.int32]) -> list[NDArray[np.int64]]:
    """Triangles of strips as scanners wrote them, with -1 between two; corners said twice, to turn one, give none."""
    cuts = np.flatnonzero(strip < 0)
    found = np.concatenate([cut_strip(part[part >= 0].astype(np.int64)) for part in np.split(strip, cuts)])
    return list(found[(found != np.roll(found, 1, axis=1)).all(axis=1)])


def _triangles(
    name: str, positions: NDArray[np.float32], polygons: list[NDArray[np.int32]]
) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
    """Triangles (F, 3) of polygons, and for each where it comes from: polygon, and its three corners there."""
    triangles, source = [], []
    for number, polygon in enumerate(polygons):
        if len(polygon) < 3:
            continue
        if len(polygon) > 3 and (polygon.min() < 0 or polygon.max() >= len(positions)):
            raise NightmistError(
                f"{name} is damaged: a face points at vertex {polygon.max()}, but there are {len(positions)}."
            )
        cut = [(0, 1, 2)] if len(polygon) == 3 else cut_polygon(positions[polygon].astype(np.float64))
        for a, b, c in cut:
            triangles.append((polygon[a], polygon[b], polygon[c]))
            source.append((number, a, b, c))
        if len(triangles) > MAX_FACES:
            raise NightmistError(f"{name} has more than {MAX_FACES:,} triangles. Reduce the mesh first.")
    return np.array(triangles, np.int64).reshape(-1, 3).astype(np.int32), np.array(source, np.int64).reshape(-1, 4)


def _corner_uvs(lists: list[NDArray[np.float32]], source: NDArray[np.int64]) -> NDArray[np.float32]:
    uvs = np.full((len(source), 3, 2), np.nan, np.float32)
    for f, (polygon, *corners) in enumerate(source):
        flat = np.asarray(lists[polygon], np.float32)
        if len(flat) >= 2 * max(corners) + 2:
            uvs[f] = flat[: len(flat) // 2 * 2].reshape(-1, 2)[corners]
    uvs[..., 1] = 1.0 - uvs[..., 1]
    return uvs
