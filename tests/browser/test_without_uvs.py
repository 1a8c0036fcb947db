"""Faces without UVs in a surface whose other faces have some: whatever is tried there, its sentence tells the cure."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect

from .test_decals import take
from .test_painting import plain_red
from .test_tools import tool

#: Two squares beside each other, x from -1 to 0 with UVs, from 0 to 1 without.
HALF = b"""usemtl hull
v -1 -1 0\nv 0 -1 0\nv 0 1 0\nv -1 1 0\nv 1 -1 0\nv 1 1 0
vt 0.1 0.1\nvt 0.9 0.1\nvt 0.9 0.9\nvt 0.1 0.9
f 1/1 2/2 3/3 4/4
f 2 5 6 3
"""
SAID = "hull has no UVs here, so nothing can be painted. Unwrap it in Prepare."
BARE = ((0.58, 0.4), (0.61, 0.45))


@pytest.fixture
def tab(painter, server):
    """On that model, which is to be as it was in the end."""
    made = plain_red(painter, server.create(HALF, "half.obj"))
    before = server.texels(made.project, "hull")
    yield made
    np.testing.assert_array_equal(server.texels(made.project, "hull"), before)


def say_so(tab):
    expect(tab.page.get_by_role("alert").filter(has_text=SAID)).to_be_visible()


def test_every_tool_says_so(tab):
    for name in ("Brush", "Erase", "Smear", "Soften", "Sharpen"):
        tool(tab, name)
        expect(tab.page.get_by_text(SAID)).to_have_count(0)
        tab.drag(*BARE)
        say_so(tab)
    tool(tab, "Clone")
    tab.page.mouse.click(*tab.at(*BARE[0]))
    say_so(tab)
    tool(tab, "Fill")
    for by in ("Face", "Island", "Color"):
        tab.page.get_by_role("radio", name=by, exact=True).click()
        expect(tab.page.get_by_text(SAID)).to_have_count(0)
        tab.page.mouse.click(*tab.at(*BARE[0]))
        say_so(tab)
    expect(tab.page.get_by_test_id("kept")).to_have_text("Kept, change 0")


def test_what_is_stored_there_a_decal_and_a_finish_say_so_too(tab):
    page = tab.page
    page.keyboard.down("Control")
    page.mouse.click(*tab.at(*BARE[0]))
    page.keyboard.up("Control")
    say_so(tab)
    take(tab)
    tab.wait_kept(2)
    expect(page.get_by_text(SAID)).to_have_count(0)
    page.mouse.click(*tab.at(*BARE[0]))
    say_so(tab)
    # It stays in the hand, and goes down beside.
    expect(page.get_by_role("button", name="sticker.png", exact=True)).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Finishes").click()
    canvas = page.locator("canvas[data-ready]")
    expect(page.get_by_role("button", name="Rust", exact=True)).to_be_visible()
    tool(tab, "Smear")
    expect(page.get_by_text(SAID)).to_have_count(0)
    tab.box = canvas.bounding_box()
    x, y = tab.at(*BARE[0])
    target = {"x": x - tab.box["x"], "y": y - tab.box["y"]}
    page.get_by_role("button", name="Rust", exact=True).drag_to(canvas, target_position=target)
    say_so(tab)
    expect(page.get_by_test_id("kept")).to_have_text("Kept, change 2")
