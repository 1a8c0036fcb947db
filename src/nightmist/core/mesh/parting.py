"""Parts islands that lie over themselves when flat."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import dijkstra

from .mesh import Mesh


def part_islands(
    mesh: Mesh,
    faces: NDArray[np.int64],
    island: NDArray[np.int64],
    first: NDArray[np.int64],
    second: NDArray[np.int64],
) -> NDArray[np.int64]:
    """(n,) labels of connected parts of islands, in none of which both faces of a pair (first, second) are.

    island: (n,) of `faces`, (n,); pairs are indices into `faces`. A part is halved between the two faces of a pair
    that are farthest from each other in space, until no pair is left together. Labels of whole islands stay.
    """
    middles = mesh.corners[faces].mean(axis=1)
    neighbor = mesh.topology.neighbors_among(faces)
    label = island.copy()
    unique = np.unique(np.stack([first, second], 1), axis=0)
    first, second = unique[unique[:, 0] != unique[:, 1]].T
    apart = np.linalg.norm(middles[first] - middles[second], axis=1)
    together = label[first] == label[second]
    while together.any():
        pairs = np.flatnonzero(together)
        # One pair of each part: of those together, the one farthest apart.
        pairs = pairs[np.lexsort((-apart[pairs], label[first[pairs]]))]
        pairs = pairs[np.unique(label[first[pairs]], return_index=True)[1]]
        for pair in pairs:
            members = np.flatnonzero(label == label[first[pair]])
            label[_nearer(neighbor, middles, members, second[pair], first[pair])] = int(label.max()) + 1
        together = label[first] == label[second]
    return label


def _nearer(
    neighbor: NDArray[np.int64], middles: NDArray[np.float64], members: NDArray[np.int64], one: int, other: int
) -> NDArray[np.int64]:
    """Those of connected `members` that are nearer to face `one` than to `other`, along the surface."""
    inside = np.full(len(neighbor), -1, np.int64)
    inside[members] = np.arange(len(members))
    across = np.where(neighbor[members] >= 0, inside[neighbor[members]], -1)
    face, side = np.nonzero(across >= 0)
    across = across[face, side]
    length = np.linalg.norm(middles[members[face]] - middles[members[across]], axis=1) + 1e-300
    graph = coo_array((length, (face, across)), shape=(len(members), len(members))).tocsr()
    _, _, nearest = dijkstra(
        graph, directed=False, indices=inside[[one, other]], return_predecessors=True, min_only=True
    )
    near: NDArray[np.int64] = members[nearest == inside[one]]
    return near
