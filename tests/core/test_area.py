"""Areas of rectangles in tiles against masks of a whole map."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist.core.relief.heights import with_neighbors
from nightmist.core.texels import TILE, TileArea

ROWS, COLUMNS = 3, 4
WIDTH, HEIGHT = COLUMNS * TILE, ROWS * TILE


def mask(tiles: np.ndarray, rects: np.ndarray) -> np.ndarray:
    image = np.zeros((HEIGHT, WIDTH), bool)
    for tile, (top, bottom, left, right) in zip(tiles, rects, strict=True):
        y, x = tile // COLUMNS * TILE, tile % COLUMNS * TILE
        image[y + top : y + bottom, x + left : x + right] = True
    return image


def bounds_by_tile(image: np.ndarray) -> dict[int, tuple[int, int, int, int]]:
    found = {}
    for tile in range(ROWS * COLUMNS):
        y, x = tile // COLUMNS * TILE, tile % COLUMNS * TILE
        part = image[y : y + TILE, x : x + TILE]
        if part.any():
            rows, columns = np.flatnonzero(part.any(1)), np.flatnonzero(part.any(0))
            found[tile] = (rows[0], rows[-1] + 1, columns[0], columns[-1] + 1)
    return found


def some(rng: np.random.Generator, count: int) -> tuple[np.ndarray, np.ndarray]:
    tiles = rng.integers(0, ROWS * COLUMNS, count).astype(np.int32)
    low, size = rng.integers(0, 40, (count, 2)), rng.integers(1, 24, (count, 2))
    rects = np.stack([low[:, 0], low[:, 0] + size[:, 0], low[:, 1], low[:, 1] + size[:, 1]], 1)
    return tiles, rects.astype(np.int32)


def as_dict(area: TileArea) -> dict[int, tuple[int, int, int, int]]:
    assert (np.diff(area.tiles) > 0).all()
    return {int(t): tuple(r) for t, r in zip(area.tiles, area.rects, strict=True)}


@pytest.mark.parametrize("seed", range(5))
def test_united_rectangles_are_the_bounds_in_each_tile(seed):
    tiles, rects = some(np.random.default_rng(seed), 30)
    area = TileArea.of_rects(tiles, rects)
    wanted = bounds_by_tile(mask(tiles, rects))
    assert as_dict(area) == wanted
    assert area.texels == sum((b - a) * (d - c) for a, b, c, d in wanted.values())


def test_joined_areas_hold_both_and_nothing_stays_nothing():
    rng = np.random.default_rng(9)
    one, other = TileArea.of_rects(*some(rng, 6)), TileArea.of_rects(*some(rng, 6))
    wanted = bounds_by_tile(mask(one.tiles, one.rects) | mask(other.tiles, other.rects))
    assert as_dict(one.joined(other)) == wanted
    assert as_dict(one.joined(TileArea.empty())) == as_dict(one)
    assert as_dict(TileArea.empty().joined(one)) == as_dict(one)
    assert len(TileArea.empty().joined(TileArea.empty())) == 0


@pytest.mark.parametrize("reach", [1, 7, TILE])
def test_neighbors_are_the_texels_within_reach_around_the_wrapping_map(reach):
    tiles, rects = np.array([0, 5], np.int32), np.array([[0, 9, 3, 20], [50, 64, 60, 64]], np.int32)
    image = np.zeros((HEIGHT, WIDTH), bool)
    for y, x in np.argwhere(mask(tiles, rects)):
        image[np.ix_(np.arange(y - reach, y + reach + 1) % HEIGHT, np.arange(x - reach, x + reach + 1) % WIDTH)] = True
    assert as_dict(with_neighbors(TileArea(tiles, rects), WIDTH, HEIGHT, reach)) == bounds_by_tile(image)
