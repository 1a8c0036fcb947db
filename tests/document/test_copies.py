"""What is copied to a surface whose maps have another size: it shows there what it shows here, at the same share."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from nightmist import Camera, Document, Pigment, Tip
from nightmist.core.progress import CancelledError
from nightmist.document.change import Change
from nightmist.document.stacking.nodes import duplicate_nodes

from ..shapes import walls
from .test_masks import shown

CAMERA = Camera.look_at((0, 0, 4), (0, 0, 0), 40, (400, 300))
RED = Pigment(base_color="#ff0000", roughness=0.25, height=0.7, opacity=0.5)
TIP = Tip(radius=40, strength=0.8, hardness=0.3, pressure_strength=False)
PATH = [(120, 150), (190, 160)]
LARGE = (512, 320)


@pytest.fixture
def two() -> Document:
    doc = Document.from_mesh(walls(), "two", (256, 256))
    doc.resize("right", LARGE)
    return doc


def enlarged(image: np.ndarray) -> np.ndarray:
    """A picture of 256 × 256 in the larger maps, by another library."""
    return cv2.resize(image.astype(np.float32), LARGE, interpolation=cv2.INTER_LINEAR)


def inner(surface, texels: int = 4) -> np.ndarray:
    """The texels of a surface that lie some way from where its islands end."""
    own = surface.layout.ownership.covered().astype(np.uint8)
    own[:1], own[-1:], own[:, :1], own[:, -1:] = 0, 0, 0, 0
    return cv2.erode(own, np.ones((2 * texels + 1, 2 * texels + 1))) > 0


def test_paint_of_every_map_comes_along_with_groups_and_masks(two, tmp_path):
    left, right = two.surfaces["left"], two.surfaces["right"]
    layer = left.layers.add("brushed", name="Rust")
    two.stroke(layer, PATH, CAMERA, TIP, RED)
    mask = layer.add_mask(value=1.0)
    two.stroke(mask, [(140, 130), (170, 180)], CAMERA, TIP, value=0.0)
    mask.change(soften=2.0)
    group = left.layers.group([layer], "Coat")
    before = {name: shown(right, name) for name in ("base_color", "roughness", "height", "opacity")}
    copy = left.layers.duplicate(group, onto=right)
    for name, was in before.items():
        here = shown(left, name)
        there = shown(right, name)
        assert np.abs(there - was).max() > 5000
        # The mask's blur is as many texels, in a map that is not as much higher as it is wider.
        off = np.abs(there - enlarged(here).reshape(there.shape))[inner(right)]
        assert off.max() < 2500, name
        assert off.mean() < 120, name
    assert copy.layers[0].value.mask.soften == pytest.approx(2.0 * 320 / 256)
    after = {name: shown(right, name) for name in before}
    two.save(tmp_path / "two.nightmist")
    again = Document.load(tmp_path / "two.nightmist").surfaces["right"]
    two.undo()
    for name in before:
        np.testing.assert_array_equal(shown(right, name), before[name])
        np.testing.assert_array_equal(shown(again, name), after[name])
    two.redo()
    for name in before:
        np.testing.assert_array_equal(shown(right, name), after[name])


def test_islands_have_no_edge_that_fades(two):
    """Paint over all of a surface is paint over all of the other, whose texels reach as far as its faces do."""
    left, right = two.surfaces["left"], two.surfaces["right"]
    coat = left.layers.add("brushed")
    two.fill(coat, Pigment(base_color="#ff0000"))
    left.layers.duplicate(coat, onto=right)
    own = right.layout.ownership.covered()
    assert (shown(right)[own] == shown(left)[left.layout.ownership.covered()][0]).all()
    back = right.layers.duplicate(right.layers[0], onto=left)
    assert (two.raster(back.id, "base_color").read()[left.layout.ownership.covered()] == [65535, 0, 0, 65535]).all()


def test_a_mask_is_taken_from_another_surface(two):
    left, right = two.surfaces["left"], two.surfaces["right"]
    here, there = left.layers.add("wash"), right.layers.add("wash", pigment=Pigment(base_color="#00ff00"))
    mask = here.add_mask(value=0.0)
    two.stroke(mask, PATH, CAMERA, TIP, value=1.0)
    mask.change(soften=3.0, low=0.1, high=0.8)
    copy = there.add_mask(value=1.0)
    before = copy.read()
    copy.copy_from(mask)
    assert np.abs(copy.read() - enlarged(mask.read()))[inner(right)].max() < 40
    assert there.value.mask == here.value.mask.but(soften=3.75)
    two.undo()
    np.testing.assert_array_equal(copy.read(), before)


def test_several_come_in_their_order(two):
    left, right = two.surfaces["left"], two.surfaces["right"]
    layers = [left.layers.add("brushed", name=name) for name in ("Low", "Middle", "High")]
    for layer, color in zip(layers, ("#ff0000", "#00ff00", "#0000ff"), strict=True):
        two.fill(layer, Pigment(base_color=color))
    right.layers.add("brushed", name="Theirs")
    change, made = duplicate_nodes(two, [layer.value for layer in layers], right.value)
    two.make(change)
    assert [two.node(key).name for key in made] == ["Low", "Middle", "High"]
    assert [layer.name for layer in right.layers] == ["Theirs", "Low", "Middle", "High"]


def test_how_far_it_is_is_told_and_it_can_be_called_off(two):
    """Over all that is copied, groups included, from nothing to nearly all; called off, nothing is there."""
    left, right = two.surfaces["left"], two.surfaces["right"]
    layers = [left.layers.add("brushed", name=f"Coat {number}") for number in range(4)]
    for layer in layers:
        two.fill(layer, RED)
    chosen = [left.layers.group(layers[:2], "Pair"), *layers[2:]]
    before, told = dict(two.values), []
    two.progress = lambda label, share: told.append(share)
    duplicate_nodes(two, [layer.value for layer in chosen])
    assert told == []
    duplicate_nodes(two, [layer.value for layer in chosen], right.value)
    assert told == sorted(set(told))
    assert told[0] == 0
    assert 0.9 < told[-1] < 1

    def enough(label: str, share: float) -> None:
        if share > 0.5:
            raise CancelledError("Enough")

    two.progress = enough
    with pytest.raises(CancelledError):
        left.layers.duplicate(chosen[1], onto=right)
    assert two.values == before


def test_copies_beside_their_own_find_room_and_names(two):
    """Also where orders lie so close that all have to be spread."""
    left = two.surfaces["left"]
    layers = [left.layers.add("brushed", name=name) for name in ("Rust", "Rust", "Paint")]
    low = layers[0].value.order
    values = {one.id: (one, one.but(order=low + 1e-9 * n)) for n, one in enumerate(layer.value for layer in layers)}
    two.make(Change(label="Close", values=values))
    before = dict(two.values)
    change, _ = duplicate_nodes(two, [layer.value for layer in layers])
    two.make(change)
    assert [layer.name for layer in left.layers] == ["Rust", "Rust 2", "Rust", "Rust 3", "Paint", "Paint 2"]
    two.undo()
    assert two.values == before
