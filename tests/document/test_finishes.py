"""Finishes: the ten that ship tile without a seam; a group kept is laid anywhere, in a region with a mask for that."""

from __future__ import annotations

import base64

import numpy as np
import pytest

import nightmist as nm
from nightmist import Document, NightmistError, Pigment
from nightmist.core.formats.image_files import read_picture
from nightmist.demo.finishes import MADE, shipped_finish, swatch
from nightmist.demo.textures import SIDE
from nightmist.document.stacking.finishes import Finish

from ..shapes import plane, walls


def shown(surface, name="base_color") -> np.ndarray:
    surface.document.refresh()
    return surface.read(name).astype(int)


@pytest.mark.parametrize("name", MADE)
def test_a_shipped_finish_tiles_without_a_seam(name):
    """Across its borders neighbors differ no more than elsewhere in the picture."""
    finish = shipped_finish(name)
    roles = {picture.id: picture.role for picture in finish.pictures}
    assert roles["base_color"] == "color"
    assert roles["height"] == "height"
    for picture in finish.pictures:
        pixels = read_picture(picture.name, base64.b64decode(picture.data))[..., :3].astype(float)
        assert pixels.shape == (SIDE, SIDE, 3)
        for axis in (0, 1):
            inside = np.abs(np.diff(pixels, axis=axis)).mean(axis=tuple({0, 1, 2} - {axis}))
            border = np.abs(np.take(pixels, 0, axis) - np.take(pixels, -1, axis)).mean()
            assert border <= inside.max() * 1.2, (picture.name, axis)
    assert read_picture(name, swatch(name)).shape == (96, 96, 4)


def test_a_finish_is_laid_with_its_pictures_once_and_in_a_region_with_a_mask():
    doc = Document.from_mesh(walls(), "two", (128, 128))
    left, right = doc.surfaces["left"], doc.surfaces["right"]
    bare = shown(left)
    finish = shipped_finish("Concrete")
    whole = right.layers.add_finish(finish)
    assert whole.mask is None
    pictures = len(doc.picture_values())
    some = left.layout.faces[: len(left.layout.faces) // 2]
    region = doc.regions.add("Half", faces=some)
    place = doc.history.place
    laid = left.layers.add_finish(finish, region=region)
    assert doc.history.place == place + 1
    assert len(doc.picture_values()) == pictures
    share = laid.mask.read()
    look = shown(left)
    own = left.layout.ownership.covered()
    np.testing.assert_array_equal(look[own & (share == 0)], bare[own & (share == 0)])
    assert (look != bare)[share == 65535].any(axis=1).mean() > 0.99
    laid.mask.invert()
    other = shown(left)
    np.testing.assert_array_equal(other[own & (share == 65535)], bare[own & (share == 65535)])
    doc.undo()
    doc.undo()
    np.testing.assert_array_equal(shown(left), bare)
    assert len(left.layers) == 0


def test_a_group_of_ones_own_is_kept_with_its_strokes_and_laid_in_another_project():
    doc = Document.from_mesh(plane(4, 0, 1), "one", (128, 128))
    surface = doc.surfaces["surface"]
    coat, wash = surface.layers.add("brushed", name="Coat"), surface.layers.add("wash", pigment=Pigment(metallic=0.5))
    camera = nm.Camera.look_at((0, 0, 3), (0, 0, 0), 40, (400, 300))
    doc.stroke(coat, [(100, 150), (300, 150)], camera, nm.Tip(radius=40), Pigment(base_color="#aa3311", height=0.7))
    group = surface.layers.group([coat, wash], "Growth")
    group.opacity = 0.8
    group.add_mask(value=1.0)
    look = {name: shown(surface, name) for name in ("base_color", "height", "metallic")}
    finish = Finish.model_validate_json(doc.keep_finish(group, "Old timber").model_dump_json())
    other = Document.from_mesh(plane(4, 0, 1), "two", (128, 128))
    laid = other.surfaces["surface"].layers.add_finish(finish)
    assert (laid.name, laid.opacity, laid.mask) == ("Old timber", 0.8, None)
    for name, image in look.items():
        assert np.abs(shown(other.surfaces["surface"], name) - image).max() <= 2, name
    larger = Document.from_mesh(plane(4, 0, 1), "three", (256, 256))
    larger.surfaces["surface"].layers.add_finish(finish)
    big = shown(larger.surfaces["surface"])
    assert np.abs(big.reshape(128, 2, 128, 2, 4).mean(axis=(1, 3)) - look["base_color"]).mean() < 300
    with pytest.raises(NightmistError, match="is no group"):
        doc.keep_finish(coat, "Coat")


def test_what_a_finish_counts_in_texels_looks_the_same_on_a_map_of_another_size():
    """A blur of 12 texels on a map of 512 is one of 6 on 256."""
    doc, other = (Document.from_mesh(plane(), "wall", (side, side)) for side in (512, 256))
    surface = doc.surfaces["surface"]
    group = surface.layers.add("group", name="Soft")
    group.layers.add("adjustment", effect="blur", radius=12)
    finish = Finish.model_validate_json(doc.keep_finish(group, "Soft").model_dump_json())
    assert [node.radius for node in finish.nodes if node.kind == "adjustment"] == [12]
    laid = other.surfaces["surface"].layers.add_finish(finish)
    assert [node.value.radius for node in laid.layers] == [6]
