"""UVs for faces: automatic by angle, or along seams. Shapes are in `by_shape.py`, the even grid in `strip.py`.

All ways return corners in model units, not yet placed in the map; `layout.py` does that.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..progress import Progress, part
from .charts import charts_by_angle
from .disks import cut_to_disks, cut_vertices
from .mesh import Mesh
from .solver_process import STRETCH, Piece, singular_values
from .solvers import get_ready, solve
from .topology import Topology

Corners = NDArray[np.float64]


def unwrap_by_angle(mesh: Mesh, faces: NDArray[np.int64], angle: float, progress: Progress) -> tuple[Corners, bool]:
    """(len(faces), 3, 2): charts whose faces stay within `angle` degrees of the chart's mean normal.

    Also returns whether the most is rough, where the angle is a preference.

    We choose the charts' borders; xatlas lays those of smooth and angular bodies flat and cuts further where it
    must, libigl those of rough bodies, which it need not cut.
    """
    if not 1 <= angle <= 89:
        raise NightmistError(f"An angle limit of {angle:g}° does not work; give 1 to 89 degrees.")
    progress("Cutting by angle", 0)
    get_ready(len(faces))
    topology = mesh.topology
    areas = face_areas(mesh.corners[faces])
    charts = charts_by_angle(topology, faces, mesh.corners[faces], mesh.face_normals[faces], areas, angle)
    corners = np.empty((len(faces), 3, 2))
    smooth, rough = np.flatnonzero(~charts.rough), np.flatnonzero(charts.rough)
    share = len(smooth) / len(faces)
    if len(smooth):
        done = part(progress, 0.1, 0.1 + 0.8 * share)
        corners[smooth] = _flat_charts(mesh, faces[smooth], charts.label[smooth], done)
    if len(rough):
        joined = _joined_within(topology, faces[rough], charts.label[rough])
        done = part(progress, 0.1 + 0.8 * share, 0.9)
        corners[rough] = _clear_of(corners[smooth], _flat_disks(mesh, faces[rough], joined, done)[0])
    return _mended(mesh.corners[faces], corners, charts.rough), share < 0.5


def unwrap_along_seams(mesh: Mesh, faces: NDArray[np.int64], progress: Progress) -> tuple[Corners, list[str]]:
    """(len(faces), 3, 2) UVs of pieces bounded by the mesh's seams, with low distortion; and what is to be known.

    A piece that is no disk gets the shortest cuts that make it one.
    """
    progress("Cutting along the seams", 0)
    get_ready(len(faces))
    topology = mesh.topology
    seam = np.zeros(len(topology.ends), np.bool_)
    seam[topology.edges_between(mesh.seams)] = True
    joined = _joined_within(topology, faces, np.zeros(len(faces), np.int64)) & ~seam[topology.edge]
    corners, cuts = _flat_disks(mesh, faces, joined, part(progress, 0.1, 0.8))
    notes = [f"{cuts} cuts more than the marked seams were needed to lay the surface flat."] if cuts else []
    return _mended(mesh.corners[faces], corners, np.zeros(len(faces), np.bool_)), notes


def _joined_within(topology: Topology, faces: NDArray[np.int64], label: NDArray[np.int64]) -> NDArray[np.bool_]:
    """(F, 3): sides between two of `faces` of one label."""
    whole = np.full(len(topology.vertex), -1, np.int64)
    whole[faces] = label
    across = np.where(topology.neighbor >= 0, whole[np.maximum(topology.neighbor, 0)], -1)
    joined: NDArray[np.bool_] = (across >= 0) & (across == whole[:, None])
    return joined


def _flat_charts(mesh: Mesh, faces: NDArray[np.int64], label: NDArray[np.int64], progress: Progress) -> Corners:
    topology, places = mesh.topology, _places(mesh, mesh.topology)
    # The library's thresholds are meant for bodies about as large as one.
    unit = max(float(np.ptp(places[topology.vertex[faces]].reshape(-1, 3), axis=0).max()), 1e-300)
    pieces = []
    parts = groups(np.unique(label, return_inverse=True)[1])
    for members in parts:
        used, local = np.unique(topology.vertex[faces[members]], return_inverse=True)
        pieces.append(((places[used] - places[used[0]]) / unit, local.reshape(-1, 3)))
    corners = np.empty((len(faces), 3, 2))
    for members, uv in zip(parts, solve("charts", pieces, "Laying the charts flat", progress), strict=True):
        corners[members] = uv
    return corners


def _flat_disks(
    mesh: Mesh, faces: NDArray[np.int64], joined: NDArray[np.bool_], progress: Progress
) -> tuple[Corners, int]:
    """(len(faces), 3, 2) UVs of pieces connected over `joined` sides, (F, 3), and how many cuts they needed."""
    topology, places = mesh.topology, _places(mesh, mesh.topology)
    cuts = cut_to_disks(topology, joined, faces, places)
    vertex, region = cut_vertices(topology, joined, faces), topology.components(joined)[faces]
    pieces: list[Piece] = []
    parts = groups(np.unique(region, return_inverse=True)[1])
    for members in parts:
        _, first, local = np.unique(vertex[members], return_index=True, return_inverse=True)
        pieces.append((places[topology.vertex[faces[members]].ravel()[first]], local.reshape(-1, 3)))
    corners = np.empty((len(faces), 3, 2))
    offset = 0.0
    for members, uv in zip(parts, solve("flatten", pieces, "Laying the pieces flat", progress), strict=True):
        # Apart from each other, so that no two become one island by accident.
        span = np.ptp(uv.reshape(-1, 2), axis=0)
        corners[members] = uv - uv.reshape(-1, 2).min(axis=0) + [offset, 0]
        offset += 2 * float(span.max())
    # Ours points down in the map, as the libraries' does not.
    corners[..., 1] *= -1
    return corners, cuts


def _clear_of(others: Corners, corners: Corners) -> Corners:
    """The same pieces, moved to the right of all others."""
    if not len(others):
        return corners
    gap = np.ptp(corners[..., 0])
    moved: Corners = corners + [np.nanmax(others[..., 0]) - corners[..., 0].min() + gap, 0]
    return moved


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


def _places(mesh: Mesh, topology: Topology) -> NDArray[np.float64]:
    """(welded vertices, 3) positions."""
    places = np.zeros((int(topology.weld.max()) + 1, 3))
    places[topology.weld] = mesh.positions
    return places


def _mended(space: NDArray[np.float64], corners: Corners, strict: NDArray[np.bool_]) -> Corners:
    """Faces that a library left without area are laid flat alone, in the scale of the others.

    strict: (n,) which of them also where paint would be stretched too much.
    """
    true, flat = face_areas(space), flat_areas(corners)
    lost = ~np.isfinite(flat) | (np.abs(flat) < 1e-12 * max(float(np.nanmax(np.abs(flat))), 1e-300))
    if strict.any():
        each = np.arange(3 * int(strict.sum())).reshape(-1, 3)
        large, small = singular_values(space[strict].reshape(-1, 3), each, corners[strict].reshape(-1, 2))
        lost[strict] |= large > STRETCH * small
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
