"""Islands that come to lie over each other: what is painted on one of them stays, and what cannot stay is told."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Document, Pigment
from nightmist.studio.prepare_messages import Arrange

from ..shapes import plate

RED, BLUE = Pigment(base_color="#ff0000"), Pigment(base_color="#0000ff")
STACK = Arrange(type="arrange", surface="surface", how="stack")


def sides(front: Pigment | None, back: Pigment | None) -> Document:
    """A thin plate whose two sides, with islands of their own, are painted on a layer Coat."""
    doc = Document.from_mesh(plate(), "leaf", (256, 256))
    layer = doc.surfaces["surface"].layers.add("brushed", name="Coat")
    for pigment, side in ((front, 1), (back, -1)):
        if pigment:
            doc.fill(layer, pigment, region=np.flatnonzero(doc.mesh.face_normals[:, 2] * side > 0.5))
    return doc


def painted(doc: Document) -> np.ndarray:
    """(n, 4) what Coat holds where the islands lie."""
    surface = doc.surfaces["surface"]
    (coat,) = surface.layers
    return coat.read("base_color")[surface.layout.covered()]


@pytest.mark.parametrize(("front", "back"), [(RED, None), (None, RED), (RED, RED)])
def test_what_is_painted_on_one_of_them_shows_on_all(front, back):
    doc = sides(front, back)
    before = doc.surfaces["surface"].read("base_color")
    assert STACK.run(doc) == []
    found = painted(doc)
    assert len(found) > 10_000
    assert (found == [65535, 0, 0, 65535]).mean() > 0.99
    doc.undo()
    assert (doc.surfaces["surface"].read("base_color") == before).all()


def test_two_paints_of_which_one_stays_are_told():
    """By what lays an island on another: stacked, moved, made denser. Apart again, nothing more is to be said."""
    doc = sides(RED, BLUE)
    front = np.flatnonzero(doc.mesh.face_normals[:, 2] > 0.5)
    for act in (
        lambda: STACK.run(doc),
        lambda: doc.move_islands("surface", front, (1, 0, 0, 1, 128, 128)),
        lambda: doc.set_density("surface", 200.0),
    ):
        (said,) = act()
        assert said.startswith("On Coat paint came to lie on other paint")
        doc.undo()
    assert doc.move_islands("surface", front, (1, 0, 0, 1, 10, 0)) == []
    STACK.run(doc)
    assert doc.unwrap("surface") == []
    colors = np.unique(painted(doc), axis=0)
    assert len(colors) == 1
