"""Where the automatic unwrap cuts: charts whose faces look about one way.

On a smooth or an angular surface the angle decides. On a rough one, as scanners make them, nearly every face
would become a chart; there the cut follows normals smoothed over a few faces, and small charts join a neighbor.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel
from .merging import merge_charts
from .topology import Topology, connected

#: A chart is a crumb below so many faces and this share of its body. A body of LEAST_FACES is rough when crumbs,
#: LEAST_CRUMBS at least, are more than this share of its charts.
CRUMB_FACES, CRUMB_SHARE = 6, 1 / 300
LEAST_FACES, LEAST_CRUMBS, ROUGH = 1000, 10, 0.4
#: How often a face takes the chart that most faces around it have, so that cuts run straight.
STRAIGHTENINGS = 6
#: How often normals are averaged with those across the three sides: each time reaches a face farther.
SMOOTHINGS = 8


@dataclass
class Charts:
    """label: (n,) chart of each face, 0…; rough: (n,) whether the face belongs to a rough body."""

    label: NDArray[np.int64]
    rough: NDArray[np.bool_]


def charts_by_angle(
    topology: Topology,
    faces: NDArray[np.int64],
    corners: NDArray[np.float64],
    normals: NDArray[np.float64],
    areas: NDArray[np.float64],
    angle: float,
) -> Charts:
    """Charts of `faces`, (n,), in which normals stay within `angle` degrees of their mean.

    corners: (n, 3, 3) in space; normals: (n, 3); areas: (n,). On rough bodies the angle is a preference.
    """
    neighbor = topology.neighbors_among(faces)
    limit = float(np.cos(np.radians(angle)))
    label = _grown(neighbor, normals, areas, limit)
    body = _connected_labels(neighbor, np.zeros(len(faces), np.int64))
    rough = _rough_bodies(body, label, areas)[body]
    if rough.any():
        smooth = _smoothed(normals, areas, neighbor, SMOOTHINGS)
        again = _grown(np.where(rough[:, None], neighbor, -1), smooth, areas, limit)
        again = merge_charts(neighbor, smooth, areas, corners, body, again, rough, (1 - limit) / 2)
        again = _straightened(topology.vertex[faces], again, STRAIGHTENINGS)
        again = _connected_labels(neighbor, again)
        again = merge_charts(neighbor, smooth, areas, corners, body, again, rough, 0.0)
        label = np.where(rough, again + len(faces), label)
        label = np.unique(label, return_inverse=True)[1].reshape(-1)
    return Charts(label, rough)


def _rough_bodies(body: NDArray[np.int64], label: NDArray[np.int64], areas: NDArray[np.float64]) -> NDArray[np.bool_]:
    """(bodies,): those that fall into crumbs when they are cut by angle."""
    size = np.bincount(body)
    of_chart = body[np.unique(label, return_index=True)[1]]
    small = np.bincount(label, areas) < CRUMB_SHARE * np.bincount(body, areas)[of_chart]
    crumbs = np.bincount(of_chart, small & (np.bincount(label) < CRUMB_FACES), len(size))
    charts = np.bincount(of_chart, minlength=len(size))
    rough: NDArray[np.bool_] = (size >= LEAST_FACES) & (crumbs >= LEAST_CRUMBS) & (crumbs > ROUGH * charts)
    return rough


def _grown(
    neighbor: NDArray[np.int64], normals: NDArray[np.float64], areas: NDArray[np.float64], limit: float
) -> NDArray[np.int64]:
    """(n,) labels of connected charts; in each all normals lie within the limit (a cosine) of their mean."""
    label = np.full(len(normals), -1, np.int64)
    _grow(neighbor, np.ascontiguousarray(normals, np.float64), areas, np.argsort(-areas, kind="stable"), limit, label)
    # What was left out again at the end of a growth may have parted a chart.
    return _connected_labels(neighbor, label)


def _connected_labels(neighbor: NDArray[np.int64], label: NDArray[np.int64]) -> NDArray[np.int64]:
    face, side = np.nonzero((neighbor >= 0) & (label[np.maximum(neighbor, 0)] == label[:, None]))
    return connected(len(neighbor), face, neighbor[face, side])


def _straightened(vertex: NDArray[np.int64], label: NDArray[np.int64], times: int) -> NDArray[np.int64]:
    """(n,) labels after each face took, `times` times, the label that most faces around its corners have."""
    corner = np.unique(vertex, return_inverse=True)[1].reshape(-1)
    order = np.argsort(corner, kind="stable")
    starts = np.searchsorted(corner[order], np.arange(int(corner.max()) + 2))
    voted: NDArray[np.int64] = _vote(corner.reshape(-1, 3), order // 3, starts, label, times)
    return voted


@kernel
def _vote(corner, around, starts, label, times):  # type: ignore[no-untyped-def]
    """around[starts[v]:starts[v + 1]] are the faces at vertex v; a tie changes nothing."""
    now = label.copy()
    names = np.empty(64, np.int64)
    votes = np.empty(64, np.int64)
    for _ in range(times):
        out = now.copy()
        for f in range(len(corner)):
            count = 1
            names[0], votes[0] = now[f], 1
            for c in range(3):
                v = corner[f, c]
                for i in range(starts[v], starts[v + 1]):
                    name = now[around[i]]
                    k = 0
                    while k < count and names[k] != name:
                        k += 1
                    if k == count and count < 64:
                        names[count], votes[count] = name, 0
                        count += 1
                    if k < count:
                        votes[k] += 1
            best = 0
            for k in range(1, count):
                if votes[k] > votes[best]:
                    best = k
            out[f] = names[best]
        now = out
    return now


@kernel
def _reach(neighbor, normals, label, seed, mean, limit, mark, stamp, queue):  # type: ignore[no-untyped-def]
    """Fill `queue` with the free faces connected with the seed whose normals are within the limit; how many."""
    queue[0] = seed
    mark[seed] = stamp
    count, next_one = 1, 0
    while next_one < count:
        face = queue[next_one]
        next_one += 1
        for k in range(3):
            g = neighbor[face, k]
            if g < 0 or label[g] >= 0 or mark[g] == stamp:
                continue
            if normals[g, 0] * mean[0] + normals[g, 1] * mean[1] + normals[g, 2] * mean[2] >= limit:
                mark[g] = stamp
                queue[count] = g
                count += 1
    return count


@kernel
def _mean(normals, areas, queue, count, mean):  # type: ignore[no-untyped-def]
    mean[:] = 0.0
    for i in range(count):
        for c in range(3):
            mean[c] += normals[queue[i], c] * areas[queue[i]]
    length = max(np.sqrt(mean[0] ** 2 + mean[1] ** 2 + mean[2] ** 2), 1e-300)
    for c in range(3):
        mean[c] /= length


@kernel
def _grow(neighbor, normals, areas, order, limit, label):  # type: ignore[no-untyped-def]
    """Charts from the largest face on: around the seed's normal, then once more around the mean of what was found."""
    mark = np.zeros(len(normals), np.int64)
    queue = np.empty(len(normals), np.int64)
    mean = np.empty(3)
    stamp, chart = 0, 0
    for seed in order:
        if label[seed] >= 0:
            continue
        stamp += 1
        count = _reach(neighbor, normals, label, seed, normals[seed], limit, mark, stamp, queue)
        _mean(normals, areas, queue, count, mean)
        within = True
        if normals[seed, 0] * mean[0] + normals[seed, 1] * mean[1] + normals[seed, 2] * mean[2] >= limit:
            stamp += 1
            count = _reach(neighbor, normals, label, seed, mean.copy(), limit, mark, stamp, queue)
            _mean(normals, areas, queue, count, mean)
            within = normals[seed, 0] * mean[0] + normals[seed, 1] * mean[1] + normals[seed, 2] * mean[2] >= limit
            if not within:
                stamp += 1
                count = _reach(neighbor, normals, label, seed, normals[seed], limit, mark, stamp, queue)
            else:
                for i in range(count):
                    f = queue[i]
                    if normals[f, 0] * mean[0] + normals[f, 1] * mean[1] + normals[f, 2] * mean[2] >= limit:
                        label[f] = chart
        if label[seed] < 0:
            for i in range(count):
                label[queue[i]] = chart
        chart += 1


@kernel
def _smoothed(normals, areas, neighbor, times):  # type: ignore[no-untyped-def]
    """(n, 3) unit normals, each `times` times averaged by area with those across its sides."""
    now = normals.copy()
    for _ in range(times):
        out = np.empty_like(now)
        for f in range(len(now)):
            x, y, z = now[f, 0] * areas[f], now[f, 1] * areas[f], now[f, 2] * areas[f]
            for k in range(3):
                g = neighbor[f, k]
                if g >= 0:
                    x += now[g, 0] * areas[g]
                    y += now[g, 1] * areas[g]
                    z += now[g, 2] * areas[g]
            length = max(np.sqrt(x * x + y * y + z * z), 1e-300)
            out[f, 0], out[f, 1], out[f, 2] = x / length, y / length, z / length
        now = out
    return now
