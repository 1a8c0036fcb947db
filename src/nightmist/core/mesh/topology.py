"""Which faces meet where: welded vertices, edges, neighbors, and what is connected to what."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components


@dataclass
class Topology:
    """The mesh as a surface, whatever corners its file split.

    weld: (V,) int64, the number of each of the mesh's positions; those at one place share it. vertex: (F, 3)
    int64, the same by corner. edge: (F, 3) int64, the edge from corner k to
    k + 1. ends: (E, 2) int64, an edge's vertices, the lower first. neighbor, neighbor_side: (F, 3) int64, the
    face across side k and which of its sides that is; -1 at a border, where more than two faces meet, and where
    two faces are wound against each other. polygon: (F,) as in Mesh.
    """

    weld: NDArray[np.int64]
    vertex: NDArray[np.int64]
    edge: NDArray[np.int64]
    ends: NDArray[np.int64]
    neighbor: NDArray[np.int64]
    neighbor_side: NDArray[np.int64]
    polygon: NDArray[np.int32]

    @cached_property
    def inner(self) -> NDArray[np.bool_]:
        """(F, 3): sides that exist only because a polygon was cut into triangles."""
        across = self.polygon[np.maximum(self.neighbor, 0)]
        inner: NDArray[np.bool_] = (self.neighbor >= 0) & (across == self.polygon[:, None])
        return inner

    @cached_property
    def edge_sides(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Sides (face · 3 + k) sorted by edge, and where each edge's begin: (3F,), (E + 1,)."""
        flat = self.edge.ravel()
        order = np.argsort(flat, kind="stable")
        return order, np.searchsorted(flat[order], np.arange(len(self.ends) + 1))

    def edges_between(self, pairs: NDArray[np.int32]) -> NDArray[np.int64]:
        """Edges that join pairs (n, 2) of the mesh's positions, each once; pairs without an edge are left out."""
        welded = np.sort(self.weld[pairs.reshape(-1, 2)], axis=1)
        count = len(self.weld) + 1
        keys, wanted = self.ends[:, 0] * count + self.ends[:, 1], welded[:, 0] * count + welded[:, 1]
        at = np.minimum(np.searchsorted(keys, wanted), len(keys) - 1)
        return np.unique(at[keys[at] == wanted])

    def pairs_of(self, edges: NDArray[np.int64]) -> NDArray[np.int32]:
        """Pairs (n, 2) of positions that stand for edges; the opposite of `edges_between`."""
        first = np.full(int(self.weld.max()) + 1, -1, np.int64)
        first[self.weld[::-1]] = np.arange(len(self.weld))[::-1]
        pairs: NDArray[np.int32] = first[self.ends[edges]].astype(np.int32)
        return pairs

    def neighbors_among(self, faces: NDArray[np.int64]) -> NDArray[np.int64]:
        """(n, 3) faces across the sides of `faces`, (n,), as indices into them; -1 where none of them is there."""
        local = np.full(len(self.vertex), -1, np.int64)
        local[faces] = np.arange(len(faces))
        across = self.neighbor[faces]
        return np.where(across >= 0, local[np.maximum(across, 0)], -1)

    def components(self, joined: NDArray[np.bool_]) -> NDArray[np.int64]:
        """(F,) labels of faces connected over sides marked in `joined`, (F, 3); labels rise with the first face."""
        face, side = np.nonzero(joined & (self.neighbor >= 0))
        return connected(len(self.vertex), face, self.neighbor[face, side])


def connected(count: int, one: NDArray[np.int64], other: NDArray[np.int64]) -> NDArray[np.int64]:
    """(count,) labels of what pairs (one, other) connect; labels rise with the first member."""
    graph = coo_array((np.ones(len(one), np.int8), (one, other)), shape=(count, count))
    _, labels = connected_components(graph, directed=False)
    _, first, where = np.unique(labels, return_index=True, return_inverse=True)
    return np.argsort(np.argsort(first))[where].astype(np.int64)


def topology_of(weld: NDArray[np.int64], faces: NDArray[np.int32], polygon: NDArray[np.int32]) -> Topology:
    """Edges and neighbors of faces (F, 3), whose positions have the numbers of `weld`, (V,)."""
    vertex = weld[faces]
    start, end = vertex, np.roll(vertex, -1, axis=1)
    low, high = np.minimum(start, end), np.maximum(start, end)
    count = int(vertex.max()) + 1 if len(vertex) else 0
    keys, edge, uses = np.unique((low * count + high).ravel(), return_inverse=True, return_counts=True)
    edge = edge.reshape(-1, 3)
    neighbor = np.full(edge.shape, -1, np.int64)
    neighbor_side = np.full(edge.shape, -1, np.int64)
    order = np.argsort(edge.ravel(), kind="stable")
    first = np.searchsorted(edge.ravel()[order], np.flatnonzero(uses == 2))
    one, other = order[first], order[first + 1]
    # Faces that agree on what is outside run along their common edge in opposite directions.
    agree = start.ravel()[one] == end.ravel()[other]
    one, other = one[agree], other[agree]
    neighbor.ravel()[one], neighbor.ravel()[other] = other // 3, one // 3
    neighbor_side.ravel()[one], neighbor_side.ravel()[other] = other % 3, one % 3
    ends = np.column_stack([keys // max(count, 1), keys % max(count, 1)])
    return Topology(weld, vertex, edge, ends, neighbor, neighbor_side, polygon)


def linked_surfaces(topology: Topology, face_surface: NDArray[np.int32]) -> dict[int, tuple[int, ...]]:
    """By number of a surface with faces, those that edges lead to from it, and itself. face_surface: (F,), see Mesh."""
    numbers = np.unique(face_surface)
    place = np.searchsorted(numbers, face_surface)
    across = topology.neighbor
    pairs = place[:, None] * len(numbers) + place[np.maximum(across, 0)]
    one, other = np.divmod(np.unique(pairs[across >= 0]), len(numbers))
    label = connected(len(numbers), one, other)
    groups = [tuple(numbers[label == each].tolist()) for each in range(int(label.max()) + 1)]
    return {number: group for group in groups for number in group}


def joined_in_map(
    topology: Topology, uv: NDArray[np.float32], tolerance: float = 1e-6, faces: NDArray[np.int64] | None = None
) -> NDArray[np.bool_]:
    """(F, 3): sides over which the UVs, (F, 3, 2), continue; (n, 3) when n faces are asked for."""
    pick = slice(None) if faces is None else faces
    neighbor, here = topology.neighbor[pick], uv[pick]
    other, side = np.maximum(neighbor, 0), np.maximum(topology.neighbor_side[pick], 0)
    there = np.roll(here, -1, axis=1)
    with np.errstate(invalid="ignore"):
        starts = np.abs(here - uv[other, (side + 1) % 3]).max(axis=2) <= tolerance
        ends = np.abs(there - uv[other, side]).max(axis=2) <= tolerance
    joined: NDArray[np.bool_] = (neighbor >= 0) & starts & ends
    return joined


def islands_of(topology: Topology, uv: NDArray[np.float32], faces: NDArray[np.int64]) -> NDArray[np.int64]:
    """(n,) UV islands among the faces of one surface, beyond which no island reaches; labels rise with the first face.

    uv: (F, 3, 2) of all faces of the mesh.
    """
    local = np.full(len(topology.vertex), -1, np.int64)
    local[faces] = np.arange(len(faces))
    across = local[np.maximum(topology.neighbor[faces], 0)]
    face, side = np.nonzero(joined_in_map(topology, uv, faces=faces) & (across >= 0))
    return connected(len(faces), face, across[face, side])


def islands_everywhere(topology: Topology, uv: NDArray[np.float32], group: NDArray[np.integer]) -> NDArray[np.int64]:
    """(F,) UV islands of all faces of a mesh at once, none of which reaches beyond its group; labels rise with the
    first face.

    uv: (F, 3, 2), of each face as it lies in its own map. group: (F,) number of its surface.
    """
    same = group[:, None] == group[np.maximum(topology.neighbor, 0)]
    return topology.components(joined_in_map(topology, uv) & same)
