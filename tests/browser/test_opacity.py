"""Holes are painted in the page: the stage is seen through them, in every view that shows the model as it is."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import expect

from nightmist.core.formats.gltf_write import write_glb

from ..shapes import overlapped
from .test_painting import PLAIN, RED, plain_red

STAGE = (0x8B, 0x8F, 0x8E)


def holed(painter, project=None):
    """A tab whose brush cuts holes, and leaves colors alone."""
    tab = plain_red(painter, project)
    tab.page.get_by_role("switch", name="Paint color").click()
    tab.page.get_by_role("switch", name="Paint solid").click()
    return tab


def test_a_hole_is_seen_kept_undone_and_closed_again(painter, server):
    """Through it lies the stage; color is as it was; the brush set to solid closes it; reloaded it is still there."""
    tab = holed(painter)
    page = tab.page
    expect(page.get_by_test_id("target")).to_contain_text("Solid")
    tab.wait_color(0.4, 0.5, PLAIN)
    tab.drag((0.35, 0.5), (0.45, 0.5), hold=True)
    tab.wait_color(0.4, 0.5, STAGE)
    page.mouse.up()
    tab.wait_kept(1)
    holes = server.texels(tab.project, "left", "opacity")[..., 0]
    assert (holes == 0).sum() > 200
    assert holes.max() == 65535
    color = server.texels(tab.project, "left")
    assert (color == color[0, 0]).all()
    page.keyboard.press("Control+z")
    tab.wait_color(0.4, 0.5, PLAIN)
    page.get_by_role("button", name="Redo").click()
    tab.wait_color(0.4, 0.5, STAGE)
    tab.wait_kept(3)
    tab.open()
    tab.wait_color(0.4, 0.5, STAGE)
    page.get_by_label("Solid", exact=True).fill("1000")
    tab.drag((0.33, 0.5), (0.47, 0.5))
    tab.wait_color(0.4, 0.5, PLAIN)
    tab.wait_kept(4)
    closed = server.texels(tab.project, "left", "opacity")[..., 0]
    assert (closed[holes == 0] == 65535).all()


def test_opacity_alone_and_in_the_map(painter):
    """White where the model is there, black in a hole; in the map the ground shows through."""
    tab = holed(painter)
    tab.drag((0.35, 0.5), (0.45, 0.5))
    tab.wait_kept(1)
    tab.page.get_by_role("button", name="Light and view").click()
    tab.page.get_by_role("radio", name="Solid").click()
    tab.page.keyboard.press("Escape")
    tab.wait_color(0.4, 0.5, (0, 0, 0))
    tab.wait_color(0.6, 0.5, (255, 255, 255))
    tab.page.get_by_role("radio", name="Plain").click()
    tab.page.get_by_role("radio", name="Map", exact=True).click()

    def ground(image: np.ndarray) -> bool:
        dark = (image.max(axis=2) < 160) & (image.max(axis=2) > 100) & (np.ptp(image, axis=2) < 6)
        middle = dark[image.shape[0] // 4 : -image.shape[0] // 4, image.shape[1] // 4 : -image.shape[1] // 4]
        return bool(middle.sum() > 300)

    tab.wait_view(ground, "the map shows no ground through the hole")


def test_through_a_hole_lies_what_is_behind_it(painter, server):
    """Two squares on the same texels show the same hole; color is painted where there is none, and seen when closed."""
    tab = holed(painter, server.create(write_glb(overlapped()), "twins.glb"))
    tab.drag((0.3, 0.5), (0.32, 0.5))
    tab.wait_color(0.31, 0.5, STAGE)
    tab.wait_kept(1)
    tab.page.get_by_role("switch", name="Paint color").click()
    tab.page.get_by_label("Solid", exact=True).fill("1000")
    tab.drag((0.3, 0.5), (0.32, 0.5))
    tab.wait_color(0.31, 0.5, RED)
