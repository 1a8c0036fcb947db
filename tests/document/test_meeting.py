"""Materials that meet by height, against the formula in float64 and its laws; adjustments against other libraries."""

from __future__ import annotations

import colorsys

import cv2
import numpy as np
import pytest

import nightmist as nm
from nightmist import Document, NightmistError, Pigment

from ..shapes import lay_picture, plane

SIDE = 128
MAPS = ("base_color", "roughness", "metallic", "height", "opacity")


def shown(surface, name) -> np.ndarray:
    surface.document.refresh()
    image = surface.read(name).astype(np.float64) / 65535
    return image[..., :3] if name == "base_color" else image


def wall(seed=4):
    """A surface with stones below, and plaster above as a group of a wash and a bumpy layer."""
    rng = np.random.default_rng(seed)
    doc = Document.from_mesh(plane(4, 0, 1), "wall", (SIDE, SIDE))
    surface = doc.surfaces["surface"]

    def bumps(low, high, blur):
        noise = cv2.GaussianBlur(rng.random((SIDE, SIDE)), (0, 0), blur)
        noise = (noise - noise.min()) / (noise.max() - noise.min())
        return np.rint((low + (high - low) * noise) * 65535).astype(np.uint16)

    full = np.full((SIDE, SIDE), 65535, np.uint16)
    stones = surface.layers.add("brushed", name="Stones")
    lay_picture(doc, stones, "height", np.stack([bumps(0.1, 0.9, 4), full], 2))
    lay_picture(doc, stones, "base_color", np.stack([bumps(0.1, 0.5, 2)] * 3 + [full], 2))
    plaster = surface.layers.add("group", name="Plaster")
    bumpy = surface.layers.add("brushed", name="Trowel")
    surface.layers.move(bumpy, into=plaster)
    doc.fill(bumpy, Pigment(base_color="#e5e1d5", roughness=0.9))
    lay_picture(doc, bumpy, "height", np.stack([bumps(0.4, 0.6, 6), full], 2))
    return doc, surface, stones, plaster


def test_low_places_are_covered_first_as_the_formula_says_in_every_map():
    doc, surface, _stones, plaster = wall()
    plaster.visible = False
    base = {name: shown(surface, name) for name in MAPS}
    plaster.visible = True
    cover = {name: shown(surface, name) for name in MAPS}
    mask = plaster.add_mask(value=0.0)
    ramp = np.rint(np.linspace(0, 1, SIDE) * 65535).astype(np.uint16)
    share = np.stack([np.tile(ramp, (SIDE, 1)), np.full((SIDE, SIDE), 65535, np.uint16)], 2)
    lay_picture(doc, plaster, "mask", share)
    for softness, influence in ((0.1, 0.0), (0.3, 0.5), (0.05, -0.4)):
        plaster.mix = nm.MixByHeight(softness=softness, influence=influence)
        m = mask.read() / 65535
        h1, h2 = base["height"], cover["height"]
        low, high = -softness - abs(influence) / 2, 1 + softness + abs(influence) / 2
        level = low + (high - low) * m + influence * (h2 - 0.5)
        t = np.clip((level - h1 + softness) / (2 * softness), 0, 1)
        alpha = t * t * (3 - 2 * t)
        for name in MAPS:
            a = alpha[..., None] if name == "base_color" else alpha
            wanted = base[name] + (cover[name] - base[name]) * a
            assert np.abs(shown(surface, name) - wanted).max() < 2e-4, (name, softness)
    plaster.mix = nm.MixByHeight(softness=0.1)
    # At one half the covered texels lie lower than the free ones.
    doc.fill(mask, value=0.5)
    covered = np.abs(shown(surface, "roughness") - cover["roughness"]) < np.abs(
        shown(surface, "roughness") - base["roughness"]
    )
    assert 0.2 < covered.mean() < 0.8
    assert base["height"][covered].mean() < base["height"][~covered].mean() - 0.1


@pytest.mark.parametrize("influence", [0.3, 1.0, -1.0])
@pytest.mark.parametrize("border", [0.0, 1.0, -1.0])
def test_mask_0_is_exactly_the_one_material_and_mask_1_exactly_the_other(border, influence):
    doc, surface, _stones, plaster = wall()
    cover = {name: shown(surface, name) for name in (*MAPS, "normal")}
    plaster.visible = False
    base = {name: shown(surface, name) for name in (*MAPS, "normal")}
    plaster.visible = True
    mask = plaster.add_mask(value=0.0)
    plaster.mix = nm.MixByHeight(softness=0.2, influence=influence, border=border)
    for name, wanted in base.items():
        np.testing.assert_array_equal(shown(surface, name), wanted)
    doc.fill(mask, value=1.0)
    for name, wanted in cover.items():
        np.testing.assert_array_equal(shown(surface, name), wanted)
    left = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 0] < 0)
    doc.fill(mask, region=left, value=0.4)
    raised = shown(surface, "height")
    plaster.mix = nm.MixByHeight(softness=0.2, influence=influence)
    plain = shown(surface, "height")
    change = raised - plain
    assert (change * border >= -1e-9).all()
    assert (np.abs(change).max() > 0.01) == (border != 0)


@pytest.mark.parametrize("grouped", [True, False])
@pytest.mark.parametrize("maps", [{"roughness": 0.9}, {"roughness": 0.9, "height": 0.5}, {"base_color": "#ff0000"}])
def test_a_border_stands_up_where_the_node_covers_anything_and_nowhere_else(grouped, maps):
    doc = Document.from_mesh(plane(4), "wall", (SIDE, SIDE))
    surface = doc.surfaces["surface"]
    doc.set_start("surface", surface.value.start.but(height=0.4))
    coat = surface.layers.add("brushed")
    node = coat
    if grouped:
        node = surface.layers.add("group")
        surface.layers.move(coat, into=node)
    camera = nm.Camera.look_at((0, 0, 3), (0, 0, 0), 40, (400, 300))
    tip = nm.Tip(radius=20, pressure_strength=False)
    doc.stroke(coat, [(190, 150), (210, 150)], camera, tip, Pigment(**maps))
    (name, *_) = maps
    covered = coat.read(name)[..., -1] > 0
    assert 300 < covered.sum() < 3000
    node.add_mask(value=0.5)
    flat = shown(surface, "height")
    node.mix = nm.MixByHeight(softness=0.3, border=0.7)
    lifted = shown(surface, "height")
    solid = coat.read(name)[..., -1] == 65535
    # The mask of one half lets the level stand at one half, 0.1 over the wall.
    t = (0.1 + 0.3) / 0.6
    share = t * t * (3 - 2 * t)
    own = maps.get("height", 0.4) - 0.4
    assert np.abs(lifted[solid] - (0.4 + own * share + 0.7 * share * 0.1 * 0.5)).max() < 1e-4
    assert (lifted[~covered] == flat[~covered]).all()
    assert (surface.read("normal") != [32768, 32768, 65535]).any()
    # What is only shown, and taken back, leaves no trace.
    stroke = doc.begin_stroke({"surface": coat}, camera, tip, Pigment(height=0.9), "smear")
    stroke.extend([(150, 150, 1.0), (250, 150, 1.0)])
    doc.refresh()
    stroke.cancel()
    np.testing.assert_array_equal(shown(surface, "height"), lifted)
    doc.forget_composites()
    np.testing.assert_array_equal(shown(surface, "height"), lifted)
    surface.layers.flatten()
    np.testing.assert_array_equal(shown(surface, "height"), lifted)


def test_a_stroke_below_a_mixed_node_moves_all_maps_with_its_height_and_matches_a_whole_evaluation():
    doc, surface, stones, plaster = wall()
    plaster.add_mask(value=0.5)
    plaster.mix = nm.MixByHeight(softness=0.1, border=0.5)
    before = shown(surface, "roughness")
    camera = nm.Camera.look_at((0, 0, 3), (0, 0, 0), 40, (400, 300))
    tip = nm.Tip(radius=40, pressure_strength=False)
    doc.stroke(stones, [(150, 150), (250, 150)], camera, tip, Pigment(height=0.0))
    stepwise = {name: shown(surface, name) for name in MAPS}
    assert np.abs(stepwise["roughness"] - before).max() > 0.1
    doc.forget_composites()
    for name, image in stepwise.items():
        np.testing.assert_array_equal(shown(surface, name), image)


def test_levels_and_curves_change_what_lies_below_and_only_there():
    doc, surface, _stones, plaster = wall()
    plaster.visible = False
    before = {name: shown(surface, name) for name in MAPS}
    levels = surface.layers.add("adjustment", effect="levels", black=0.1, white=0.6, gamma=1.5)
    wanted = np.clip((before["base_color"] - 0.1) / 0.5, 0, 1) ** (1 / 1.5)
    assert np.abs(shown(surface, "base_color") - wanted).max() < 2e-3
    for name in MAPS[1:]:
        np.testing.assert_array_equal(shown(surface, name), before[name])
    levels.maps["height"].on = True
    wanted = np.clip((before["height"] - 0.1) / 0.5, 0, 1) ** (1 / 1.5)
    assert np.abs(shown(surface, "height") - wanted).max() < 2e-3
    levels.opacity = 0.5
    assert np.abs(shown(surface, "height") - (wanted + before["height"]) / 2).max() < 1e-3
    levels.change(effect="curve", points=((0, 1), (1, 0)), opacity=1.0)
    assert np.abs(shown(surface, "height") - (1 - before["height"])).max() < 1e-4
    levels.change(effect="invert")
    assert np.abs(shown(surface, "height") - (1 - before["height"])).max() < 1e-4
    doc.undo()
    levels.visible = False
    np.testing.assert_array_equal(shown(surface, "height"), before["height"])


def test_tone_is_the_color_model_of_the_standard_library():
    doc = Document.from_mesh(plane(4, 0, 1), "one", (64, 64))
    surface = doc.surfaces["surface"]
    coat = surface.layers.add("brushed")
    rng = np.random.default_rng(2)
    colors = rng.integers(0, 65536, (64, 64, 4), dtype=np.uint16)
    colors[..., 3] = 65535
    lay_picture(doc, coat, "base_color", colors)
    surface.layers.add("adjustment", effect="tone", hue=40, saturation=-0.3, lightness=0.1)
    found = shown(surface, "base_color")
    for y, x in rng.integers(0, 64, (60, 2)):
        hue, light, dull = colorsys.rgb_to_hls(*(colors[y, x, :3] / 65535))
        wanted = colorsys.hls_to_rgb((hue + 40 / 360) % 1, min(light + 0.1, 1), dull * 0.7)
        assert np.abs(found[y, x] - wanted).max() < 1e-3


def test_gray_makes_shine_from_color():
    _doc, surface, _stones, _plaster = wall()
    color = shown(surface, "base_color")
    surface.layers.add("adjustment", effect="gray", black=0.2, white=0.8, low=1.0, high=0.3)
    gray = color @ np.array([0.2126, 0.7152, 0.0722])
    wanted = 1 - 0.7 * np.clip((gray - 0.2) / 0.6, 0, 1)
    assert np.abs(shown(surface, "roughness") - wanted).max() < 1e-3
    np.testing.assert_array_equal(shown(surface, "base_color"), color)


def test_an_adjustment_in_a_group_stays_in_it_and_is_cut_by_its_mask():
    doc, surface, _stones, plaster = wall()
    plaster.add_mask(value=0.5)
    before = {name: shown(surface, name) for name in MAPS}
    inside = surface.layers.add("adjustment", effect="invert")
    surface.layers.move(inside, into=plaster)
    plain = np.array([0xE5, 0xE1, 0xD5]) / 255
    base = (before["base_color"] - plain / 2) * 2
    assert np.abs(shown(surface, "base_color") - (base + (1 - plain)) / 2).max() < 1e-3
    mask = inside.add_mask(value=0.0)
    assert np.abs(shown(surface, "base_color") - before["base_color"]).max() < 1e-4
    left = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 0] < 0)
    doc.fill(mask, region=left, value=1.0)
    free = mask.read() == 0
    assert np.abs(shown(surface, "base_color") - before["base_color"])[free].max() < 1e-4


def test_settings_that_mean_nothing_are_refused():
    _doc, surface, _stones, plaster = wall()
    with pytest.raises(NightmistError, match="black is below white"):
        surface.layers.add("adjustment", effect="levels", black=0.7, white=0.2)
    with pytest.raises(NightmistError, match="left to right"):
        surface.layers.add("adjustment", effect="curve", points=((0.5, 0), (0.2, 1)))
    with pytest.raises(NightmistError, match="effect"):
        surface.layers.add("adjustment", effect="sepia")
    with pytest.raises(NightmistError, match="softness"):
        plaster.mix = nm.MixByHeight(softness=0)
