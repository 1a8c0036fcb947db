"""Islands moved as they are told, packed without touching, and what maps cost."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist.core.errors import NightmistError
from nightmist.core.mesh.arrange import arranged, lined_up, moved, with_density
from nightmist.core.mesh.packing import pack_islands
from nightmist.core.mesh.packing_grid import place
from nightmist.core.mesh.planner import memory, plan_table

from ..shapes import joined, placed, plane, walls

SIZE = (256, 256)


def two():
    """Two squares of 2 units as islands of 64 and 32 texels; corners in texels, and labels."""
    mesh = joined(placed(plane(2, 0, 1), uv_scale=0.25, uv_move=(0.1, 0.1)),
                  placed(plane(2, 0, 1), move=(3, 0, 0), uv_scale=0.125, uv_move=(0.6, 0.5)))  # fmt: skip
    return mesh, np.arange(16), mesh.uvs[0].astype(float) * 256, np.repeat([0, 1], 8)


def boxes(corners, island):
    return [(corners[island == k].min(axis=(0, 1)), corners[island == k].max(axis=(0, 1))) for k in (0, 1)]


def test_an_affine_move_is_exact():
    """Against the matrix product worked out by numpy."""
    _, _, corners, _ = two()
    matrix = (0.5, 0.2, -0.1, 2, 3, -4)
    wanted = corners @ np.array([[0.5, 0.2], [-0.1, 2]]) + [3, -4]
    assert np.allclose(moved(corners, matrix), wanted)
    with pytest.raises(NightmistError, match="nothing"):
        moved(corners, (1, 1, 1, 1, 0, 0))


def test_points_come_onto_one_line():
    """The upper row of a crooked square: its height is the mean of the points, whatever shares them; others stay."""
    _, _, corners, _ = two()
    crooked = corners + np.where(np.isclose(corners[..., 1:], corners[:8, :, 1].min()), [[[0, 1.0]]], 0) * np.sin(
        corners[..., :1]
    )  # fmt: skip
    top = np.flatnonzero(np.abs(crooked[:8].reshape(-1, 2)[:, 1] - 25.6) < 2)
    lined = lined_up(crooked, top, "across")
    heights = {tuple(p): p[1] for p in np.round(crooked.reshape(-1, 2)[top], 6)}
    assert np.allclose(lined.reshape(-1, 2)[top, 1], np.mean(list(heights.values())))
    assert np.allclose(lined.reshape(-1, 2)[top, 0], crooked.reshape(-1, 2)[top, 0])
    rest = np.setdiff1d(np.arange(48), top)
    assert (lined.reshape(-1, 2)[rest] == crooked.reshape(-1, 2)[rest]).all()
    with pytest.raises(NightmistError, match="without area"):
        lined_up(crooked, np.arange(24), "down")
    with pytest.raises(NightmistError, match="two points"):
        lined_up(crooked, top[:1], "down")


def test_arrangements_do_what_they_say():
    """Fit, align, mirror, quarter turns, stack: by the boxes they give."""
    mesh, faces, corners, island = two()

    def after(how, given=corners):
        return arranged(mesh, faces, given, island, SIZE, how)

    outside = corners + np.array([400, -90])
    assert after("fit", outside).min() >= 0
    assert after("fit", outside).max() <= 256 + 1e-9
    assert np.ptp(after("fit", corners * 9).reshape(-1, 2), axis=0).max() <= 256 + 1e-9
    points = corners.reshape(-1, 2) - corners.reshape(-1, 2).min(axis=0)
    for wide, high, margin in ((256, 256, 0), (256, 64, 0), (256, 128, 12)):
        enlarged = arranged(mesh, faces, corners, island, (wide, high), "enlarge", margin).reshape(-1, 2)
        scale = min((wide - margin) / points[:, 0].max(), (high - margin) / points[:, 1].max())
        assert np.allclose(enlarged, points * scale + margin / 2)
    with pytest.raises(NightmistError, match="leaves no room"):
        arranged(mesh, faces, corners, island, (256, 64), "enlarge", 64)
    for how, side, axis in (("align_left", 0, 0), ("align_right", 1, 0), ("align_top", 0, 1), ("align_bottom", 1, 1)):
        low_high = boxes(after(how), island)
        assert low_high[0][side][axis] == pytest.approx(low_high[1][side][axis])
    for how, axis in (("align_center", 0), ("align_middle", 1)):
        (a, b), (c, d) = boxes(after(how), island)
        assert (a + b)[axis] == pytest.approx((c + d)[axis])
    whole = (corners.reshape(-1, 2).min(axis=0) + corners.reshape(-1, 2).max(axis=0)) / 2
    assert np.allclose(after("mirror_across"), whole + (corners - whole) * [-1, 1])
    left = after("quarter_left")
    assert np.allclose(left[..., 0] - whole[0], corners[..., 1] - whole[1])
    assert np.allclose(after("quarter_right", left), corners)
    (a, b), (c, d) = boxes(after("stack"), island)
    assert np.allclose([a, b], [c, d])


def test_upright_and_unflip():
    """A wall turned in the map stands upright again; a mirrored one is turned over, in its place."""
    mesh, faces, corners, island = two()
    angle = np.radians(37)
    turn = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    upright = arranged(mesh, faces, corners @ turn, island, SIZE, "upright")
    for k in (0, 1):
        a, b = upright[island == k], corners[island == k]
        assert np.allclose(a - a.mean(axis=(0, 1)), b - b.mean(axis=(0, 1)), atol=1e-4)
    mirrored = corners * [-1, 1] + np.array([200, 0])
    signed = np.cross(
        *(lambda c: (c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]))(arranged(mesh, faces, mirrored, island, SIZE, "unflip"))
    )
    assert (signed < 0).all()


def test_density_is_set_exactly():
    """Squares of 2 units at 30 texels a unit are 60 texels wide, about their own middles."""
    mesh, faces, corners, island = two()
    after = with_density(mesh, faces, corners, island, 30)
    for (a, b), (c, d) in zip(boxes(corners, island), boxes(after, island), strict=True):
        assert np.allclose(d - c, 60, rtol=1e-6)
        assert np.allclose(a + b, c + d)


@pytest.mark.parametrize("count", [1, 7, 60])
def test_packed_islands_keep_apart_and_fill_the_map(count):
    """Random rectangles: none overlaps another or leaves the map; two boxes are a margin apart (brute force)."""
    rng = np.random.default_rng(count)
    sizes = rng.uniform(0.2, 2, (count, 2))
    square = np.array([[[0, 0], [1, 0], [1, 1]], [[0, 0], [1, 1], [0, 1]]], float)
    corners = np.concatenate([square * size + rng.uniform(-5, 5, 2) for size in sizes])
    island = np.repeat(np.arange(count), 2)
    packed = pack_islands(corners, island, (512, 512), 6)
    found = [
        (packed.corners[island == k].min(axis=(0, 1)), packed.corners[island == k].max(axis=(0, 1)))
        for k in range(count)
    ]
    for i, (a, b) in enumerate(found):
        assert a.min() >= 0
        assert b.max() <= 512
        assert sorted(b - a) == pytest.approx(sorted(sizes[i] * packed.scale), rel=1e-6)
        for c, d in found[:i]:
            assert max(*(c - b), *(a - d)) >= 6 - 1e-9
    used = (sizes.prod(axis=1).sum() * packed.scale**2) / 512**2
    assert used > (0.55 if count > 1 else 0.2)


@pytest.mark.parametrize("seed", range(3))
def test_each_island_goes_where_it_fits_first(seed):
    """Angles of two bars each, on a grid with cells taken, against every place tried one by one."""
    rng = np.random.default_rng(seed)
    rows, columns, gap, count = 90, 150, 2, 14
    bars, spans = [], rng.uniform(4, 40, (count, 2))
    for w, h in spans:
        thick = rng.uniform(0.5, 1) * np.array([w, h]) * 0.6
        bars += [[(0, 0), (w, thick[1])], [(0, 0), (thick[0], h)]]
    square = np.array([[[0, 0], [1, 0], [1, 1]], [[0, 0], [1, 1], [0, 1]]], float)
    corners = np.concatenate([square * np.subtract(high, low) + low for low, high in bars])
    taken = rng.random((rows, columns)) < 0.004
    blocked = np.zeros((rows, columns // 64 + 2), np.uint64)
    for y, x in np.argwhere(taken):
        blocked[y, x // 64] |= np.uint64(1) << np.uint64(x % 64)
    order, places = rng.permutation(count), np.zeros((count, 3))
    done = place(
        corners, np.arange(4 * count), 4 * np.arange(count + 1), order, spans, gap, columns, blocked, 4, places
    )
    for i in order:
        tried = {way: first_fit(turned_bars(bars, spans, i, way), taken) for way in range(4)}
        way = min(tried, key=lambda way: (tried[way][0], way))
        top, left = tried[way]
        if top == rows:
            assert not done
            return
        assert places[i].tolist() == [left, top, way]
        for y, x in turned_bars(bars, spans, i, way):
            taken[max(top + y - gap, 0) : top + y + gap + 1, max(left + x - gap, 0) : left + x + gap + 1] = True
    assert done


def turned_bars(bars, spans, i, way):
    """The cells (y, x) of an island's two bars after quarter turns."""
    cells = set()
    for low, high in bars[2 * i : 2 * i + 2]:
        (x0, y0), (x1, y1), (w, h) = low, high, spans[i]
        ends = ((x0, y0, x1, y1), (y0, w - x1, y1, w - x0), (w - x1, h - y1, w - x0, h - y0), (h - y1, x0, h - y0, x1))
        left, top, right, bottom = ends[way]
        cells |= {(y, x) for y in range(int(top), int(bottom) + 1) for x in range(int(left), int(right) + 1)}
    return cells


def first_fit(cells, taken):
    """The first (row, column) at which none of the cells is taken; (rows, 0) when there is none."""
    rows, columns = taken.shape
    ys, xs = np.array(sorted(cells)).T
    for top in range(rows - ys.max()):
        for left in range(columns - xs.max()):
            if not taken[ys + top, xs + left].any():
                return top, left
    return rows, 0


def test_packing_leaves_what_is_taken_and_says_when_nothing_fits():
    """Beside triangles that stay, and never larger than asked for."""
    mesh, _, corners, island = two()
    taken = np.array([[[0, 0], [256, 0], [0, 128]], [[256, 0], [256, 128], [0, 128]]], float)
    packed = pack_islands(corners, island, SIZE, 4, taken, most=0.5)
    assert packed.corners[..., 1].min() >= 132
    assert packed.scale <= 0.5 + 1e-9
    with pytest.raises(NightmistError, match="do not fit"):
        pack_islands(corners, island, SIZE, 4, np.array([[[0, 0], [600, 0], [0, 600]]], float))
    assert len(mesh.faces) == 16


def test_one_shared_map_against_one_each():
    """Equal walls: maps of their own are finer by about the square root of two, at twice the memory."""
    mesh = walls()
    surfaces = [(mesh.faces_of(k), mesh.uvs[0], (256, 256)) for k in (0, 1)]
    rows = {(row.shared, row.side): row for row in plan_table(mesh, surfaces)}
    shared, each = rows[True, 2048], rows[False, 2048]
    assert each.bytes == 2 * shared.bytes == 2 * memory(2048, 2048)
    assert memory(2048, 2048, 1) == 2048 * 2048 * 4 // 3
    assert each.density[0] == pytest.approx(2048 / 2, rel=0.05)
    assert 1.3 < each.density[0] / shared.density[0] < 2.1
    assert rows[True, 4096].density[0] == pytest.approx(2 * shared.density[0])
