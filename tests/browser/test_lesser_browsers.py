"""Graphics that fail, are missing or small, and what browsers withhold from a page of another machine."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect

from .conftest import PATIENCE, SIZE, SWITCHES, Painter
from .test_stack import practice

LET_GO = "The graphics card has let go of the picture"
LOSE = """() => {
  window.let_go = document.querySelector("canvas[data-ready]").getContext("webgl2").getExtension("WEBGL_lose_context");
  window.let_go.loseContext();
}"""
NO_WEBGL = """
  const { getContext } = HTMLCanvasElement.prototype;
  HTMLCanvasElement.prototype.getContext = function (kind, ...more) {
    return kind.startsWith("webgl") ? null : getContext.call(this, kind, ...more);
  };
"""
SMALL_CARD = """
  const { getParameter } = WebGL2RenderingContext.prototype;
  WebGL2RenderingContext.prototype.getParameter = function (which) {
    return which === this.MAX_TEXTURE_SIZE ? 128 : getParameter.call(this, which);
  };
"""
WITHHELD = """
  delete Crypto.prototype.randomUUID;
  delete PointerEvent.prototype.getCoalescedEvents;
  for (const kept of ["localStorage", "sessionStorage"])
    Object.defineProperty(window, kept, { get() { throw new DOMException("denied", "SecurityError"); } });
"""


def test_the_picture_comes_back(painter, server):
    """The stroke that was under way is kept as far as it was seen; all is shown as before."""
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    tab.drag((0.4, 0.5), (0.5, 0.5))
    tab.wait_kept(1)
    drawn = server.texels(project, "plane")
    page.get_by_role("button", name="Undo").click()
    tab.wait_kept(2)
    tab.drag((0.4, 0.5), (0.5, 0.5), hold=True)
    page.evaluate(LOSE)
    expect(page.get_by_text(LET_GO)).to_be_visible()
    page.mouse.move(*tab.at(0.6, 0.5))
    page.mouse.up()
    tab.wait_kept(3)
    np.testing.assert_array_equal(server.texels(project, "plane"), drawn)

    page.evaluate("() => window.let_go.restoreContext()")
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
    expect(page.get_by_text(LET_GO)).to_be_hidden()
    page.mouse.move(0, 0)
    shown = tab.wait_view(
        lambda image: bool((image[:, :, 0] > image[:, :, 2] + 60).sum() > 500), "the strokes are not seen"
    )
    tab.open()
    tab.wait_view(lambda image: bool((np.abs(image - shown).max(axis=2) > 4).sum() < 30), "it was not all as it was")

    tab.drag((0.5, 0.5), (0.6, 0.5))
    tab.wait_kept(4)
    assert (server.texels(project, "plane") != drawn).any()


@pytest.fixture
def page(window):
    """A tab of its own, that can be told what it lacks before it opens."""
    opened, problems = window.new_page(), []
    opened.on("pageerror", lambda error: problems.append(str(error)))
    yield opened
    opened.close()
    assert not problems


def test_without_graphics_the_painter_is_told(page, server):
    page.add_init_script(NO_WEBGL)
    page.goto(f"{server.url}{SWITCHES}#/project/{practice(server, 'plane')}")
    expect(page.get_by_text("WebGL 2 is missing or switched off")).to_be_visible()


def test_maps_larger_than_the_card_shows_are_made_smaller(page, server):
    """It is said, and Prepare is there to mend it."""
    page.add_init_script(SMALL_CARD)
    project = practice(server, "plane")
    page.goto(f"{server.url}{SWITCHES}#/project/{project}")
    expect(page.get_by_text("are 256 × 256; this graphics card shows 128 × 128 at most")).to_be_visible()
    page.get_by_role("button", name="Prepare").click()
    page.get_by_role("button", name="Map size").click()
    page.get_by_label("Wide").fill("128")
    page.get_by_label("High").fill("128")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Set", exact=True).click()
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
    assert server.texels(project, "plane").shape[:2] == (128, 128)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("this graphics card shows 128 × 128 at most")).to_be_visible()
    page.get_by_role("button", name="Redo").click()
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)


def test_on_a_finer_screen_the_stage_is_drawn_finer(page, server):
    """Of the same size on the page, as when the window is carried to another screen."""
    page.goto(f"{server.url}?surroundings=off#/project/{practice(server, 'plane')}")
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
    canvas = page.locator("canvas[data-ready]")
    width, before = canvas.evaluate("canvas => [canvas.width, canvas.clientWidth]")
    assert width == before
    devtools = page.context.new_cdp_session(page)
    screen = {**SIZE, "deviceScaleFactor": 2, "mobile": False}
    devtools.send("Emulation.setDeviceMetricsOverride", screen)
    page.mouse.move(400, 300)
    expect(canvas).to_have_attribute("width", str(2 * width))
    assert canvas.evaluate("canvas => canvas.clientWidth") == before


def test_painting_where_a_browser_withholds_things(page, server):
    """To pages of another machine, not encrypted, and where nothing is stored: a project is made and painted."""
    page.add_init_script(WITHHELD)
    page.goto(f"{server.url}{SWITCHES}")
    page.get_by_role("combobox").select_option("512")
    page.get_by_role("button", name="plane", exact=True).click()
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
    tab = Painter(page, server, page.url.rsplit("/", 1)[1])
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    tab.drag((0.4, 0.5), (0.6, 0.5))
    tab.wait_kept(1)
    assert len(np.unique(server.texels(tab.project, "plane").reshape(-1, 3), axis=0)) > 10
    page.get_by_role("button", name="Use the dark theme").click()
    expect(page.get_by_role("button", name="Use the light theme")).to_be_visible()


def test_a_page_that_fails_says_so(window, server):
    """Here because of an answer that it was not made for, as after the server was brought up to date."""
    page = window.new_page()
    page.route("**/api/projects", lambda route: route.fulfill(json={"projects": None}))
    page.goto(f"{server.url}{SWITCHES}")
    expect(page.get_by_role("alert")).to_contain_text("What was kept is safe")
    page.unroute_all()
    page.get_by_role("button", name="Reload").click()
    expect(page.get_by_text("Lantern buoy")).to_be_visible()
    page.close()


def test_colors_and_choices_are_seen_where_the_system_sets_all_colors(painter, server):
    page = painter(practice(server, "plane")).open().page
    swatch = page.get_by_role("button", name="Use #7d3d1f")
    tools = [page.get_by_role("radio", name=name, exact=True) for name in ("Brush", "Erase")]
    page.emulate_media(forced_colors="active")
    assert swatch.evaluate("each => getComputedStyle(each).backgroundColor") == "rgb(125, 61, 31)"
    chosen, other = (tool.evaluate("each => getComputedStyle(each).outlineStyle") for tool in tools)
    assert (chosen, other) == ("solid", "none")
    page.emulate_media(forced_colors="none")
