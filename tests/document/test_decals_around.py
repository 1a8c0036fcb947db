"""Decals around a body: on the sides of a box, three ways, as a globe; on that body alone, fitted, baked and moved."""

from __future__ import annotations

import numpy as np
import pytest

import nightmist as nm
from nightmist import Document, NightmistError
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.mapping.frames import turn_of
from nightmist.core.mesh.bodies import practice_body

from ..shapes import joined, placed, sphere
from .test_bent_decals import places
from .test_decals import front, opened, reds
from .test_stencils import wave, write

SIDE = 512


def crate(unit=1.0, size=SIDE):
    """A box with a layer of decals."""
    doc = Document.practice("box", size, unit)
    surface = next(iter(doc.surfaces.values()))
    return doc, surface, surface.layers.add("decals", name="Marks")


def on_side(q, axis, sign):
    """The picture's u, v on the sides across an axis, none of them mirrored, written out anew."""
    x, y, z = q.T
    if axis == 0:
        return 0.5 - sign * z, 0.5 - y
    if axis == 1:
        return 0.5 + x, 0.5 + sign * z
    return 0.5 + sign * x, 0.5 - y


def normals_at(surface):
    own = surface.layout.ownership
    owner = own.owner()
    return own.normals[owner[owner >= 0]]


@pytest.mark.parametrize("unit", [1.0, 100.0])
def test_each_side_of_a_box_shows_the_picture_upright_up_to_its_edges(unit, waved):
    doc, surface, layer = crate(unit)
    decal = layer.place(waved, front(doc, 0, 0, 4 * unit), shape="box")
    assert decal.frame.size == pytest.approx((unit,) * 3)
    y, x, p = places(surface)
    n = normals_at(surface)
    found = surface.read("base_color")[y, x, :3] / 65535
    seen = np.zeros(len(p), bool)
    for axis in range(3):
        for sign in (1, -1):
            here = n[:, axis] * sign > 0.9
            u, v = on_side(p[here] / unit, axis, sign)
            assert abs(found[here] - wave(u.clip(0, 1), v.clip(0, 1))).max() < 0.02
            seen |= here
    assert seen.all()
    layer.bake()
    assert (surface.layers[-1].read("base_color")[y, x, 3] == 65535).all()
    assert abs(surface.read("base_color")[y, x, :3] / 65535 - found).max() <= 1 / 255


def test_three_ways_are_blended_by_the_fourth_power_of_the_normal(waved):
    doc, surface, layer = opened(sphere(96, 48), SIDE)
    layer.place(waved, front(doc), shape="triplanar")
    y, x, p = places(surface)
    found = surface.read("base_color")[y, x, :3] / 65535
    n = p / np.linalg.norm(p, axis=1, keepdims=True)
    weights = n**4 / (n**4).sum(axis=1, keepdims=True)
    wanted = np.zeros((len(p), 3))
    for axis in range(3):
        u, v = on_side(p / 2, axis, np.sign(n[:, axis]))
        wanted += weights[:, axis : axis + 1] * wave(u, v)
    assert abs(found - wanted).max() < 0.03


def test_as_a_globe_the_picture_lies_by_longitude_and_latitude_without_a_line_at_its_back(waved):
    doc, surface, layer = opened(sphere(96, 48), SIDE)
    layer.place(waved, front(doc), shape="spherical")
    y, x, p = places(surface)
    layer.bake()
    found = surface.layers[-1].read("base_color")[y, x] / 65535
    assert (found[:, 3] == 1).all()
    u, v = 0.5 + np.arctan2(p[:, 0], p[:, 2]) / (2 * np.pi), np.arccos(p[:, 1].clip(-1, 1)) / np.pi
    clear = (abs(p[:, 1]) < 0.9) & (abs(u - 0.5) < 0.495)
    assert abs(found[clear, :3] - wave(u, v)[clear]).max() < 0.02


def test_a_turned_frame_turns_the_picture_and_is_fitted_as_it_is_turned(waved):
    doc, surface, layer = crate()
    decal = layer.place(waved, front(doc), shape="box", roll=30)
    # A square turned by 30 degrees needs cos 30 + sin 30 of its side.
    assert decal.frame.size == pytest.approx((1.366, 1.366, 1), abs=1e-3)
    y, x, p = places(surface)
    here = normals_at(surface)[:, 2] > 0.9
    q = (p[here] - decal.frame.position) @ turn_of(decal.frame.turn) / decal.frame.size
    u, v = on_side(q, 2, 1)
    assert abs(surface.read("base_color")[y, x, :3][here] / 65535 - wave(u, v)).max() < 0.02
    decal.frame.turn = (0, 0, 0)
    assert decal.frame.size == pytest.approx((1.366, 1.366, 1), abs=1e-3)
    decal.fit()
    assert decal.frame.size == pytest.approx((1, 1, 1))
    doc.undo()
    assert decal.frame.size == pytest.approx((1.366, 1.366, 1), abs=1e-3)


def two_balls():
    return joined(
        placed(sphere(48, 24), uv_scale=0.45), placed(sphere(48, 24), move=(4, 0, 0), uv_scale=0.45, uv_move=(0.5, 0))
    )


def test_only_the_body_in_the_frame_takes_it_and_it_goes_to_another_by_a_drag(square):
    doc, surface, layer = opened(two_balls(), SIDE)
    decal = layer.place(square, front(doc), shape="box")
    y, x, p = places(surface)
    near = p[:, 0] < 2
    red = reds(surface.read("base_color"))[y, x]
    assert red[near].all()
    assert not red[~near].any()
    held = decal.frame.size
    decal.frame.size = (3, 3, 3)
    decal.move(to=front(doc, 0.3))
    assert decal.frame.size == (3, 3, 3)
    decal.move(to=front(doc, 4.0))
    assert decal.frame.size == pytest.approx(held)
    red = reds(surface.read("base_color"))[y, x]
    assert red[~near].all()
    assert not red[near].any()
    decal.duplicate(at=front(doc, 0.0))
    assert reds(surface.read("base_color"))[y, x].all()


def test_around_a_ring_with_something_close_in_front_it_is_fitted_to_the_ring(square):
    doc, _surface, layer = opened(
        joined(
            placed(practice_body("ring", 2.0), uv_scale=0.45),
            placed(sphere(8, 4), scale=(0.1,) * 3, move=(0, 0, 1.3), uv_scale=0.3, uv_move=(0.6, 0.6)),
        ),
        256,
    )
    decal = layer.place(square, front(doc, 0.7), shape="box")
    wide = decal.frame.size
    decal.frame.size = (2, 2, 2)
    decal.fit()
    assert decal.frame.size == pytest.approx(wide)
    assert max(wide) == pytest.approx(2, rel=0.1)


def test_a_frame_that_is_smaller_than_its_body_ends_there(square):
    doc, surface, layer = crate()
    decal = layer.place(square, front(doc), shape="box")
    decal.frame.size = (1, 0.5, 1)
    y, x, p = places(surface)
    red = reds(surface.read("base_color"))[y, x]
    step = 1.5 * 3 / SIDE
    assert red[abs(p[:, 1]) < 0.25].all()
    assert not red[abs(p[:, 1]) > 0.25 + 2 * step].any()


def test_its_shape_takes_it_from_the_surface_around_the_body_and_back(square):
    doc, _surface, layer = crate(10.0)
    decal = layer.place(square, front(doc, 2.0, 1.0, 40.0), width=2.0)
    flat = decal.value.frame
    decal.frame.shape = "box"
    assert decal.frame.kind == "body"
    assert decal.frame.position == pytest.approx((0, 0, 0), abs=1e-6)
    decal.frame.shape = "triplanar"
    assert decal.frame.size == pytest.approx((10, 10, 10))
    decal.frame.shape = "cylindrical"
    assert decal.frame.position == pytest.approx((2, 1, 5), abs=1e-4)
    assert decal.frame.width == pytest.approx(2)
    doc.undo(), doc.undo()
    decal.frame.turn = (0, 90, 0)
    decal.frame.shape = "cylindrical"
    assert decal.frame.position == pytest.approx((5, 0, 0), abs=1e-4)
    assert decal.frame.width == pytest.approx(5)
    doc.undo(), doc.undo(), doc.undo()
    assert decal.value.frame == flat
    with pytest.raises(NightmistError, match="fitted"):
        decal.fit()
    in_map = layer.place(square, (0.5, 0.5), width=0.2)
    with pytest.raises(NightmistError, match="flat"):
        in_map.frame.shape = "box"
    for wrong in ((0, 1, 1), (1, -1, 1), (1, np.nan, 1)):
        decal.frame.shape = "box"
        with pytest.raises(NightmistError):
            decal.frame.size = wrong
        assert min(decal.frame.size) > 0


def test_it_is_inverted_kept_in_a_region_and_stands_up(tmp_path):
    doc, surface, layer = crate()
    surface.depth = 0.1
    half = np.zeros((64, 64, 4))
    half[..., 0] = 0.9
    half[:, :32, 3] = 1
    decal = layer.place(write(tmp_path / "half.png", half), front(doc), shape="box")
    y, x, p = places(surface)
    n = normals_at(surface)
    ahead = n[:, 2] > 0.9
    left, clear = p[:, 0] < 0, abs(p[:, 0]) > 0.03
    red = reds(surface.read("base_color"))[y, x]
    assert (red == left)[ahead & clear].all()
    decal.change(inverted=True, pigment=nm.Pigment(base_color="#e61919"))
    assert (reds(surface.read("base_color"))[y, x] == ~left)[ahead & clear].all()
    decal.change(inverted=False, relief=nm.DecalRelief(height=0.02))
    height = surface.read("height")[y, x] / 65535
    assert height[ahead & clear & left & (abs(p[:, 1]) < 0.45) & (p[:, 0] > -0.45)] == pytest.approx(0.7, abs=0.01)
    assert height[ahead & clear & ~left] == pytest.approx(0.5, abs=0.01)
    decal.bind("patch")
    red = reds(surface.read("base_color"))[y, x]
    assert not red[~ahead].any()
    assert red[ahead & clear & left].all()


def test_it_is_kept_in_the_project_file_and_goes_along_with_a_moved_body(square, tmp_path):
    doc, surface, layer = opened(two_balls(), 256)
    layer.place(square, front(doc), shape="spherical")
    before = surface.read("base_color").astype(int)
    doc.save(tmp_path / "body.nightmist")
    again = Document.load(tmp_path / "body.nightmist")
    assert (again.surfaces["surface"].read("base_color") == before).all()
    moved = joined(
        placed(sphere(48, 24), scale=(2, 2, 2), move=(0, 6, 0), uv_scale=0.45),
        placed(sphere(48, 24), move=(4, 0, 0), uv_scale=0.45, uv_move=(0.5, 0)),
    )
    (tmp_path / "moved.glb").write_bytes(write_glb(moved))
    doc.replace_mesh(tmp_path / "moved.glb", keep_paint=True)
    frame = surface.layers[-1].decals[0].frame
    assert frame.position == pytest.approx((0, 6, 0), abs=1e-3)
    assert frame.size == pytest.approx((4, 4, 4), rel=0.01)
    assert (abs(surface.read("base_color").astype(int) - before).max(axis=2) > 300).mean() < 0.003


def test_what_does_not_lie_on_a_part_is_refused(square):
    doc, _surface, layer = opened(two_balls(), 256)
    decal = layer.place(square, front(doc), shape="box")
    decal.frame.position = (0, 50, 0)
    with pytest.raises(NightmistError, match="Nothing lies below"):
        decal.fit()
    with pytest.raises(NightmistError, match="Nothing lies below"):
        decal.frame.shape = "planar"
    assert decal.frame.kind == "body"


@pytest.mark.parametrize("unit", [1.0, 100.0])
def test_back_from_a_body_it_lies_as_it_did_before(unit, square):
    """Around the whole ball, on its sides, and back: place, size and turn are the old ones, so are the texels."""
    doc, surface, layer = opened(placed(sphere(48, 24), scale=(unit,) * 3), 256)
    decal = layer.place(square, front(doc, 0.3 * unit, 0.2 * unit, 4 * unit), width=0.9 * unit, roll=20, shape="wrap")
    before, texels = decal.value.frame, surface.read("base_color")
    for shape in ("spherical", "box", "wrap"):
        decal.frame.shape = shape
    assert decal.value.frame == before
    np.testing.assert_array_equal(surface.read("base_color"), texels)
