"""Tiles that a stroke touches, and its working copies: empty at first, each once, apart from what lay there before."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist.core.brush import Coverage
from nightmist.core.brush.reach import reach_boxes
from nightmist.core.kernels import address_of
from nightmist.core.texels import TILE, Raster, TileArea
from nightmist.core.texels.flat import flat_ownership
from nightmist.core.texels.touched_tiles import TouchedTiles

RNG = np.random.default_rng(9)


@pytest.mark.parametrize(("kind", "channels"), [(np.float32, ()), (np.int32, ()), (np.uint16, (4,))])
def test_touched_tiles_are_empty_apart_and_stay_where_they_are(kind, channels):
    held = TouchedTiles(40, kind, *channels)
    assert not held
    assert held.get(3) is None
    touched: set[int] = set()
    for _ in range(12):
        tiles = np.sort(RNG.choice(40, 9, replace=False)).astype(np.int32)
        before = held.addresses.copy()
        held.touch(tiles)
        assert (held.addresses[before != 0] == before[before != 0]).all()
        for number in set(tiles.tolist()) - touched:
            assert held.get(number).shape == (TILE, TILE, *channels)
            assert not held.get(number).any()
            held.get(number)[:] = number + 1
        touched |= set(tiles.tolist())
    assert held
    assert [number for number, _ in held.items()] == sorted(touched)
    for number, tile in held.items():
        assert (tile == number + 1).all()
        assert held.addresses[number] == address_of(tile)


def test_of_two_coverages_the_greater_counts_with_what_it_remembers():
    """In an area, texel by texel; beside it nothing changes."""
    mine, other = Coverage(flat_ownership(128, 64)), Coverage(flat_ownership(128, 64))
    tiles = np.array([0, 1], np.int32)
    for coverage in (mine, other):
        for kept in (coverage.tiles, coverage.numbers, coverage.colors):
            kept.touch(tiles)
            for number, tile in kept.items():
                values = RNG.random(tile.shape) if tile.dtype == np.float32 else RNG.integers(0, 65536, tile.shape)
                tile[:] = values
                if number == 1 and coverage is other and tile.dtype != np.float32:
                    kept.addresses[1] = 0
    held = [{n: t.copy() for n, t in kept.items()} for kept in (mine.tiles, mine.numbers, mine.colors)]
    rects = np.array([[3, 50, 7, 61], [0, 64, 10, 20]], np.int32)
    mine.take_most(other, TileArea(tiles, rects))
    for number, (top, bottom, left, right) in zip(tiles.tolist(), rects, strict=True):
        more = np.zeros((TILE, TILE), np.bool_)
        part = np.s_[top:bottom, left:right]
        more[part] = other.tiles.get(number)[part] > held[0][number][part]
        assert more.any()
        for before, now, theirs in zip(held, (mine.tiles, mine.numbers, mine.colors),
                                       (other.tiles, other.numbers, other.colors), strict=True):  # fmt: skip
            wanted = before[number].copy()
            if theirs.get(number) is not None:
                wanted[more] = theirs.get(number)[more]
            assert np.array_equal(now.get(number), wanted)


def test_working_copies_leave_what_lay_there_before_alone():
    raster = Raster(128, 128, 4)
    raster.put((0, 1), RNG.integers(0, 65536, (TILE, TILE, 4)).astype(np.uint16))
    before = raster.copy()
    raster.part_from(before, np.array([1, 2], np.int32))
    assert (raster.addresses.ravel() != before.addresses.ravel()).tolist() == [False, True, True, False]
    assert np.array_equal(raster.tiles[0, 1], before.tiles[0, 1])
    assert not raster.tiles[1, 0].any()
    copies = dict(raster.tiles)
    raster.part_from(before, np.array([0, 1, 2], np.int32))
    assert all(raster.tiles[key] is tile for key, tile in copies.items())
    assert (0, 0) in raster.tiles


def test_boxes_that_the_one_around_all_dabs_meets():
    """Against the same in NumPy, and what lies between two dabs counts as well."""
    low = RNG.uniform(-1, 1, (200, 3))
    boxes = np.concatenate([low, low + RNG.uniform(0, 0.3, (200, 3))], axis=1)
    centers, radii = RNG.uniform(-0.5, 0.5, (3, 3)), RNG.uniform(0.01, 0.2, 3)
    found = np.empty(200, np.bool_)
    reach_boxes(boxes, centers, radii, found)
    least, most = centers.min(axis=0) - radii.max(), centers.max(axis=0) + radii.max()
    wanted = ((boxes[:, :3] <= most) & (boxes[:, 3:] >= least)).all(axis=1)
    assert wanted.any()
    assert not wanted.all()
    assert np.array_equal(found, wanted)
