"""Polygons and the triangles that stand for them."""

from __future__ import annotations

from collections.abc import Sequence

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray


def cut_strip(corners: NDArray[np.int64]) -> NDArray[np.int64]:
    """(n - 2, 3) triangles of a strip of n corners: each further corner makes one, turned over in turn."""
    step = np.arange(max(len(corners) - 2, 0))
    odd = step % 2
    return np.column_stack([corners[step], corners[step + 1 + odd], corners[step + 2 - odd]]).reshape(-1, 3)


def cut_polygon(points: NDArray[np.float64]) -> Sequence[tuple[int, int, int]]:
    """Triangles, as corner numbers, of one polygon with (n, 3) points: a fan where it is convex, else ear clipping."""
    count = len(points)
    if count == 3:
        return [(0, 1, 2)]
    # Newell's normal: also right for polygons that are not quite flat.
    normal = np.cross(points, np.roll(points, -1, axis=0)).sum(axis=0)
    ahead = np.roll(points, -1, axis=0) - points
    turns = np.cross(ahead, np.roll(ahead, -1, axis=0)) @ normal
    if (turns >= 0).all():
        return [(0, i, i + 1) for i in range(1, count - 1)]
    axis = int(np.abs(normal).argmax())
    flat = np.delete(points, axis, axis=1)
    ears = mapbox_earcut.triangulate_float64(np.ascontiguousarray(flat), np.array([count], np.uint32)).reshape(-1, 3)
    found = []
    for ear in ears.astype(int).tolist():
        a, b, c = points[ear]
        found.append(tuple(ear) if np.cross(b - a, c - a) @ normal >= 0 else (ear[0], ear[2], ear[1]))
    # A polygon that crosses itself or has no area leaves nothing to clip.
    return found or [(0, i, i + 1) for i in range(1, count - 1)]


def guessed_polygons(faces: NDArray[np.int32], corners: NDArray[np.float64]) -> NDArray[np.int32]:
    """(F,) polygon numbers for a format that knows only triangles.

    Two triangles in a row that share an edge and make a nearly flat, convex quad count as one polygon: that
    is how writers cut quads. The first pair wins, so a run of quads comes apart as it was put together.
    """
    count = len(faces)
    if count < 2:
        return np.arange(count, dtype=np.int32)
    a, b = faces[:-1], faces[1:]
    # Corner of a that b lacks, and of b that a lacks.
    a_in_b = (a[:, :, None] == b[:, None, :]).any(axis=2)
    b_in_a = (b[:, :, None] == a[:, None, :]).any(axis=2)
    shares = (a_in_b.sum(axis=1) == 2) & (b_in_a.sum(axis=1) == 2)
    pa, pb = corners[:-1], corners[1:]
    na = np.cross(pa[:, 1] - pa[:, 0], pa[:, 2] - pa[:, 0])
    nb = np.cross(pb[:, 1] - pb[:, 0], pb[:, 2] - pb[:, 0])
    with np.errstate(invalid="ignore", divide="ignore"):
        flat = (na * nb).sum(1) / (np.linalg.norm(na, axis=1) * np.linalg.norm(nb, axis=1)) > 0.9
    lone_a = np.argmin(a_in_b, axis=1)
    lone_b = np.argmin(b_in_a, axis=1)
    rows = np.arange(count - 1)
    p0, p1 = pa[rows, lone_a], pa[rows, (lone_a + 1) % 3]
    p2, p3 = pb[rows, lone_b], pa[rows, (lone_a + 2) % 3]
    normal = na + nb
    ring = [p0, p1, p2, p3]
    convex = np.ones(count - 1, np.bool_)
    for k in range(4):
        turn = np.cross(ring[(k + 1) % 4] - ring[k], ring[(k + 2) % 4] - ring[(k + 1) % 4])
        convex &= (turn * normal).sum(axis=1) > 0
    pairs = shares & flat & convex
    polygon = np.zeros(count, np.int32)
    number, taken = 0, False
    for face in range(1, count):
        taken = bool(pairs[face - 1]) and not taken
        number += not taken
        polygon[face] = number
    return polygon
