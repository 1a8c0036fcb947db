"""The graphics card lets go of the picture, or there is none: the painter is told, and goes on painting."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import expect

from .conftest import PATIENCE, SWITCHES
from .test_put_back import practice

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
    page.reload()
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
    tab.wait_view(lambda image: bool((np.abs(image - shown).max(axis=2) > 4).sum() < 30), "it was not all as it was")

    tab.drag((0.5, 0.5), (0.6, 0.5))
    tab.wait_kept(4)
    assert (server.texels(project, "plane") != drawn).any()


def test_without_graphics_the_painter_is_told(window, server):
    page = window.new_page()
    page.add_init_script(NO_WEBGL)
    page.goto(f"{server.url}{SWITCHES}#/project/{practice(server, 'plane')}")
    expect(page.get_by_text("WebGL 2 is missing or switched off")).to_be_visible()
    page.close()
