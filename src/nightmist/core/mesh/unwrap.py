"""UVs for faces: automatic by angle, or along seams. Shapes are in `by_shape.py`, the even grid in `strip.py`.

All ways return corners in model units, not yet placed in the map; `layout.py` does that.
"""

from __future__ import annotations

from itertools import pairwise

import igl
import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import dijkstra

from ..errors import NightmistError
from ..progress import Progress, part
from .mesh import Mesh
from .solver_process import Piece
from .solvers import solve
from .topology import Topology, connected

Corners = NDArray[np.float64]


def unwrap_by_angle(mesh: Mesh, faces: NDArray[np.int64], angle: float, progress: Progress) -> Corners:
    """(len(faces), 3, 2): charts whose faces stay within `angle` degrees of the chart's mean normal.

    We choose the charts' borders by angle; xatlas lays them flat and cuts further where it must.
    """
    if not 1 <= angle <= 89:
        raise NightmistError(f"An angle limit of {angle:g}° does not work; give 1 to 89 degrees.")
    progress("Cutting by angle", 0)
    topology = mesh.topology
    areas = face_areas(mesh.corners[faces])
    label = _regions_by_angle(topology, faces, mesh.face_normals[faces], areas, np.cos(np.radians(angle)))
    pieces = []
    places = _places(mesh, topology)
    # The library's thresholds are meant for bodies about as large as one.
    unit = max(float(np.ptp(places[topology.vertex[faces]].reshape(-1, 3), axis=0).max()), 1e-300)
    parts = groups(label)
    for members in parts:
        used, local = np.unique(topology.vertex[faces[members]], return_inverse=True)
        pieces.append(((places[used] - places[used[0]]) / unit, local.reshape(-1, 3)))
    flat = solve("charts", pieces, "Laying the charts flat", part(progress, 0.1, 0.9))
    corners = np.empty((len(faces), 3, 2))
    for members, uv in zip(parts, flat, strict=True):
        corners[members] = uv
    return _mended(mesh.corners[faces], corners)


def unwrap_along_seams(mesh: Mesh, faces: NDArray[np.int64], progress: Progress) -> tuple[Corners, list[str]]:
    """(len(faces), 3, 2) UVs of pieces bounded by the mesh's seams, with low distortion; and what is to be known.

    Conformal by least squares, then symmetric Dirichlet energy by SLIM, both of libigl. A piece that is
    no disk gets the shortest cuts that make it one.
    """
    progress("Cutting along the seams", 0)
    topology = mesh.topology
    inside = np.zeros(len(mesh.faces), np.bool_)
    inside[faces] = True
    seam = np.zeros(len(topology.ends), np.bool_)
    seam[topology.edges_between(mesh.seams)] = True
    joined = (topology.neighbor >= 0) & inside[:, None] & inside[np.maximum(topology.neighbor, 0)]
    joined &= ~seam[topology.edge]
    places = _places(mesh, topology)
    notes: list[str] = []
    cut = _cut_to_disks(topology, joined, faces, places)
    vertex, region = cut_vertices(topology, joined, faces), topology.components(joined)[faces]
    pieces: list[Piece] = []
    parts = list(groups(np.unique(region, return_inverse=True)[1]))
    for members in parts:
        _, first, local = np.unique(vertex[members], return_index=True, return_inverse=True)
        pieces.append((places[topology.vertex[faces[members]].ravel()[first]], local.reshape(-1, 3)))
    if cut:
        notes.append(f"{cut} cuts more than the marked seams were needed to lay the surface flat.")
    flat = solve("flatten", pieces, "Laying the pieces flat", part(progress, 0.1, 0.8))
    corners = np.empty((len(faces), 3, 2))
    offset = 0.0
    for members, (_, local), uv in zip(parts, pieces, flat, strict=True):
        # Apart from each other, so that no two become one island by accident.
        span = np.ptp(uv, axis=0)
        corners[members] = uv[local] - uv.min(axis=0) + [offset, 0]
        offset += 2 * float(span.max())
    # Ours points down in the map, as the libraries' does not.
    corners[..., 1] *= -1
    return _mended(mesh.corners[faces], corners), notes


def face_areas(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """(N,) areas of (N, 3, 3) triangles in space."""
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    areas: NDArray[np.float64] = np.linalg.norm(cross, axis=1) / 2
    return areas


def flat_areas(corners: Corners) -> NDArray[np.float64]:
    """(N,) signed areas of (N, 3, 2) triangles in the map; positive where they turn clockwise as seen."""
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    areas: NDArray[np.float64] = (e1[:, 0] * e2[:, 1] - e1[:, 1] * e2[:, 0]) / 2
    return areas


def groups(label: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    """Members of each label 0…n-1."""
    order = np.argsort(label, kind="stable")
    return np.split(order, np.searchsorted(label[order], np.arange(1, int(label.max()) + 1)))


def cut_vertices(topology: Topology, joined: NDArray[np.bool_], faces: NDArray[np.int64]) -> NDArray[np.int64]:
    """(len(faces), 3) vertices after cutting all sides that are not joined: corners are one across joined sides."""
    face, side = np.nonzero(joined)
    other, across = topology.neighbor[face, side], topology.neighbor_side[face, side]
    one = np.concatenate([face * 3 + side, face * 3 + (side + 1) % 3])
    two = np.concatenate([other * 3 + (across + 1) % 3, other * 3 + across])
    return connected(len(topology.vertex) * 3, one, two).reshape(-1, 3)[faces]


def _places(mesh: Mesh, topology: Topology) -> NDArray[np.float64]:
    """(welded vertices, 3) positions."""
    places = np.zeros((int(topology.weld.max()) + 1, 3))
    places[topology.weld] = mesh.positions
    return places


def _regions_by_angle(
    topology: Topology,
    faces: NDArray[np.int64],
    normals: NDArray[np.float64],
    areas: NDArray[np.float64],
    limit: float,
) -> NDArray[np.int64]:
    """(len(faces),) region labels; in each region all normals lie within the limit (a cosine) of their mean."""
    local = np.full(len(topology.vertex), -1, np.int64)
    local[faces] = np.arange(len(faces))
    neighbor = np.where(topology.neighbor[faces] >= 0, local[np.maximum(topology.neighbor[faces], 0)], -1)
    label = np.full(len(faces), -1, np.int64)
    count = 0
    for seed in np.argsort(-areas, kind="stable"):
        if label[seed] >= 0:
            continue
        # Gather around the seed's normal, then once more around the mean of what was found.
        found = _reached(neighbor, normals, label, seed, normals[seed], limit)
        mean = (normals[found] * areas[found, None]).sum(axis=0)
        mean /= max(float(np.linalg.norm(mean)), 1e-300)
        if normals[seed] @ mean >= limit:
            again = _reached(neighbor, normals, label, seed, mean, limit)
            mean_again = (normals[again] * areas[again, None]).sum(axis=0)
            mean_again /= max(float(np.linalg.norm(mean_again)), 1e-300)
            kept = again[normals[again] @ mean_again >= limit]
            found = kept if seed in kept else found
        label[found] = count
        count += 1
    return _connected_labels(neighbor, label)


def _reached(
    neighbor: NDArray[np.int64],
    normals: NDArray[np.float64],
    label: NDArray[np.int64],
    seed: int,
    mean: NDArray[np.float64],
    limit: float,
) -> NDArray[np.int64]:
    """Faces connected with the seed whose normals are within the limit; the seed itself always."""
    seen = {int(seed)}
    front = [int(seed)]
    while front:
        near = np.unique(neighbor[front])
        near = near[(near >= 0) & (label[near] < 0)]
        near = near[normals[near] @ mean >= limit]
        front = [int(f) for f in near if int(f) not in seen]
        seen.update(front)
    return np.fromiter(seen, np.int64, len(seen))


def _connected_labels(neighbor: NDArray[np.int64], label: NDArray[np.int64]) -> NDArray[np.int64]:
    face, side = np.nonzero((neighbor >= 0) & (label[np.maximum(neighbor, 0)] == label[:, None]))
    return connected(len(neighbor), face, neighbor[face, side])


def _mended(space: NDArray[np.float64], corners: Corners) -> Corners:
    """Faces that a library left without area are laid flat alone, in the scale of the others."""
    true, flat = face_areas(space), flat_areas(corners)
    lost = ~np.isfinite(flat) | (np.abs(flat) < 1e-12 * max(float(np.nanmax(np.abs(flat))), 1e-300))
    scale = np.sqrt(true[~lost].sum() / max(float(np.abs(flat[~lost]).sum()), 1e-300)) if (~lost).any() else 1.0
    corners = corners * scale
    if lost.any():
        # Each at a place of its own, so that no two become one island by accident.
        apart = 4 * np.sqrt(true.max()) * (np.arange(int(lost.sum())) + 1) + np.nanmax(corners, initial=0.0)
        corners[lost] = flattened(space[lost]) + apart[:, None, None]
    return corners


def flattened(space: NDArray[np.float64]) -> Corners:
    """(N, 3, 2): each triangle (N, 3, 3) for itself, in its true size, not mirrored in the map."""
    x = space[:, 1] - space[:, 0]
    length = np.linalg.norm(x, axis=1)
    unit = x / np.maximum(length, 1e-300)[:, None]
    other = space[:, 2] - space[:, 0]
    along = (other * unit).sum(axis=1)
    away = np.linalg.norm(other - along[:, None] * unit, axis=1)
    zero = np.zeros_like(length)
    return np.stack([np.stack([zero, zero], 1), np.stack([length, zero], 1), np.stack([along, -away], 1)], 1)


def _cut_to_disks(
    topology: Topology,
    joined: NDArray[np.bool_],
    faces: NDArray[np.int64],
    places: NDArray[np.float64],
) -> int:
    """Clear sides in `joined` until every piece is a disk; returns how many cuts that took."""
    cuts = 0
    waiting = groups(np.unique(topology.components(joined)[faces], return_inverse=True)[1])
    vertex = cut_vertices(topology, joined, faces)
    for members in waiting:
        here = faces[members]
        for _ in range(64):
            mine = np.unique(vertex[members], return_inverse=True)[1].reshape(-1, 3)
            path = _needed_cut(mine, places[topology.vertex[here]])
            if path is None:
                break
            cuts += 1
            _clear(topology, joined, here, mine, path)
            vertex[members] = cut_vertices(topology, joined, here)
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
