"""Blur on the surface: many small steps, each a mean over eight neighbors, come to a Gaussian.

One step spreads by a variance of 2a across and 2b down with shares (a, 1 - 2a, a) × (b, 1 - 2b, b); n of them by n
times that. With a at a sixth its fourth moment is a Gaussian's too. Wide blurs run on a smaller map.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import in_two_threads, kernel
from ..texels.raster import TILE
from .ground import Ground, of_island

#: The widest blur, in texels, that runs on a map of its own size; wider ones run on smaller maps.
WIDEST = 3.0
#: Texels are at most so much wider than tall, or taller than wide, as far as blurs look.
MOST_WIDE = 4.0


@dataclass(frozen=True)
class Spread:
    """How far a blur spreads: its steps, and their shares across and down. factor: how much smaller its map is."""

    factor: int
    steps: int
    across: float
    down: float


def spread_of(radius: float, wide: float) -> Spread:
    """The steps of a Gaussian. radius: its standard deviation in texels. wide: a texel's width by its height."""
    factor = 1
    while radius / factor > WIDEST:
        factor *= 2
    variance = radius * radius / factor**2
    if factor > 1:
        # Taking means of factor × factor texels and lines between them spread by themselves.
        variance -= (1 - 1 / factor**2) / 12 + 1 / 6
    wide = min(max(wide, 1 / MOST_WIDE), MOST_WIDE)
    across, down = variance / wide, variance * wide
    steps = max(1, round(3 * max(across, down)))
    return Spread(factor, steps, across / (2 * steps), down / (2 * steps))


def blur_tiles(
    ground: Ground, spread: Spread, tiles: NDArray[np.int32], planes: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Blur tiles of numbers, which are overwritten. Only what lies `spread.steps` within their rim is right.

    planes: (n, 64, 64, p) float32. Returns as many; texels beside borders hold what lies there.
    """
    width, height = ground.size
    columns, rows = width // TILE, height // TILE
    slots = np.full(rows * columns, -1, np.int32)
    slots[tiles] = np.arange(len(tiles))
    around = _around(tiles, columns, rows, slots)
    mixed = np.zeros((len(tiles), TILE, TILE), np.bool_)
    in_two_threads(len(tiles), lambda a, b: _find_mixed(ground.labels, tiles, around, a, b, mixed))
    other = np.empty_like(planes)
    shares = np.array([spread.across, spread.down], np.float32)
    for _ in range(spread.steps):
        show_beyond(ground, tiles, slots, planes)
        in_two_threads(
            len(tiles),
            lambda a, b, old=planes, new=other: _step(ground.labels, tiles, around, mixed, shares, old, new, a, b),  # type: ignore[misc]
            4,
        )
        planes, other = other, planes
    show_beyond(ground, tiles, slots, planes)
    return planes


def show_beyond(
    ground: Ground, tiles: NDArray[np.int32], slots: NDArray[np.int32], planes: NDArray[np.float32]
) -> None:
    """Texels beside borders take what lies there, where that is among the tiles. slots: of all tiles, or -1."""
    _show_beyond(ground.target, ground.source, ground.starts, ground.size[0], tiles, slots, planes)


def _around(tiles: NDArray[np.int32], columns: int, rows: int, slots: NDArray[np.int32]) -> NDArray[np.int32]:
    """(n, 9) slots of each tile and its eight neighbors, row by row; the map wraps."""
    row, column = tiles // columns, tiles % columns
    found = [slots[(row + dy) % rows * columns + (column + dx) % columns] for dy in (-1, 0, 1) for dx in (-1, 0, 1)]
    return np.ascontiguousarray(np.stack(found, axis=1))


@kernel
def _show_beyond(targets, sources, starts, width, tiles, slots, planes):  # type: ignore[no-untyped-def]
    columns = width // TILE
    for i in range(len(tiles)):
        for k in range(starts[tiles[i]], starts[tiles[i] + 1]):
            y, x = sources[k] // width, sources[k] % width
            slot = slots[y // TILE * columns + x // TILE]
            if slot >= 0:
                ty, tx = targets[k] // width % TILE, targets[k] % width % TILE
                for p in range(planes.shape[3]):
                    planes[i, ty, tx, p] = planes[slot, y % TILE, x % TILE, p]


@kernel
def _find_mixed(labels, tiles, around, first, last, mixed):  # type: ignore[no-untyped-def]
    """Covered texels that have a neighbor of another island, or one that is not among the tiles."""
    height, width = labels.shape
    columns = width // TILE
    for i in range(first, last):
        top, left = tiles[i] // columns * TILE, tiles[i] % columns * TILE
        for y in range(TILE):
            above, below = (top + y - 1) % height, (top + y + 1) % height
            for x in range(TILE):
                label = labels[top + y, left + x]
                if label < 0:
                    continue
                before, after = (left + x - 1) % width, (left + x + 1) % width
                one = of_island(label, labels[above, before]) and of_island(label, labels[above, left + x])
                one = one and of_island(label, labels[above, after]) and of_island(label, labels[top + y, before])
                one = one and of_island(label, labels[top + y, after]) and of_island(label, labels[below, before])
                one = one and of_island(label, labels[below, left + x]) and of_island(label, labels[below, after])
                if y == 0 or x == 0 or y == TILE - 1 or x == TILE - 1:
                    row, column = 3 * (1 + (y == TILE - 1) - (y == 0)), 1 + (x == TILE - 1) - (x == 0)
                    one = one and around[i, row + 1] >= 0 and around[i, 3 + column] >= 0
                    one = one and around[i, row + column] >= 0
                mixed[i, y, x] = not one


@kernel
def _step(labels, tiles, around, mixed, shares, old, new, first, last):  # type: ignore[no-untyped-def]
    line = np.empty((TILE + 2) * old.shape[3], np.float32)
    there = np.empty(9, np.int32)
    for i in range(first, last):
        for k in range(9):
            there[k] = around[i, k] if around[i, k] >= 0 else i
        _step_alike(there, shares, old, new[i], line)
        _step_mixed(labels, tiles[i], around[i], mixed[i], shares, old, new[i])


@kernel
def _step_alike(around, shares, old, new, line):  # type: ignore[no-untyped-def]
    """A tile as if all were of one island."""
    planes = old.shape[3]
    a, b = shares[0], shares[1]
    a0, b0 = np.float32(1.0) - np.float32(2.0) * a, np.float32(1.0) - np.float32(2.0) * b
    for y in range(TILE):
        up = 0 if y == 0 else 3
        low = 6 if y == TILE - 1 else 3
        yu, yl = (y - 1) % TILE, (y + 1) % TILE
        upper = old[around[up + 1], yu].reshape(TILE * planes)
        middle = old[around[4], y].reshape(TILE * planes)
        lower = old[around[low + 1], yl].reshape(TILE * planes)
        for j in range(TILE * planes):
            line[planes + j] = b * (upper[j] + lower[j]) + b0 * middle[j]
        for p in range(planes):
            side = old[around[up], yu, TILE - 1, p] + old[around[low], yl, TILE - 1, p]
            line[p] = b * side + b0 * old[around[3], y, TILE - 1, p]
            side = old[around[up + 2], yu, 0, p] + old[around[low + 2], yl, 0, p]
            line[(TILE + 1) * planes + p] = b * side + b0 * old[around[5], y, 0, p]
        out = new[y].reshape(TILE * planes)
        behind, ahead = line[: TILE * planes], line[2 * planes :]
        here = line[planes:]
        for j in range(TILE * planes):
            out[j] = a * (behind[j] + ahead[j]) + a0 * here[j]


@kernel
def _step_mixed(labels, tile, around, mixed, shares, old, new):  # type: ignore[no-untyped-def]
    """The texels beside others, where what is of another island counts as the middle one."""
    height, width = labels.shape
    columns, planes = width // TILE, old.shape[3]
    top, left = tile // columns * TILE, tile % columns * TILE
    middle = old[around[4]]
    one, two = np.float32(1.0), np.float32(2.0)
    for y in range(TILE):
        for x in range(TILE):
            if not mixed[y, x]:
                continue
            label = labels[top + y, left + x]
            own = one
            for p in range(planes):
                new[y, x, p] = np.float32(0.0)
            for dy in range(-1, 2):
                vertical = one - two * shares[1] if dy == 0 else shares[1]
                for dx in range(-1, 2):
                    if dy == 0 and dx == 0:
                        continue
                    yy, xx = y + dy, x + dx
                    row = 0 if yy < 0 else (2 if yy == TILE else 1)
                    column = 0 if xx < 0 else (2 if xx == TILE else 1)
                    slot = around[3 * row + column]
                    if slot < 0 or not of_island(label, labels[(top + yy) % height, (left + xx) % width]):
                        continue
                    share = vertical * (one - two * shares[0] if dx == 0 else shares[0])
                    own -= share
                    for p in range(planes):
                        new[y, x, p] += share * old[slot, yy % TILE, xx % TILE, p]
            for p in range(planes):
                new[y, x, p] += own * middle[y, x, p]
