"""Bodies as scanners make them: rough at every scale, no UVs."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull

from nightmist.core.mesh import Mesh
from nightmist.core.mesh.look import SurfaceLook
from nightmist.core.mesh.mesh import build_mesh

Points = NDArray[np.float64]
Faces = NDArray[np.int64]

#: Blocks of the blocky body, as places on a lattice.
BLOCKS = [(0, 0, 0), (1, 0, 0), (2, 0, 0), (0, 1, 0), (1, 1, 0), (0, 2, 0), (0, 0, 1), (1, 0, 1)]
#: How much of its height each octave of the noise has of the one before.
GAIN = 0.85


def rough_ball(faces: int) -> Mesh:
    """About so many triangles between points spread evenly on a ball, and moved by noise."""
    count = faces // 2 + 2
    k = np.arange(count) + 0.5
    rise, turn = np.arccos(1 - 2 * k / count), np.pi * (1 + 5**0.5) * k
    points = np.stack([np.cos(turn) * np.sin(rise), np.sin(turn) * np.sin(rise), np.cos(rise)], 1)
    found = ConvexHull(points).simplices.astype(np.int64)
    a, b, c = points[found[:, 0]], points[found[:, 1]], points[found[:, 2]]
    inward = (np.cross(b - a, c - a) * (a + b + c)).sum(axis=1) < 0
    found[inward] = found[inward][:, ::-1]
    return _mesh(points * (1 + 0.15 * _noise(points, np.sqrt(14 / faces), 3))[:, None], found)


def rough_blocks(faces: int) -> Mesh:
    """About so many triangles on a stair of blocks, moved by noise."""
    sides = [
        (block, axis, far) for block in BLOCKS for axis in range(3) for far in (0, 1)
        if tuple(np.add(block, np.eye(3, dtype=int)[axis] * (2 * far - 1))) not in BLOCKS
    ]  # fmt: skip
    n = max(1, round(np.sqrt(faces / 2 / len(sides))))
    index = np.arange((n + 1) ** 2).reshape(n + 1, n + 1)
    a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
    quads = np.stack([np.stack([a, b, c], -1), np.stack([a, c, d], -1)], 2).reshape(-1, 3)
    places, corners = [], []
    for number, (block, axis, far) in enumerate(sides):
        grid = np.zeros((n + 1, n + 1, 3), np.int64)
        u, v = [k for k in range(3) if k != axis]
        grid[..., u], grid[..., v] = np.meshgrid(np.arange(n + 1), np.arange(n + 1), indexing="ij")
        places.append((grid + np.array(block) * n + np.eye(3, dtype=int)[axis] * far * n).reshape(-1, 3))
        outward = (far == 1) == (axis != 1)
        corners.append((quads if outward else quads[:, ::-1]) + number * (n + 1) ** 2)
    whole, weld = np.unique(np.concatenate(places), axis=0, return_inverse=True)
    found, points = weld.reshape(-1)[np.concatenate(corners)], whole / n - 1.0
    normals = np.zeros_like(points)
    cross = np.cross(points[found[:, 1]] - points[found[:, 0]], points[found[:, 2]] - points[found[:, 0]])
    for k in range(3):
        np.add.at(normals, found[:, k], cross)
    normals /= np.linalg.norm(normals, axis=1)[:, None]
    return _mesh(points + normals * (0.28 * _noise(points, 1 / n, 4))[:, None], found)


ROUGH_BODIES: dict[str, Callable[[int], Mesh]] = {"ball": rough_ball, "blocks": rough_blocks}


def _noise(points: Points, finest: float, seed: int) -> NDArray[np.float64]:
    """(n,) octaves of value noise from half a unit down to waves of length `finest`."""
    lattice = np.random.default_rng(seed).uniform(-1, 1, (64, 64, 64))
    total, frequency, height = np.zeros(len(points)), 2.0, 1.0
    while 1 / frequency > finest:
        total += height * _value_noise(points * frequency + 7.3 * frequency, lattice)
        frequency, height = frequency * 2, height * GAIN
    return total


def _value_noise(points: Points, lattice: Points) -> NDArray[np.float64]:
    """(n,): smooth between the lattice's numbers, which stand one unit apart and repeat."""
    base = np.floor(points).astype(np.int64)
    t = points - base
    t = t * t * (3 - 2 * t)
    out = np.zeros(len(points))
    for corner in np.ndindex(2, 2, 2):
        weight = np.where(np.array(corner) == 1, t, 1 - t).prod(axis=1)
        i = (base + np.array(corner)) % 64
        out += weight * lattice[i[:, 0], i[:, 1], i[:, 2]]
    return out


def _mesh(points: Points, faces: Faces) -> Mesh:
    zeros = np.zeros(len(faces), np.int32)
    return build_mesh(
        points.astype(np.float32), faces.astype(np.int32), [], None, zeros, zeros.copy(), [SurfaceLook("body")],
        ["body"], "body",
    )  # fmt: skip
