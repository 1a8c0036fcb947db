"""Runs xatlas and libigl in a process of its own: both hold Python's lock for seconds, and cannot be stopped.

Run as a script, with a pickled task on standard input and its pickled result on standard output, so that
nothing else of the application is loaded. `solvers.py` is the other end.
"""

from __future__ import annotations

import pickle
import sys
from typing import Any

import numpy as np
from numpy.typing import NDArray

#: Iterations of the distortion minimizer: more change a flattened piece by less than a texel.
ROUNDS = 12

Piece = tuple[NDArray[np.float64], NDArray[np.int64]]


def charts(pieces: list[Piece]) -> list[NDArray[np.float64]]:
    """(M, 3, 2) UVs for each piece of (N, 3) points and (M, 3) faces, cut into charts by xatlas; not packed."""
    import xatlas

    atlas = xatlas.Atlas()
    for points, faces in pieces:
        atlas.add_mesh(points.astype(np.float32), faces.astype(np.uint32))
    pack = xatlas.PackOptions()
    pack.padding = 2
    atlas.generate(xatlas.ChartOptions(), pack)
    # UVs come divided by the atlas's sides, which differ.
    sides = np.array([atlas.width, atlas.height], np.float64)
    found = []
    for number in range(len(pieces)):
        _, corners, uvs = atlas.get_mesh(number)
        found.append(np.asarray(uvs, np.float64)[np.asarray(corners, np.int64)] * sides)
    return found


def flatten(pieces: list[Piece]) -> list[NDArray[np.float64]]:
    """(N, 2) UVs for each piece, which must be a disk: conformal, then with as little distortion as can be."""
    return [_flat(points, faces) for points, faces in pieces]


def _flat(points: NDArray[np.float64], faces: NDArray[np.int64]) -> NDArray[np.float64]:
    import igl

    if len(faces) == 1:
        alone: NDArray[np.float64] = _single(points[faces[0]])[np.argsort(faces[0])]
        return alone
    loop = np.asarray(igl.boundary_loop(faces), np.int64)
    rim = points[loop]
    # Two pins far apart: the conformal map is free but for place, turn and scale.
    first = int(np.argmax(np.linalg.norm(rim - rim[0], axis=1)))
    second = int(np.argmax(np.linalg.norm(rim - rim[first], axis=1)))
    pins = np.array([loop[first], loop[second]])
    span = float(np.linalg.norm(rim[first] - rim[second])) or 1.0
    flat: NDArray[np.float64] = np.asarray(igl.lscm(points, faces, pins, np.array([[0.0, 0.0], [span, 0.0]]))[0])
    area = _areas(flat, faces)
    if not np.isfinite(flat).all() or (area <= 0).any():
        # Onto a circle nothing can fold (Tutte 1963).
        circle = np.asarray(igl.map_vertices_to_circle(np.asfortranarray(points), loop.astype(np.int32)))
        flat = np.asarray(igl.harmonic(points, faces, loop, np.ascontiguousarray(circle), 1))
        area = _areas(flat, faces)
    a, b, c = points[faces[:, 0]], points[faces[:, 1]], points[faces[:, 2]]
    true = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2
    flat = flat * np.sqrt(true.sum() / max(float(np.abs(area).sum()), 1e-300))
    if (area <= 0).any() or true.min() < 1e-9 * true.max():
        return flat
    data = igl.slim_precompute(
        np.asfortranarray(points), np.asfortranarray(faces.astype(np.int32)), np.asfortranarray(flat),
        igl.MappingEnergyType.SYMMETRIC_DIRICHLET, np.zeros(0, np.int32), np.zeros((0, 2), order="F"), 0.0,
    )  # fmt: skip
    better: NDArray[np.float64] = np.asarray(igl.slim_solve(data, ROUNDS))[:, :2]
    return better if np.isfinite(better).all() and (_areas(better, faces) > 0).all() else flat


def _single(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """One triangle, as it is."""
    x = corners[1] - corners[0]
    length = np.linalg.norm(x)
    x = x / length
    other = corners[2] - corners[0]
    along = other @ x
    return np.array([[0, 0], [length, 0], [along, np.linalg.norm(other - along * x)]])


def _areas(flat: NDArray[np.float64], faces: NDArray[np.int64]) -> NDArray[np.float64]:
    e1, e2 = flat[faces[:, 1]] - flat[faces[:, 0]], flat[faces[:, 2]] - flat[faces[:, 0]]
    areas: NDArray[np.float64] = (e1[:, 0] * e2[:, 1] - e1[:, 1] * e2[:, 0]) / 2
    return areas


TASKS: dict[str, Any] = {"charts": charts, "flatten": flatten}

if __name__ == "__main__":
    # Libraries print to standard output; the result must stay apart from that.
    import os

    result = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    task, pieces = pickle.load(sys.stdin.buffer)
    pickle.dump(TASKS[task](pieces), result, protocol=5)
    result.close()
