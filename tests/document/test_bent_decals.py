"""Decals that lie along a curve: on drums and balls, in a hollow, over borders, cropped, with a moved model."""

from __future__ import annotations

import math

import numpy as np
import pytest

import nightmist as nm
from nightmist import Camera, NightmistError
from nightmist.core.formats.gltf_write import write_glb

from ..shapes import drum, joined, placed, places_at, plane, sphere
from .test_decals import front, opened
from .test_stencils import wave, write


def places(surface):
    """For owned texels: y, x, and where they lie."""
    own = surface.layout.ownership
    owner = own.owner()
    y, x = np.nonzero(owner >= 0)
    return y, x, places_at(own, y, x)


def turned(q, roll):
    """Along the frame's own sides, of what lies right and up on the surface."""
    c, s = math.cos(math.radians(roll)), math.sin(math.radians(roll))
    return np.column_stack([c * q[:, 0] - s * q[:, 1], s * q[:, 0] + c * q[:, 1]])


@pytest.mark.parametrize("unit", [1, 100])
@pytest.mark.parametrize("roll", [0, 35])
def test_on_a_drum_each_texel_shows_what_lies_as_far_along_the_wall(unit, roll, waved):
    doc, surface, layer = opened(placed(drum(1.0, 96), scale=(unit,) * 3), 512)
    decal = layer.place(waved, front(doc, 0, 0, 4 * unit), width=2.4 * unit, roll=roll)
    frame = decal.frame
    assert frame.shape == "cylindrical"
    assert frame.radius == pytest.approx(unit, rel=0.01)
    y, x, p = places(surface)
    layer.bake()
    found = layer.read("base_color")[y, x] / 65535
    # Right along the wall, by the angle; it goes far beyond what is seen from the front.
    q = turned(np.column_stack([np.arctan2(p[:, 0], p[:, 2]), p[:, 1] / unit]), roll) / (2.4, 1.2)
    inside, outside = abs(q).max(axis=1) < 0.47, abs(q).max(axis=1) > 0.53
    assert inside.sum() > 5000
    assert (found[inside, 3] > 0.998).all()
    assert not found[outside].any()
    expected = wave(q[inside, 0] + 0.5, 0.5 - q[inside, 1])
    # A hundredth of its width at most.
    assert abs(found[inside, :3] - expected).max() < 0.1
    assert abs(found[inside, :3] - expected).mean() < 0.01
    doc.undo()
    planar = layer.place(waved, front(doc, 0, 0, 4 * unit), width=2.4 * unit, shape="planar")
    assert planar.frame.shape == "planar"


def test_on_a_ball_every_way_from_its_middle_keeps_its_length(waved):
    doc, surface, layer = opened(sphere(128, 64), 512)
    camera = Camera.look_at((0.1, 0.0, 4), (0.1, 0, 0), 20, (100, 100))
    decal = layer.place(waved, doc.pick(camera, (50, 50)), width=1.6)
    frame = decal.value.frame
    assert (frame.shape, frame.radius) == ("wrap", pytest.approx(1, rel=0.01))
    y, x, p = places(surface)
    layer.bake()
    found = layer.read("base_color")[y, x] / 65535
    z = np.array(frame.normal)
    right = np.cross((0, 1, 0), z) / np.linalg.norm(np.cross((0, 1, 0), z))
    local = p @ np.array([right, np.cross(z, right), z]).T
    arc = np.arctan2(np.hypot(local[:, 0], local[:, 1]), local[:, 2])
    q = local[:, :2] / np.maximum(np.hypot(local[:, 0], local[:, 1]), 1e-12)[:, None] * arc[:, None] / (1.6, 0.8)
    inside, outside = abs(q).max(axis=1) < 0.47, abs(q).max(axis=1) > 0.53
    assert (found[inside, 3] > 0.998).all()
    assert not found[outside].any()
    assert abs(found[inside, :3] - wave(q[inside, 0] + 0.5, 0.5 - q[inside, 1])).max() < 0.1


def test_it_covers_what_its_numbers_say_within_a_hundredth(square):
    doc, surface, layer = opened(drum(1.0, 128), 512)
    layer.place(square, front(doc), width=1.5)
    y, x, p = places(surface)
    layer.bake()
    share = layer.read("base_color")[y, x, 3] / 65535
    # The wall is 2 pi around and 2 tall, all texels alike.
    assert share.mean() * 2 * math.pi * 2 == pytest.approx(1.5 * 1.5, rel=0.01)
    angle = np.arctan2(p[:, 0], p[:, 2])
    assert (angle * share).sum() / share.sum() == pytest.approx(0, abs=0.01)


def test_around_a_whole_drum_it_meets_itself_and_the_inside_stays_clean(square):
    wall = joined(drum(1.0, 96), placed(drum(0.95, 96, hollow=True), uv_scale=0.02), names=["out", "in"])
    doc, surface, layer = opened(wall, 512, "out")
    decal = layer.place(square, front(doc), width=2 * math.pi, shape="cylindrical")
    decal.change(frame=decal.value.frame.but(height=0.5))
    y, x, p = places(surface)
    share = surface.read("base_color")[y, x, 0].astype(int) - surface.read("base_color")[y, x, 1]
    # But for what the width is off the way around.
    assert (share[abs(p[:, 1]) < 0.22] > 20000).mean() > 0.995
    assert len(doc.surfaces["in"].layers) == 0


def test_in_a_hollow_it_lies_on_the_inside(waved):
    doc, surface, layer = opened(drum(1.0, 96, hollow=True), 512)
    inside = Camera.look_at((0, 0, 0.5), (0, 0, -1), 40, (100, 100))
    decal = layer.place(waved, doc.pick(inside, (50, 50)), width=1.5)
    assert decal.frame.radius == pytest.approx(-1, rel=0.01)
    y, x, p = places(surface)
    layer.bake()
    found = layer.read("base_color")[y, x] / 65535
    q = np.column_stack([np.arctan2(p[:, 0], -p[:, 2]) / 1.5, p[:, 1] / 0.75])
    within = abs(q).max(axis=1) < 0.47
    assert (found[within, 3] > 0.998).all()
    assert abs(found[within, :3] - wave(q[within, 0] + 0.5, 0.5 - q[within, 1])).max() < 0.1


def test_a_radius_set_by_hand_stays_and_the_surface_is_followed_otherwise(square):
    doc, _surface, layer = opened(joined(drum(1.0, 96), placed(drum(0.5, 96), move=(4, 0, 0), uv_scale=0.3)), 256)
    decal = layer.place(square, front(doc), width=0.5)
    decal.move(to=front(doc, 4.0))
    assert decal.frame.radius == pytest.approx(0.5, rel=0.02)
    decal.frame.radius = 0.7
    decal.move(to=front(doc, 0.0))
    assert decal.frame.radius == 0.7
    decal.change(frame=decal.value.frame.but(follows=True))
    assert decal.frame.radius == pytest.approx(1.0, rel=0.01)
    for wrong in (0.0, math.nan, 1e12):
        with pytest.raises(NightmistError, match="radius"):
            decal.frame.radius = wrong
    with pytest.raises(NightmistError, match="shape"):
        decal.frame.shape = "tube"
    assert decal.frame.radius == pytest.approx(1.0, rel=0.01)


def test_on_what_is_flat_a_bent_one_lies_flat(square):
    doc, surface, layer = opened(plane(4), 256)
    decal = layer.place(square, front(doc), width=0.8)
    assert decal.frame.shape == "planar"
    flat = surface.read("base_color")
    for shape in ("cylindrical", "wrap"):
        decal.frame.shape = shape
        assert abs(surface.read("base_color").astype(int) - flat).max() <= 257


def test_relief_stands_up_along_the_curve(square):
    doc, surface, layer = opened(drum(1.0, 128), 512)
    surface.depth = 0.1
    decal = layer.place(square, front(doc), width=1.6)
    decal.relief = nm.DecalRelief(height=0.02, bevel=0.02)
    y, x, p = places(surface)
    height = surface.read("height")[y, x] / 65535
    angle = np.arctan2(p[:, 0], p[:, 2])
    row = abs(p[:, 1]) < 0.3
    edge = np.array([0.5 * (1 + math.erf(d / 0.02 / math.sqrt(2))) for d in 0.8 - abs(angle)])
    assert height[row] == pytest.approx((0.5 + 0.2 * edge)[row], abs=0.2 * 0.08)


def test_a_part_that_is_cropped_stays_where_it_lies_on_the_curve(tmp_path):
    halves = np.full((32, 64, 4), (0.8, 0.1, 0.1, 1.0))
    halves[:, 32:, :3] = (0.1, 0.1, 0.8)
    doc, surface, layer = opened(drum(1.0, 96), 512)
    decal = layer.place(write(tmp_path / "halves.png", halves), front(doc), width=1.6, roll=20)
    whole = surface.read("base_color").astype(int)
    doc.cut_picture(decal.value.picture, crop=(0.5, 0, 1, 1))
    half = surface.read("base_color").astype(int)
    blue = whole[..., 2] - whole[..., 0] > 30000
    same = half[..., 2] - half[..., 0] > 30000
    assert (blue != same).sum() < 0.03 * blue.sum()
    assert not (half[..., 0] - half[..., 2] > 10000).any()


def test_it_goes_along_with_a_part_that_was_moved_and_scaled(square, tmp_path):
    doc, surface, layer = opened(drum(1.0, 96), 256)
    layer.place(square, front(doc), width=1.2)
    before = surface.read("base_color").astype(int)
    again = placed(drum(1.0, 96), scale=(3, 3, 3), move=(5, 1, 0))
    (tmp_path / "again.glb").write_bytes(write_glb(again))
    doc.replace_mesh(tmp_path / "again.glb", keep_paint=True)
    decal = surface.layers[-1].decals[0]
    assert decal.frame.radius == pytest.approx(3, rel=0.01)
    assert (abs(surface.read("base_color").astype(int) - before).max(axis=2) > 300).mean() < 0.003
    doc.undo()
    assert (surface.read("base_color") == before).all()


@pytest.mark.parametrize("unit", [0.01, 100])
def test_a_shape_that_nobody_chose_follows_the_surface_wherever_it_is_moved(square, unit):
    """From a ball onto a wall beside it and back; one that was chosen stays, and so does one that was kept before."""
    both = joined(sphere(64, 32), placed(plane(4), move=(3, 0, 0)))
    doc, _, layer = opened(placed(both, scale=(unit,) * 3), 256)
    ball, wall = front(doc, 0, 0, 4 * unit), front(doc, 3 * unit, 0, 4 * unit)
    decal = layer.place(square, ball, width=0.8 * unit)
    assert decal.frame.shape == "wrap"
    decal.move(wall)
    assert decal.frame.shape == "planar"
    decal.move(ball)
    assert (decal.frame.shape, decal.frame.radius) == ("wrap", pytest.approx(unit, rel=0.02))
    doc.undo()
    decal.frame.shape = "cylindrical"
    decal.move(ball)
    assert decal.frame.shape == "cylindrical"
    decal.move(wall)
    assert decal.frame.shape == "cylindrical"
    chosen = layer.place(square, ball, width=0.8 * unit, shape="wrap")
    chosen.move(wall)
    assert chosen.frame.shape == "wrap"
