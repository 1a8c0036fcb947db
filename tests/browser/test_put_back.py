"""Escape while a pointer holds something: it goes back to where it was, a stroke goes on; no card moves the stage."""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from nightmist.core.formats.gltf_write import write_glb

from . import test_stencil
from .test_decals import on_body
from .test_preparing import Stage, drag_on_map, islands, on_map, prepare, settled
from .test_stack import practice


def pull_and_put_back(tab, start: tuple[float, float], dx: float, dy: float, key: str = "Escape") -> None:
    """Press, drag half the way, think better of it, and let go elsewhere."""
    page = tab.page
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(start[0] + dx / 2, start[1] + dy / 2, steps=4)
    page.keyboard.press(key)
    page.mouse.move(start[0] + dx, start[1] + dy, steps=4)
    page.mouse.up()


def handle(page, name: str) -> tuple[float, float]:
    box = page.get_by_role("button", name=name).bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


CORNER = "[data-handle='1,1']"
MOVE_AND_LET_GO = """([handle, clientX, clientY]) => {
  for (const kind of ["pointermove", "pointerup"]) {
    const event = new PointerEvent(kind, { clientX, clientY, pointerId: 1, bubbles: true });
    document.querySelector(handle).dispatchEvent(event);
  }
}"""


def test_a_decal_goes_back_and_its_card_stays(painter, server):
    project, tab, _ = on_body(painter, server, "plane")
    page = tab.page
    before = server.texels(project, "plane")
    # Elsewhere than on the handle, which lies in its middle, it is held as well.
    places = [handle(page, name) for name in ("Move the decal", "Turn the decal", "Scale the decal at corner 2")]
    for place in (*places, tab.at(0.53, 0.53)):
        pull_and_put_back(tab, place, 60, 30)
        expect(page.get_by_role("button", name="Close the layer’s settings")).to_be_visible()
        assert handle(page, "Move the decal") == pytest.approx(places[0], abs=1)
    # The next change is the first one since it was put down.
    page.get_by_role("textbox", name="Turn").fill("0.5")
    page.keyboard.press("Enter")
    tab.wait_kept(4)
    page.get_by_role("button", name="Undo").click()
    tab.wait_kept(5)
    assert np.array_equal(server.texels(project, "plane"), before)
    page.get_by_test_id("kept").click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Close the layer’s settings")).to_be_hidden()


def test_a_stencil_goes_back(painter, server):
    tab = painter(practice(server, "plane")).open()
    page = tab.page
    test_stencil.take(tab)
    fields = [page.get_by_role("textbox", name=re.compile(f"^{name}")) for name in ("Wide", "High", "X", "Y", "Turn")]
    before = [field.input_value() for field in fields]
    for name in ("Move the stencil", "Turn the stencil", "Scale the stencil"):
        pull_and_put_back(tab, handle(page, name), 50, 40)
        assert [field.input_value() for field in fields] == before


def test_the_card_of_reference_pictures_goes_back(painter):
    """Its head moves it, its corner sizes it."""
    tab = painter().open()
    page = tab.page
    page.get_by_role("button", name="Reference pictures", exact=True).click()
    card = page.get_by_role("region", name="Reference pictures")
    before = card.bounding_box()
    for x, y in ((40, 16), (5, 5)):
        place = before["x"] + x, before["y"] + y
        pull_and_put_back(tab, place, -60, -40)
        assert card.bounding_box() == before
        pull_and_put_back(tab, place, -60, -40, key="Shift")
        assert card.bounding_box()["x"] == pytest.approx(before["x"] - 60, abs=1)
        pull_and_put_back(tab, (place[0] - 60, place[1] - 40), 60, 40, key="Shift")
        assert card.bounding_box() == pytest.approx(before, abs=1)


def test_a_stroke_goes_on_where_it_is_drawn(painter, server):
    """No key moves the model below the pointer: cards and views stay as they are."""
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    page.get_by_role("button", name="More", exact=True).click()
    expect(page.get_by_role("button", name="Close the tip settings")).to_be_visible()
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    tab.drag((0.4, 0.5), (0.5, 0.5), (0.6, 0.5))
    tab.wait_kept(1)
    undisturbed = server.texels(project, "plane")
    for number, key in enumerate(("Escape", "t", "m", "1", "h")):
        page.get_by_role("button", name="Undo").click()
        tab.wait_kept(2 * number + 2)
        pull_and_put_back(tab, tab.at(0.4, 0.5), 0.2 * tab.box["width"], 0, key)
        tab.wait_kept(2 * number + 3)
        assert np.array_equal(server.texels(project, "plane"), undisturbed), key


def islands_beside_the_model(painter, server):
    """A tab in Prepare with the map beside the model."""
    tab = prepare(painter, server.create(write_glb(islands()), "islands.glb"))
    tab.side_by_side()
    tab.box = tab.page.locator("canvas[data-ready]").bounding_box()
    return tab


@pytest.mark.parametrize("label", ["Opacity", "Radius", "Strength at the lightest touch"])
def test_a_slider_goes_back(painter, server, label):
    """And stays there, wherever the pointer goes on to; keys wait; the next drag counts."""
    tab = painter().open()
    page = tab.page
    tab.drag((0.4, 0.5), (0.45, 0.5))
    tab.wait_kept(1)
    painted = server.texels(tab.project, "left")
    slider = page.get_by_role("slider", name=label, exact=True)
    before, box = slider.input_value(), slider.bounding_box()

    def to(share: float) -> None:
        page.mouse.move(box["x"] + share * box["width"], box["y"] + box["height"] * (0.9 if "touch" in label else 0.5))

    to(0.5)
    page.mouse.down()
    to(0.3)
    expect(slider).not_to_have_value(before)
    page.keyboard.press("e")
    page.keyboard.press("Escape")
    expect(slider).to_have_value(before)
    to(0.6)
    page.mouse.up()
    expect(slider).to_have_value(before)
    expect(page.get_by_role("radio", name="Brush")).to_be_checked()
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Brush"))
    assert (server.texels(tab.project, "left") == painted).all()
    to(0.5)
    page.mouse.down()
    to(0.4)
    page.mouse.up()
    expect(slider).not_to_have_value(before)
    if label == "Opacity":
        tab.wait_kept(2)
        assert (server.texels(tab.project, "left") != painted).any()


def test_islands_go_back(painter, server):
    """Dragged themselves, and by their handles; what is moved next is the first change."""
    tab = islands_beside_the_model(painter, server)
    page, project = tab.page, tab.project
    before = Stage(server, project).corners()
    pull_and_put_back(tab, on_map(tab, 0.12, 0.12), 80, 40)
    expect(page.get_by_test_id("island-box")).to_be_visible()
    for name in ("turn", "1,1"):
        box = page.locator(f"[data-handle='{name}']").bounding_box()
        pull_and_put_back(tab, (box["x"] + 5, box["y"] + 5), 60, 50)
        assert page.locator(f"[data-handle='{name}']").bounding_box() == pytest.approx(box, abs=1)
    drag_on_map(tab, (0.12, 0.12), (0.62, 0.12))
    settled(tab, 1)
    page.get_by_role("button", name="Undo").click()
    settled(tab, 2)
    assert np.array_equal(Stage(server, project).corners(), before)


def with_islands_picked(painter, server) -> tuple:
    """A tab beside whose map an island's corner can be taken, and where that is."""
    tab = islands_beside_the_model(painter, server)
    tab.page.mouse.click(*on_map(tab, 0.12, 0.12))
    box = tab.page.locator(CORNER).bounding_box()
    return tab, box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def corner_is_at(tab, x: float, y: float) -> None:
    settled(tab, 1)
    box = tab.page.locator(CORNER).bounding_box()
    assert (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2) == pytest.approx((x, y), abs=2)


def test_a_finger_scales_islands(painter, server):
    """The browser takes the drag for none of its own, as it would where it might scroll."""
    tab, x, y = with_islands_picked(painter, server)
    finger = tab.page.context.new_cdp_session(tab.page)
    for kind, moved in (("touchStart", 0), *(("touchMove", moved) for moved in range(5, 65, 5)), ("touchEnd", None)):
        points = [] if moved is None else [{"x": x + moved, "y": y + moved}]
        finger.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})
    corner_is_at(tab, x + 60, y + 60)


def test_the_last_move_before_letting_go_counts(painter, server):
    """Also when no picture is drawn in between."""
    tab, x, y = with_islands_picked(painter, server)
    tab.page.mouse.move(x, y)
    tab.page.mouse.down()
    tab.page.mouse.move(x + 20, y + 20)
    tab.page.evaluate(MOVE_AND_LET_GO, [CORNER, x + 60, y + 60])
    corner_is_at(tab, x + 60, y + 60)
    tab.page.mouse.up()
