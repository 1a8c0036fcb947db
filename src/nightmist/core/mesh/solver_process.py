"""Runs xatlas and libigl in a process of its own: both hold Python's lock for seconds, and cannot be stopped.

Run as a script, with pickled tasks on standard input and their pickled results on standard output, so that
nothing else of the application is loaded. It ends with its input, or when nothing was asked for a while.
`solvers.py` is the other end.
"""

from __future__ import annotations

import os
import pickle
import select
import sys
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array, diags_array
from scipy.sparse.csgraph import dijkstra
from scipy.sparse.linalg import splu

#: Iterations of the distortion minimizer, at most and at once; it stops when these gain less than GAIN.
ROUNDS, AT_ONCE, GAIN = 60, 4, 0.003
#: Stretch (ratio of a face's singular values) above which a piece is slit, how often, and iterations after that.
STRETCH, SLITS, ROUNDS_AFTER = 7.5, 8, 40

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
    """(M, 3, 2) UVs for each piece, which must be a disk: without folds, then with as little distortion as can be.

    Where paint would be stretched more than STRETCH times, the piece is slit from its rim to that place.
    """
    import igl

    found = []
    for points, faces in pieces:
        if len(faces) == 1:
            found.append(_single(points[faces[0]])[None])
            continue
        flat = _relaxed(points, faces, _unfolded(points, faces))
        for _ in range(SLITS):
            paths = _slits(points, faces, flat)
            if paths is None:
                break
            points, faces, origin = igl.cut_mesh(points, faces, paths)
            flat = _relaxed(points, faces, flat[origin], ROUNDS_AFTER)
        found.append(flat[faces])
    return found


def _unfolded(points: NDArray[np.float64], faces: NDArray[np.int64]) -> NDArray[np.float64]:
    """(N, 2): conformal by least squares (Lévy et al. 2002) when that folds nothing, else onto a circle."""
    import igl

    loop = np.asarray(igl.boundary_loop(faces), np.int64)
    rim = points[loop]
    # Two pins far apart: the conformal map is free but for place, turn and scale.
    first = int(np.argmax(np.linalg.norm(rim - rim[0], axis=1)))
    second = int(np.argmax(np.linalg.norm(rim - rim[first], axis=1)))
    pins = np.array([loop[first], loop[second]])
    span = float(np.linalg.norm(rim[first] - rim[second])) or 1.0
    flat: NDArray[np.float64] = np.asarray(igl.lscm(points, faces, pins, np.array([[0.0, 0.0], [span, 0.0]]))[0])
    if not np.isfinite(flat).all() or (_areas(flat, faces) <= 0).any():
        flat = _on_circle(points, faces, loop)
    unit: NDArray[np.float64] = flat * np.sqrt(
        _true_areas(points, faces).sum() / max(float(np.abs(_areas(flat, faces)).sum()), 1e-300)
    )
    return unit


def _on_circle(points: NDArray[np.float64], faces: NDArray[np.int64], loop: NDArray[np.int64]) -> NDArray[np.float64]:
    """(N, 2): the rim on a circle, all else a mean of its neighbors with weights above zero, so that nothing can fold.

    Tutte 1963, with the mean value coordinates of Floater 2003.
    """
    rim = points[loop]
    step = np.linalg.norm(np.roll(rim, -1, axis=0) - rim, axis=1)
    angle = 2 * np.pi * (np.cumsum(step) - step) / max(float(step.sum()), 1e-300)
    flat = np.zeros((len(points), 2))
    flat[loop] = np.stack([np.cos(angle), np.sin(angle)], 1)
    rows, columns, weights = [], [], []
    for corner in range(3):
        i, j, k = faces[:, corner], faces[:, (corner + 1) % 3], faces[:, (corner + 2) % 3]
        one, other = points[j] - points[i], points[k] - points[i]
        a, b = np.linalg.norm(one, axis=1) + 1e-300, np.linalg.norm(other, axis=1) + 1e-300
        # The tangent of half the angle at i; bounded, for faces without an area.
        half = np.linalg.norm(np.cross(one, other), axis=1) / np.maximum(
            a * b + (one * other).sum(axis=1), 1e-6 * a * b
        )
        half = np.maximum(half, 1e-6)
        rows += [i, i]
        columns += [j, k]
        weights += [half / a, half / b]
    shape = (len(points), len(points))
    weight = coo_array((np.concatenate(weights), (np.concatenate(rows), np.concatenate(columns))), shape=shape).tocsr()
    inner = np.setdiff1d(np.arange(len(points)), loop)
    if len(inner):
        balance = (diags_array(np.asarray(weight.sum(axis=1)).ravel()) - weight).tocsr()[inner]
        solver = splu(balance[:, inner].tocsc())
        pull = -(balance[:, loop] @ flat[loop])
        flat[inner] = np.stack([solver.solve(np.ascontiguousarray(pull[:, c])) for c in range(2)], 1)
    return flat


def _relaxed(
    points: NDArray[np.float64], faces: NDArray[np.int64], flat: NDArray[np.float64], rounds: int = ROUNDS
) -> NDArray[np.float64]:
    """Symmetric Dirichlet energy by SLIM (Rabinovich et al. 2017), as long as that gains something."""
    import igl

    if (_areas(flat, faces) <= 0).any():
        return flat
    true = _true_areas(points, faces)
    if true.min() < 1e-9 * true.max():
        # The energy of a face without area is infinite; moved a little, it is only large.
        points = points + np.random.default_rng(1).normal(0, 1e-3 * np.sqrt(true.mean()), points.shape)
        true = _true_areas(points, faces)
    data = igl.slim_precompute(
        np.asfortranarray(points), np.asfortranarray(faces.astype(np.int32)), np.asfortranarray(flat),
        igl.MappingEnergyType.SYMMETRIC_DIRICHLET, np.zeros(0, np.int32), np.zeros((0, 2), order="F"), 0.0,
    )  # fmt: skip
    before = np.inf
    for _ in range(rounds // AT_ONCE):
        better: NDArray[np.float64] = np.asarray(igl.slim_solve(data, AT_ONCE))[:, :2]
        if not np.isfinite(better).all() or (_areas(better, faces) <= 0).any():
            break
        flat = better
        large, small = singular_values(points, faces, flat)
        energy = float((true * (large**2 + small**2 + large**-2 + small**-2)).sum() / true.sum())
        if energy > before * (1 - GAIN) and float((large / small).max()) < STRETCH:
            break
        before = energy
    return flat


def _slits(
    points: NDArray[np.float64], faces: NDArray[np.int64], flat: NDArray[np.float64]
) -> NDArray[np.bool_] | None:
    """(M, 3): sides along the shortest ways from places stretched too much to the rim; None when there are none."""
    large, small = singular_values(points, faces, flat)
    bad = np.flatnonzero(large > STRETCH * small)
    if not len(bad):
        return None
    start, end = faces, np.roll(faces, -1, axis=1)
    keys, uses = np.unique(np.minimum(start, end) * len(points) + np.maximum(start, end), return_counts=True)
    one, other = keys // len(points), keys % len(points)
    length = np.linalg.norm(points[one] - points[other], axis=1) + 1e-12
    graph = coo_array((length, (one, other)), shape=(len(points), len(points))).tocsr()
    rim = np.unique(np.concatenate([one[uses == 1], other[uses == 1]]))
    _, before, _ = dijkstra(graph, directed=False, indices=rim, return_predecessors=True, min_only=True)
    wanted = set()
    for vertex in np.unique(faces[bad]).tolist():
        while before[vertex] >= 0:
            wanted.add(min(vertex, before[vertex]) * len(points) + max(vertex, before[vertex]))
            vertex = int(before[vertex])
    cut: NDArray[np.bool_] = np.isin(
        np.minimum(start, end) * len(points) + np.maximum(start, end), np.array(sorted(wanted), np.int64)
    )
    return cut if cut.any() else None


def _true_areas(points: NDArray[np.float64], faces: NDArray[np.int64]) -> NDArray[np.float64]:
    a, b, c = points[faces[:, 0]], points[faces[:, 1]], points[faces[:, 2]]
    areas: NDArray[np.float64] = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2
    return areas


def singular_values(
    points: NDArray[np.float64], faces: NDArray[np.int64], flat: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(M,) largest and smallest stretch of faces from space into the map."""
    a, b, c = points[faces[:, 0]], points[faces[:, 1]], points[faces[:, 2]]
    side = np.maximum(np.linalg.norm(b - a, axis=1), 1e-300)
    along = ((c - a) * (b - a)).sum(axis=1) / side
    away = np.maximum(2 * _true_areas(points, faces) / side, 1e-300)
    p, q = flat[faces[:, 1]] - flat[faces[:, 0]], flat[faces[:, 2]] - flat[faces[:, 0]]
    # Columns of the Jacobian, along the first side and at right angles to it.
    u = p / side[:, None]
    v = (q - u * along[:, None]) / away[:, None]
    middle = ((u * u).sum(1) + (v * v).sum(1)) / 2
    area = np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0])
    large = np.sqrt(middle + np.sqrt(np.maximum(middle**2 - area**2, 0)))
    return large, np.maximum(area / np.maximum(large, 1e-300), 1e-300)


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
#: Seconds without a task after which the process ends.
IDLE = 180


def serve() -> None:
    """Answer one task after the other."""
    import igl  # noqa: F401 - loaded before the first task comes
    import xatlas  # noqa: F401

    # Libraries print to standard output; results must stay apart from that.
    results = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    while select.select([sys.stdin], [], [], IDLE)[0]:
        try:
            task, pieces = pickle.load(sys.stdin.buffer)
        except EOFError:
            return
        pickle.dump(TASKS[task](pieces), results, protocol=5)
        results.flush()


if __name__ == "__main__":
    serve()
