"""Joins small charts of a rough surface with neighbors, the most alike and roundest first."""

from __future__ import annotations

import heapq

import numpy as np
from numpy.typing import NDArray

#: A chart smaller than this share of its body joins a neighbor, whatever its normals.
LEAST_SHARE = 1 / 60
#: Perimeter² / (4 π area) of a chart, 1 for a disk, up to which charts join that need not.
ROUNDEST, WEIGHT = 8.0, 0.01


class _Charts:
    """Areas, sums of normals and common borders of charts, as they are joined."""

    def __init__(self, area: NDArray[np.float64], normal: NDArray[np.float64], border: list[dict[int, float]]):
        self.area, self.normal, self.border = area, normal, border
        self.rim = np.array([sum(common.values()) for common in border])
        self.into = np.arange(len(area))
        self.version = np.zeros(len(area), np.int64)

    def spread(self, a: int, b: int) -> float:
        """0 when all normals of both are alike, 1 when they cancel out."""
        together = self.normal[a] + self.normal[b]
        return 1 - float(np.sqrt(together @ together)) / float(self.area[a] + self.area[b])

    def roundness(self, a: int, b: int) -> float:
        rim = self.rim[a] + self.rim[b] - 2 * self.border[a][b]
        return float(rim * rim / (4 * np.pi * (self.area[a] + self.area[b])))

    def join(self, a: int, b: int) -> None:
        """Chart b becomes part of a."""
        self.rim[a] += self.rim[b] - 2 * self.border[a].pop(b)
        self.area[a] += self.area[b]
        self.normal[a] += self.normal[b]
        for other, length in self.border[b].items():
            if other != a:
                self.border[a][other] = self.border[a].get(other, 0.0) + length
                self.border[other][a] = self.border[other].get(a, 0.0) + length
                del self.border[other][b]
        self.border[b] = {}
        self.into[b] = a
        self.version[a] += 1
        self.version[b] += 1


def merge_charts(
    neighbor: NDArray[np.int64],
    normals: NDArray[np.float64],
    areas: NDArray[np.float64],
    corners: NDArray[np.float64],
    body: NDArray[np.int64],
    label: NDArray[np.int64],
    chosen: NDArray[np.bool_],
    most: float,
) -> NDArray[np.int64]:
    """(n,) labels in which charts of `chosen` faces are joined.

    neighbor: (n, 3) faces across sides, -1 at borders; normals: (n, 3), areas: (n,), corners: (n, 3, 3);
    body: (n,) connected body of each face. most: spread of normals (1 - length of their mean) up to which
    charts join that are large enough to stay.
    """
    count = int(label.max()) + 1
    area: NDArray[np.float64] = np.bincount(label, areas, count).astype(np.float64)
    normal: NDArray[np.float64] = np.stack(
        [np.bincount(label, areas * normals[:, k], count) for k in range(3)], 1
    ).astype(np.float64)
    border: list[dict[int, float]] = [{} for _ in range(count)]
    across = label[np.maximum(neighbor, 0)]
    face, side = np.nonzero((neighbor >= 0) & (across != label[:, None]) & chosen[:, None])
    length = np.linalg.norm(corners[face, (side + 1) % 3] - corners[face, side], axis=1)
    for a, b, shared in zip(label[face].tolist(), across[face, side].tolist(), length.tolist(), strict=True):
        border[a][b] = border[a].get(b, 0.0) + shared
    charts = _Charts(area, normal, border)
    first = np.unique(label, return_index=True)[1]
    least: NDArray[np.float64] = LEAST_SHARE * np.bincount(body, areas)[body[first]].astype(np.float64)
    _join_all(charts, least, most)
    root = charts.into
    while (root != root[root]).any():
        root = root[root]
    joined: NDArray[np.int64] = np.unique(root[label], return_inverse=True)[1].reshape(-1)
    return joined


def _join_all(charts: _Charts, least: NDArray[np.float64], most: float) -> None:
    waiting: list[tuple[float, int, int, int, int]] = []

    def offer(a: int) -> None:
        for b in charts.border[a]:
            spread, roundness = charts.spread(a, b), charts.roundness(a, b)
            key = spread + WEIGHT * roundness
            size = min(charts.area[a] / least[a], charts.area[b] / least[b])
            if size < 1:
                # The smallest come before all that may stay.
                key += size - 10
            elif spread > most or roundness > ROUNDEST:
                continue
            heapq.heappush(waiting, (key, a, b, int(charts.version[a]), int(charts.version[b])))

    for chart in range(len(charts.area)):
        offer(chart)
    while waiting:
        _, a, b, version_a, version_b = heapq.heappop(waiting)
        if charts.version[a] != version_a or charts.version[b] != version_b:
            continue
        if charts.area[a] < charts.area[b]:
            a, b = b, a
        charts.join(a, b)
        offer(a)
