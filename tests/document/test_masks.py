"""Groups, maps of their own, masks: what each makes of the composite, texel by texel, and how undo takes it back."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from nightmist import Camera, Document, NightmistError, Pigment, Tip
from nightmist.document.preview import Preview
from nightmist.document.stacking.masks import mask_alone

from ..shapes import lay_picture, places_at, plane, sphere, walls

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
    # Taken apart each layer is cut by that mask, and as opaque as the group was.
    group.opacity = 0.5
    cut = shown(surface)
    surface.layers.ungroup(group)
    assert [layer.id for layer in surface.layers] == [lower.id, upper.id]
    assert [layer.opacity for layer in surface.layers] == [0.5, 0.5]
    np.testing.assert_array_equal(shown(surface)[share == 0], bare[share == 0])
    # The gutter repeats what lies inside, painted or not.
    alone = surface.layout.ownership.covered() & (share == 65535) & (upper.read("base_color")[..., 3] == 0)
    assert alone.any()
    assert np.abs(shown(surface)[alone] - cut[alone]).max() <= 1
    doc.undo()
    np.testing.assert_array_equal(shown(surface), cut)


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


def test_masks_are_made_from_what_lies_below():
    doc, surface = one()
    base = surface.layers.add("brushed")
    ramp = np.tile(np.linspace(0.2, 0.8, 256), (256, 1))
    height = np.stack([np.rint(ramp * 65535), np.full_like(ramp, 65535)], 2).astype(np.uint16)
    lay_picture(doc, base, "height", height)
    color = np.full((256, 256, 4), 65535, np.uint16)
    color[..., :3] = np.rint(ramp[..., None] * 65535)
    lay_picture(doc, base, "base_color", color)
    own = surface.layout.ownership.covered()
    low, middle, high = np.percentile(ramp[own], [1, 50, 99])
    half = 0.25 * (high - low) / 2
    t = np.clip((ramp - (middle - half)) / (2 * half), 0, 1)
    rising = t * t * (3 - 2 * t)
    coat = surface.layers.add("wash", pigment=RED)
    for source, wanted in (("high", rising), ("low", 1 - rising), ("light", rising), ("dark", 1 - rising)):
        mask = coat.mask or coat.add_mask()
        mask.make_from(source)
        assert np.abs(mask.read() / 65535 - wanted)[own].max() < 2e-3, source
    doc.undo()
    assert np.abs(mask.read() / 65535 - rising)[own].max() < 2e-3
    base.visible = False
    with pytest.raises(NightmistError, match="is flat"):
        mask.make_from("low")


def test_a_mask_shows_where_the_surface_looks_up():
    doc = Document.from_mesh(sphere(48, 24), "ball", (256, 256))
    surface = doc.surfaces["surface"]
    mask = surface.layers.add("wash", pigment=RED).add_mask()
    mask.facing((0, 2, 0), limit=40, fade=30)
    own = surface.layout.ownership
    owner = own.owner()
    y, x = np.nonzero(owner >= 0)
    places = places_at(own, y, x)
    angle = np.degrees(np.arccos(places[:, 1] / np.linalg.norm(places, axis=1)))
    t = np.clip((angle - 40) / 30, 0, 1)
    # A ball's normals are its places; between corners they are mixed, which is a hair off.
    assert np.abs(mask.read()[y, x] / 65535 - (1 - t * t * (3 - 2 * t))).max() < 0.02
    mask.make_from("up")
    assert mask.read()[y, x][angle < 45].min() == 65535
    with pytest.raises(NightmistError, match="direction needs a length"):
        mask.facing((0, 0, 0))
    wall = Document.from_mesh(plane(), "wall", (64, 64)).surfaces["surface"].layers.add("wash", pigment=RED).add_mask()
    with pytest.raises(NightmistError, match="Nothing of surface looks up: the mask would hide all of"):
        wall.make_from("up")


def test_a_mask_is_made_from_a_picture_and_from_its_flat_colors(tmp_path):
    _, surface = one()
    gray = np.tile(np.linspace(0, 255, 128).astype(np.uint8), (128, 1))
    cv2.imwrite(str(tmp_path / "soft.png"), gray)
    ids = np.zeros((128, 128, 3), np.uint8)
    ids[:, :64, 2], ids[40, 100, 2] = 255, 255
    cv2.imwrite(str(tmp_path / "ids.png"), ids)
    mask = surface.layers.add("wash", pigment=RED).add_mask()
    mask.from_picture(tmp_path / "soft.png")
    u = (np.arange(256) + 0.5) / 256
    assert np.abs(mask.read() / 65535 - u)[:, 8:-8].max() < 0.01
    mask.from_picture(tmp_path / "ids.png", color="#ff0000")
    share = mask.read() / 65535
    assert (share[:, :127] == 1).all()
    assert (share[:, 129:] == 0).mean() > 0.999
    with pytest.raises(NightmistError, match="nowhere"):
        mask.from_picture(tmp_path / "ids.png", color="#00ff00")


def test_a_layer_that_keeps_its_alpha_takes_paint_only_where_it_has_some():
    doc, surface = one()
    stencil = surface.layers.add("brushed")
    doc.stroke(stencil, PATH, CAMERA, TIP, RED)
    cover = stencil.read("base_color")[..., 3] / 65535
    coat = surface.layers.add("brushed")
    rng = np.random.default_rng(6)
    paint = rng.integers(0, 65536, (256, 256, 4), dtype=np.uint16)
    paint[:, :128, 3] = 0
    paint[..., :3][paint[..., 3] == 0] = 0
    lay_picture(doc, coat, "base_color", paint)
    coat.alpha_locked = True
    doc.stroke(coat, PATH, CAMERA, TIP, Pigment(base_color="#ff0000"))
    after = coat.read("base_color")
    np.testing.assert_array_equal(after[..., 3], paint[..., 3])
    wanted = paint[..., :3] + (np.array([65535, 0, 0]) - paint[..., :3]) * cover[..., None]
    some = paint[..., 3] > 0
    assert np.abs(after[..., :3] - wanted)[some].max() <= 2
    doc.undo()
    for act in (
        lambda: doc.fill(coat, Pigment(base_color="#00ff00")),
        lambda: doc.stroke(coat, PATH, CAMERA, TIP, Pigment(base_color="#00ff00"), tool="smear"),
    ):
        act()
        assert (coat.read("base_color") != paint).any()
        np.testing.assert_array_equal(coat.read("base_color")[..., 3], paint[..., 3])
        doc.undo()
    np.testing.assert_array_equal(coat.read("base_color"), paint)
    with pytest.raises(NightmistError, match="keeps its alpha"):
        doc.stroke(coat, PATH, CAMERA, TIP, tool="erase")
    with pytest.raises(NightmistError, match="keeps its alpha"):
        doc.erase(coat)


def test_a_layer_is_shown_alone_and_all_again():
    _, surface = one()
    low, middle, high = (surface.layers.add("brushed") for _ in range(3))
    group = surface.layers.group([middle])
    surface.layers.show_alone(middle)
    assert [layer.visible for layer in (low, middle, high, group)] == [False, True, False, True]
    surface.layers.show_alone(middle)
    assert all(layer.visible for layer in (low, middle, high, group))


def test_a_mask_is_seen_alone_follows_strokes_and_leaves_nothing_behind():
    doc = Document.from_mesh(plane(4), "one", (256, 256))
    surface = doc.surfaces["surface"]
    under = surface.layers.add("brushed")
    doc.fill(under, Pigment(base_color="#4060a0", roughness=0.3))
    group = surface.layers.add("group")
    group.opacity = 0.5
    layer = surface.layers.add("brushed")
    doc.fill(layer, Pigment(roughness=0.9))
    surface.layers.move(layer, into=group)
    mask = layer.add_mask(value=0.2)
    doc.refresh()
    before = {name: surface.read(name) for name in ("base_color", "roughness")}
    place = doc.history.place
    preview = Preview(doc)
    preview.lay({key: after for key, (_, after) in mask_alone(doc, layer.value).values.items()})
    camera = Camera.look_at((0, 0, 3), (0, 0, 0), 40, (256, 256))
    stroke = doc.begin_stroke({"surface": layer}, camera, Tip(radius=40), None, mask_value=1.0)
    stroke.extend([(100, 100, 1.0), (160, 150, 1.0)])
    doc.refresh()
    doc.finish_stroke(stroke)
    doc.refresh()
    seen = surface.read("base_color")[..., :3].astype(int)
    own = surface.layout.ownership.covered()
    assert np.abs(seen - mask.read()[..., None].astype(int))[own].max() <= 1
    assert seen[own].max() > 60000
    preview.drop()
    doc.undo()
    for name, image in before.items():
        np.testing.assert_array_equal(surface.read(name), image)
    assert doc.history.place == place


def test_where_nothing_is_painted_a_mask_shows_a_picture_on_any_surface_and_map_size(tmp_path):
    """A small picture of 64 begins the mask; paint goes over it, an eraser brings it back, another surface takes it."""
    rng = np.random.default_rng(2)
    small = cv2.GaussianBlur(rng.integers(0, 65535, (64, 64), np.uint16), (0, 0), 4)
    cv2.imwrite(str(tmp_path / "worn.png"), small)
    doc = Document.from_mesh(walls(), "two", (256, 256))
    left, right = doc.surfaces["left"], doc.surfaces["right"]
    red = left.layers.add("wash", pigment=Pigment(base_color="#ff0000"))
    mask = red.add_mask(value=0.0)
    picture = doc.add_picture(tmp_path / "worn.png")
    mask.change(picture=picture)
    wanted = cv2.resize(small, (256, 256), interpolation=cv2.INTER_LINEAR).astype(float)
    inner = slice(8, -8)
    assert np.abs(mask.read() - wanted)[inner, inner].max() < 40
    start = np.array(left.value.start.base_color) * 65535
    look = start + (np.array([65535, 0, 0]) - start) * (wanted / 65535)[..., None]
    own = left.layout.ownership.covered()
    own[:8], own[-8:], own[:, :8], own[:, -8:] = False, False, False, False
    assert np.abs(shown(left)[..., :3] - look)[own].max() < 60
    before = shown(left)
    camera = Camera.look_at((0, 0, 4), (0, 0, 0), 40, (400, 300))
    path, tip = [(120, 150), (180, 150)], Tip(radius=20, pressure_strength=False)
    doc.stroke(mask, path, camera, tip, value=1.0)
    assert (shown(left) != before).any()
    doc.stroke(mask, path, camera, tip, tool="soften")
    doc.stroke(mask, path, camera, Tip(radius=60, strength=1, hardness=1, pressure_strength=False), tool="erase")
    assert np.abs(shown(left).astype(int) - before)[own].max() < 300
    mask.invert()
    assert np.abs(mask.read() - (65535 - wanted))[inner, inner].max() < 300
    doc.undo()
    doc.resize("left", (512, 512))
    assert mask.read().shape == (512, 512)
    doc.fill(mask, value=0.0)
    with pytest.raises(NightmistError, match="is used by Wash on left"):
        doc.remove_picture(picture)
    with pytest.raises(NightmistError):
        mask.change(picture="nothing")
    fresh = left.layers.add("wash", pigment=Pigment(base_color="#00ff00"))
    fresh.add_mask(value=0.0).change(picture=picture)
    copy = left.layers.duplicate(fresh, onto=right)
    assert np.abs(copy.mask.read() - wanted)[inner, inner].max() < 40
    doc.save(tmp_path / "two.nightmist")
    again = Document.load(tmp_path / "two.nightmist")
    np.testing.assert_array_equal(shown(again.surfaces["right"]), shown(right))


def test_what_is_locked_is_neither_deleted_nor_merged():
    doc, surface = one()
    base, coat = surface.layers.add("brushed", name="Base"), surface.layers.add("brushed", name="Coat")
    for layer in (base, coat):
        doc.fill(layer, RED)
    group = surface.layers.group([coat], "Coats")
    values = dict(doc.values)
    for locked, tries in (
        (base, [lambda: surface.layers.remove(base), lambda: surface.layers.merge_down(group), surface.layers.flatten]),
        (coat, [lambda: surface.layers.remove(group), lambda: doc.bump_from_color(coat)]),
        (group, [lambda: surface.layers.remove(coat)]),
    ):
        locked.locked = True
        for attempt in tries:
            with pytest.raises(NightmistError, match=f"{locked.name} is locked. Unlock it to"):
                attempt()
        locked.locked = False
    assert dict(doc.values) == values
    surface.layers.remove(group)
