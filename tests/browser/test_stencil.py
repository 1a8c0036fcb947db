"""A stencil in the browser: taken from a file, moved by its handle, laid on whole, painted through, put away."""

from __future__ import annotations

import re

import cv2
import numpy as np
import pytest
from playwright.sync_api import expect

from nightmist.core.formats.image_files import write_png

from .test_stack import islands, practice

YELLOW = (230, 160, 40)


def sticker() -> bytes:
    """A yellow disk on nothing."""
    pixels = np.zeros((128, 128, 4), np.uint8)
    cv2.circle(pixels, (64, 64), 60, (*YELLOW, 255), -1)
    return write_png(pixels)


def take(tab, name="sticker.png", data=None) -> None:
    tab.page.get_by_role("button", name="Stencil", exact=True).click()
    given = {"name": name, "mimeType": "image/png", "buffer": data or sticker()}
    tab.page.get_by_label("Pictures for stencils").set_input_files(given)
    expect(tab.page.get_by_test_id("stencil")).to_be_visible()
    tab.box = tab.page.locator("canvas[data-ready]").bounding_box()


def yellow(texels: np.ndarray) -> np.ndarray:
    return np.abs(texels.astype(int) - np.array(YELLOW) * 257).max(axis=2) < 800


def test_a_sticker_goes_onto_the_sides_that_are_seen_and_on_no_hidden_one(painter, server):
    project = practice(server, "box")
    tab = painter(project).open()
    page = tab.page
    take(tab)
    # Seen from farther above, so that its top is not grazed.
    tab.drag((0.1, 0.4), (0.1, 0.47), button="right")
    page.get_by_role("button", name="Lay it on whole").click()
    tab.wait_kept(2)
    found = yellow(server.texels(project, "box"))
    shares = sorted(found[island].mean() for island in islands("box"))
    # Three sides are seen; of the others not one texel.
    assert shares[:3] == [0, 0, 0]
    assert all(share > 0.02 for share in shares[3:]), shares
    page.keyboard.press("Control+z")
    tab.wait_kept(3)
    assert not yellow(server.texels(project, "box")).any()


def test_the_brush_paints_through_the_stencil_only_where_it_lies(painter, server):
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    take(tab)
    page.get_by_role("radio", name="Brush").click()
    handle = page.get_by_role("button", name="Move the stencil").bounding_box()
    x, y = handle["x"] + 14, handle["y"] + 14
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y, steps=4)
    page.mouse.up()
    box = page.get_by_test_id("stencil").bounding_box()
    assert abs(box["x"] + box["width"] / 2 - (x + 60)) < 3
    expect(page.get_by_role("group", name="Not at rest")).to_contain_text("stencil")
    page.get_by_label("Strength", exact=True).fill("1000")
    page.get_by_label("Hardness", exact=True).fill("1000")
    middle = (x + 60 - tab.box["x"]) / tab.box["width"], (y + 40 - tab.box["y"]) / tab.box["height"]
    away = middle[0] - 1.2 * box["width"] / tab.box["width"], middle[1]
    tab.drag(middle, away)
    tab.wait_kept(2)
    through = server.texels(project, "plane")
    assert yellow(through).sum() > 100
    page.keyboard.press("z")
    expect(page.get_by_test_id("stencil")).to_have_count(0)
    tab.drag(middle, away)
    tab.wait_kept(3)
    free = server.texels(project, "plane")
    # Without it the stroke is the pigment's, and reaches beyond.
    bare = free[0, 0]
    assert (np.abs(free.astype(int) - bare).max(axis=2) > 3000).sum() > 1.5 * yellow(through).sum()
    assert not yellow(free)[yellow(through)].all()
    tab.open()
    expect(page.get_by_test_id("stencil")).to_have_count(0)
    page.keyboard.press("z")
    expect(page.get_by_test_id("stencil")).to_be_visible()


def test_it_is_stamped_by_clicks_and_maps_follow_its_gray(painter, server):
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    take(tab)
    page.get_by_role("checkbox", name="in proportion").click()
    page.get_by_role("textbox", name="Wide").fill("60")
    page.get_by_role("textbox", name="High").fill("60")
    page.get_by_role("textbox", name="High").press("Enter")
    page.get_by_role("checkbox", name="Rough").click()
    page.get_by_role("button", name="By clicks").click()
    page.mouse.move(*tab.at(0.42, 0.5))
    page.mouse.click(*tab.at(0.42, 0.5))
    tab.wait_kept(2)
    page.mouse.move(*tab.at(0.58, 0.5))
    page.mouse.click(*tab.at(0.58, 0.5))
    tab.wait_kept(3)
    found = yellow(server.texels(project, "plane"))
    columns = np.flatnonzero(found.any(axis=0))
    assert (np.diff(columns) > 1).sum() == 1, "two stamps, apart"
    rough = server.texels(project, "plane", "roughness").astype(int)
    gray = np.array(YELLOW) / 255 @ (0.2126, 0.7152, 0.0722)
    assert abs(np.median(rough[found]) / 65535 - (0.2 + 0.7 * gray)) < 0.02


def test_all_over_is_a_wash_that_shows_where_its_mask_is_painted(painter, server):
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    take(tab)
    page.get_by_role("button", name="All over").click()
    tab.wait_kept(2)
    expect(page.get_by_test_id("stencil")).to_have_count(0)
    expect(page.get_by_test_id("target")).to_contain_text("mask of Wash")
    assert not yellow(server.texels(project, "plane")).any()
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    page.get_by_role("radio", name="Brush").click()
    page.get_by_label("Strength", exact=True).fill("1000")
    page.get_by_label("Hardness", exact=True).fill("1000")
    tab.drag((0.45, 0.5), (0.55, 0.5))
    tab.wait_kept(3)
    assert yellow(server.texels(project, "plane")).sum() > 50


def striped() -> bytes:
    """Left yellow, right blue."""
    pixels = np.full((64, 64, 4), 255, np.uint8)
    pixels[:, :32, :3], pixels[:, 32:, :3] = YELLOW, (30, 60, 200)
    return write_png(pixels)


def test_each_dab_stamps_it_in_its_own_colors(painter, server):
    """A stencil becomes the tip: apart along a stroke, in color, tinted if wanted; another project has it at hand."""
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    take(tab, "stripe.png", striped())
    page.get_by_role("button", name="With each dab").click()
    expect(page.get_by_test_id("stencil")).to_have_count(0)
    chips = page.get_by_role("group", name="Not at rest")
    expect(chips.get_by_role("button", name="stripe", exact=True)).to_be_visible()
    page.keyboard.press("Escape")
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    page.get_by_label("Strength", exact=True).fill("1000")
    page.get_by_label("Radius", exact=True).fill("350")
    tab.drag((0.42, 0.5), (0.58, 0.5))
    tab.wait_kept(3)
    found = server.texels(project, "plane")
    middle = found[found.shape[0] // 2].astype(int)
    colors = [np.abs(middle - np.array(c) * 257).max(axis=1) < 1200 for c in (YELLOW, (30, 60, 200))]
    starts = [(np.diff(np.flatnonzero(one)) > 1).sum() + 1 for one in colors]
    assert min(starts) >= 2, "several stamps, each with both halves"
    assert abs(colors[0].sum() - colors[1].sum()) < 0.1 * colors[0].sum()
    chips.get_by_role("button", name="stripe", exact=True).click()
    page.get_by_role("button", name="Tinted").click()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Undo", exact=True).click()
    tab.wait_kept(4)
    tab.drag((0.42, 0.5), (0.58, 0.5))
    tab.wait_kept(5)
    tinted = server.texels(project, "plane")
    assert not yellow(tinted).any()
    assert (np.abs(tinted.astype(int) - tinted[0, 0]).max(axis=2) > 3000).sum() > 300
    other = painter(practice(server, "plane")).open().page
    other.get_by_role("button", name="More").click()
    other.get_by_role("button", name="stripe", exact=True).click()
    expect(
        other.get_by_role("button", name="stripe", exact=True).and_(other.locator("[aria-pressed=true]"))
    ).to_have_count(1)
    expect(other.get_by_role("button", name="Tinted")).to_be_visible()


def test_a_gray_one_paints_where_it_is_light_however_it_is_used(painter, server):
    """White left, black right: laid by a click and stamped with a dab, the pigment comes left of the middle."""
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    take(tab, "bright.png", write_png(np.repeat(np.uint8([[255] * 32 + [0] * 32]), 64, axis=0)))
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    before = server.texels(project, "plane").astype(int)
    for change, use in ((2, "By clicks"), (5, "With each dab")):
        page.get_by_role("button", name=use).click()
        if use == "With each dab":
            expect(page.get_by_role("group", name="Not at rest")).to_contain_text("bright")
        page.mouse.click(*tab.at(0.5, 0.5))
        tab.wait_kept(change)
        painted = np.abs(server.texels(project, "plane").astype(int) - before).max(axis=2) > 3000
        across = np.flatnonzero(painted.any(axis=0))
        assert len(across) > 5
        assert across.max() < painted.shape[1] / 2 + 4
        page.get_by_role("button", name="Undo", exact=True).click()
        tab.wait_kept(change + 1)


def test_each_stencil_lies_where_it_was_put(painter, server):
    """Another picture is taken and the first again: it is where it lay; chosen once more it comes to the middle."""
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    take(tab)
    page.get_by_role("textbox", name="Wide").fill("90")
    page.get_by_role("textbox", name="Wide").press("Enter")
    page.get_by_role("button", name="Move the stencil").focus()
    for _ in range(4):
        page.keyboard.press("ArrowLeft")
    lain = page.get_by_test_id("stencil").bounding_box()
    given = {"name": "stripe.png", "mimeType": "image/png", "buffer": striped()}
    page.get_by_label("Pictures for stencils").set_input_files(given)
    expect(page.get_by_role("textbox", name="Wide")).not_to_have_value("90")
    page.get_by_role("button", name="sticker").click()
    expect(page.get_by_role("textbox", name="Wide")).to_have_value("90")
    assert page.get_by_test_id("stencil").bounding_box() == lain
    page.get_by_role("button", name="sticker").click()
    expect(page.get_by_role("textbox", name="Wide")).not_to_have_value("90")


def test_it_stays_over_the_model_when_its_card_is_closed(painter, server):
    """The stage is wider then, and the model seen elsewhere: what is painted through it comes onto the same texels."""
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    take(tab)
    for label, number in (("Wide", 90), ("X", 60), ("Y", -30)):
        page.get_by_role("textbox", name=re.compile(f"^{label}")).fill(str(number))
        page.keyboard.press("Enter")
    page.get_by_role("button", name="Lay it on whole").click()
    tab.wait_kept(2)
    whole = yellow(server.texels(project, "plane"))
    page.keyboard.press("Control+z")
    tab.wait_kept(3)
    page.get_by_role("button", name="Close the stencil’s settings").click()
    for slider in ("Strength", "Hardness"):
        page.get_by_label(slider, exact=True).fill("1000")
    box = page.get_by_test_id("stencil").bounding_box()
    page.mouse.move(box["x"] + 5, box["y"] + box["height"] / 4)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] - 5, box["y"] + box["height"] / 4, steps=8)
    page.mouse.up()
    tab.wait_kept(4)
    painted = yellow(server.texels(project, "plane"))
    assert painted.sum() > 0.1 * whole.sum()
    assert not (painted & ~cv2.dilate(whole.astype(np.uint8), np.ones((3, 3))).astype(bool)).any()


def test_it_is_put_where_it_is_wanted_by_buttons_and_numbers(painter, server):
    """Fitted, pixel by pixel, upright, mirrored, to a place; a wrong number is told and changes nothing."""
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    take(tab, "stripe.png", striped())
    stencil = page.get_by_test_id("stencil")
    page.get_by_role("button", name="Fit", exact=True).click()
    assert stencil.bounding_box()["height"] == pytest.approx(min(tab.box["height"], tab.box["width"]), abs=1)
    turn = page.get_by_role("textbox", name="Turn")
    turn.fill("12,5")
    turn.press("Enter")
    expect(turn).to_have_value("12.5")
    page.get_by_role("button", name="Upright").click()
    expect(turn).to_have_value("0")
    page.get_by_role("button", name="1 : 1").click()
    assert stencil.bounding_box()["width"] == pytest.approx(64, abs=1)
    wide = page.get_by_role("textbox", name="Wide")
    wide.fill("wide")
    wide.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("takes a number")
    expect(wide).to_have_value("64")
    # A width brings its height along, until proportions are free.
    high = page.get_by_role("textbox", name="High")
    before = float(high.input_value())
    wide.fill("128")
    wide.press("Enter")
    expect(high).to_have_value(f"{2 * before:g}")
    page.get_by_role("checkbox", name="in proportion").click()
    wide.fill("64")
    wide.press("Enter")
    expect(high).to_have_value(f"{2 * before:g}")
    high.fill(f"{3 * before:g}")
    high.press("Enter")
    expect(wide).to_have_value("64")
    page.get_by_role("button", name="Undistort").click()
    expect(high).to_have_value(f"{before:g}")
    expect(wide).to_have_value("64")
    across = page.get_by_role("textbox", name="X px")
    across.fill("5000")
    across.press("Enter")
    expect(page.get_by_role("alert").filter(has_text="stays on the stage")).to_be_visible()
    assert float(across.input_value()) == pytest.approx(
        tab.page.locator("canvas[data-ready]").bounding_box()["width"] / 2, abs=1
    )
    # Over the only view there is, if only at its border.
    page.get_by_role("button", name="Lay it on whole").click()
    expect(page.get_by_role("alert").filter(has_text="meets nothing")).to_be_visible()
    across.fill("40")
    across.press("Enter")
    box = stencil.bounding_box()
    assert box["x"] + box["width"] / 2 - tab.box["x"] == pytest.approx(tab.box["width"] / 2 + 40, abs=1)
    page.get_by_role("button", name="Mirror the stencil").click()
    page.get_by_role("checkbox", name="not while painting").click()
    page.get_by_label("Strength", exact=True).fill("1000")
    corner = (box["x"] + 10 - tab.box["x"]) / tab.box["width"], (box["y"] + 10 - tab.box["y"]) / tab.box["height"]
    page.mouse.move(*tab.at(*corner))
    page.mouse.down()
    expect(stencil).to_be_hidden()
    page.mouse.up()
    expect(stencil).to_be_visible()
    tab.wait_kept(2)
    page.get_by_role("button", name="Lay it on whole").click()
    tab.wait_kept(3)
    found = server.texels(project, "plane")
    blue = np.abs(found.astype(int) - np.array((30, 60, 200)) * 257).max(axis=2) < 800
    # Mirrored: what was left is right.
    assert np.argwhere(blue)[:, 1].mean() < np.argwhere(yellow(found))[:, 1].mean() - 5


def test_the_eraser_goes_through_it_unless_clicks_lay_it_on(painter, server):
    """Paint is taken away in the picture's shape; with clicks that lay it on, the eraser is the eraser."""
    tab = painter(practice(server, "plane")).open()
    page = tab.page
    take(tab)
    page.get_by_role("button", name="Lay it on whole").click()
    tab.wait_kept(2)
    page.get_by_role("textbox", name="Wide").fill("60")
    page.get_by_role("textbox", name="Wide").press("Enter")
    page.get_by_role("radio", name="Erase", exact=True).click()
    expect(page.get_by_test_id("stencil")).to_be_visible()
    disk = yellow(server.texels(tab.project, "plane"))
    tab.drag((0.35, 0.5), (0.65, 0.5))
    tab.wait_kept(3)
    taken = disk & ~yellow(server.texels(tab.project, "plane"))
    rows, columns = np.nonzero(taken)
    # A smaller disk in the middle, though the stroke went over the whole width.
    assert 100 < taken.sum() < disk.sum() / 4
    high, wide = (np.ptp(side) for side in np.nonzero(disk))
    assert np.ptp(columns) / np.ptp(rows) == pytest.approx(wide / high, rel=0.07)
    assert np.ptp(columns) < wide / 2
    expect(page.get_by_test_id("target")).to_contain_text("All maps")
    page.get_by_role("button", name="By clicks").click()
    expect(page.get_by_role("radio", name="Brush", exact=True)).to_be_checked()
    page.get_by_role("radio", name="Erase", exact=True).click()
    expect(page.get_by_test_id("stencil")).to_have_count(0)


def test_a_picture_of_the_library_comes_in_by_a_click_and_one_is_kept_for_all(painter, server):
    """What ships is at hand in a new project; one of one's own is kept, used in another, taken out, brought back."""
    tab = painter(practice(server, "plane")).open()
    page = tab.page
    page.get_by_role("button", name="Stencil", exact=True).click()
    page.get_by_role("radio", name="Fill", exact=True).click()
    page.get_by_role("button", name="Warning label, in the library").click()
    expect(page.get_by_test_id("stencil")).to_be_visible()
    expect(page.get_by_role("button", name="Warning label, in the library")).to_have_count(0)
    expect(page.get_by_role("radio", name="Brush", exact=True)).to_be_checked()
    # Seen as long as strokes go through it; Z takes it again where it was.
    place = page.get_by_test_id("stencil").bounding_box()
    page.keyboard.press("f")
    expect(page.get_by_test_id("stencil")).to_have_count(0)
    expect(page.get_by_role("button", name="Lay it on whole")).to_be_disabled()
    page.keyboard.press("z")
    expect(page.get_by_role("radio", name="Brush", exact=True)).to_be_checked()
    assert page.get_by_test_id("stencil").bounding_box() == place
    page.keyboard.press("z")
    expect(page.get_by_test_id("stencil")).to_have_count(0)
    page.keyboard.press("z")
    expect(page.get_by_test_id("stencil")).to_have_count(1)
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    page.get_by_role("button", name="Lay it on whole").click()
    tab.wait_kept(2)
    assert (np.ptp(server.texels(tab.project, "plane").astype(int), axis=2) > 30000).sum() > 500
    given = {"name": "stripe.png", "mimeType": "image/png", "buffer": striped()}
    page.get_by_label("Pictures for stencils").set_input_files(given)
    expect(page.get_by_role("button", name="stripe.png", exact=True)).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="Keep for all projects").click()
    expect(page.get_by_role("alert")).to_contain_text("stripe.png is at hand in all projects")
    other = painter(practice(server, "box")).open().page
    other.get_by_role("button", name="Stencil", exact=True).click()
    kept = other.get_by_role("button", name="stripe.png, in the library")
    kept.click(button="right")
    expect(kept).to_have_count(0)
    other.get_by_role("button", name="Bring it back").click()
    kept.click()
    expect(other.get_by_test_id("stencil")).to_be_visible()
    other.get_by_role("button", name="Forget the picture").click()
    kept.click(button="right")
    expect(kept).to_have_count(0)
