"""Cuts pieces of a surface open until each is a disk, which can be laid flat."""

from __future__ import annotations

from itertools import pairwise

import igl
import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import dijkstra

from .topology import Topology, connected


def cut_vertices(topology: Topology, joined: NDArray[np.bool_], faces: NDArray[np.int64]) -> NDArray[np.int64]:
    """(len(faces), 3) vertices after cutting all sides that are not joined: corners are one across joined sides.

    joined: (F, 3) over all faces; only sides between two of `faces` count.
    """
    other = np.where(joined[faces], topology.neighbors_among(faces), -1)
    face, side = np.nonzero(other >= 0)
    other, across = other[face, side], topology.neighbor_side[faces][face, side]
    one = np.concatenate([face * 3 + side, face * 3 + (side + 1) % 3])
    two = np.concatenate([other * 3 + (across + 1) % 3, other * 3 + across])
    return connected(len(faces) * 3, one, two).reshape(-1, 3)


def cut_to_disks(
    topology: Topology,
    joined: NDArray[np.bool_],
    faces: NDArray[np.int64],
    places: NDArray[np.float64],
) -> int:
    """Clear sides in `joined`, (F, 3), until every piece of `faces` is a disk; returns how many cuts that took.

    places: (welded vertices, 3) positions; the cuts are short ones.
    """
    cuts = 0
    region = topology.components(joined)[faces]
    order = np.argsort(region, kind="stable")
    for members in np.split(order, np.flatnonzero(np.diff(region[order])) + 1):
        here = faces[members]
        for _ in range(64):
            mine = np.unique(cut_vertices(topology, joined, here), return_inverse=True)[1].reshape(-1, 3)
            path = _needed_cut(mine, places[topology.vertex[here]])
            if path is None:
                break
            cuts += 1
            _clear(topology, joined, here, mine, path)
    return cuts


def _needed_cut(faces: NDArray[np.int64], space: NDArray[np.float64]) -> list[list[int]] | None:
    """Paths of vertices along which a piece, (M, 3) faces, must be cut to come nearer to a disk; None for a disk."""
    if len(faces) == 1:
        return None
    sides = np.sort(np.stack([faces, np.roll(faces, -1, axis=1)], 2).reshape(-1, 2), axis=1)
    edges, uses = np.unique(sides, axis=0, return_counts=True)
    count = int(faces.max()) + 1
    euler = count - len(edges) + len(faces)
    loops = igl.boundary_loop_all(faces) if (uses == 1).any() else []
    if euler == 1 and len(loops) == 1:
        return None
    places = np.zeros((count, 3))
    places[faces.ravel()] = space.reshape(-1, 3)
    length = np.linalg.norm(places[edges[:, 0]] - places[edges[:, 1]], axis=1) + 1e-12
    graph = coo_array((length, (edges[:, 0], edges[:, 1])), shape=(count, count)).tocsr()
    if not loops and euler == 2:
        # A closed ball: from one end to the other.
        far = int(np.argmax(dijkstra(graph, directed=False, indices=np.array([0]))[0]))
        distances, befores = dijkstra(graph, directed=False, indices=np.array([far]), return_predecessors=True)
        return [_walk(befores[0], int(np.argmax(distances[0])))]
    if len(loops) > 1:
        distance, before, _ = dijkstra(
            graph, directed=False, indices=np.asarray(loops[0]), return_predecessors=True, min_only=True
        )
        others = np.concatenate([np.asarray(loop) for loop in loops[1:]])
        return [_walk(before, int(others[np.argmin(distance[others])]))]
    return [list(path) for path in igl.cut_to_disk(faces)]


def _walk(before: NDArray[np.int32], end: int) -> list[int]:
    path = [end]
    while before[path[-1]] >= 0:
        path.append(int(before[path[-1]]))
    return path


def _clear(
    topology: Topology,
    joined: NDArray[np.bool_],
    faces: NDArray[np.int64],
    local: NDArray[np.int64],
    paths: list[list[int]],
) -> None:
    """Part the sides of `faces` that run along paths of local vertices."""
    count = int(local.max()) + 1
    wanted = np.array([min(a, b) * count + max(a, b) for p in paths for a, b in pairwise(p)])
    start, end = local, np.roll(local, -1, axis=1)
    hit = np.isin(np.minimum(start, end) * count + np.maximum(start, end), wanted)
    for f, side in zip(*np.nonzero(hit), strict=True):
        face = faces[f]
        if joined[face, side]:
            joined[topology.neighbor[face, side], topology.neighbor_side[face, side]] = False
            joined[face, side] = False
