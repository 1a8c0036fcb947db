"""What a painter's hand expects: lines that go where they should, the same in both views, and words when it cannot."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect
from scipy.ndimage import label

from .conftest import PATIENCE, SWITCHES
from .test_painting import RED, plain_red
from .test_tools import near, tool


def red(server, tab) -> np.ndarray:
    return near(server.texels(tab.project, "left"), RED)


def test_a_line_goes_on_from_the_model_after_the_view_turned(painter, server):
    """A Shift click joins the place where the last stroke lies now; a Shift drag later is a line of its own."""
    tab = plain_red(painter)
    page = tab.page
    page.get_by_label("Radius", exact=True).fill("140")
    page.mouse.click(*tab.at(0.36, 0.5))
    tab.wait_kept(1)
    tab.drag((0.1, 0.9), (0.14, 0.88), button="right")
    page.keyboard.down("Shift")
    page.mouse.click(*tab.at(0.44, 0.42))
    tab.wait_kept(2)
    painted = red(server, tab)
    assert label(painted)[1] == 1
    assert np.ptp(np.nonzero(painted)[1]) > 15
    tab.drag((0.38, 0.7), (0.43, 0.7))
    page.keyboard.up("Shift")
    tab.wait_kept(3)
    assert label(red(server, tab))[1] == 2


def test_taper_in_the_map_is_measured_on_the_screen(painter, server):
    """A hundred pixels of taper are a hundred pixels of the map as it is seen."""
    tab = plain_red(painter)
    page = tab.page
    tab.side_by_side()
    page.get_by_label("Radius", exact=True).fill("218")
    page.keyboard.press("t")
    page.get_by_label("Taper", exact=True).fill("500")
    page.keyboard.press("Escape")
    expect(page.get_by_role("region", name="Tip settings")).to_have_count(0)
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    tab.drag((0.58, 0.5), (0.92, 0.5))
    tab.wait_kept(1)
    height = red(server, tab).sum(axis=0)
    half = tab.box["width"] / 2
    side = min(half - 48, tab.box["height"] - 48)
    scale = side / 256
    pressed = (0.58 * tab.box["width"] - half - (half - side) / 2) / scale
    # Halfway the radius is 0.05 + 0.95 / 2 of the full one.
    assert 0.4 < height[round(pressed + 50 / scale)] / height.max() < 0.66
    assert height[round(pressed + 105 / scale)] > 0.93 * height.max()


def test_clone_says_where_its_source_lies(painter, server):
    """Chosen on the model, tried in the map: nothing is painted, and a sentence tells why."""
    tab = plain_red(painter)
    tool(tab, "Clone")
    tab.page.mouse.click(*tab.at(0.4, 0.5))
    expect(tab.page.get_by_role("alert")).to_contain_text("Clone takes paint from here")
    tab.side_by_side()
    tab.drag((0.7, 0.5), (0.75, 0.5))
    expect(tab.page.get_by_role("alert")).to_contain_text("Clone's source lies on the model")
    expect(tab.page.get_by_test_id("kept")).to_have_text("Kept, change 0")


def test_the_stack_follows_the_stroke_and_a_missing_layer_is_cured(painter, server):
    """A stroke on the other surface shows its stack; without a layer it says so, and a click adds one."""
    tab = plain_red(painter)
    page = tab.page
    tab.drag((0.6, 0.5), (0.64, 0.5))
    tab.wait_kept(1)
    expect(page.get_by_test_id("target")).to_contain_text("right")
    page.get_by_label("Delete layer").click()
    tab.wait_kept(2)
    tab.drag((0.6, 0.4), (0.64, 0.4))
    alert = page.get_by_role("alert")
    expect(alert).to_contain_text("right has no layer yet")
    alert.get_by_role("button", name="Add one").click()
    tab.wait_kept(3)
    tab.drag((0.6, 0.4), (0.64, 0.4))
    tab.wait_kept(4)
    assert near(server.texels(tab.project, "right"), RED).any()


def test_opening_while_the_server_is_away_says_so(painter, server):
    """The page waits in words, and opens by itself once the server is there."""
    project = server.create()
    tab = painter(project)
    page = tab.page
    page.goto(f"{server.url}{SWITCHES}#/")
    page.get_by_role("link", name="pier").first.wait_for()
    server.kill()
    page.evaluate("project => { location.hash = `#/project/${project}`; }", project)
    expect(page.get_by_role("status").filter(has_text="The server does not answer")).to_be_visible()
    server.start("serve")
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)


@pytest.mark.parametrize("way", ["drop", "paste"])
def test_a_picture_dropped_on_the_stage_or_pasted_is_pinned(painter, way):
    """It lies beside the model; the page stays."""
    tab = painter().open()
    tab.page.evaluate(
        """async (way) => {
        const canvas = Object.assign(document.createElement("canvas"), { width: 8, height: 8 });
        const blob = await new Promise((done) => canvas.toBlob(done));
        const dataTransfer = new DataTransfer();
        dataTransfer.items.add(new File([blob], "quay.png", { type: "image/png" }));
        const bubbles = { bubbles: true, cancelable: true };
        document.querySelector("canvas[data-ready]").dispatchEvent(
            way === "drop" ? new DragEvent("drop", { dataTransfer, ...bubbles })
                : new ClipboardEvent("paste", { clipboardData: dataTransfer, ...bubbles }));
    }""",
        way,
    )
    expect(tab.page.get_by_role("region", name="Reference pictures")).to_contain_text("quay.png")


def test_a_notice_leaves_once_it_is_no_longer_true(painter, server):
    """The layer is hidden, or no picture has colors to pick by: words go when it is shown, or another way is taken."""
    tab = plain_red(painter)
    page = tab.page
    page.get_by_label("Hide First paint").click()
    tab.wait_kept(1)
    tab.drag((0.4, 0.5), (0.45, 0.5))
    expect(page.get_by_role("alert")).to_contain_text("is hidden")
    page.get_by_label("Show First paint").click()
    expect(page.get_by_role("alert")).to_have_count(0)
    tab.drag((0.4, 0.5), (0.45, 0.5))
    tab.wait_kept(3)
    assert red(server, tab).any()
    page.get_by_role("radio", name="Pick").click()
    page.get_by_role("radio", name="ID color").click()
    page.mouse.click(*tab.at(0.4, 0.5))
    expect(page.get_by_role("alert")).to_contain_text("no picture of flat colors")
    page.get_by_role("radio", name="Face", exact=True).click()
    expect(page.get_by_role("alert")).to_have_count(0)


def test_the_palette_is_put_in_order_by_keys(painter):
    """Shift and an arrow key move a color, Delete takes it away, a click brings it back; a reload keeps it so."""
    tab = painter().open()
    page = tab.page
    palette = page.get_by_role("group", name="Palette")
    order = lambda: [each.get_attribute("aria-label") for each in palette.get_by_role("button").all()]  # noqa: E731
    before = order()
    palette.get_by_role("button", name=before[0]).focus()
    page.keyboard.press("Shift+ArrowRight")
    expect(palette.get_by_role("button").first).to_have_attribute("aria-label", before[1])
    assert order() == [before[1], before[0], *before[2:]]
    palette.get_by_role("button", name=before[3]).focus()
    page.keyboard.press("Delete")
    expect(palette.get_by_role("button", name=before[3])).to_have_count(0)
    page.get_by_role("alert").get_by_role("button", name="Bring it back").click()
    expect(palette.get_by_role("button", name=before[3])).to_have_count(1)
    assert sorted(order()) == sorted(before)
    kept = order()
    page.wait_for_function("() => document.querySelector('[data-testid=kept]')?.innerText.startsWith('Kept')")
    tab.open()
    assert order() == kept
