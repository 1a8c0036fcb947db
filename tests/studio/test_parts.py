"""Edits that cross on the way: each says only what is to be another, so that all of them count."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from pydantic import TypeAdapter

from nightmist.core.errors import NightmistError
from nightmist.document import Document
from nightmist.studio.stack_messages import AnyStackMessage

from ..shapes import plane

MESSAGE: TypeAdapter[AnyStackMessage] = TypeAdapter(AnyStackMessage)


@pytest.fixture
def doc():
    return Document.from_mesh(plane(), "one", (128, 128))


def tell(doc, kind, **fields):
    """What a page says, as it comes: by a message of its own."""
    return MESSAGE.validate_python({"type": kind, **fields}).run(doc)


def picture_of(doc, name="gray.png"):
    _, data = cv2.imencode(".png", np.full((8, 16, 3), 90, np.uint8))
    return doc.add_picture_data(name, data.tobytes())


def placed(doc, key):
    every = (each for layer in doc.values.values() for each in getattr(layer, "placed", ()))
    return next(each for each in every if each.id == key)


def test_the_numbers_of_a_washs_frame_are_typed_one_by_one(doc):
    wash = doc.surfaces["surface"].layers.add("wash")
    whole = {"position": [1, 2, 3], "size": [4, 5, 6], "turn": [0, 10, 20]}
    tell(doc, "change_node", node=wash.id, mapping={"frame": whole})
    tell(doc, "change_node", node=wash.id, mapping={"frame": {"position": [None, 7, None]}})
    tell(doc, "change_node", node=wash.id, mapping={"frame": {"position": [None, None, 8]}})
    tell(doc, "change_node", node=wash.id, mapping={"frame": {"size": [9, None, None]}})
    tell(doc, "change_node", node=wash.id, mapping={"offset": [0.25, None]})
    tell(doc, "change_node", node=wash.id, mapping={"offset": [None, 0.5], "repeat": [None, 3]})
    frame = wash.mapping.frame
    assert (frame.position, frame.size, frame.turn) == ((1, 7, 8), (9, 5, 6), (0, 10, 20))
    assert (wash.mapping.offset, wash.mapping.repeat) == ((0.25, 0.5), (1, 3))
    with pytest.raises(NightmistError):
        tell(doc, "change_node", node=wash.id, mapping={"frame": {"size": [None, 0, None]}})
    tell(doc, "change_node", node=wash.id, mapping={"frame": None})
    assert wash.mapping.frame is None
    with pytest.raises(NightmistError):  # There is no frame whose other numbers could stay.
        tell(doc, "change_node", node=wash.id, mapping={"frame": {"position": [1, None, None]}})


def test_pictures_are_given_to_a_washs_maps_one_by_one(doc):
    wash = doc.surfaces["surface"].layers.add("wash")
    one, other = picture_of(doc), picture_of(doc, "other.png")
    tell(doc, "change_node", node=wash.id, images={"base_color": one})
    tell(doc, "change_node", node=wash.id, images={"roughness": other})
    assert doc.node(wash.id).images == {"base_color": one, "roughness": other}
    tell(doc, "change_node", node=wash.id, images={"base_color": None})
    assert doc.node(wash.id).images == {"roughness": other}


def test_how_a_node_meets_by_height_is_set_number_by_number(doc):
    coat = doc.surfaces["surface"].layers.add("brushed")
    tell(doc, "change_node", node=coat.id, mix={"softness": 0.25})
    tell(doc, "change_node", node=coat.id, mix={"border": -0.5})
    mix = doc.node(coat.id).mix
    assert (mix.softness, mix.influence, mix.border) == (0.25, 0, -0.5)
    tell(doc, "change_node", node=coat.id, mix=None)
    assert doc.node(coat.id).mix is None


def test_a_decal_takes_numbers_values_and_relief_one_by_one(doc):
    surface = doc.surfaces["surface"]
    place = {"surface": surface.name, "picture": picture_of(doc), "width": 0.5}
    _, key = tell(doc, "place_decal", position=[0.5, 0.5, 0], normal=[0, 0, 1], **place)
    before = placed(doc, key)
    for part in (
        {"frame": {"position": [0.25, None, None]}}, {"frame": {"position": [None, 0.75, None]}},
        {"repeat": [2, None]}, {"repeat": [None, 3]}, {"pigment": {"roughness": 0.2}}, {"pigment": {"metallic": 1}},
        {"relief": {"height": 0.01}}, {"relief": {"bevel": 0.002}},
    ):  # fmt: skip
        tell(doc, "change_decal", decal=key, **part)
    after = placed(doc, key)
    assert after.frame.position == (0.25, 0.75, before.frame.position[2])
    assert after.frame.width == before.frame.width
    assert after.repeat == (2, 3)
    assert (after.pigment.roughness, after.pigment.metallic, after.pigment.base_color) == (0.2, 1, None)
    assert (after.relief.height, after.relief.bevel) == (0.01, 0.002)
    tell(doc, "change_decal", decal=key, relief=None, pigment={"metallic": None})
    after = placed(doc, key)
    assert (after.relief, after.pigment.metallic) == (None, None)


def test_the_sides_of_a_cut_out_are_typed_one_by_one(doc):
    key = picture_of(doc)
    tell(doc, "cut_picture", picture=key, crop=[0.25, None, None, None])
    tell(doc, "cut_picture", picture=key, crop=[None, None, 0.75, 0.5])
    picture = doc.picture_value(key)
    assert picture.cutout.crop == (0.25, 0, 0.75, 0.5)
    assert (picture.width, picture.height) == (8, 4)
    with pytest.raises(NightmistError):
        tell(doc, "cut_picture", picture=key, crop=[0.8, None, None, None])
    assert doc.picture_value(key) == picture


@pytest.mark.parametrize("how", ["grow", "shrink"])
def test_a_region_that_ends_where_the_mesh_does_says_so(doc, how):
    region = doc.regions.add("All", faces=list(range(len(doc.mesh.faces))))
    with pytest.raises(NightmistError, match=f"No face lies beside All.* nothing to {how} it by"):
        tell(doc, "turn_region", region=region.id, how=how)
