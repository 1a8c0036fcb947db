"""Faces without UVs in a surface whose other faces have some: each way to paint says so, and the rest is painted."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Camera, Document, NightmistError, Pigment, Tip
from nightmist.document.painting.unchanged import why_unchanged
from nightmist.document.values import TOOLS, CloneSource
from nightmist.studio import messages as say
from nightmist.studio.edits import do_edit

from ..shapes import half_unwrapped

CAMERA = Camera.look_at((0, 0, 4), (0, 0, 0), 40, (400, 300))
RED = Pigment(base_color="#ff0000")
SOURCE = CloneSource(point=(-0.5, 0, 0), normal=(0, 0, 1), anchor=(0.5, 0, 0), anchor_normal=(0, 0, 1))
SAID = "surface has no UVs here, so nothing can be painted. Unwrap it in Prepare."


@pytest.fixture
def doc():
    made = Document.from_mesh(half_unwrapped(), "half", (128, 128))
    made.surfaces["surface"].layers.add("brushed", name="Coat")
    return made


def layer_of(doc):
    return doc.surfaces["surface"].layers[0]


def covered(doc):
    """Texels on which some color lies, (H, W)."""
    return doc.raster(layer_of(doc).id, "base_color").read()[..., 3] > 0


def drawn(doc, path, tool="brush"):
    source = SOURCE if tool == "clone" else None
    stroke = doc.begin_stroke({"surface": layer_of(doc)}, CAMERA, Tip(radius=10), RED, tool, source=source)
    stroke.extend([(x, y, 1.0) for x, y in path])
    return doc.finish_stroke(stroke), stroke


@pytest.mark.parametrize("tool", TOOLS)
def test_a_stroke_on_them_says_so(doc, tool):
    change, stroke = drawn(doc, [(250, 150), (280, 150)], tool)
    assert change is None
    assert why_unchanged(stroke).sentence == SAID


def test_a_stroke_across_paints_the_others(doc):
    """As far as the edge at x = 0, and nowhere in the half of the map that nothing uses."""
    change, _ = drawn(doc, [(150, 150), (250, 150)])
    assert change
    columns = np.flatnonzero(covered(doc).any(axis=0))
    assert 62 <= columns.max() < 64 + 8  # The gutter carries what lies at the edge beyond it.
    assert columns.min() < 50


def runs(faces):
    return [(int(face), int(face) + 1) for face in faces]


def test_a_fill_says_so_only_where_all_faces_lack_them(doc):
    bare = np.isnan(doc.mesh.uvs[0]).any(axis=(1, 2))
    laid = {"layer": layer_of(doc).id, "pigment": RED, "type": "fill"}
    told = do_edit(doc, say.Fill(**laid, faces=runs(np.flatnonzero(bare))))
    assert [notice.message for notice in told] == [SAID]
    assert not covered(doc).any()
    assert not do_edit(doc, say.Fill(**laid, faces=runs(range(len(bare)))))
    assert covered(doc)[8:120, 8:63].all()


def test_what_asks_for_their_texel_is_refused(doc):
    hit = doc.pick(CAMERA, (280, 150))
    for ask in (doc.sample, lambda place: doc.fill_color(layer_of(doc), RED, place)):
        with pytest.raises(NightmistError, match=r"no UVs there\. Unwrap it in Prepare"):
            ask(hit)
