"""The store of dense pictures lends what it has, keeps what comes back, and never grows beyond its bound."""

from __future__ import annotations

import numpy as np

from nightmist import Camera, Document, Pigment, Tip
from nightmist.document.derived.dense import MOST_BYTES, DensePictures

from ..shapes import plane

CAMERA = Camera.look_at((0, 0, 4), (0, 0, 0), 40, (400, 300))
PATH = [(150, 150), (250, 150)]


def test_a_picture_given_back_is_lent_again():
    store = DensePictures()
    first = store.take((128, 64, 4))
    second = store.take((128, 64, 4))
    assert not np.shares_memory(first, second)
    store.give_back(first)
    assert not np.shares_memory(store.take((64, 128, 4)), first)
    assert np.shares_memory(store.take((128, 64, 4)), first)


def test_only_so_much_is_kept():
    store = DensePictures()
    shape = (2048, 2048, 4)
    pictures = [store.take(shape) for _ in range(6)]
    for picture in pictures:
        store.give_back(picture)
    kept = sum(picture.nbytes for picture in store.free)
    assert 0 < kept <= MOST_BYTES
    assert np.shares_memory(store.free[-1], pictures[-1])


def painted(paint_elsewhere_first: bool) -> np.ndarray:
    doc = Document.from_mesh(plane(), "one", (256, 256))
    layer = doc.surfaces[next(iter(doc.surfaces))].layers.add("brushed")
    doc.stroke(layer, [(200, 100), (200, 200)], CAMERA, Tip(radius=14), Pigment(base_color="#c03018"))
    if paint_elsewhere_first:
        doc.stroke(layer, [(120, 60), (280, 240)], CAMERA, Tip(radius=40), None, tool="smear")
        doc.undo()
        held = doc.begin_stroke({layer.surface.name: layer}, CAMERA, Tip(radius=40), None, "soften")
        held.extend([(x, y, 1.0) for x, y in PATH])
        held.cancel()
    doc.stroke(layer, PATH, CAMERA, Tip(radius=20), None, tool="smear")
    return layer.read("base_color")


def test_what_was_left_in_a_picture_never_shows():
    """A stroke after an undone one and a cancelled one is the stroke on a fresh document, to the bit."""
    np.testing.assert_array_equal(painted(True), painted(False))
