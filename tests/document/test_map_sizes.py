"""Maps of any size: paint, proportions, densities and gutters hold."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage

from nightmist import Document, NightmistError, Pigment, Tip
from nightmist.core.formats.image_files import read_picture
from nightmist.core.mesh.planner import enough_size
from nightmist.document.files.hand_off import map_files

from ..shapes import joined, placed, plane, sphere, walls
from .test_preparing import CAMERA, painted, places, seen


@pytest.mark.parametrize("size", [256, 1024, (512, 128)])
def test_resize_and_back(size):
    """Another size and back: at most 2/255 on average; height and color alike."""
    mesh = placed(sphere(), uv_scale=0.98)
    doc = painted(mesh)
    points, normals = places(mesh)
    before = {name: seen(doc, points, normals, name) for name in ("base_color", "height")}
    doc.resize("surface", size)
    assert doc.surfaces["surface"].size == (size if isinstance(size, tuple) else (size, size))
    doc.resize("surface", 512)
    for name, was in before.items():
        assert np.abs(seen(doc, points, normals, name) - was).mean() < (2 if size != (512, 128) else 4)


def test_oblong_maps_keep_islands_in_proportion():
    """From a square to 1 : 4 map, faces are as undistorted as they were."""
    doc = Document.from_mesh(plane(), "x", (512, 512))
    before = doc.check_uvs()["surface"].stretch
    doc.resize("surface", (128, 512))
    after = doc.check_uvs()["surface"]
    assert after.stretch == pytest.approx(before, rel=1e-4)
    assert after.outside == 0


def test_sizes_follow_the_project_unless_they_are_exceptions():
    """The default moves all but exceptions; ending an exception follows again."""
    doc = Document.from_mesh(walls(), "two", (128, 128))
    doc.resize("left", 256)
    doc.resize(None, (512, 512))
    assert {name: s.size for name, s in doc.surfaces.items()} == {"left": (256, 256), "right": (512, 512)}
    doc.follow_project_size("left")
    assert doc.surfaces["left"].size == (512, 512)
    assert not doc.surfaces["left"].value.own_size
    with pytest.raises(NightmistError, match="multiple of 64"):
        doc.resize("left", 100)


def test_odd_sizes_are_painted_and_keep_their_paint():
    """Sides that are multiples of 64 and no powers of two: paint comes along there and back."""
    doc = painted(sphere(), (448, 320))
    points, normals = places(sphere(), 500)
    before = seen(doc, points, normals)
    doc.resize("surface", (704, 576))
    assert doc.surfaces["surface"].size == (704, 576)
    assert np.abs(seen(doc, points, normals) - before).mean() < 1.5
    doc.undo()
    assert (seen(doc, points, normals) == before).all()


def test_a_larger_map_can_keep_the_density_of_its_islands():
    """Islands keep their texels and the paint its place; a map without room for that is refused, nothing lost."""
    doc = painted(plane(), (256, 256))
    texels = doc.surfaces["surface"].layout.uvs * np.array([256, 256])
    points, normals = places(plane(), 500)
    before, start = seen(doc, points, normals), doc.surfaces["surface"].layout.ownership.usual_texel
    doc.resize(None, (512, 384), keep_density=True)
    assert np.allclose(doc.surfaces["surface"].layout.uvs * np.array([512, 384]), texels, atol=1e-3)
    assert doc.surfaces["surface"].layout.ownership.usual_texel == pytest.approx(start)
    assert np.abs(seen(doc, points, normals) - before).mean() < 1.5
    with pytest.raises(NightmistError, match="Pack them first"):
        doc.resize(None, (128, 128), keep_density=True)
    assert doc.surfaces["surface"].size == (512, 384)


def test_several_surfaces_take_their_planned_sizes_in_one_step():
    """Those that differ from the project's are exceptions; one undo takes all back."""
    doc = Document.from_mesh(walls(), "two", (128, 128))
    doc.resize_each({"left": (256, 256), "right": (128, 128)})
    assert [(s.size, s.value.own_size) for s in doc.surfaces.values()] == [((256, 256), True), ((128, 128), False)]
    with pytest.raises(NightmistError, match="deck"):
        doc.resize_each({"left": 512, "deck": 64})
    doc.undo()
    assert {s.size for s in doc.surfaces.values()} == {(128, 128)}


@pytest.mark.parametrize(
    ("size", "density", "needed", "wanted"),
    [
        ((512, 512), 100, 350, ((2048, 2048), 400)), ((1024, 512), 100, 20, ((512, 256), 50)),
        ((512, 512), 0.1, 0.06, ((512, 512), 0.1)), ((4096, 4096), 1, 1000, ((8192, 8192), 2)),
        ((192, 192), 8, 1, ((192, 192), 8)),
    ],
)  # fmt: skip
def test_the_smallest_map_that_is_dense_enough(size, density, needed, wanted):
    """By doubling and halving both sides, within what a map can be."""
    assert enough_size(size, density, needed) == wanted


@pytest.mark.parametrize("texels", [4, None, 40])
def test_gutters_are_as_wide_as_set(tmp_path, texels):
    """Around one of two surfaces; undone, kept in a project file and handed off; what lies inside is the same."""
    half = plane()
    half.uvs = [half.uvs[0] / 2 + np.float32(0.25)]
    doc = painted(joined(half, placed(half, move=(0, 0, 1)), names=["left", "right"]), (256, 256))
    pictures = [(name, map_) for name in ("left", "right") for map_ in ("base_color", "roughness", "height", "normal")]
    before = {picture: doc.surfaces[picture[0]].read(picture[1]) for picture in pictures}
    doc.set_gutter("left", texels)
    made = doc.surfaces["left"].read("base_color")
    covered = doc.surfaces["left"].layout.ownership.covered()
    distance = ndimage.distance_transform_edt(~covered)
    np.testing.assert_array_equal(made[covered], before["left", "base_color"][covered])
    empty = made[0, 0]
    around = (made != empty).any(axis=2) & ~covered
    np.testing.assert_array_equal(around, ~covered & (distance <= (texels or 16)))
    np.testing.assert_array_equal(doc.surfaces["right"].read("base_color"), before["right", "base_color"])
    doc.save(tmp_path / "panes.nightmist")
    again = Document.load(tmp_path / "panes.nightmist")
    np.testing.assert_array_equal(again.surfaces["left"].read("base_color"), made)
    handed = next(data for name, data in map_files(doc, "png16").items() if "_left_base_color_" in name)
    np.testing.assert_array_equal(read_picture("left.png", handed)[..., :3], made[..., :3])
    doc.set_gutter(None, 30)
    assert doc.surfaces["right"].value.gutter == 30
    for _ in range(1 if texels is None else 2):
        doc.undo()
    for name, map_ in pictures:
        np.testing.assert_array_equal(doc.surfaces[name].read(map_), before[name, map_])
    with pytest.raises(NightmistError, match="4 to 120"):
        doc.set_gutter("left", 2)


def test_a_narrow_gutter_leaves_tools_as_they_are():
    """They look over seams farther than it reaches."""
    made = []
    for texels in (None, 4):
        doc = painted(sphere(24, 12), (256, 256))
        [surface] = doc.surfaces.values()
        doc.set_gutter(surface.name, texels)
        soft = Tip(radius=60, strength=1, hardness=0.5)
        path, white = [(150, 150), (250, 150)], Pigment(base_color="#ffffff")
        doc.stroke(surface.layers[0], path, CAMERA, soft, white, tool="soften")
        inside = surface.layout.ownership.covered()
        made.append([surface.read(name)[inside] for name in ("base_color", "normal")])
    for wide, narrow in zip(*made, strict=True):
        np.testing.assert_array_equal(wide, narrow)
