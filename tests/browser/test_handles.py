"""Handles over the stage: within reach, and not in the way of what is looked at."""

from __future__ import annotations

import re

import numpy as np
import pytest
from scipy.spatial.distance import pdist

from nightmist.core.formats.gltf_write import write_glb

from ..shapes import plane
from . import test_stencil
from .test_decals import on_body, pull
from .test_preparing import Stage, on_map, prepare, settled
from .test_put_back import handle, pull_and_put_back
from .test_stack import practice


def seen(page, name: str) -> float:
    """How opaque a handle is."""
    return float(page.get_by_role("button", name=name).evaluate("button => getComputedStyle(button).opacity"))


def test_handles_let_what_is_held_or_painted_be_seen(painter, server):
    """While one of them is held, or the decal itself; and those of a stencil while paint goes through it."""
    project, tab, _ = on_body(painter, server, "plane")
    page = tab.page
    names = ["Move the decal", "Turn the decal", "Scale the decal at corner 2"]
    for place in (*[handle(page, name) for name in names], tab.at(0.53, 0.53)):
        assert [seen(page, name) for name in names] == [1, 1, 1]
        page.mouse.move(*place)
        page.mouse.down()
        assert max(seen(page, name) for name in names) < 0.5
        page.mouse.up()
    page.keyboard.press("Shift+L")
    tab.wait_kept(4)
    test_stencil.take(tab)
    page.mouse.move(*tab.at(0.45, 0.5))
    page.mouse.down()
    page.mouse.move(*tab.at(0.55, 0.5), steps=4)
    assert max(seen(page, name) for name in ("Move the stencil", "Mirror the stencil")) < 0.5
    page.mouse.up()
    tab.wait_kept(5)
    assert seen(page, "Move the stencil") == 1
    assert test_stencil.yellow(server.texels(project, "plane")).any()


def test_a_small_picture_is_seen_below_the_handle_in_its_middle(painter, server):
    tab = on_body(painter, server, "plane")[1]
    page = tab.page
    middle = handle(page, "Move the decal")

    def covered(colors: np.ndarray) -> bool:
        """Whether the handle is seen in its upper half, or the sticker, which has little blue."""
        x, y = middle[0] - tab.box["x"], middle[1] - tab.box["y"]
        return colors[round(y) - 8, round(x), 2] > 150

    tab.wait_view(covered, "no handle")
    made_wide(tab, "0.1")
    tab.wait_view(lambda colors: not covered(colors), "the handle hides the decal")
    pull_and_put_back(tab, middle, 40, 0, key="Shift")
    tab.wait_kept(5)
    assert handle(page, "Move the decal")[0] > middle[0] + 30


def made_wide(tab, number: str):
    """The field of the decal's width, after that has been typed into it."""
    wide = tab.page.get_by_role("textbox", name=re.compile("^Wide"))
    wide.fill(number)
    wide.press("Enter")
    tab.wait_kept(4)
    return wide


def in_reach(tab) -> bool:
    """Whether all handles lie on the stage, below what lies over its upper side, and none on another."""
    boxes = [button.bounding_box() for button in tab.page.locator("[data-over-stage]").get_by_role("button").all()]
    places = np.array([(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2) for box in boxes])
    left, top = places.min(axis=0) - (tab.box["x"], tab.box["y"])
    right, bottom = (tab.box["x"] + tab.box["width"], tab.box["y"] + tab.box["height"]) - places.max(axis=0)
    return min(left, right, bottom) > 12 and top > 52 and pdist(places).min() > 24


def pull_a_little(page, name: str) -> None:
    """With free proportions, four pixels to the left."""
    page.keyboard.down("Shift")
    pull(page, name, -4, 0)
    page.keyboard.up("Shift")


def test_a_stencil_larger_than_the_stage_is_turned_and_scaled_by_its_handles(painter, server):
    tab = painter(practice(server, "plane")).open()
    page = tab.page
    test_stencil.take(tab)

    def number(name: str) -> float:
        return float(page.get_by_role("textbox", name=re.compile(f"^{name}")).input_value())

    page.get_by_role("button", name="Fit", exact=True).click()
    assert in_reach(tab)
    high = number("High")
    pull(page, "Turn the stencil", 60, 0)
    assert 5 < number("Turn") < 45
    pull(page, "Scale the stencil", 60, 40)
    assert number("High") > 1.1 * high
    assert in_reach(tab)
    # From where it is taken hold of, wherever that is: a little is a little.
    wide, high = number("Wide"), number("High")
    pull_a_little(page, "Scale the stencil")
    assert number("Wide") == pytest.approx(wide, rel=0.04)
    assert number("Wide") != wide
    assert number("High") == pytest.approx(high, rel=0.04)


@pytest.mark.parametrize("view", ["Model", "Map"])
def test_handles_of_a_stencil_go_along_when_the_stage_is_made_wider(painter, server, view):
    tab = painter(practice(server, "plane")).open()
    page = tab.page
    page.get_by_role("radio", name=view, exact=True).click()
    test_stencil.take(tab)
    page.get_by_role("button", name="Close the stencil’s settings").click()

    def together(_: np.ndarray) -> bool:
        """On the stencil's middle, which lies in that of a wider stage."""
        stage = page.locator("canvas[data-ready]").bounding_box()
        middle = stage["x"] + stage["width"] / 2
        box = page.get_by_test_id("stencil").bounding_box()
        at = handle(page, "Move the stencil")[0]
        wider = stage["width"] > tab.box["width"] + 100
        return wider and abs(at - middle) < 1 and abs(box["x"] + box["width"] / 2 - middle) < 1

    tab.wait_view(together, "the handles stay behind")


def test_a_decal_larger_than_the_stage_is_turned_and_scaled_by_its_handles(painter, server):
    project, tab, _ = on_body(painter, server, "plane")
    page = tab.page
    wide = made_wide(tab, "3")
    tab.wait_view(lambda _: in_reach(tab), "handles out of reach")
    pull(page, "Scale the decal at corner 2", -40, 30)
    tab.wait_kept(5)
    assert 1.5 < float(wide.input_value()) < 2.95
    pull(page, "Turn the decal", 40, 0)
    tab.wait_kept(6)
    assert 3 < float(page.get_by_role("textbox", name="Turn").input_value()) < 60
    before = float(wide.input_value())
    pull_a_little(page, "Scale the decal at corner 2")
    tab.wait_kept(7)
    assert float(wide.input_value()) == pytest.approx(before, rel=0.04)
    assert test_stencil.yellow(server.texels(project, "plane")).any()


def test_a_decal_that_reaches_behind_the_eye_is_pulled_smaller(painter, server):
    """Its frame was not seen at all when one of its corners was not."""
    _, tab, _ = on_body(painter, server, "plane")
    page = tab.page
    wide = made_wide(tab, "60")
    corners = page.get_by_role("button", name=re.compile("^Scale the decal"))
    tab.wait_view(lambda _: 0 < corners.count() < 4 and in_reach(tab), "no corner, or all of them")
    at = corners.first.bounding_box()
    middle = handle(page, "Move the decal")
    page.mouse.move(at["x"] + 12, at["y"] + 12)
    page.mouse.down()
    page.mouse.move(*((np.array(middle) + (at["x"] + 12, at["y"] + 12)) / 2), steps=4)
    page.mouse.up()
    tab.wait_kept(5)
    assert 5 < float(wide.input_value()) < 50


def test_the_frame_of_a_wash_around_all_of_the_model_is_turned_by_its_handle(painter, server):
    project = practice(server, "box")
    tab = painter(project).open()
    page = tab.page
    page.get_by_role("button", name="Wash", exact=True).click()
    tab.wait_kept(1)
    given = {"name": "sticker.png", "mimeType": "image/png", "buffer": test_stencil.sticker()}
    page.get_by_label("Pictures for the wash").set_input_files(given)
    tab.wait_kept(3)
    page.get_by_role("radio", name="Box").click()
    tab.wait_kept(4)
    page.get_by_role("checkbox", name="a cube around the model").click()
    tab.wait_kept(5)
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    page.mouse.move(*tab.at(0.5, 0.5))
    page.mouse.wheel(0, -400)
    tab.wait_view(lambda _: in_reach(tab), "handles out of reach")
    before = server.texels(project, "box")
    pull(page, "Turn the frame", 80, 0)
    tab.wait_kept(6)
    assert (server.texels(project, "box") != before).any()
    turns = [
        float(field.input_value()) for field in page.get_by_role("group", name="Turn").get_by_role("textbox").all()
    ]
    assert max(np.abs(turns)) > 5
    # A side that is pulled in to the middle has no handle there, but is held on to.
    size = page.get_by_role("group", name="Size").get_by_role("textbox").first
    long = float(size.input_value())
    middle, end = np.array(handle(page, "Move the frame")), np.array(handle(page, "Size of the frame along X"))
    page.mouse.move(*end)
    page.mouse.down()
    for share in (0.5, 0.02, 0.3):
        page.mouse.move(*(middle + share * (end - middle)), steps=3)
    page.mouse.up()
    tab.wait_kept(7)
    assert float(size.input_value()) == pytest.approx(0.3 * long, rel=0.05)


def test_islands_that_fill_the_map_are_turned_by_their_knob(painter, server):
    """It lies above them, where the map has no room, and then inside of the handle in the middle of that side."""
    project = server.create(write_glb(plane(2, 0.0, 1.0)), "full.glb")
    tab = prepare(painter, project)
    page = tab.page
    before = Stage(server, project).corners()
    tab.side_by_side()
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    page.mouse.click(*on_map(tab, 0.5, 0.5))
    knob = page.locator("[data-handle=turn]").bounding_box()
    side = page.locator('[data-handle="0.5,0"]').bounding_box()
    assert knob["y"] > max(tab.box["y"] + 44, side["y"] + side["height"])
    page.mouse.move(knob["x"] + 7, knob["y"] + 7)
    page.mouse.down()
    page.mouse.move(*on_map(tab, 0.9, 0.5), steps=6)
    page.mouse.up()
    settled(tab, 1)
    after = Stage(server, project).corners()
    away = before - 0.5
    assert np.abs(after - 0.5 - np.stack([-away[..., 1], away[..., 0]], axis=-1)).max() < 0.005
