"""Samples of pictures between their pixels, at their rims, and between their sizes, against scipy."""

from __future__ import annotations

import numba
import numpy as np
import pytest
from scipy.ndimage import map_coordinates

from nightmist.core.mapping.pyramid import WRAPS, Pyramid
from nightmist.core.mapping.samples import BLOCKS, EVERY, SHARP, add_samples
from nightmist.core.mapping.sheets import sheets_of
from nightmist.core.texels import TILE

#: What scipy calls how a picture goes on beyond its edges.
MODES = {"repeat": "grid-wrap", "mirror": "reflect", "clamp": "nearest", "none": "grid-constant"}


@numba.njit
def sampled(words, starts, sizes, each, u, v, levels, weights, first, end, wrap, sums):
    places, corners = np.zeros(TILE, np.int32), np.zeros((4, TILE), np.float32)
    add_samples(
        words, starts, sizes, len(starts), each, u, v, levels, weights, first, end, wrap, places, corners, sums
    )  # fmt: skip


def pictures(rng, count):
    """Pyramids of one size, of four channels each, whose levels have nothing to do with one another."""
    sizes = [(23, 11), (11, 5), (5, 2)]
    made = []
    for _ in range(count):
        levels = [rng.integers(0, 65536, (height, width, 4), dtype=np.uint16) for width, height in sizes]
        starts = np.cumsum([0, *(level.size for level in levels[:-1])])
        flat = np.concatenate([level.ravel() for level in levels])
        made.append((levels, Pyramid(flat, starts, np.array(sizes, np.int64), 4)))
    return [levels for levels, _ in made], sheets_of([pyramid for _, pyramid in made])


def expected(level, u, v, wrap):
    """(n, 4) of a level at places of the whole picture."""
    height, width = level.shape[:2]
    at = np.stack([v * height - 0.5, u * width - 0.5])
    return np.stack(
        [map_coordinates(level[..., c].astype(float), at, order=1, mode=MODES[wrap]) for c in range(4)], axis=1
    )


@pytest.mark.parametrize("wrap", WRAPS)
@pytest.mark.parametrize("count", [1, 3])
def test_samples_are_those_of_scipy_also_beyond_the_edges(wrap, count):
    """Rows that begin and end anywhere, levels that differ from block to block, weights, and texels without any."""
    rng = np.random.default_rng(5)
    levels, sheets = pictures(rng, count)
    words, starts, each = sheets.words
    for first, end in ((0, TILE), (3, 4), (7, 60), (40, 64)):
        span = 0.3 if wrap == "none" else 1.4
        u, v = rng.uniform(-span, 1 + span, (2, TILE))
        weights = (rng.uniform(0.2, 1, TILE) * (rng.uniform(size=TILE) > 0.2)).astype(np.float32)
        footprints = rng.choice([-2.0, 0.1, 1.0, 1.5, 1.6, 2.0, 5.0], BLOCKS).astype(np.float32)
        sums = np.full((TILE, 4 * count), 7, np.float32)
        sampled(words, starts[0], sheets.sizes[0], each[0], u.copy(), v.copy(), footprints, weights, first, end,
                WRAPS.index(wrap), sums)  # fmt: skip
        wanted = np.full((TILE, 4 * count), 7.0)
        footprint = np.zeros(TILE)
        footprint[first:end] = np.repeat(footprints, EVERY)[: end - first]
        # Up to a footprint of 1.2 pixels the picture itself; from there on straight to the next level.
        footprint = np.where(footprint < 1, np.maximum(footprint - SHARP, 0) / (1 - SHARP), footprint).clip(max=2)
        for k in range(count):
            at = [expected(level, u, v, wrap) for level in levels[k]]
            for i in range(first, end):
                low = int(footprint[i])
                part = footprint[i] - low
                mixed = (1 - part) * at[low][i] + (part * at[low + 1][i] if part else 0)
                wanted[i, 4 * k : 4 * k + 4] += weights[i] * mixed
        assert np.abs(sums - wanted).max() < 0.5
