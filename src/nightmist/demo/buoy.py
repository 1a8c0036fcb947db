"""The lantern buoy: a turned hull, a cage of bars and rings, and the lantern on top. Units are meters."""

from __future__ import annotations

import numpy as np

from ..core.mesh import Mesh, SurfaceLook
from ..core.mesh.mesh import build_mesh, smooth_normals
from .shapes import Patch, Vectors, disc, pack, tube, turned

MARGIN = 12 / 2048


def lantern_buoy() -> Mesh:
    """About twenty thousand triangles, three surfaces, UVs in 0-1 without overlap."""
    surfaces = [
        (SurfaceLook("hull", (0.62, 0.62, 0.60), 0.55, 0.0), _hull()),
        (SurfaceLook("cage", (0.80, 0.80, 0.78), 0.50, 0.0), _cage()),
        (SurfaceLook("lantern", (0.05, 0.11, 0.12), 0.25, 0.0), _lantern()),
    ]
    positions: list[Vectors] = []
    faces, uvs, face_surface, face_part = [], [], [], []
    parts: list[str] = []
    count = 0
    for number, (_, patches) in enumerate(surfaces):
        for patch, (left, upper, scale) in zip(patches, pack(patches, MARGIN), strict=True):
            if patch.part not in parts:
                parts.append(patch.part)
            grid, flat = _grid(patch, left, upper, scale)
            positions.append(patch.points.reshape(-1, 3))
            faces.append(grid + count)
            uvs.append(flat.reshape(-1, 2)[grid])
            face_surface += [number] * len(grid)
            face_part += [parts.index(patch.part)] * len(grid)
            count += patch.points.shape[0] * patch.points.shape[1]
    # Coordinates on a fine lattice: seam corners meet exactly, so that normals are smooth across.
    points = np.round(np.concatenate(positions), 7).astype(np.float32) + np.float32(0)
    mesh = build_mesh(
        points,
        np.concatenate(faces).astype(np.int32),
        [np.concatenate(uvs).astype(np.float32)],
        None,
        np.array(face_surface, np.int32),
        np.array(face_part, np.int32),
        [look for look, _ in surfaces],
        parts,
        "The lantern buoy",
    )
    mesh.normals = smooth_normals(mesh, crease=35).astype(np.float32)
    mesh.notes.clear()
    return mesh


def _hull() -> list[Patch]:
    return [
        *turned("deck", [(0.30, 0.62), (0.42, 0.50), (0.43, 0.46)], 96, 6),
        *turned("upper cone", [(0.43, 0.46), (0.86, 0.22), (0.90, 0.14)], 96, 10, pieces=4),
        *turned("belt", [(0.90, 0.14), (0.90, -0.16)], 96, 8, pieces=4),
        *turned("lower cone", [(0.90, -0.16), (0.84, -0.28), (0.30, -0.74)], 96, 14, pieces=4),
        disc("foot", 0.30, -0.74, 96, 6, up=False),
        disc("deck plate", 0.30, 0.62, 96, 6, up=True),
        _lug(0.0),
        _lug(np.pi),
    ]


def _lug(turn: float) -> Patch:
    """A lifting eye: half a ring standing on the deck's slope."""
    a = np.linspace(-0.15, np.pi + 0.15, 25)
    path = np.column_stack([0.13 * np.cos(a), 0.385 + 0.13 * np.sin(a), np.full_like(a, 0.545)])
    c, s = np.cos(turn), np.sin(turn)
    return tube("lifting eye", path @ np.array([[c, 0, -s], [0, 1, 0], [s, 0, c]]), 0.028, 14)


def _cage() -> list[Patch]:
    bars = []
    for k in range(6):
        turn = 2 * np.pi * k / 6 + np.pi / 6
        t = np.linspace(0, 1, 19)[:, None]
        foot = np.array([0.345 * np.sin(turn), 0.53, 0.345 * np.cos(turn)])
        head = np.array([0.20 * np.sin(turn), 1.55, 0.20 * np.cos(turn)])
        bars.append(tube("bars", foot + (head - foot) * t, 0.024, 16))
    rings = []
    for y, radius in ((0.86, 0.30), (1.20, 0.25)):
        a = np.linspace(0, 2 * np.pi, 73)
        ring = np.column_stack([radius * np.sin(a), np.full_like(a, y), radius * np.cos(a)])
        ring[-1] = ring[0]
        rings.append(tube("rings", ring, 0.018, 14))
    plate = turned("top plate", [(0.235, 1.58), (0.24, 1.575), (0.24, 1.545), (0.235, 1.54)], 72, 6)
    return [
        *bars,
        *rings,
        *plate,
        disc("top plate", 0.235, 1.58, 72, 4, up=True),
        disc("top plate", 0.235, 1.54, 72, 4, up=False),
    ]


def _lantern() -> list[Patch]:
    return [
        *turned("base", [(0.17, 1.64), (0.185, 1.63), (0.185, 1.59), (0.185, 1.58)], 72, 5),
        *turned("glass", [(0.145, 1.86), (0.145, 1.64)], 72, 8),
        *turned(
            "hood",
            [(0.02, 2.02), (0.08, 2.0), (0.14, 1.95), (0.175, 1.88), (0.18, 1.86)],
            72,
            12,
            smooth=True,
        ),
        disc("hood", 0.18, 1.86, 64, 3, up=False),
        disc("hood", 0.02, 2.02, 64, 2, up=True),
        disc("base", 0.17, 1.64, 64, 3, up=True),
    ]


def _grid(patch: Patch, left: float, top: float, scale: float) -> tuple[np.ndarray, Vectors]:
    """Triangles of a patch's grid, and its points' UVs."""
    rows, columns = patch.points.shape[0] - 1, patch.points.shape[1] - 1
    index = np.arange((rows + 1) * (columns + 1)).reshape(rows + 1, columns + 1)
    a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
    triangles = np.stack([np.stack([a, b, c], -1), np.stack([a, c, d], -1)], 2).reshape(-1, 3)
    if patch.rounded is not None:
        flat = patch.rounded
    else:
        run = np.linalg.norm(np.diff(patch.points, axis=0), axis=2).mean(axis=1)
        v = np.concatenate([[0], np.cumsum(run)]) / run.sum()
        u = np.linspace(0, 1, columns + 1)
        flat = np.stack(np.broadcast_arrays(u[None, :], v[:, None]), axis=2)
    return triangles, np.array([left, top]) + flat * np.array([patch.width, patch.height]) * scale
