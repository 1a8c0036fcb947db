"""The tide-gauge cabinet: a box on a plinth, as it came from a workshop that did not care for UVs."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..core.mesh import Mesh, SurfaceLook
from ..core.mesh.mesh import build_mesh
from .shapes import Patch, Vectors, disc, tube, turned

Point = tuple[float, float, float]


def tide_gauge_cabinet() -> Mesh:
    """About three thousand triangles, two surfaces; sides share texels, lie mirrored, outside, and stretched."""
    steel = [*_box("cabinet", (0, 0.95, 0), (0.8, 1.3, 0.5)), *_box("door", (0, 0.95, 0.26), (0.66, 1.12, 0.03))]
    steel += [*_box("roof", (0, 1.63, 0.03), (0.92, 0.06, 0.66)), *_box("plinth", (0, 0.15, 0), (0.7, 0.3, 0.42))]
    hinges = [tube("hinges", np.array([[-0.35, y, 0.285], [-0.35, y + 0.14, 0.285]]), 0.022, 20) for y in (0.55, 1.2)]
    pipe = [*turned("stilling well", [(0.09, 1.5), (0.09, 0.1)], 40, 16), disc("stilling well", 0.09, 1.5, 40, 2, True)]
    for patch in pipe:
        patch.points = patch.points + np.array([0.55, 0, -0.05])
    return _mesh([("cabinet", (0.12, 0.27, 0.25), steel), ("fittings", (0.5, 0.5, 0.5), [*hinges, *pipe])])


def _box(
    part: str, center: tuple[float, float, float], size: tuple[float, float, float], cells: int = 6
) -> list[Patch]:
    s = np.linspace(-0.5, 0.5, cells + 1)
    x, y = np.meshgrid(s, -s)
    sides = []
    for axis in range(3):
        for sign in (1, -1):
            out, up = np.zeros(3), np.zeros(3)
            out[axis] = sign
            up[1 if axis != 1 else 2] = 1 if axis != 1 else -sign
            right = np.cross(up, out)
            points = (out / 2 + x[..., None] * right + y[..., None] * up) * size + center
            sides.append(Patch(part, points, 1.0, 1.0))
    return sides


def _mesh(surfaces: list[tuple[str, tuple[float, float, float], list[Patch]]]) -> Mesh:
    positions: list[Vectors] = []
    faces: list[NDArray[np.int64]] = []
    uvs: list[Vectors] = []
    face_surface: list[int] = []
    face_part: list[int] = []
    parts: list[str] = []
    count = 0
    for number, (_, _, patches) in enumerate(surfaces):
        for k, patch in enumerate(patches):
            if patch.part not in parts:
                parts.append(patch.part)
            rows, columns = patch.points.shape[0] - 1, patch.points.shape[1] - 1
            index = np.arange((rows + 1) * (columns + 1)).reshape(rows + 1, columns + 1)
            a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
            grid = np.stack([np.stack([a, b, c], -1), np.stack([a, c, d], -1)], 2).reshape(-1, 3)
            u, v = np.meshgrid(np.linspace(0, 1, columns + 1), np.linspace(0, 1, rows + 1))
            flat = _careless(np.stack([u, v], 2), number, k)
            positions.append(patch.points.reshape(-1, 3))
            faces.append(grid + count)
            uvs.append(flat.reshape(-1, 2)[grid])
            face_surface += [number] * len(grid)
            face_part += [parts.index(patch.part)] * len(grid)
            count += len(positions[-1])
    points = (np.round(np.concatenate(positions), 6) + 0).astype(np.float32)
    looks = [SurfaceLook(name, color, 0.55, 0.0) for name, color, _ in surfaces]
    return build_mesh(
        points, np.concatenate(faces).astype(np.int32), [np.concatenate(uvs).astype(np.float32)], None,
        np.array(face_surface, np.int32), np.array(face_part, np.int32), looks, parts, "The tide-gauge cabinet",
    )  # fmt: skip


def _careless(uv: Vectors, surface: int, patch: int) -> Vectors:
    """Every side on the same few places, whatever its shape; some mirrored, one pushed out of the map."""
    if surface == 1:
        return uv * [0.46, 0.9] + [0.02 + 0.5 * (patch % 2), 0.05]
    if patch % 4 == 1:
        uv = np.stack([1 - uv[..., 0], uv[..., 1]], 2)
    placed: Vectors = uv * [0.3, 0.44] + [0.02 + 0.33 * (patch % 3), 0.03 + 0.48 * (patch % 2)]
    return placed + np.array([0.25, 0]) if patch == 5 else placed
