"""Smaller maps of the same surface, and the way back: islands shrink by themselves, and grow by themselves."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..kernels import in_two_threads, kernel
from ..texels.raster import TILE
from .ground import Ground


def small_side(side: int, factor: int) -> int:
    """The side of a map `factor` times smaller, texels, in whole tiles."""
    return -(-side // (factor * TILE)) * TILE


def shrink(
    ground: Ground, small: Ground, factor: int, tiles: NDArray[np.int32], planes: NDArray[np.float32],
    into: NDArray[np.float32],
) -> None:  # fmt: skip
    """Write means of factor × factor texels, of the small texel's own island alone where it has any there.

    planes: (n, 64, 64, p) of some tiles. into: (H, W, p) of the smaller map, of which their part is written.
    """
    columns = ground.size[0] // TILE
    in_two_threads(
        len(tiles), lambda a, b: _shrink(ground.labels, small.labels, factor, columns, tiles, planes, into, a, b), 4
    )


def enlarge(
    ground: Ground, small: Ground, factor: int, tiles: NDArray[np.int32], slots: NDArray[np.int32],
    planes: NDArray[np.float32], into: NDArray[np.float32],
) -> NDArray[np.bool_]:  # fmt: skip
    """Write tiles from those of a smaller map, along straight lines between texels of one island.

    slots: of all small tiles their place in `planes`, (m, 64, 64, p). into: (n, 64, 64, p). Returns (n,) the tiles
    with texels that the smaller map has lost, which are left as they are.
    """
    lost = np.zeros(len(tiles), np.bool_)
    columns, small_columns = ground.size[0] // TILE, small.size[0] // TILE
    in_two_threads(
        len(tiles),
        lambda a, b: _enlarge(ground.labels, small.labels, factor, columns, small_columns, tiles, slots, planes, into,
                              lost, a, b),
        4,
    )  # fmt: skip
    return lost


@kernel
def _shrink(labels, small, factor, columns, tiles, planes, into, first, last):  # type: ignore[no-untyped-def]
    side, count = TILE // factor, planes.shape[3]
    sums = np.empty(count, np.float32)
    for i in range(first, last):
        top, left = tiles[i] // columns * TILE, tiles[i] % columns * TILE
        for y in range(side):
            for x in range(side):
                row, column = top // factor + y, left // factor + x
                label = small[row, column]
                # First its own island; where that has no texel here, whatever is covered; else all.
                for choice in range(3):
                    sums[:] = np.float32(0.0)
                    found = 0
                    for dy in range(factor):
                        for dx in range(factor):
                            here = labels[top + y * factor + dy, left + x * factor + dx]
                            if (choice == 0 and (label < 0 or here != label)) or (choice == 1 and here < 0):
                                continue
                            found += 1
                            for p in range(count):
                                sums[p] += planes[i, y * factor + dy, x * factor + dx, p]
                    if found > 0:
                        break
                for p in range(count):
                    into[row, column, p] = sums[p] / np.float32(found)


@kernel
def _enlarge(labels, small, factor, columns, small_columns, tiles, slots, planes, into, lost, first, last):  # type: ignore[no-untyped-def]
    height, width = small.shape
    count = planes.shape[3]
    sums = np.empty(count, np.float32)
    for i in range(first, last):
        top, left = tiles[i] // columns * TILE, tiles[i] % columns * TILE
        for y in range(TILE):
            v = np.float32((top + y + 0.5) / factor - 0.5)
            row = int(np.floor(v))
            fv = v - np.float32(row)
            for x in range(TILE):
                label = labels[top + y, left + x]
                if label < 0:
                    continue
                u = np.float32((left + x + 0.5) / factor - 0.5)
                column = int(np.floor(u))
                fu = u - np.float32(column)
                total = np.float32(0.0)
                sums[:] = np.float32(0.0)
                for dy in range(2):
                    for dx in range(2):
                        yy, xx = (row + dy) % height, (column + dx) % width
                        found = small[yy, xx]
                        slot = slots[yy // TILE * small_columns + xx // TILE]
                        if slot < 0 or (found != label and found != -2 - label):
                            continue
                        share = (fv if dy else np.float32(1.0) - fv) * (fu if dx else np.float32(1.0) - fu)
                        total += share
                        for p in range(count):
                            sums[p] += share * planes[slot, yy % TILE, xx % TILE, p]
                if total > np.float32(1e-3):
                    for p in range(count):
                        into[i, y, x, p] = sums[p] / total
                else:
                    lost[i] = True
