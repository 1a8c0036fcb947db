"""Two fingers on a screen, and on a trackpad."""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from nightmist.core.formats.image_files import write_png

from . import test_stencil
from .conftest import Painter, model_in
from .test_decals import on_body
from .test_painting import plain_red
from .test_preparing import Stage, on_map, settled
from .test_put_back import handle, islands_beside_the_model
from .test_stack import practice

FINGERS = """() => {
  const canvas = document.querySelector("canvas[data-ready]");
  // Pointers that no hand moves cannot be captured; the canvas goes with its project.
  canvas.setPointerCapture = () => undefined;
  window.touch = (type, pointerId, clientX, clientY, on = canvas) => on.dispatchEvent(
    new PointerEvent(type, { pointerId, pointerType: "touch", bubbles: true, cancelable: true, clientX, clientY }));
}"""


class Hand:
    """Fingers by number on the stage of a tab, each where it was put or moved to."""

    def __init__(self, tab: Painter) -> None:
        self.tab, self.page = tab, tab.page
        self.places: dict[int, tuple[float, float]] = {}
        self.page.evaluate(FINGERS)

    def _touch(self, kind: str, finger: int) -> None:
        self.page.evaluate("([kind, ...finger]) => touch(kind, ...finger)", [kind, finger, *self.places[finger]])

    def put(self, finger: int, x: float, y: float) -> None:
        self.places[finger] = (x, y)
        self._touch("pointerdown", finger)

    def move(self, finger: int, dx: float) -> None:
        x, y = self.places[finger]
        self.places[finger] = (x + dx, y)
        self._touch("pointermove", finger)

    def lift(self, finger: int) -> None:
        self._touch("pointerup", finger)

    def spread(self, x: float, y: float) -> None:
        """Two fingers from 80 pixels apart to 160."""
        self.put(1, x - 40, y)
        self.put(2, x + 40, y)
        for _ in range(8):
            self.move(1, -5)
            self.move(2, 5)


@pytest.fixture(params=["Model", "Map"])
def hand(painter, request) -> Hand:
    """On the model alone, or on its map."""
    tab = plain_red(painter)
    tab.page.get_by_role("radio", name=request.param, exact=True).click()
    tab.page.wait_for_selector(f"canvas[data-views={request.param.lower()}]")
    tab.page.keyboard.press("h")
    tab.wait_view(lambda image: middle_and_size(image)[1] > 20_000, "nothing is shown")
    return Hand(tab)


def middle_and_size(image: np.ndarray) -> tuple[float, int]:
    """Where the middle of what is shown lies across, and how many pixels it takes."""
    shown = model_in(image)
    return float(np.nonzero(shown)[1].mean()) if shown.any() else 0.0, int(shown.sum())


@pytest.mark.parametrize("lifted", [1, 2])
def test_two_fingers_zoom_what_they_lie_on_and_the_one_that_stays_goes_on(hand, lifted):
    """The view does not jump when one of them is lifted, whichever it is."""
    stays, tab = 3 - lifted, hand.tab
    _, before = middle_and_size(tab.colors())
    hand.spread(*tab.at(0.5, 0.5))
    pinched = tab.wait_view(lambda image: middle_and_size(image)[1] > 1.5 * before, "two fingers did not zoom")
    hand.lift(lifted)
    hand.move(stays, 1)
    # What is drawn next is later than the move.
    tab.page.evaluate("() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")
    moved = tab.colors()
    assert abs(middle_and_size(moved)[0] - middle_and_size(pinched)[0]) < 4
    hand.move(stays, 60)
    tab.wait_view(lambda image: (np.abs(image - moved).max(axis=2) > 40).sum() > 500, "the finger that stays is dead")
    hand.lift(stays)
    hand.move(stays, 60)


def test_a_palm_beside_what_is_held_moves_nothing(painter, server):
    """An island goes where it is dragged, and the model stays, though a hand comes to rest on the screen meanwhile."""
    tab = islands_beside_the_model(painter, server)
    page, (x, y) = tab.page, on_map(tab, 0.12, 0.12)
    before = Stage(server, tab.project).corners()
    lies = []
    for kept, rests in ((1, False), (3, True)):
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 40, y + 20, steps=4)
        if rests:
            shown = tab.colors()
            palm = Hand(tab)
            palm.put(7, *tab.at(0.2, 0.7))
            palm.move(7, 50)
            palm.lift(7)
            assert np.abs(tab.colors() - shown).max() <= 12
        page.mouse.move(x + 60, y + 30, steps=4)
        page.mouse.up()
        settled(tab, kept)
        lies.append(Stage(server, tab.project).corners())
        page.keyboard.press("Control+z")
        settled(tab, kept + 1)
    assert np.abs(lies[0] - before).max() > 0.02
    np.testing.assert_allclose(lies[1], lies[0], atol=1e-6)


@pytest.mark.parametrize("rests", ["before", "meanwhile"])
def test_a_palm_beside_a_handle_that_is_held_moves_nothing(painter, server, rests):
    """Neither the model nor what is held, which Escape still puts back; nor does a finger on the handle itself."""
    tab = painter(practice(server, "plane")).open()
    page = tab.page
    test_stencil.take(tab)
    across = page.get_by_role("textbox", name=re.compile("^X"))
    first = across.input_value()
    palm, (x, y) = Hand(tab), handle(page, "Move the stencil")
    if rests == "before":
        palm.put(7, *tab.at(0.1, 0.9))
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y, steps=4)
    expect(across).not_to_have_value(first)
    held, shown = across.input_value(), tab.colors()
    if rests == "meanwhile":
        palm.put(7, *tab.at(0.1, 0.9))
    palm.move(7, 80)
    for kind in ("pointerdown", "pointermove", "pointerup"):
        page.get_by_role("button", name="Move the stencil").evaluate(
            "(handle, [kind, x, y]) => touch(kind, 9, x, y, handle)", [kind, x + 200, y + 50]
        )
    assert np.abs(tab.colors() - shown).max() <= 12
    assert across.input_value() == held
    palm.lift(7)
    page.keyboard.press("Escape")
    expect(across).to_have_value(first)
    page.mouse.up()
    # Fingers count again.
    palm.put(7, *tab.at(0.1, 0.9))
    palm.move(7, 80)
    tab.wait_view(lambda image: (np.abs(image - shown).max(axis=2) > 40).sum() > 500, "the finger is dead")
    palm.lift(7)


def test_two_fingers_on_a_trackpad_turn_the_chosen_decal_by_notches(painter, server):
    """It tells of their way in many small parts: forty pixels are a notch of 5 degrees."""
    _, tab, _ = on_body(painter, server, "box")
    page = tab.page
    # All at once: what rests in between is a step of its own.
    page.evaluate(
        """([clientX, clientY]) => {
          const canvas = document.querySelector("canvas[data-ready]");
          const part = { deltaY: 2, altKey: true, clientX, clientY, cancelable: true };
          for (let k = 0; k < 42; k++) canvas.dispatchEvent(new WheelEvent("wheel", part));
        }""",
        list(tab.at(0.5, 0.4)),
    )
    tab.wait_kept(4)
    expect(page.get_by_role("textbox", name="Turn")).to_have_value("10")


def test_a_pinch_over_a_reference_picture_zooms_it_and_not_the_page(painter, tmp_path):
    """As far as the fingers go: ten turns of ten make it e times as large."""
    stripe = np.full((100, 100, 3), 255, np.uint8)
    stripe[:, 45:55] = (200, 0, 0)
    (tmp_path / "stripe.png").write_bytes(write_png(stripe))
    page = painter().open().page
    page.get_by_role("button", name="Reference pictures", exact=True).click()
    page.get_by_label("Reference files").set_input_files(str(tmp_path / "stripe.png"))
    canvas = page.get_by_role("img", name="stripe.png")
    shown = """(canvas) => {
      const { data } = canvas.getContext("2d").getImageData(0, canvas.height >> 1, canvas.width, 1);
      return data.filter((value, i) => i % 4 === 1 && value < 128 && data[i + 2] === 255).length;
    }"""
    expect(canvas).to_be_visible()
    page.wait_for_function(f"() => ({shown})(document.querySelector('canvas[role=img]')) > 0")
    before = canvas.evaluate(shown)
    turned = """(canvas) => {
      const { left, top, width, height } = canvas.getBoundingClientRect();
      const at = { clientX: left + width / 2, clientY: top + height / 2, bubbles: true, cancelable: true };
      return canvas.dispatchEvent(new WheelEvent("wheel", { ...at, deltaY: -10, ctrlKey: true }));
    }"""
    for _ in range(10):
        assert not canvas.evaluate(turned), "the browser would zoom the page"
    assert canvas.evaluate(shown) == pytest.approx(np.e * before, rel=0.05)
