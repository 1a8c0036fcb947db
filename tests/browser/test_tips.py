"""Tips in the page: set by drags, numbers, keys and presets; pens that are tilted; sizes in any unit."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect

from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.formats.image_files import write_png

from ..shapes import placed, plane
from .conftest import PATIENCE
from .test_painting import RED, plain_red
from .test_tools import near


def test_the_tip_is_set_by_a_drag(painter):
    """R and a drag: to the right larger, upwards harder; nothing is painted."""
    tab = plain_red(painter)
    page = tab.page
    radius = page.get_by_label("Radius", exact=True)
    before = int(radius.input_value())
    page.keyboard.down("r")
    tab.drag((0.45, 0.5), (0.55, 0.55))
    page.keyboard.up("r")
    assert int(radius.input_value()) > before * 1.2
    assert int(page.get_by_label("Hardness", exact=True).input_value()) < 900
    expect(page.get_by_role("button", name="Undo")).to_be_disabled()


def test_tips_pictures_presets_and_the_scratch_sheet(painter, server):
    """A picture of one's own becomes a tip; a preset keeps it all and is there in another project."""
    tab = plain_red(painter)
    page = tab.page
    page.get_by_role("button", name="More").click()
    half = np.zeros((32, 32, 4), np.uint8)
    half[:, 16:, 3] = 255
    page.get_by_label("Own tip").set_input_files(
        {"name": "half.png", "mimeType": "image/png", "buffer": write_png(half)}
    )
    expect(page.get_by_label("half", exact=True)).to_have_attribute("aria-pressed", "true")
    tab.wait_kept(1)
    page.get_by_label("Brush blend mode").select_option("multiply")
    page.get_by_role("button", name="Keep a preset").click()
    page.get_by_label("Name of the preset").fill("Half")
    page.get_by_role("button", name="Keep this tip").click()
    page.get_by_label("Brush blend mode").select_option("normal")
    page.keyboard.press("Escape")
    page.mouse.click(*tab.at(0.42, 0.5))
    tab.wait_kept(2)
    x = np.nonzero(near(server.texels(tab.project, "left"), RED))[1]
    center = x.min()
    assert x.mean() > center + 3
    page.get_by_label("Scratch sheet").click()
    page.wait_for_function(
        "() => document.querySelector('[data-testid=scratch]')?.naturalWidth === 400", timeout=PATIENCE
    )
    page.keyboard.press("Escape")
    expect(page.get_by_test_id("kept")).to_have_text("Kept, change 2")
    other = painter(server.create()).open()
    # The picture is not in the other project yet; the preset brings it along.
    other.page.keyboard.press("Alt+1")
    chips = other.page.get_by_role("group", name="Not at rest")
    expect(chips.get_by_role("button", name="multiply", exact=True)).to_be_visible()
    expect(chips.get_by_role("button", name="half", exact=True)).to_be_visible()
    chips.get_by_role("button", name="Put to rest: Blend mode").click()
    chips.get_by_role("button", name="half", exact=True).click()
    expect(other.page.get_by_label("Brush blend mode")).to_have_value("normal")
    expect(other.page.get_by_label("half", exact=True).and_(other.page.locator("[aria-pressed]"))).to_have_attribute(
        "aria-pressed", "true"
    )
    other.page.get_by_role("button", name="Half", exact=True).click(button="right")
    expect(other.page.get_by_role("button", name="Half", exact=True)).to_have_count(0)


def keep_preset(page, name):
    page.get_by_role("button", name="Keep a preset").click()
    expect(page.get_by_label("Name of the preset")).to_be_focused()
    page.keyboard.type(name)
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name=name, exact=True)).to_be_visible()


def test_no_preset_takes_another_ones_place_for_good(painter, server):
    """One of the same name can be had back, and what another tab keeps meanwhile stays."""
    page, other = painter().open().page, painter(server.create()).open().page
    radius = page.get_by_label("Radius", exact=True)
    radius.fill("300")
    keep_preset(page, "Own")
    keep_preset(other, "Beside")
    page.bring_to_front()
    radius.fill("700")
    keep_preset(page, "Own")
    expect(page.get_by_role("button", name="Beside", exact=True)).to_be_visible()
    page.get_by_role("alert").get_by_role("button", name="Bring the one before back").click()
    for name, kept in (("Own 2", "300"), ("Own", "700")):
        page.get_by_role("button", name=name, exact=True).click()
        expect(radius).to_have_value(kept)
    for name in ("Own", "Own 2", "Beside"):
        page.get_by_role("button", name=name, exact=True).click(button="right")
        expect(page.get_by_role("button", name=name, exact=True)).to_have_count(0)


def test_what_is_brought_back_takes_nothing_away_that_came_meanwhile(painter):
    page = painter().open().page
    pigments = page.get_by_role("group", name="Kept pigments")
    pigments.get_by_role("button", name="Weed").click(button="right")
    page.get_by_role("button", name="Keep the pigment").click()
    page.get_by_label("Name of the pigment").fill("Mine")
    page.keyboard.press("Enter")
    expect(pigments.get_by_role("button", name="Mine")).to_be_visible()
    page.get_by_role("alert").get_by_role("button", name="Bring it back").click()
    expect(pigments.get_by_role("button")).to_contain_text(["Wet rust", "Bare steel", "Weed", "Mine"])
    palette = page.get_by_role("group", name="Palette")
    palette.get_by_role("button", name="Use #e2ae45").click(button="right")
    field = page.get_by_role("textbox", name="Color", exact=True)
    field.fill("#123456")
    page.get_by_label("Add the current color").click()
    page.get_by_role("alert").get_by_role("button", name="Bring it back").click()
    for color in ("#123456", "#e2ae45"):
        expect(palette.get_by_role("button", name=f"Use {color}")).to_be_visible()
    page.get_by_label("Add the current color").click()
    expect(page.get_by_role("alert")).to_contain_text("#123456 is in the palette.")
    field.fill("#12")
    field.blur()
    expect(page.get_by_role("alert")).to_contain_text("“#12” is none. It stays #123456.")


def test_a_tilted_pen_turns_the_tip(painter, server):
    """A simulated pen that is tilted lays the row of rivets the other way round."""
    tab = plain_red(painter)
    page = tab.page
    page.get_by_role("button", name="More").click()
    page.get_by_role("radio", name="Tilt").click()
    page.get_by_label("Rivet row").click()
    page.keyboard.press("Escape")
    pen = page.context.new_cdp_session(page)
    spreads = []
    for number, (x, tilt) in enumerate(((0.37, (60, 0)), (0.45, (0, 60)))):
        px, py = tab.at(x, 0.5)
        for kind in ("mousePressed", "mouseReleased"):
            event = {"type": kind, "x": px, "y": py, "button": "left", "buttons": 1, "pointerType": "pen", "force": 1}
            pen.send("Input.dispatchMouseEvent", {**event, "tiltX": tilt[0], "tiltY": tilt[1], "clickCount": 1})
        tab.wait_kept(2 * number + 1)
        painted = near(server.texels(tab.project, "left"), RED, 9000)
        page.keyboard.press("Control+z")
        tab.wait_kept(2 * number + 2)
        spreads.append([np.ptp(places) for places in np.nonzero(painted)])
        assert painted.sum() > 20
    # Rows and columns change places.
    (rows, columns), (rows_down, columns_down) = spreads
    assert max(rows, columns) > 1.5 * min(rows, columns)
    assert (rows > columns) != (rows_down > columns_down)


@pytest.mark.parametrize("unit", [100, 0.01])
def test_brush_sizes_follow_the_models_unit(painter, server, unit):
    """In model units the radius begins at 3 % of the model, goes by keys and numbers, and paints what it says."""
    tab = painter(server.create(write_glb(placed(plane(4), scale=(unit, unit, unit))), "wall.glb")).open()
    page = tab.page
    page.get_by_role("button", name="More").click()
    row = page.get_by_label("Radius", exact=True).locator("xpath=ancestor::div[1]")
    page.get_by_text("Model units").click()
    expect(row).not_to_contain_text("px")
    page.get_by_text("Screen px").click()
    expect(row).to_contain_text("38 px")
    page.get_by_text("Model units").click()
    page.keyboard.press("Escape")
    row.get_by_title("Type a number").click()
    page.get_by_label("A number").fill(f"{0.2 * unit:g}")
    page.keyboard.press("Enter")
    expect(row).to_contain_text(f"{0.2 * unit:g}")
    page.get_by_label("Hardness", exact=True).fill("1000")
    page.mouse.click(*tab.at(0.5, 0.5))
    tab.wait_kept(1)
    page.keyboard.press(".")
    expect(row).to_contain_text(f"{0.22 * unit:g}")
    image = server.texels(tab.project, "surface")
    bare = image[0, 0]
    y, x = np.nonzero((np.abs(image.astype(int) - bare) > 300).any(axis=2))
    # The square is two units wide and takes nine tenths of the map.
    assert np.ptp(x) == pytest.approx(0.2 * 0.9 * image.shape[1], abs=2)
    assert np.ptp(y) == pytest.approx(0.2 * 0.9 * image.shape[0], abs=2)


def test_radius_and_hardness_by_number_and_by_keys(painter):
    """Typed values count, rubbish and Escape leave the old one, keys go in steps; all of it survives a reload."""
    tab = plain_red(painter)
    page = tab.page

    def row(label: str):
        return page.get_by_label(label, exact=True).locator("xpath=ancestor::div[1]")

    def type_in(label: str, text: str, end: str = "Enter") -> None:
        row(label).get_by_title("Type a number").click()
        page.get_by_label("A number").fill(text)
        page.keyboard.press(end)

    type_in("Radius", "25")
    expect(row("Radius")).to_contain_text("25 px")
    type_in("Radius", "much")
    type_in("Radius", "70", end="Escape")
    expect(row("Radius")).to_contain_text("25 px")
    type_in("Hardness", "300")
    expect(row("Hardness")).to_contain_text("100%")
    expect(page.get_by_role("alert")).to_contain_text("Hardness goes from 0% to 100%.")
    type_in("Hardness", "60")
    expect(row("Hardness")).to_contain_text("60%")
    expect(page.get_by_role("alert")).to_have_count(0)
    page.keyboard.press(">")
    expect(row("Hardness")).to_contain_text("65%")
    page.keyboard.press("<")
    page.keyboard.press("<")
    expect(row("Hardness")).to_contain_text("55%")
    page.keyboard.press(".")
    expect(row("Radius")).to_contain_text("28 px")
    page.get_by_role("switch", name="Paint bump").click()
    type_in("Bump", "-0.3")
    expect(row("Bump")).to_contain_text("−0.30")
    tab.open()
    expect(row("Hardness")).to_contain_text("55%")
    expect(row("Radius")).to_contain_text("28 px")
