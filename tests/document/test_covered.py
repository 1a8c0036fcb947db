"""Paint that is kept but nowhere to be seen says what keeps it back; what shows anywhere says nothing."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Camera, Document, Pigment, Tip
from nightmist.document.painting.covered import why_covered
from nightmist.document.values import MAPS

from ..shapes import plane

CAMERA = Camera.look_at((0, 0, 4), (0, 0, 0), 40, (400, 300))
BLUE, WHITE = Pigment(base_color="#0000ff"), Pigment(base_color="#ffffff")
OVER = "Kept, but not seen: Coat lies over Below here."


@pytest.fixture
def doc():
    doc = Document.from_mesh(plane(), "one", (128, 128))
    doc.surfaces["surface"].layers.add("brushed", name="Below")
    return doc


def stack(doc):
    return doc.surfaces["surface"].layers


def below(doc):
    lowest = stack(doc)[0]
    return lowest.layers[0] if lowest.kind == "group" else lowest


def coat(doc, pigment=BLUE, name="Coat", **fields):
    layer = stack(doc).add("brushed", name=name)
    doc.fill(layer, pigment)
    for field, value in fields.items():
        setattr(layer, field, value)
    return layer


def half(doc):
    """Over the left half only."""
    doc.erase(coat(doc), region=[face for face in range(72) if doc.mesh.corners[face, :, 0].mean() > 0])


def on_islands(doc):
    """Nothing of it in the gutter."""
    doc.fill(stack(doc).add("brushed", name="Coat"), BLUE, region=range(72))


def in_a_group(doc):
    stack(doc).group([below(doc)], name="Hut").add_mask(value=0.0)


def in_a_group_of_no_opacity(doc):
    stack(doc).group([below(doc)], name="Hut").opacity = 0.0


def under_a_group(doc):
    stack(doc).group([coat(doc)], name="Coats")


def under_a_filter(doc):
    coat(doc)
    stack(doc).add("adjustment", name="Soft", effect="blur")


@pytest.mark.parametrize(
    ("above", "said"),
    [
        (lambda doc: None, None),
        (coat, OVER),
        (lambda doc: coat(doc, opacity=0.5), None),
        (lambda doc: coat(doc, opacity=0.0), None),
        (lambda doc: coat(doc, visible=False), None),
        (lambda doc: coat(doc, blend="multiply"), None),
        (lambda doc: coat(doc, Pigment(base_color="#000000"), blend="multiply"), OVER),
        (lambda doc: coat(doc, Pigment(roughness=0.3)), None),
        (lambda doc: (coat(doc), coat(doc, name="Second")), "Kept, but not seen: other layers lie over Below here."),
        (lambda doc: stack(doc).add("wash", name="Coat", pigment=BLUE), OVER),
        (half, None),
        (on_islands, OVER),
        (in_a_group, "Kept, but not seen: the mask of Hut hides it here."),
        (in_a_group_of_no_opacity, "Kept, but not seen: the opacity of Hut is 0."),
        (under_a_group, "Kept, but not seen: Coats lies over Below here."),
    ],
)
@pytest.mark.parametrize("tool", ["brush", "fill"])
def test_what_lies_over_or_keeps_back_is_named_only_where_no_texel_shows(doc, above, said, tool):
    above(doc)
    layer, surface = below(doc), doc.surfaces["surface"]
    before = {name: surface.read(name) for name in MAPS}
    if tool == "fill":
        doc.fill(layer, WHITE)
    else:
        doc.stroke(layer, [(150, 150), (250, 150)], CAMERA, Tip(radius=20, strength=1.0), WHITE)
    reason = why_covered(doc, doc.history.changes[-1])
    assert (reason and reason.sentence) == said
    own = surface.layout.ownership.covered()
    same = all(np.array_equal(surface.read(name)[own], picture[own]) for name, picture in before.items())
    assert same == (said is not None)


def test_a_second_map_that_shows_is_enough_and_one_may_paint_on_what_covers(doc):
    cover, layer = coat(doc), below(doc)
    doc.fill(layer, Pigment(base_color="#ffffff", roughness=0.1))
    assert why_covered(doc, doc.history.changes[-1]) is None
    doc.erase(layer, region=range(10))
    assert why_covered(doc, doc.history.changes[-1]) is None
    doc.fill(layer, WHITE)
    assert why_covered(doc, doc.history.changes[-1]).instead == cover.value
    doc.fill(cover, WHITE)
    assert why_covered(doc, doc.history.changes[-1]) is None


def test_a_mask_of_what_holds_no_paint_shows_nothing(doc):
    doc.fill(below(doc).add_mask(value=0.0), value=1.0)
    assert why_covered(doc, doc.history.changes[-1]).sentence == "Kept, but not seen: Below shows nothing here."


def test_in_the_gutter_nothing_is_claimed(doc):
    coat(doc)
    doc.stroke(below(doc), [(1, 1), (2, 2)], CAMERA, Tip(radius=2, strength=1.0), WHITE, in_map=True)
    assert why_covered(doc, doc.history.changes[-1]) is None


def test_under_a_filter_nothing_is_claimed(doc):
    under_a_filter(doc)
    doc.fill(below(doc), WHITE)
    assert why_covered(doc, doc.history.changes[-1]) is None
