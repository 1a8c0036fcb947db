"""A stroke that leaves no mark says why, and which layer has the paint it looked for."""

from __future__ import annotations

import numpy as np
import pytest

import nightmist as nm
from nightmist import Camera, Document, NightmistError, Pigment, Tip
from nightmist.document.painting.unchanged import Reason, why_unchanged, why_unseen
from nightmist.document.values import Fence

from ..shapes import plane
from .test_stencils import write

CAMERA = Camera.look_at((0, 0, 4), (0, 0, 0), 40, (400, 300))
DONE = {"erase": "erased", "smear": "smeared", "soften": "softened", "sharpen": "sharpened"}
TIP = Tip(radius=10)


@pytest.fixture
def layers():
    """Red in the middle of the lower layer, nothing on the upper one."""
    doc = Document.from_mesh(plane(), "one", (128, 128))
    stack = doc.surfaces["surface"].layers
    coat, empty = stack.add("brushed", name="Coat"), stack.add("brushed", name="Empty")
    doc.stroke(coat, [(150, 150), (250, 150)], CAMERA, TIP, Pigment(base_color="#ff0000"))
    return coat, empty


def ended(layer, tool, path=((160, 150), (200, 150), (240, 150)), pigment=None, in_map=False):
    doc = layer.surface.document
    stroke = doc.begin_stroke(
        {layer.surface.name: layer}, None if in_map else CAMERA, TIP, pigment, tool,
        in_map=layer.surface.name if in_map else None,
    )  # fmt: skip
    stroke.extend([(x, y, 1.0) for x, y in path])
    assert doc.finish_stroke(stroke) is None
    return why_unchanged(stroke)


@pytest.mark.parametrize("tool", DONE)
def test_the_layer_that_has_the_paint_is_named(layers, tool):
    reason = ended(layers[1], tool)
    assert reason.sentence == f"Nothing was {DONE[tool]}: Empty holds no paint here. It lies on Coat."
    assert reason.instead == layers[0].value


def test_in_the_map_as_well(layers):
    reason = ended(layers[1], "soften", [(40, 64), (90, 64)], in_map=True)
    assert reason.instead == layers[0].value


@pytest.mark.parametrize(("tool", "done"), [("brush", "painted"), *DONE.items()])
def test_in_the_map_of_a_hidden_part(layers, tool, done):
    """Neither the paint that lies there nor the lack of it is given as the reason."""
    doc = layers[0].surface.document
    doc.hide_parts([0])
    for layer in layers:
        reason = ended(layer, tool, [(40, 64), (90, 64)], Pigment(base_color="#00ff00"), in_map=True)
        said = f"Nothing was {done}: what lies here is hidden. The chip over the stage shows it again."
        assert reason == Reason(said, None)


def test_hidden_layers_and_other_maps_are_not_offered(layers):
    coat, empty = layers
    assert ended(empty, "smear", pigment=Pigment(roughness=0.2)).instead is None
    coat.visible = False
    reason = ended(empty, "smear")
    assert reason.sentence == "Nothing was smeared: Empty holds no paint here."
    assert reason.instead is None


def test_what_is_plain_to_see_needs_no_words(layers):
    """Beside the model, or where the layer does hold paint and evenly so."""
    assert ended(layers[1], "smear", [(5, 5), (9, 9)]) is None
    doc = layers[0].surface.document
    doc.fill(layers[0], Pigment(base_color="#ff0000"))
    assert ended(layers[0], "soften") is None


def test_on_a_mask_that_shows_all_already_it_is_kept_and_said(layers):
    coat, _ = layers
    doc = coat.surface.document
    coat.add_mask(value=1.0)
    for value, said in ((1.0, "The mask of Coat has this share here already"), (0.25, None)):
        stroke = doc.begin_stroke(
            {coat.surface.name: coat}, CAMERA, Tip(radius=10, strength=1.0), None, mask_value=value
        )
        stroke.extend([(160, 150, 1.0), (200, 150, 1.0)])
        change = doc.finish_stroke(stroke)
        reason = why_unseen(doc, change) if change else why_unchanged(stroke)
        assert (said in reason.sentence) if said else reason is None


def test_tools_on_a_mask_speak_of_the_mask(layers):
    """Not of the paint that its layer may lack; and a brush whose share is there already says so the second time."""
    coat, _ = layers
    doc = coat.surface.document
    coat.add_mask(value=0.0)
    for tool, done in DONE.items():
        even, bare = (
            "the mask of Coat has the same share all around here",
            "nothing is painted on the mask of Coat here",
        )
        why = bare if tool == "erase" else even
        stroke = doc.begin_stroke({"surface": coat}, CAMERA, TIP, None, tool, mask_value=1.0)
        stroke.extend([(160, 150, 1.0), (200, 150, 1.0)])
        assert doc.finish_stroke(stroke) is None
        assert why_unchanged(stroke).sentence == f"Nothing was {done}: {why}."
    everywhere = Tip(radius=300, strength=1.0, hardness=1.0)
    for _ in range(2):
        stroke = doc.begin_stroke({"surface": coat}, CAMERA, everywhere, None, mask_value=1.0)
        stroke.extend([(200, 150, 1.0)])
        change = doc.finish_stroke(stroke)
    assert change is None
    assert why_unchanged(stroke).sentence.startswith("The mask of Coat has this share here already")


def test_the_fence_that_keeps_a_stroke_and_a_fill_out_is_named(layers):
    coat, empty = layers
    doc = coat.surface.document
    doc.fence = doc.regions.add("Corner", faces=[0])
    said = "the fence Corner keeps everything else as it is. K lifts it."
    fence = Fence(region=doc.fence.id)
    for tool, done in (("brush", "painted"), *DONE.items()):
        stroke = doc.begin_stroke(
            {coat.surface.name: coat}, CAMERA, TIP, Pigment(base_color="#00ff00"), tool, fence=fence
        )
        stroke.extend([(160, 150, 1.0), (200, 150, 1.0)])
        assert doc.finish_stroke(stroke) is None
        assert why_unchanged(stroke).sentence == f"Nothing was {done}: {said}"
    middle = doc.select(doc.pick(CAMERA, (200, 150)), by="face")
    with pytest.raises(NightmistError, match=said):
        doc.fill(empty, Pigment(base_color="#00ff00"), region=middle)


@pytest.mark.parametrize(("tool", "said"), [("brush", "painted"), ("erase", "erased")])
def test_a_brush_between_two_texels_says_that_it_is_too_small(layers, tool, said):
    """From so near that it holds the middle of none; from farther away the same one paints."""
    coat, _ = layers
    doc, pigment = coat.surface.document, Pigment(base_color="#00ff00")
    side = 2 / (0.9 * 128)
    near = Camera.look_at((0.25 * side, 0.25 * side, 0.02), (0.25 * side, 0.25 * side, 0), 40, (400, 300))
    stroke = doc.begin_stroke({"surface": coat}, near, TIP, pigment, tool)
    stroke.extend([(200, 150, 1.0), (201, 150, 1.0)])
    assert doc.finish_stroke(stroke) is None
    wanted = (
        f"Nothing was {said}: the brush is smaller than a texel of surface here. Make it larger, move away, or give"
    )
    assert why_unchanged(stroke).sentence == f"{wanted} the surface a larger map."
    stroke = doc.begin_stroke({"surface": coat}, CAMERA, TIP, pigment, tool)
    stroke.extend([(200, 150, 1.0), (201, 150, 1.0)])
    assert doc.finish_stroke(stroke)


@pytest.mark.parametrize(("tool", "said"), [("brush", "painted"), ("erase", "erased")])
def test_where_a_stencil_lets_nothing_through_it_is_the_stencil_that_is_told(layers, tool, said, tmp_path):
    """Its right half is transparent, and beside it there is nothing; through its left half the stroke leaves a mark."""
    pixels = np.zeros((64, 64, 4))
    pixels[:, :32, 2:] = 1.0
    coat = layers[0]
    doc = coat.surface.document
    stencil = nm.Stencil(write(tmp_path / "half.png", pixels), center=(200, 150), size=(60, 60)).placed(doc)
    for x in (218, 245, 180):
        stroke = doc.begin_stroke({"surface": coat}, CAMERA, Tip(radius=5), None, tool, stencil=stencil)
        stroke.extend([(x, 150, 1.0), (x + 1, 150, 1.0)])
        change = doc.finish_stroke(stroke)
        if x < 200:
            assert change
        else:
            wanted = f"Nothing was {said}: the stencil lets nothing through here. Move it, or put it away."
            assert (change, why_unchanged(stroke)) == (None, Reason(wanted, None))
