"""Lays islands into the map without overlap, at the largest common scale."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..kernels import in_two_threads
from .packing_grid import block, place

#: Cells along the longer side of the map; finer packs tighter and takes longer.
CELLS = 512
#: The search for a scale ends after so many rounds, or when it is known this well.
ROUNDS, TOLERANCE = 14, 0.01
#: Up to so many islands are also tried upside down, in another order, and at scales a little larger than was found.
FEW, NUDGE, NUDGES = 100, 1.01, 3


@dataclass
class Packed:
    """(F, 3, 2) UVs in texels, and the scale that islands were given."""

    corners: NDArray[np.float64]
    scale: float


def pack_islands(
    corners: NDArray[np.float64],
    island: NDArray[np.int64],
    size: tuple[int, int],
    margin: float,
    taken: NDArray[np.float64] | None = None,
    most: float = np.inf,
    turn: bool = True,
) -> Packed:
    """Place islands in a map of (width, height) texels.

    corners: (F, 3, 2) in any one unit. island: (F,) labels 0…n-1. margin: texels that stay free between
    islands, and half of it along the border. taken: (G, 3, 2) triangles, in texels, that stay where they
    are. most: scale that is not exceeded. turn: islands may be turned by 90 degrees.
    Raises NightmistError when they cannot fit at any useful scale.
    """
    width, height = size
    count = int(island.max()) + 1
    lows, spans = boxes_of(corners, island, count)
    local = corners - lows[island][:, None]
    # Broad and low: rows fill best when all islands lie the same way.
    turned = turn & (spans[:, 1] > spans[:, 0])
    local[turned[island]] = _quarter(local[turned[island]], spans[island][turned[island]])
    spans[turned] = spans[turned][:, ::-1]
    # A margin of many cells takes long to mark and gains nothing.
    cell = max(max(width, height) / CELLS, margin / 3)
    # Cells are taken whole, so islands keep a little more than the margin.
    gap = int(np.ceil(margin / cell))
    rim = margin / 2
    grid = (int((height - 2 * rim) // cell), int((width - 2 * rim) // cell))
    if min(grid) < 1:
        raise no_room(margin, size)
    words = grid[1] // 64 + 2
    blocked = np.zeros((grid[0], words), np.uint64)
    if taken is not None and len(taken):
        block(((taken - rim) / cell).astype(np.float64), gap, grid[1], blocked)
    starts = np.searchsorted(island[np.argsort(island, kind="stable")], np.arange(count + 1))
    faces = np.argsort(island, kind="stable")
    order = np.argsort(-spans.max(axis=1) - spans.sum(axis=1) * 1e-3, kind="stable")
    covers = np.bincount(island, np.abs(_areas(local)), count)
    by_area, area = np.argsort(-covers, kind="stable"), float(covers.sum())
    high = min(np.sqrt(grid[0] * grid[1] / max(area, 1e-300)), most / cell)
    high = min(high, float((np.array([max(grid), max(grid)]) / np.maximum(spans, 1e-300)).min()))
    ways = 1 if not turn else 4 if count <= FEW else 2

    def attempt(scale: float, order: NDArray[np.int64]) -> NDArray[np.float64] | None:
        places = np.zeros((count, 3))
        done = place(local * scale, faces, starts, order, spans * scale, gap, grid[1], blocked.copy(), ways, places)
        return places if done else None

    best = _largest(high, order, attempt)
    if best and count <= FEW:
        best = _larger(best, high, [order, by_area], attempt)
    if best is None:
        raise NightmistError(
            f"{count:,} islands with {margin:g} texels between them do not fit into {width} × {height};"
            " use a larger map or a smaller margin."
        )
    scale, places = best
    placed = local * scale
    for turns in range(1, ways):
        mine = (places[:, 2] == turns)[island]
        box = (spans * scale)[island][mine]
        for _ in range(turns):
            placed[mine] = _quarter(placed[mine], box)
            box = box[:, ::-1]
    return Packed((placed + places[island][:, None, :2]) * cell + rim, scale * cell)


#: Where islands lie at a scale, or None when they do not fit in this order.
Attempt = Callable[[float, NDArray[np.int64]], NDArray[np.float64] | None]
Found = tuple[float, NDArray[np.float64]]


def no_room(margin: float, size: tuple[int, int]) -> NightmistError:
    """The error of a margin that leaves nothing of a map."""
    return NightmistError(f"A margin of {margin:g} texels leaves no room in a map of {size[0]} × {size[1]}.")


def _tried(attempt: Attempt, tries: list[tuple[float, NDArray[np.int64]]]) -> list[NDArray[np.float64] | None]:
    """Two attempts at once."""
    found: list[NDArray[np.float64] | None] = [None] * len(tries)

    def run(first: int, last: int) -> None:
        for k in range(first, last):
            found[k] = attempt(*tries[k])

    in_two_threads(len(tries), run, least=2)
    return found


def _largest(high: float, order: NDArray[np.int64], attempt: Attempt) -> Found | None:
    """The largest scale up to `high` at which islands fit, nearly; by thirds, two at once."""
    places = attempt(high, order)
    if places is not None:
        return high, places
    best: Found | None = None
    for _ in range(ROUNDS):
        low = best[0] if best else 0.0
        scales = [low + (high - low) / 3, high - (high - low) / 3] if best else [0.64 * high, 0.8 * high]
        for scale, places in zip(scales, _tried(attempt, [(scale, order) for scale in scales]), strict=True):
            if places is None:
                high = min(high, scale)
            else:
                best = scale, places
        if best and high - best[0] < TOLERANCE * best[0]:
            break
    return best


def _larger(best: Found, most: float, orders: list[NDArray[np.int64]], attempt: Attempt) -> Found:
    """A larger scale than the one found by thirds: whether islands fit is no monotone question of their scale."""
    step = 1
    while step <= NUDGES and (scale := best[0] * NUDGE**step) <= most:
        fitting = [places for places in _tried(attempt, [(scale, order) for order in orders]) if places is not None]
        if fitting:
            best, step = (scale, fitting[0]), 0
        step += 1
    return best


def upright_boxes(corners: NDArray[np.float64], island: NDArray[np.int64]) -> NDArray[np.float64]:
    """Islands turned so that their box is smallest: (F, 3, 2) in the same unit."""
    out = corners.copy()
    order = np.argsort(island, kind="stable")
    starts = np.searchsorted(island[order], np.arange(int(island.max()) + 2))
    for first, last in pairwise(starts):
        faces = order[first:last]
        points = corners[faces].reshape(-1, 2)
        middle = points.mean(axis=0)
        unit = max(float(np.abs(points - middle).max()), 1e-300)
        _, _, angle = cv2.minAreaRect(((points - middle) / unit).astype(np.float32))
        a = np.radians(angle)
        rotation = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
        out[faces] = ((points - middle) @ rotation + middle).reshape(-1, 3, 2)
    return out


def boxes_of(
    corners: NDArray[np.float64], island: NDArray[np.int64], count: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(n, 2) lowest corners and (n, 2) sizes of islands' boxes."""
    low, high = np.full((count, 2), np.inf), np.full((count, 2), -np.inf)
    np.minimum.at(low, island, corners.min(axis=1))
    np.maximum.at(high, island, corners.max(axis=1))
    return low, high - low


def _quarter(corners: NDArray[np.float64], spans: NDArray[np.float64]) -> NDArray[np.float64]:
    """Turned by 90 degrees within boxes that start at 0."""
    return np.stack([corners[..., 1], spans[:, None, 0] - corners[..., 0]], axis=2)


def _areas(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    areas: NDArray[np.float64] = (e1[:, 0] * e2[:, 1] - e1[:, 1] * e2[:, 0]) / 2
    return areas
