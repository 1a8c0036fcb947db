"""Marks where the map is to be cut: an edge, a whole loop, the border of faces."""

from __future__ import annotations

from collections import defaultdict
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from .mesh import Mesh
from .topology import Topology

Extent = Literal["edge", "loop"]


def edges_at(mesh: Mesh, face: int, side: int, extent: Extent) -> NDArray[np.int64]:
    """Edges of the topology: the one at a side of a face, or the loop that runs on from it both ways.

    A loop goes on over each vertex with four edges to the opposite one, until it closes or cannot; at an open
    border it follows the border.
    """
    topology = mesh.topology
    first = int(topology.edge[face, side])
    if extent == "edge":
        return np.array([first])
    rim = _open_edges(topology) if topology.neighbor[face, side] < 0 else None
    found = [first]
    for end in topology.ends[first]:
        edge, vertex = first, int(end)
        while (following := _following(topology, rim, edge, vertex)) is not None and following not in found:
            found.append(following)
            a, b = topology.ends[following]
            edge, vertex = following, int(b if a == vertex else a)
    return np.array(found)


def sides_of(mesh: Mesh, edges: NDArray[np.int64]) -> NDArray[np.int64]:
    """Sides (face · 3 + k) that lie at edges of the topology."""
    order, starts = mesh.topology.edge_sides
    return np.concatenate([order[starts[edge] : starts[edge + 1]] for edge in edges])


def border_of(mesh: Mesh, faces: NDArray[np.int64]) -> NDArray[np.int64]:
    """Edges between these faces and others."""
    topology = mesh.topology
    inside = np.zeros(len(mesh.faces), np.bool_)
    inside[faces] = True
    across = topology.neighbor[faces]
    rim = (across >= 0) & ~inside[np.maximum(across, 0)]
    return np.unique(topology.edge[faces][rim])


def with_seams(mesh: Mesh, edges: NDArray[np.int64], marked: bool) -> Mesh:
    """A copy in which these edges are seams, or are none any more."""
    topology = mesh.topology
    now = topology.edges_between(mesh.seams)
    after = np.union1d(now, edges) if marked else np.setdiff1d(now, edges)
    return mesh.changed(seams=topology.pairs_of(after))


def _opposite(topology: Topology, edge: int, vertex: int) -> int | None:
    """The polygon edge at a vertex that shares no polygon with `edge`, where four meet."""
    order, starts = topology.edge_sides
    polygons: dict[int, set[int]] = {}
    # Around the vertex, face by face, from the faces beside the edge.
    waiting = [int(s) // 3 for s in order[starts[edge] : starts[edge + 1]]]
    seen: set[int] = set()
    while waiting:
        face = waiting.pop()
        if face in seen:
            continue
        seen.add(face)
        for side in range(3):
            if vertex not in (topology.vertex[face, side], topology.vertex[face, (side + 1) % 3]):
                continue
            if not topology.inner[face, side]:
                polygons.setdefault(int(topology.edge[face, side]), set()).add(int(topology.polygon[face]))
            if (other := int(topology.neighbor[face, side])) >= 0:
                waiting.append(other)
    if len(polygons) != 4 or edge not in polygons:
        return None
    apart = [other for other, around in polygons.items() if other != edge and not around & polygons[edge]]
    return apart[0] if len(apart) == 1 else None


def _open_edges(topology: Topology) -> dict[int, list[int]]:
    """By vertex, the edges at it that only one face has."""
    found: defaultdict[int, list[int]] = defaultdict(list)
    for edge in np.flatnonzero(np.diff(topology.edge_sides[1]) == 1):
        for vertex in topology.ends[edge]:
            found[int(vertex)].append(int(edge))
    return found


def _following(topology: Topology, rim: dict[int, list[int]] | None, edge: int, vertex: int) -> int | None:
    """Where a loop goes on at a vertex: to the opposite edge or, on a rim, to the one other edge of it there."""
    if rim is None:
        return _opposite(topology, edge, vertex)
    others = [other for other in rim[vertex] if other != edge]
    return others[0] if len(others) == 1 else None
