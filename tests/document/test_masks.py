"""Groups, maps of their own, masks: what each makes of the composite, texel by texel, and how undo takes it back."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Camera, Document, NightmistError, Pigment, Tip

from ..shapes import plane, walls

CAMERA = Camera.look_at((0, 0, 4), (0, 0, 0), 40, (400, 300))
RED = Pigment(base_color="#ff0000", roughness=0.25)
TIP = Tip(radius=40, strength=0.8, hardness=0.5, pressure_strength=False)
PATH = [(120, 150), (280, 150)]


def one(size: int = 256) -> tuple[Document, object]:
    doc = Document.from_mesh(plane(4), "one", (size, size))
    return doc, doc.surfaces["surface"]


def shown(surface, name="base_color") -> np.ndarray:
    surface.document.refresh()
    return surface.read(name).astype(int)


def test_a_stroke_on_a_mask_shows_its_layer_as_the_same_stroke_would_paint_it():
    """Painting red through a mask that starts closed is painting red: both are start + (red - start) · coverage."""
    doc, surface = one()
    bare = shown(surface)
    direct = surface.layers.add("brushed")
    doc.stroke(direct, PATH, CAMERA, TIP, RED)
    wanted = {name: shown(surface, name) for name in ("base_color", "roughness")}
    doc.undo()
    doc.fill(direct, RED)
    mask = direct.add_mask(value=0.0)
    np.testing.assert_array_equal(shown(surface), bare)
    doc.stroke(mask, PATH, CAMERA, TIP, value=1.0)
    for name, before in wanted.items():
        assert np.abs(shown(surface, name) - before).max() <= 2
    assert np.abs(wanted["base_color"] - bare).max() > 20_000


def test_what_was_added_to_a_mask_is_taken_away_to_the_bit_by_its_start():
    doc, surface = one()
    coat = surface.layers.add("brushed")
    doc.fill(coat, RED)
    mask = coat.add_mask(value=0.0)
    closed = mask.read()
    doc.stroke(mask, PATH, CAMERA, TIP, value=1.0)
    assert mask.read().max() > 50_000
    doc.stroke(mask, PATH, CAMERA, TIP.but(strength=1.0, hardness=1.0, radius=60), value=0.0)
    np.testing.assert_array_equal(mask.read(), closed)
    doc.undo()
    doc.undo()
    np.testing.assert_array_equal(mask.read(), closed)


@pytest.mark.parametrize("tool", ["smear", "soften", "sharpen", "erase"])
def test_every_tool_works_on_a_mask(tool):
    doc, surface = one()
    coat = surface.layers.add("brushed")
    doc.fill(coat, RED)
    mask = coat.add_mask(value=0.2)
    left = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 0] < 0)
    doc.fill(mask, region=left, value=0.8)
    before, look = mask.read(), shown(surface)
    doc.stroke(mask, [(150, 100), (250, 200)], CAMERA, TIP, tool=tool)
    assert (mask.read() != before).any()
    assert (shown(surface) != look).any()
    assert (coat.read("base_color")[..., 3] > 0).all()


def test_a_mask_is_inverted_copied_switched_and_taken_away():
    doc, surface = one()
    coat, other = surface.layers.add("brushed"), surface.layers.add("brushed")
    doc.fill(coat, RED)
    mask = coat.add_mask(value=0.25)
    doc.stroke(mask, PATH, CAMERA, TIP, value=0.75)
    before = mask.read().astype(int)
    mask.invert()
    assert np.abs(65535 - mask.read() - before).max() <= 1
    copy = other.add_mask(value=1.0)
    copy.copy_from(mask)
    np.testing.assert_array_equal(copy.read(), mask.read())
    hidden = shown(surface)
    mask.on = False
    full = shown(surface)
    assert (full != hidden).any()
    mask.on = True
    np.testing.assert_array_equal(shown(surface), hidden)
    coat.remove_mask()
    np.testing.assert_array_equal(shown(surface), full)
    assert coat.mask is None
    doc.undo()
    np.testing.assert_array_equal(shown(surface), hidden)


def test_a_group_is_cut_by_its_mask_and_what_lies_in_it_by_both():
    doc, surface = one()
    bare = shown(surface)
    lower, upper = surface.layers.add("brushed"), surface.layers.add("brushed")
    doc.fill(lower, RED)
    doc.stroke(upper, PATH, CAMERA, TIP, Pigment(base_color="#00ff00"))
    apart = shown(surface)
    group = surface.layers.group([lower, upper], "Coats")
    # Normal layers over an opaque ground look the same in a group.
    assert np.abs(shown(surface) - apart).max() <= 1
    mask = group.add_mask(value=0.0)
    np.testing.assert_array_equal(shown(surface), bare)
    left = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 0] < 0)
    doc.fill(mask, region=left, value=1.0)
    share = mask.read()
    inside, outside = shown(surface)[share == 65535], shown(surface)[share == 0]
    assert np.abs(inside - apart[share == 65535]).max() <= 1
    np.testing.assert_array_equal(outside, bare[share == 0])
    # A stroke inside the group is shown through its mask, at its end and while it is drawn.
    doc.stroke(upper, PATH, CAMERA, TIP, Pigment(base_color="#0000ff"))
    np.testing.assert_array_equal(shown(surface)[share == 0], bare[share == 0])
    assert (shown(surface)[share == 65535] != inside).any()
    surface.layers.ungroup(group)
    assert [layer.id for layer in surface.layers] == [lower.id, upper.id]


def test_a_node_gives_and_withholds_each_map():
    doc, surface = one()
    coat = surface.layers.add("brushed")
    doc.fill(coat, RED)
    full, bare = shown(surface, "roughness"), round(surface.value.start.roughness * 65535)
    coat.maps["roughness"].opacity = 0.5
    assert np.abs(shown(surface, "roughness") - (full + bare) / 2).max() <= 1
    coat.opacity = 0.5
    assert np.abs(shown(surface, "roughness") - (0.25 * full + 0.75 * bare)).max() <= 1
    coat.maps["roughness"].on = False
    assert (shown(surface, "roughness") == bare).all()
    assert (shown(surface)[..., :3] != np.rint(np.array(surface.value.start.base_color) * 65535)).any()
    doc.undo()
    coat.maps["roughness"].blend = "multiply"
    coat.opacity = 1.0
    coat.maps["roughness"].opacity = 1.0
    assert np.abs(shown(surface, "roughness") - bare * 0.25).max() <= 1


def test_a_moved_duplicated_and_deleted_group_keeps_all_that_lies_in_it():
    doc, surface = one()
    lower, upper = surface.layers.add("brushed", name="Lower"), surface.layers.add("brushed", name="Upper")
    doc.stroke(lower, PATH, CAMERA, TIP, RED)
    group = surface.layers.group([lower])
    surface.layers.move(upper, into=group, index=0)
    assert [layer.name for layer in group.layers] == ["Upper", "Lower"]
    with pytest.raises(NightmistError, match="cannot lie in itself"):
        surface.layers.move(group, into=group)
    look, count = shown(surface), len(doc.values)
    copy = surface.layers.duplicate(group)
    np.testing.assert_array_equal(copy.layers[1].read("base_color"), lower.read("base_color"))
    assert len(doc.values) == count + 3
    surface.layers.remove(copy)
    np.testing.assert_array_equal(shown(surface), look)
    surface.layers.remove(group)
    assert len(doc.values) == count - 3
    doc.undo()
    np.testing.assert_array_equal(shown(surface), look)


def test_locked_hidden_and_unfit_nodes_say_why_they_take_no_paint():
    doc, surface = one()
    coat = surface.layers.add("brushed", name="Coat")
    group = surface.layers.group([coat], "Coats")
    with pytest.raises(NightmistError, match="holds no paint of its own"):
        doc.fill(group, RED)
    with pytest.raises(NightmistError, match="no mask"):
        doc.stroke(type(coat.add_mask())(group), PATH, CAMERA, TIP)
    group.visible = False
    with pytest.raises(NightmistError, match="group Coats is hidden"):
        doc.stroke(coat, PATH, CAMERA, TIP, RED)
    group.visible = True
    coat.locked = True
    with pytest.raises(NightmistError, match="Coat is locked"):
        doc.fill(coat, RED)
    with pytest.raises(NightmistError, match="value from 0"):
        doc.fill(coat.mask, RED)


def test_a_stroke_on_a_mask_goes_on_only_in_masks_of_the_same_name():
    doc = Document.from_mesh(walls(), "two", (128, 128))
    left, right = (surface.layers.add("brushed", name="Coat") for surface in doc.surfaces.values())
    for layer in (left, right):
        doc.fill(layer, RED)
    mask = left.add_mask()
    everything = np.arange(len(doc.mesh.faces))
    doc.fill(mask, region=everything, value=1.0)
    assert right.mask is None
    assert (mask.read()[doc.surfaces["left"].layout.ownership.covered()] == 65535).all()
    other = right.add_mask()
    doc.fill(mask, region=everything, value=0.5)
    assert (other.read()[doc.surfaces["right"].layout.ownership.covered()] == 32768).all()


def test_masks_follow_new_uvs_and_survive_a_project_file(tmp_path):
    doc, surface = one()
    coat = surface.layers.add("brushed")
    doc.fill(coat, RED)
    group = surface.layers.group([coat])
    mask = group.add_mask(value=0.0)
    left = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 0] < 0)
    doc.fill(mask, region=left, value=1.0)
    own = surface.layout.ownership
    share = mask.read()[own.covered()].mean()
    doc.resize("surface", (512, 512))
    assert abs(mask.read()[surface.layout.ownership.covered()].mean() / share - 1) < 0.02
    doc.save(tmp_path / "one.nightmist")
    again = Document.load(tmp_path / "one.nightmist").surfaces["surface"]
    np.testing.assert_array_equal(again.layers[0].mask.read(), mask.read())
    np.testing.assert_array_equal(shown(again), shown(surface))
