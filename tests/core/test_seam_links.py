"""How the surface goes on beyond islands, against the plain geometry of two walls that meet at an edge."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Document
from nightmist.core.texels import TILE, Raster, TileArea
from nightmist.core.texels.area import with_neighbors

from ..shapes import grid, joined, plane

SIDE = 256
LOW, HIGH = 0.1, 0.9


def bent_walls(degrees: float):
    """Two squares of side 2 that meet at x = 0, the right one bent back; each is a surface with the same UVs."""
    s = np.linspace(0, 1, 5)
    x, y = np.meshgrid(s, s)
    uv = LOW + (HIGH - LOW) * np.stack([x, y], 2)
    turn = np.radians(degrees)
    left = grid(np.stack([2 * x - 2, 1 - 2 * y, 0 * x], 2), uv)
    right = grid(np.round(np.stack([2 * x * np.cos(turn), 1 - 2 * y, -2 * x * np.sin(turn)], 2), 6), uv)
    doc = Document.from_mesh(joined(left, right, names=["left", "right"]), "bent", (SIDE, SIDE))
    return doc, doc.links(doc.surfaces["left"].value)


def unfolded(places, surface):
    """Where (n, 2) texel places lie when both walls are laid flat: x from -2 to 2, y from -1 to 1."""
    share = (places / SIDE - LOW) / (HIGH - LOW)
    return np.column_stack([2 * share[:, 0] - 2 + 2 * surface, 1 - 2 * share[:, 1]])


@pytest.mark.parametrize("degrees", [0, 35, 90, 170])
def test_a_walk_over_an_edge_goes_as_far_as_on_flat_ground(degrees):
    """However sharp the edge, the paper model of both walls says where beyond it a gutter texel lies."""
    _, across = bent_walls(degrees)
    target = np.column_stack([across.target % SIDE + 0.5, across.target // SIDE + 0.5])
    wanted = unfolded(target, np.zeros(len(target)))
    beside = (wanted[:, 0] > 0.01) & (np.abs(wanted[:, 1]) < 0.97)
    assert beside.sum() > 1000
    assert (across.surface[beside] == 1).all()
    found = unfolded(across.place[beside], across.surface[beside])
    assert np.abs(found - wanted[beside]).max() < 1e-4
    source = across.source[beside]
    assert (source == np.floor(across.place[beside, 1]) * SIDE + np.floor(across.place[beside, 0])).all()


def test_where_the_surface_ends_the_nearest_texel_is_repeated():
    """Beyond the left wall's outer edge there is nothing to walk to."""
    doc, across = bent_walls(0)
    covered = doc.surfaces["left"].layout.ownership.covered()
    x, y = across.target % SIDE, across.target // SIDE
    outside = (x < LOW * SIDE - 1) & (y > LOW * SIDE + 1) & (y < HIGH * SIDE - 1)
    assert outside.sum() > 500
    assert (across.surface[outside] == 0).all()
    first = covered[SIDE // 2].argmax()
    assert (across.source[outside] == y[outside] * SIDE + first).all()


def test_lists_are_found_by_tile():
    """By source and by target, the same as looking through all of them."""
    _, across = bent_walls(90)
    tiles = np.array([4, 7, 8], np.int32)
    columns = SIDE // TILE
    tile_of = lambda texel: texel // SIDE // TILE * columns + texel % SIDE // TILE  # noqa: E731
    by_target = across.targets_in(SIDE, SIDE, tiles)
    assert sorted(by_target) == list(np.flatnonzero(np.isin(tile_of(across.target), tiles)))
    rects = np.array([[0, 64, 0, 64], [10, 30, 0, 20], [5, 6, 0, 64]], np.int32)
    wanted = [
        i for i, (s, texel) in enumerate(zip(across.surface, across.source, strict=True))
        for tile, (top, bottom, left, right) in zip(tiles, rects, strict=True)
        if s == 1 and tile_of(texel) == tile and top <= texel // SIDE % TILE < bottom and left <= texel % TILE < right
    ]  # fmt: skip
    assert len(wanted) > 50
    assert sorted(across.sources_in(1, SIDE, SIDE, TileArea(tiles, rects))) == wanted


def test_texels_of_a_sparse_raster():
    """Picked out singly they are those of the dense picture; absent tiles are transparent."""
    rng = np.random.default_rng(8)
    raster = Raster(256, 128, 2)
    for key in ((0, 1), (1, 3)):
        raster.put(key, rng.integers(0, 65536, (TILE, TILE, 2), dtype=np.uint16))
    places = rng.integers(0, 256 * 128, 4000).astype(np.int32)
    found = raster.texels(places)
    assert (found == raster.read().reshape(-1, 2)[places]).all()
    assert 0 < (found == 0).all(axis=1).mean() < 1


@pytest.mark.parametrize("reach", [1, 2, 40])
def test_an_area_grows_over_the_borders_of_tiles_and_of_the_map(reach):
    """Against shifting a mask; rectangles may hold more than the mask within a tile, never less."""
    tiles = np.array([0, 5, 11], np.int32)
    rects = np.array([[0, 10, 3, 20], [60, 64, 60, 64], [30, 31, 0, 64]], np.int32)
    width, height, columns = 256, 192, 4
    mask = _mask(TileArea(tiles, rects), width, height, columns)
    wanted = np.zeros_like(mask)
    steps = range(-reach, reach + 1)
    for dy in steps:
        for dx in steps:
            wanted |= np.roll(mask, (dy, dx), (0, 1))
    grown = with_neighbors(TileArea(tiles, rects), width, height, reach)
    assert len(set(grown.tiles.tolist())) == len(grown.tiles)
    found = _mask(grown, width, height, columns)
    assert found[wanted].all()
    # Nothing in tiles that the growing does not reach, and tight where one rectangle is alone in its tile.
    blocks = wanted.reshape(3, 64, 4, 64).any(axis=(1, 3)).ravel()
    assert set(grown.tiles.tolist()) == set(np.flatnonzero(blocks).tolist())


def _mask(area, width, height, columns):
    mask = np.zeros((height, width), bool)
    for tile, (top, bottom, left, right) in zip(area.tiles, area.rects, strict=True):
        y, x = tile // columns * TILE, tile % columns * TILE
        mask[y + top : y + bottom, x + left : x + right] = True
    return mask


def test_a_single_island_has_nothing_beyond_itself():
    """All sources of a lone square are its own texels."""
    doc = Document.from_mesh(plane(), "lone", (SIDE, SIDE))
    surface = doc.surfaces["surface"]
    covered = surface.layout.ownership.covered().ravel()
    assert len(doc.links(surface.value).target) > 1000
    assert covered[doc.links(surface.value).source].all()
    assert not covered[doc.links(surface.value).target].any()
