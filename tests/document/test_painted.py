"""What is painted on one layer laid by a wash elsewhere: it follows, is undone in the same step, and is never lost."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Camera, Document, Mapping, NightmistError, Pigment, Tip
from nightmist.document.files.duplicate import duplicate

from ..shapes import joined, placed, plane

CAMERA = Camera.look_at((0, 0, 6), (0, 0, 0), 40, (400, 300))
TIP = Tip(radius=24, strength=0.9, hardness=0.2)


def two_walls(size=256):
    """Two walls of the same UVs, each a surface; a layer with roughness on the left one."""
    left, right = placed(plane(), move=(-1.2, 0, 0)), placed(plane(), move=(1.2, 0, 0))
    doc = Document.from_mesh(joined(left, right, names=["left", "right"]), "walls", (size, size))
    coat = doc.surfaces["left"].layers.add("brushed", name="Coat")
    draw(doc, coat, 0.2)
    return doc, coat


def draw(doc, coat, roughness, y=150):
    doc.stroke(coat, [(120, y), (160, y)], CAMERA, TIP, Pigment(base_color="#b03020", roughness=roughness))


def shown(doc, surface, name="roughness"):
    return doc.surfaces[surface].read(name).astype(int)


def laid_over(painted, under):
    """A value and its alpha over a plain value."""
    share = painted[..., 1] / 65535
    return painted[..., 0] * share + under * (1 - share)


def same(doc, coat, surface="right"):
    """The wash shows what the layer holds, away from what its islands continue into."""
    own = doc.surfaces[surface].layout.ownership.covered()
    under = doc.surfaces[surface].value.start.roughness * 65535
    wanted = laid_over(coat.read("roughness").astype(float), under)
    return np.abs(shown(doc, surface) - wanted)[own].max() <= 2


def test_a_wash_lays_what_is_painted_on_another_surface_and_follows_it():
    doc, coat = two_walls()
    doc.surfaces["right"].layers.add("wash", images={"roughness": coat.painted("roughness")})
    assert same(doc, coat)
    first = shown(doc, "right")
    place = doc.history.place
    draw(doc, coat, 0.9, y=120)
    assert doc.history.place == place + 1
    assert same(doc, coat)
    assert np.abs(shown(doc, "right") - first).max() > 10_000
    doc.undo()
    np.testing.assert_array_equal(shown(doc, "right"), first)
    doc.redo()
    assert same(doc, coat)
    doc.erase(coat)
    assert (shown(doc, "right") == round(doc.surfaces["right"].value.start.roughness * 65535)).all()
    doc.undo()
    assert same(doc, coat)


def test_it_is_used_for_another_map_multiplied_and_mixed():
    """Roughness as metal of the same surface, times a half, at an opacity: the formula, texel by texel."""
    doc, coat = two_walls()
    wash = doc.surfaces["left"].layers.add("wash", images={"metallic": coat.painted("roughness")}, opacity=0.6)
    doc.cut_picture(wash.value.images["metallic"], times=0.5)
    coat_rough = coat.read("roughness").astype(float)
    own = doc.surfaces["left"].layout.ownership.covered()
    wanted = coat_rough[..., 0] * 0.5 * (coat_rough[..., 1] / 65535 * 0.6)
    assert np.abs(shown(doc, "left", "metallic") - wanted)[own].max() <= 2
    # Drawn on above and below: the stroke shows in both maps.
    draw(doc, coat, 1.0, y=170)
    coat_rough = coat.read("roughness").astype(float)
    wanted = coat_rough[..., 0] * 0.5 * (coat_rough[..., 1] / 65535 * 0.6)
    assert np.abs(shown(doc, "left", "metallic") - wanted)[own].max() <= 2


def test_a_color_that_is_used_as_a_value_is_multiplied_as_one():
    """Twice its gray, though its red is full long before; where even that is beyond, the value is full."""
    doc, coat = two_walls()
    own = doc.surfaces["left"].layout.ownership.covered()
    color = coat.read("base_color").astype(float)
    gray, alpha = color[..., :3] @ (0.2126, 0.7152, 0.0722), color[..., 3] / 65535
    wash = doc.surfaces["left"].layers.add("wash", images={"metallic": coat.painted("base_color")})
    painted = own & (alpha > 0)
    for times in (2.0, 16.0):
        doc.cut_picture(wash.value.images["metallic"], times=times)
        wanted = np.minimum(gray * times, 65535) * alpha
        assert np.abs(shown(doc, "left", "metallic") - wanted)[own].max() <= 2
        assert (color[painted, 0] * times > 65535).any()
        assert (gray[painted] * times > 65535).any() == (times > 2)


def test_a_mask_and_colors_can_be_laid_too_and_maps_of_another_size():
    doc, coat = two_walls()
    mask = coat.add_mask(value=0.0)
    doc.stroke(mask, [(130, 150)], CAMERA, TIP, value=1.0)
    wash = doc.surfaces["right"].layers.add(
        "wash", images={"height": coat.painted("mask"), "base_color": coat.painted("base_color")},
        mapping=Mapping("planar"),
    )  # fmt: skip
    assert np.ptp(shown(doc, "right", "height")) > 5000
    wash.change(mapping=Mapping("uv"))
    assert np.ptp(shown(doc, "right", "base_color")[..., 0]) > 5000
    before = shown(doc, "right", "base_color")[::2, ::2, 0]
    doc.resize("left", (128, 128))
    after = shown(doc, "right", "base_color")[::2, ::2, 0]
    assert np.abs(before - after).mean() < 400


def test_the_layer_goes_and_what_it_held_stays():
    """As a picture's file; taken back, it follows again."""
    doc, coat = two_walls()
    wash = doc.surfaces["right"].layers.add("wash", images={"roughness": coat.painted("roughness")})
    before, picture = shown(doc, "right"), wash.value.images["roughness"]
    doc.surfaces["left"].layers.remove(coat)
    assert doc.picture_value(picture).of is None
    assert np.abs(shown(doc, "right") - before).max() <= 1
    doc.undo()
    coat = doc.surfaces["left"].layers[0]
    draw(doc, coat, 0.7, y=130)
    assert same(doc, coat)


def test_it_is_kept_in_project_files_and_copies(tmp_path):
    doc, coat = two_walls()
    doc.surfaces["right"].layers.add("wash", images={"roughness": coat.painted("roughness")})
    before = shown(doc, "right")
    doc.save(tmp_path / "walls.nightmist")
    for again in (Document.load(tmp_path / "walls.nightmist"), duplicate(doc, "Copy")):
        np.testing.assert_array_equal(shown(again, "right"), before)
        layer = again.surfaces["left"].layers[0]
        draw(again, layer, 0.95, y=140)
        assert same(again, layer)


def test_what_holds_nothing_or_cannot_is_refused():
    doc, coat = two_walls()
    with pytest.raises(NightmistError, match="holds no metallic yet"):
        doc.surfaces["right"].layers.add("wash", images={"metallic": coat.painted("metallic")})
    assert not doc.picture_values()
    wash = doc.surfaces["right"].layers.add("wash", images={"roughness": coat.painted("roughness")})
    with pytest.raises(NightmistError, match="is used by"):
        doc.remove_picture(wash.value.images["roughness"])
    with pytest.raises(NightmistError, match="not a file"):
        doc.cut_picture(wash.value.images["roughness"], alpha=wash.value.images["roughness"])
