"""Which face owns which texel, and where that texel is: against every texel tried on every face."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage

from nightmist.core.errors import NightmistError
from nightmist.core.texels import TILE, Gutter, TileArea
from nightmist.core.texels.composite_picture import Picture
from nightmist.core.texels.ownership import MAX_REPEATS, covered_texels, own_texels

from ..shapes import SHAPES, plane, soup
from .brute import owners

SIZE = (256, 128)


def entries(own):
    """(face, y, x) of every owned texel with its position, spelled out from the table."""
    for t in range(len(own.tile_start) - 1):
        top, left = t // own.columns * TILE, t % own.columns * TILE
        for p in range(own.tile_start[t], own.tile_start[t + 1]):
            face, x0, y0, row0, rows, first = own.pieces[p]
            m = own.matrices[face]
            for i in range(rows):
                for c in range(*own.spans[first + i]):
                    x, y = x0 + c + 0.5, y0 + row0 + i + 0.5
                    yield (face, top + row0 + i, left + c), m[0:3] * x + m[3:6] * y + m[6:9]


@pytest.mark.parametrize("shape", SHAPES)
def test_every_covered_center_is_owned_at_its_place(shape):
    """Owners are exactly the faces whose triangle covers the center, wrapped copies too; positions agree."""
    mesh = SHAPES[shape]()
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], *SIZE)
    found: dict[tuple[int, int, int], list] = {}
    for key, position in entries(own):
        found.setdefault(key, []).append(position)
    surely = 0
    for face, texels, positions, inside in owners(mesh, *SIZE):
        for (y, x), position, depth in zip(texels, positions, inside, strict=True):
            if depth > 1e-7:
                surely += 1
                nearest = min(np.abs(np.array(found[face, y, x]) - position).max(axis=1))
                assert nearest < 1e-5
    total = sum(len(places) for places in found.values())
    assert surely <= total <= surely * 1.02 + 40


@pytest.mark.parametrize("shape", SHAPES)
def test_what_lies_inside_some_tiles_is_what_has_an_owner(shape):
    mesh = SHAPES[shape]()
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], *SIZE)
    tiles = np.array([6, 0, 3], np.int32)
    for tile, found in zip(tiles, own.inside(tiles), strict=True):
        wanted = np.zeros((TILE, TILE), bool)
        for (_, y, x), _ in entries(own):
            if y // TILE * own.columns + x // TILE == tile:
                wanted[y % TILE, x % TILE] = True
        assert np.array_equal(found, wanted)


@pytest.mark.parametrize("shape", SHAPES)
def test_what_some_faces_cover_is_what_they_cover_without_the_others(shape):
    mesh = SHAPES[shape]()
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], *SIZE)
    for chosen in (np.arange(len(mesh.faces)) % 3 == 1, np.zeros(len(mesh.faces), bool)):
        wanted = np.zeros((own.height, own.width), bool)
        for (face, y, x), _ in entries(own):
            wanted[y, x] |= chosen[face]
        assert np.array_equal(own.covered_by(chosen), wanted)


@pytest.mark.parametrize("each", [0.3, 3.0, 70.0])
def test_what_is_covered_is_found_however_many_faces_lie_there(each):
    """Random triangles that fill the map more often than a table holds, against each of them by itself."""
    rng = np.random.default_rng(5)
    count = int(2 * MAX_REPEATS / each) + 2
    uv = rng.uniform(-1, 1, (count, 3, 2)) * np.sqrt(each) + (0.2, 0.7)
    if each < 1:
        # So that some of it stays bare.
        uv[..., 0] *= 0.4
    mesh = soup(rng.uniform(-1, 1, (3 * count, 3)), np.arange(3 * count).reshape(-1, 3))
    found = covered_texels(mesh, np.arange(count), uv.astype(np.float32), *SIZE)
    wanted = np.zeros_like(found)
    for face in range(count):
        wanted |= own_texels(mesh, np.array([face]), uv.astype(np.float32), *SIZE).covered()
    assert np.array_equal(found, wanted)
    assert wanted.all() == (each > 1)


def test_shared_edges_are_owned_once():
    """On a plane without overlap no center belongs to two faces, even where edges run through centers."""
    mesh = plane(cells=8, low=0.5 / 128, high=1 - 0.5 / 128)
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], 128, 128)
    places = [key[1:] for key, _ in entries(own)]
    assert len(places) == len(set(places)) == 127 * 127


@pytest.mark.parametrize("side", [170.66668128967285, 97.3, 33.3333321])
def test_centers_on_a_shared_edge_are_owned_once_though_rounding_decides(side):
    """Along a diagonal through the centers both faces must come to the same number, to the last bit."""
    flat = plane(1)
    ends = (np.float64([1.0000000298023224, 1.0000000298023224 + side]) / 192).astype(np.float32)
    uv = np.where(flat.uvs[0] < 0.5, ends[0], ends[1])
    own = own_texels(flat, np.arange(2), uv, 192, 192)
    count = np.zeros((192, 192), int)
    for (_, y, x), _place in entries(own):
        count[y, x] += 1
    low, high = (int(np.ceil(end * 192 - 0.5)) for end in ends.astype(float))
    wanted = np.zeros_like(count)
    wanted[low:high, low:high] = 1
    assert (count == wanted).all()


def test_boxes_and_balls_hold_their_texels():
    """No texel lies outside its tile's box or its piece's ball, so nothing is passed over by a dab."""
    mesh = SHAPES["sphere"]()
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], *SIZE)
    for (_, y, x), position in entries(own):
        box = own.tile_box[y // TILE * own.columns + x // TILE]
        assert (position >= box[:3] - 1e-9).all()
        assert (position <= box[3:] + 1e-9).all()


def test_absurd_uvs_are_refused():
    """UVs that are no numbers own nothing; those that repeat without end are refused in a sentence."""
    mesh = plane()
    faces = np.arange(len(mesh.faces))
    assert not own_texels(mesh, faces, np.full_like(mesh.uvs[0], np.nan), 128, 128).covered().any()
    with pytest.raises(NightmistError, match="times over"):
        own_texels(mesh, faces, mesh.uvs[0] * 100, 128, 128)


@pytest.mark.parametrize("reach", [4, 16])
def test_gutter_takes_the_nearest_inside_texel(reach):
    """Against an exact distance transform of the map repeated around itself."""
    rng = np.random.default_rng(5)
    covered = ndimage.binary_dilation(rng.random((128, 192)) > 0.9985, iterations=3)
    gutter = Gutter(covered, reach)
    picture = Picture(192, 128)
    # One tile of one color among others.
    picture.hold(np.array([0, 1, 2, 4, 5], np.int32))
    picture.pixels[:] = rng.integers(0, 65536, picture.pixels.shape)
    before = picture.read()
    changed = gutter.spread(picture, TileArea.whole(192, 128))
    image = picture.read()
    around = np.tile(covered, (3, 3))
    distance = ndimage.distance_transform_edt(~around)[128:256, 192:384]
    outside = ~covered & (distance <= reach)
    assert (image[covered] == before[covered]).all()
    assert (image[distance > reach] == before[distance > reach]).all()
    pairs, _ = gutter.by_target
    assert len(pairs) == outside.sum()
    ty, tx, sy, sx = pairs[:, 0] // 192, pairs[:, 0] % 192, pairs[:, 1] // 192, pairs[:, 1] % 192
    dy, dx = np.abs(ty - sy), np.abs(tx - sx)
    length = np.hypot(np.minimum(dy, 128 - dy), np.minimum(dx, 192 - dx))
    assert np.allclose(length, distance[ty, tx])
    assert (image[ty, tx] == before[sy, sx]).all()
    assert len(changed) == 6


def test_gutter_follows_changes_anywhere_as_it_would_all_of_the_map():
    """In rectangles of tiles, or tiles of one color: all gutters repeat what lies inside, and all changes are told."""
    rng = np.random.default_rng(8)
    covered = ndimage.binary_dilation(rng.random((192, 256)) > 0.999, iterations=6)
    gutter, picture = Gutter(covered), Picture(256, 192)
    for turn in range(60):
        tiles = np.sort(rng.choice(12, rng.integers(1, 4), replace=False)).astype(np.int32)
        shown = picture.read()
        picture.hold(tiles)
        area = TileArea.of_tiles(tiles)
        if turn % 3 == 0:
            picture.pixels[tiles] = rng.integers(0, 65536, 4)
            picture.settle(tiles)
        else:
            corners = np.sort(rng.integers(0, 65, (len(tiles), 2, 2)), axis=2)
            corners[:, :, 1] = np.maximum(corners[:, :, 1], corners[:, :, 0] + 1)
            corners = np.minimum(corners, 64)
            corners[..., 0] = np.minimum(corners[..., 0], 63)
            area = TileArea(tiles, corners.reshape(-1, 4).astype(np.int32))
            for tile, (top, bottom, left, right) in zip(area.tiles, area.rects, strict=True):
                shape = bottom - top, right - left, 4
                picture.pixels[tile, top:bottom, left:right] = rng.integers(0, 65536, shape)
        wanted = gutter.filled(picture.read())
        changed = gutter.spread(picture, area)
        assert (picture.read() == wanted).all()
        told = np.zeros((192, 256), np.bool_)
        for tile, (top, bottom, left, right) in zip(changed.tiles, changed.rects, strict=True):
            y, x = tile // 4 * 64, tile % 4 * 64
            told[y + top : y + bottom, x + left : x + right] = True
        assert told[(wanted != shown).any(axis=2)].all()


def test_gutter_follows_a_change_from_next_door():
    """A recomposited tile gets its gutter back whose paint lies in another tile, and spreads its own."""
    covered = np.zeros((64, 128), np.bool_)
    covered[:, 60:64] = True
    gutter = Gutter(covered)
    picture = Picture(128, 64)
    picture.hold(np.array([0], np.int32))
    picture.pixels[0, :, 60:64] = 500
    gutter.spread(picture, TileArea.whole(128, 64))
    picture.pixels[1] = 9
    changed = gutter.spread(picture, TileArea.of_tiles(np.array([1], np.int32)))
    image = picture.read()
    assert (image[:, 64:80] == 500).all()
    assert (image[:, 80:112] == 9).all()
    assert changed.tiles.tolist() == [1]
