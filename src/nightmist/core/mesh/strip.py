"""A strip of four-sided faces straightened into an even grid whose widths follow real lengths."""

from __future__ import annotations

from collections import deque

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from .mesh import Mesh
from .topology import Topology


def straighten(
    mesh: Mesh, faces: NDArray[np.int64], leader: int | None = None, uv: NDArray[np.float32] | None = None
) -> NDArray[np.float64]:
    """(len(faces), 3, 2) UVs in model units: rows and columns of quads as straight bands.

    Each band is as wide as the mean real length of the edges across it. leader: a face from whose quad the grid
    spreads, the first quad unless given; it stays upright as it lies in `uv`, (F, 3, 2) with v down. Marked seams stay
    cuts; a ring of quads without one opens where the walk meets itself. Raises NightmistError unless all faces belong
    to quads.
    """
    topology = mesh.topology
    seam = np.zeros(len(topology.ends), np.bool_)
    seam[topology.edges_between(mesh.seams)] = True
    quads = _quads(topology, faces)
    by_face = {face: i for i, (pair, _) in enumerate(quads) for face in pair}
    across = _sides_across(topology, quads, by_face, seam)
    places = np.zeros((int(topology.weld.max()) + 1, 3))
    places[topology.weld] = mesh.positions
    cell: list[tuple[int, int] | None] = [None] * len(quads)
    first_side = [0] * len(quads)  # which side of the quad lies on top
    order = list(range(len(quads)))
    if leader is not None and leader in by_face:
        first = by_face[leader]
        order.insert(0, first)
        first_side[first] = 0 if uv is None else _top_side(topology, *quads[first], uv)
    islands = [_spread(seed, across, cell, first_side) for seed in order if cell[seed] is None]
    corners = np.empty((len(mesh.faces), 3, 2))
    offset = 0.0
    for island in islands:
        grid = np.array([cell[i] for i in island])
        base = grid.min(axis=0)
        widths, heights = _bands(island, quads, grid - base, first_side, places)
        x = offset + np.concatenate([[0], np.cumsum(widths)])
        y = np.concatenate([[0], np.cumsum(heights)])
        for i, (column, row) in zip(island, grid - base, strict=True):
            pair, ring = quads[i]
            # From the right end of the top side on, against the clock as faces are wound.
            spots = [(x[column + 1], y[row]), (x[column], y[row]), (x[column], y[row + 1]), (x[column + 1], y[row + 1])]
            turned = [ring[(first_side[i] + k) % 4] for k in range(4)]
            where = dict(zip(turned, spots, strict=True))
            for face in pair:
                corners[face] = [where[int(v)] for v in topology.vertex[face]]
        offset = float(x[-1]) + 2 * float(max(widths.max(), heights.max()))
    return corners[faces]


def _quads(topology: Topology, faces: NDArray[np.int64]) -> list[tuple[tuple[int, int], list[int]]]:
    """Pairs of triangles that make a quad, with its ring of four vertices."""
    chosen = set(faces.tolist())
    found: list[tuple[tuple[int, int], list[int]]] = []
    seen: set[int] = set()
    for face in faces.tolist():
        if face in seen:
            continue
        inner = np.flatnonzero(topology.inner[face])
        other = int(topology.neighbor[face, inner[0]]) if len(inner) == 1 else -1
        if other not in chosen or topology.inner[other].sum() != 1:
            raise NightmistError(
                "Only strips of four-sided faces can be straightened, and some picked faces have another number of"
                " sides. Pick the strip alone, or unwrap along seams."
            )
        side = int(inner[0])
        lone = int(topology.vertex[other, (topology.neighbor_side[face, side] + 2) % 3])
        a, b, c = (int(topology.vertex[face, (side + 1 + k) % 3]) for k in range(3))
        found.append(((face, other), [a, b, c, lone]))
        seen.update((face, other))
    return found


def _top_side(topology: Topology, pair: tuple[int, int], ring: list[int], uv: NDArray[np.float32]) -> int:
    """Which side of a quad lies on top in the map: the one that runs to the left most; the first without UVs."""
    place = {int(topology.vertex[face, k]): uv[face, k].astype(np.float64) for face in pair for k in range(3)}
    ways = np.array([place[ring[(k + 1) % 4]] - place[ring[k]] for k in range(4)])
    lengths = np.linalg.norm(ways, axis=1)
    if not np.isfinite(lengths).all() or lengths.min() <= 0:
        return 0
    return int(np.argmin(ways[:, 0] / lengths))


def _sides_across(
    topology: Topology,
    quads: list[tuple[tuple[int, int], list[int]]],
    by_face: dict[int, int],
    seam: NDArray[np.bool_],
) -> list[list[tuple[int, int] | None]]:
    """For each quad and each of its four sides: the quad across and which of its sides that is; none over a seam."""
    ring_side: dict[tuple[int, int, int], int] = {}
    for i, (_, ring) in enumerate(quads):
        for k in range(4):
            ring_side[i, ring[k], ring[(k + 1) % 4]] = k
    across: list[list[tuple[int, int] | None]] = [[None] * 4 for _ in quads]
    for i, (pair, _) in enumerate(quads):
        for face in pair:
            for side in range(3):
                a, b = int(topology.vertex[face, side]), int(topology.vertex[face, (side + 1) % 3])
                other = by_face.get(int(topology.neighbor[face, side]))
                if seam[topology.edge[face, side]]:
                    continue
                if other is not None and other != i and (i, a, b) in ring_side and (other, b, a) in ring_side:
                    across[i][ring_side[i, a, b]] = (other, ring_side[other, b, a])
    return across


#: Steps in the grid over the top, left, bottom and right side, in the order a quad's ring runs.
STEPS = ((0, -1), (-1, 0), (0, 1), (1, 0))


def _spread(
    seed: int,
    across: list[list[tuple[int, int] | None]],
    cell: list[tuple[int, int] | None],
    first_side: list[int],
) -> list[int]:
    """Give each quad that can be reached its cell, breadth first; a cell is given once."""
    cell[seed] = (0, 0)
    taken = {(0, 0)}
    island = [seed]
    waiting = deque([seed])
    while waiting:
        i = waiting.popleft()
        column, row = cell[i] or (0, 0)
        for place, (dx, dy) in enumerate(STEPS):
            link = across[i][(first_side[i] + place) % 4]
            if link is None or cell[link[0]] is not None or (column + dx, row + dy) in taken:
                continue
            other, side = link
            # Over our top lies its bottom, and so on: its side faces back.
            first_side[other] = (side - (place + 2)) % 4
            cell[other] = (column + dx, row + dy)
            taken.add((column + dx, row + dy))
            island.append(other)
            waiting.append(other)
    return island


def _bands(
    island: list[int],
    quads: list[tuple[tuple[int, int], list[int]]],
    grid: NDArray[np.int64],
    first_side: list[int],
    places: NDArray[np.float64],
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Widths of columns and heights of rows: mean real lengths of the edges that run across them."""
    columns, rows = grid.max(axis=0) + 1
    width, height = np.zeros((columns, 2)), np.zeros((rows, 2))
    for i, (column, row) in zip(island, grid, strict=True):
        ring = quads[i][1]
        for place in range(4):
            k = (first_side[i] + place) % 4
            length = float(np.linalg.norm(places[ring[k]] - places[ring[(k + 1) % 4]]))
            if place % 2 == 0:
                width[column] += length, 1
            else:
                height[row] += length, 1
    filled = width[:, 0] / np.maximum(width[:, 1], 1), height[:, 0] / np.maximum(height[:, 1], 1)
    return filled[0], filled[1]
