"""Lays islands into the map without overlap, at the largest common scale."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..kernels import kernel

#: Cells along the longer side of the map; finer packs tighter and takes longer.
CELLS = 512
STEPS = 9


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
        raise NightmistError(f"A margin of {margin:g} texels leaves no room in a map of {width} × {height}.")
    words = grid[1] // 64 + 2
    blocked = np.zeros((grid[0], words), np.uint64)
    if taken is not None and len(taken):
        _block(((taken - rim) / cell).astype(np.float64), gap, grid[1], blocked)
    starts = np.searchsorted(island[np.argsort(island, kind="stable")], np.arange(count + 1))
    faces = np.argsort(island, kind="stable")
    order = np.argsort(-spans.max(axis=1) - spans.sum(axis=1) * 1e-3, kind="stable")
    area = float(np.abs(_areas(local)).sum())
    high = min(np.sqrt(grid[0] * grid[1] / max(area, 1e-300)), most / cell)
    high = min(high, float((np.array([max(grid), max(grid)]) / np.maximum(spans, 1e-300)).min()))
    best: tuple[float, NDArray[np.float64]] | None = None

    def attempt(scale: float) -> NDArray[np.float64] | None:
        places = np.zeros((count, 3))
        done = _place(local * scale, faces, starts, order, spans * scale, gap, grid[1], blocked.copy(), turn, places)
        return places if done else None

    low = 0.0
    if (places := attempt(high)) is not None:
        best = (high, places)
    else:
        for _ in range(STEPS + 8):
            middle = (low + high) / 2 if low else high * 0.8
            places = attempt(middle)
            if places is None:
                high = middle
            else:
                low, best = middle, (middle, places)
            if low and (high - low) < low * 0.004:
                break
    if best is None:
        raise NightmistError(
            f"{count:,} islands with {margin:g} texels between them do not fit into {width} × {height};"
            " use a larger map or a smaller margin."
        )
    scale, places = best
    placed = local * scale
    side = places[:, 2].astype(bool)[island]
    placed[side] = _quarter(placed[side], (spans * scale)[island][side])
    return Packed((placed + places[island][:, None, :2]) * cell + rim, scale * cell)


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


@kernel
def _touches(t, x, y):  # type: ignore[no-untyped-def]
    """Whether the cell (x, y)…(x + 1, y + 1) meets a triangle: no edge line has the whole cell outside."""
    area = (t[1, 0] - t[0, 0]) * (t[2, 1] - t[0, 1]) - (t[1, 1] - t[0, 1]) * (t[2, 0] - t[0, 0])
    sign = 1.0 if area >= 0 else -1.0
    for k in range(3):
        ax, ay = t[k, 0], t[k, 1]
        nx, ny = -(t[(k + 1) % 3, 1] - ay) * sign, (t[(k + 1) % 3, 0] - ax) * sign
        # The cell's corner farthest inward.
        cx = x + 1.0 if nx > 0 else x + 0.0
        cy = y + 1.0 if ny > 0 else y + 0.0
        if nx * (cx - ax) + ny * (cy - ay) < 0:
            return False
    return True


@kernel
def _mark(t, gap, columns, mask):  # type: ignore[no-untyped-def]
    """Set the bits of cells within `gap` of those a triangle touches; mask: (rows, words), shifted by nothing."""
    rows = mask.shape[0]
    y0, y1 = int(np.floor(min(t[0, 1], t[1, 1], t[2, 1]))), int(np.floor(max(t[0, 1], t[1, 1], t[2, 1])))
    x0, x1 = int(np.floor(min(t[0, 0], t[1, 0], t[2, 0]))), int(np.floor(max(t[0, 0], t[1, 0], t[2, 0])))
    for y in range(max(y0, -gap), min(y1, rows + gap) + 1):
        for x in range(max(x0, -gap), min(x1, columns + gap) + 1):
            if _touches(t, x, y):
                for yy in range(max(y - gap, 0), min(y + gap + 1, rows)):
                    for xx in range(max(x - gap, 0), min(x + gap + 1, columns)):
                        mask[yy, xx // 64] |= np.uint64(1) << np.uint64(xx % 64)


@kernel
def _block(triangles, gap, columns, mask):  # type: ignore[no-untyped-def]
    for t in range(len(triangles)):
        _mark(triangles[t], gap, columns, mask)


@kernel
def _fits(mask, rows, words, blocked, top, left):  # type: ignore[no-untyped-def]
    shift = np.uint64(left % 64)
    back = np.uint64(64) - shift
    word = left // 64
    for y in range(rows):
        carry = np.uint64(0)
        for w in range(words):
            bits = mask[y, w]
            if ((bits << shift) | carry) & blocked[top + y, word + w]:
                return False
            carry = bits >> back if shift else np.uint64(0)
        if carry & blocked[top + y, word + words]:
            return False
    return True


@kernel
def _place(corners, faces, starts, order, spans, gap, columns, blocked, turn, places):  # type: ignore[no-untyped-def]
    """Put one island after the other where it fits first, row by row; False when one does not fit."""
    rows = len(blocked)
    hint, hint_size = 0, 1e300
    for k in range(len(order)):
        i = order[k]
        best_top, best_left, best_turn = -1, -1, 0
        size = max(spans[i, 0], spans[i, 1])
        # Among many small islands the search goes on where the last of about this size went.
        start = hint if len(order) > 400 and size > 0.9 * hint_size else 0
        if start == 0:
            hint_size = size
        for way in range(2 if turn else 1):
            w = spans[i, 1] if way else spans[i, 0]
            h = spans[i, 0] if way else spans[i, 1]
            mask_rows, mask_columns = int(np.floor(h)) + 1, int(np.floor(w)) + 1
            if mask_rows > rows or mask_columns > columns:
                continue
            words = (mask_columns + 63) // 64
            mask = np.zeros((mask_rows, words), np.uint64)
            moved = np.empty((3, 2))
            for f in faces[starts[i] : starts[i + 1]]:
                for c in range(3):
                    moved[c, 0] = corners[f, c, 1] if way else corners[f, c, 0]
                    moved[c, 1] = spans[i, 0] - corners[f, c, 0] if way else corners[f, c, 1]
                _mark(moved, 0, mask_columns, mask)
            found = False
            for top in range(start, rows - mask_rows + 1):
                if best_top >= 0 and top >= best_top:
                    break
                for left in range(columns - mask_columns + 1):
                    if _fits(mask, mask_rows, words, blocked, top, left):
                        best_top, best_left, best_turn = top, left, way
                        found = True
                        break
                if found:
                    break
        if best_top < 0:
            return False
        hint = best_top
        places[i, 0], places[i, 1], places[i, 2] = best_left, best_top, best_turn
        for f in faces[starts[i] : starts[i + 1]]:
            moved = np.empty((3, 2))
            for c in range(3):
                moved[c, 0] = (corners[f, c, 1] if best_turn else corners[f, c, 0]) + best_left
                moved[c, 1] = (spans[i, 0] - corners[f, c, 0] if best_turn else corners[f, c, 1]) + best_top
            _mark(moved, gap, columns, blocked)
    return True
