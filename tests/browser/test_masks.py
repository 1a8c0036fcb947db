"""Masks in the browser: made from pictures of any size, and how what they show is stretched."""

from __future__ import annotations

import cv2
import numpy as np
from playwright.sync_api import expect

from nightmist.core.formats.image_files import write_png

from .conftest import Painter, Server


def take_picture(server: Server, tab: Painter, name: str, pixels: np.ndarray) -> None:
    given = {"name": name, "mimeType": "image/png", "buffer": write_png(pixels)}
    where = f"{server.url}api/projects/{tab.project}/library"
    assert tab.page.request.post(where, multipart={"files": given}).ok


def type_number(tab: Painter, label: str, number: str) -> None:
    """The value beside a slider is clicked and typed over."""
    row = tab.page.locator("[title]").filter(has=tab.page.get_by_role("slider", name=label)).last
    row.get_by_title("Type a number").click()
    tab.page.get_by_label("A number").fill(number)
    tab.page.keyboard.press("Enter")


def test_a_mask_is_made_from_one_of_the_colors_of_a_picture_of_flat_colors(painter, server):
    """On the second surface: the mask's menu has a swatch for each color; undone the layer shows everywhere again."""
    project = server.create()
    tab = painter(project).open()
    page = tab.page
    ids = np.zeros((64, 64, 4), np.uint8)
    ids[..., 3], ids[:, :32, 0], ids[:, 32:, 2] = 255, 255, 255
    take_picture(server, tab, "ids.png", ids)
    bare = server.texels(project, "right")
    page.get_by_role("combobox", name="Surface").select_option("right")
    page.get_by_role("button", name="Wash", exact=True).click()
    tab.wait_kept(2)
    whole = server.texels(project, "right")
    page.get_by_role("button", name="Make the mask of Wash from").click()
    expect(page.get_by_role("menuitem", name="ids.png: #")).to_have_count(2)
    page.get_by_role("menuitem", name="ids.png: #0000ff").click()
    tab.wait_kept(3)
    shown = server.texels(project, "right")
    assert (shown[:, 136:] == whole[:, 136:]).all()
    assert (shown[:, :120] == bare[:, :120]).all()
    page.keyboard.press("Control+z")
    tab.wait_kept(4)
    assert (server.texels(project, "right") == whole).all()


def test_a_small_picture_masks_a_large_map_and_its_two_ends_push_each_other(painter, server):
    """16 pixels over a map of 256: what hides and what shows are typed past one another; texels as by interpolation."""
    tab = painter().open()
    page, project = tab.page, tab.project
    shares = np.add.outer(np.arange(16), np.arange(16)) / 30
    take_picture(
        server, tab, "slope of 16.png", np.rint(np.stack([shares] * 3 + [shares**0], axis=2) * 255).astype(np.uint8)
    )
    page.get_by_role("combobox", name="Surface").select_option("right")
    bare = server.texels(project, "right").astype(float)
    page.get_by_role("button", name="Wash", exact=True).click()
    tab.wait_kept(2)
    whole = server.texels(project, "right").astype(float)
    page.get_by_role("button", name="Shows all").click()
    tab.wait_kept(3)
    page.get_by_label("Where the mask is not painted").select_option(label="slope of 16.png")
    tab.wait_kept(4)
    type_number(tab, "Hides to", "60")
    tab.wait_kept(5)
    type_number(tab, "Shows at", "40")
    tab.wait_kept(6)
    expect(page.get_by_role("slider", name="Hides to")).to_have_attribute("aria-valuetext", "39%")
    type_number(tab, "Hides to", "30")
    tab.wait_kept(7)
    mask = cv2.resize(shares, (256, 256), interpolation=cv2.INTER_LINEAR)[..., None]
    share = np.clip((mask - 0.3) / 0.1, 0, 1)
    inside = (slice(20, 236),) * 2
    off = np.abs(server.texels(project, "right") - (bare * (1 - share) + whole * share))[inside]
    # The picture has steps of 1/255, tenfold after the stretch.
    assert off.max() / 257 < 0.06 * np.abs(whole - bare).max() / 257
    page.keyboard.press("Control+z")
    tab.wait_kept(8)
    expect(page.get_by_role("slider", name="Hides to")).to_have_attribute("aria-valuetext", "39%")
