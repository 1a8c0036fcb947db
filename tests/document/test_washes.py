"""Washes: values and pictures over everything, cut by masks, kept, undone, and never lost while they are used."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

import nightmist as nm
from nightmist import Document, NightmistError, Pigment

from ..shapes import plane, sphere

RED = Pigment(base_color="#ff0000", roughness=0.25)


def stone(path, side=64) -> None:
    rng = np.random.default_rng(3)
    cv2.imwrite(str(path), cv2.GaussianBlur(rng.integers(0, 255, (side, side), np.uint8), (0, 0), 3))


def shown(surface, name="base_color") -> np.ndarray:
    surface.document.refresh()
    return surface.read(name).astype(int)


def test_a_wash_of_values_is_a_fill_of_them_and_costs_no_pixels():
    doc = Document.from_mesh(plane(4), "one", (256, 256))
    surface = doc.surfaces["surface"]
    coat = surface.layers.add("brushed")
    doc.fill(coat, RED)
    wanted = {name: shown(surface, name) for name in ("base_color", "roughness", "height")}
    surface.layers.remove(coat)
    wash = surface.layers.add("wash", pigment=RED)
    for name, image in wanted.items():
        np.testing.assert_array_equal(shown(surface, name), image)
    assert not doc.rasters
    wash.pigment = Pigment(metallic=1.0)
    assert (shown(surface, "metallic") == 65535).all()
    assert (shown(surface, "roughness") == round(surface.value.start.roughness * 65535)).all()
    doc.undo()
    np.testing.assert_array_equal(shown(surface), wanted["base_color"])


def test_a_wash_of_pictures_shows_them_in_all_its_maps_and_follows_its_mapping(tmp_path):
    stone(tmp_path / "stone_height.png")
    doc = Document.from_mesh(sphere(24, 12), "one", (256, 256))
    surface = doc.surfaces["surface"]
    bare = shown(surface, "height")
    wash = surface.layers.add(
        "wash", images={"height": tmp_path / "stone_height.png", "roughness": tmp_path / "stone_height.png"},
        mapping=nm.Mapping("triplanar", repeat=(3, 3)),
    )  # fmt: skip
    assert len(doc.picture_values()) == 1
    assert doc.picture_values()[0].role == "height"
    once = shown(surface, "height")
    own = surface.layout.ownership.covered()
    np.testing.assert_array_equal(once[own], shown(surface, "roughness")[own])
    assert once[own].std() > 1000
    assert (surface.read("normal")[own][:, :2] != 32768).any()
    wash.mapping = nm.Mapping("triplanar", repeat=(3, 3), offset=(0.3, 0))
    assert (shown(surface, "height") != once).any()
    doc.undo()
    np.testing.assert_array_equal(shown(surface, "height"), once)
    mask = wash.add_mask(value=0.0)
    np.testing.assert_array_equal(shown(surface, "height"), bare)
    top = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 1] > 0)
    doc.fill(mask, region=top, value=1.0)
    share = mask.read()
    np.testing.assert_array_equal(shown(surface, "height")[own & (share == 65535)], once[own & (share == 65535)])
    np.testing.assert_array_equal(shown(surface, "height")[own & (share == 0)], bare[own & (share == 0)])


def test_a_stroke_above_and_below_a_wash_leaves_what_a_whole_evaluation_does(tmp_path):
    stone(tmp_path / "stone.png")
    doc = Document.from_mesh(plane(4), "one", (256, 256))
    surface = doc.surfaces["surface"]
    below = surface.layers.add("brushed")
    wash = surface.layers.add("wash", images={"base_color": tmp_path / "stone.png"})
    wash.blend = "multiply"
    above = surface.layers.add("brushed")
    camera = nm.Camera.look_at((0, 0, 4), (0, 0, 0), 40, (400, 300))
    for layer in (below, above):
        doc.stroke(layer, [(120, 150), (280, 150)], camera, nm.Tip(radius=40), RED)
    stepwise = shown(surface)
    doc.forget_composites()
    np.testing.assert_array_equal(shown(surface), stepwise)


def test_pictures_are_kept_in_the_project_file_and_are_not_lost_while_used(tmp_path):
    stone(tmp_path / "stone.png")
    doc = Document.from_mesh(plane(4), "one", (128, 128))
    surface = doc.surfaces["surface"]
    surface.layers.add("wash", name="Stone", images={"base_color": tmp_path / "stone.png"})
    look = shown(surface)
    picture = doc.picture_values()[0]
    with pytest.raises(NightmistError, match=r"stone.png is used by Stone on surface"):
        doc.remove_picture(picture.id)
    doc.save(tmp_path / "one.nightmist")
    (tmp_path / "stone.png").unlink()
    again = Document.load(tmp_path / "one.nightmist")
    np.testing.assert_array_equal(shown(again.surfaces["surface"]), look)
    again.surfaces["surface"].layers.remove(again.surfaces["surface"].layers[0])
    again.remove_picture(picture.id)
    assert not again.picture_values()
    again.undo()
    again.undo()
    np.testing.assert_array_equal(shown(again.surfaces["surface"]), look)


def test_what_makes_no_sense_is_refused_in_words(tmp_path):
    doc = Document.from_mesh(plane(4), "one", (64, 64))
    layers = doc.surfaces["surface"].layers
    with pytest.raises(NightmistError, match="cannot be read"):
        layers.add("wash", images={"base_color": tmp_path / "none.png"})
    (tmp_path / "no.png").write_bytes(b"nothing")
    with pytest.raises(NightmistError, match=r"no.png cannot be read as a picture"):
        layers.add("wash", images={"base_color": tmp_path / "no.png"})
    with pytest.raises(NightmistError, match="repeat"):
        nm.Mapping("uv", repeat=(0, 1))
    with pytest.raises(NightmistError, match="size"):
        nm.Frame(size=(0, 1, 1))
    with pytest.raises(NightmistError, match="holds no paint of its own"):
        doc.fill(layers.add("wash"), RED)
