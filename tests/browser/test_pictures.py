"""Pictures of a project in the page: where a set of them goes, and what becomes of one that is forgotten."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import expect

from nightmist.core.formats.image_files import write_png

from .test_opacity import STAGE
from .test_painting import plain_red
from .test_tools import near


def test_pictures_of_values_go_where_their_names_say_and_make_holes_only_by_name(painter, server, tmp_path):
    """Four grays at once, the metal before the rough one; a gray of no such name leaves the model solid.

    More of them than there are maps for do not take the color's place, nor do areas beside a color.
    """
    tones = {"net_metallic": 40, "net_opacity": 0, "net_roughness": 200, "net stains": 90}
    files = []
    for name, tone in tones.items():
        (tmp_path / f"{name}.png").write_bytes(write_png(np.full((8, 8, 3), tone, np.uint8)))
        files.append(str(tmp_path / f"{name}.png"))
    tab = plain_red(painter)
    page = tab.page

    def lay(given: list[str], wash: str) -> None:
        page.get_by_role("button", name="Wash", exact=True).click()
        expect(page.get_by_role("combobox", name=f"Solid of {wash}", exact=True)).to_be_visible()
        page.get_by_label("Pictures for the wash").set_input_files(given)

    lay(files[:3], "Wash")
    expect(page.get_by_role("combobox", name="Solid of Wash", exact=True)).not_to_have_value("")
    # With the card open the left wall lies farther left.
    tab.wait_color(0.25, 0.5, STAGE)
    read = {name: server.texels(tab.project, "left", name)[..., 0] // 257 for name in ("metallic", "roughness")}
    assert (read["metallic"] == 40).any()
    assert (read["roughness"] == 200).any()
    assert (server.texels(tab.project, "left", "opacity") == 0).any()
    lay(files[3:], "Wash 2")
    expect(page.get_by_role("combobox", name="Rough of Wash 2")).not_to_have_value("")
    expect(page.get_by_role("combobox", name="Solid of Wash 2")).to_have_value("")
    areas = (
        np.array([(255, 0, 0), (0, 255, 0), (0, 0, 255), (255, 255, 0)], np.uint8).repeat(1024, 0).reshape(64, 64, 3)
    )
    (tmp_path / "areas.png").write_bytes(write_png(areas))
    files.append(str(tmp_path / "areas.png"))
    for name, tone in (("quay", (200, 30, 20)), ("damp", (70, 70, 70)), ("dust", (140, 140, 140))):
        (tmp_path / f"{name}.png").write_bytes(write_png(np.full((8, 8, 3), tone, np.uint8)))
        files.append(str(tmp_path / f"{name}.png"))
    lay([*files[4:6], files[3], *files[6:]], "Wash 3")
    chosen = [page.get_by_role("combobox", name=f"{name} of Wash 3") for name in ("Color", "Rough", "Metal")]
    for box, name in zip(chosen, ("quay", "net stains", "damp"), strict=True):
        expect(box.locator("option:checked")).to_have_text(f"{name}.png")
    page.get_by_label("Pictures for the wash").set_input_files(files[4])
    expect(chosen[0].locator("option:checked")).to_have_text("areas.png")


def test_a_picture_in_hand_is_described_and_leaves_the_hand_when_it_is_forgotten(painter, server):
    """Cut out before it is put down; forgotten, the next click puts nothing down."""
    tab = painter().open()
    page = tab.page
    page.get_by_role("button", name="Add decals").click()
    tab.wait_kept(1)
    pixels = np.full((8, 8, 3), (30, 160, 60), np.uint8)
    given = {"name": "pennant.png", "mimeType": "image/png", "buffer": write_png(pixels)}
    page.get_by_label("Pictures for decals").set_input_files(given)
    tab.wait_kept(2)
    target, about = page.get_by_test_id("target"), page.get_by_role("group", name="About the picture")
    expect(target).to_contain_text("Placing pennant.png on left")
    page.get_by_role("group", name="The part that is used").get_by_role("textbox").nth(0).fill("50")
    page.keyboard.press("Enter")
    tab.wait_kept(3)
    about.get_by_role("button", name="Forget the picture").click()
    tab.wait_kept(4)
    expect(target).to_contain_text("Decals on left")
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    page.mouse.click(*tab.at(0.3, 0.5))
    expect(page.get_by_role("alert")).to_contain_text("holds no paint of its own")
    page.keyboard.press("Control+z")
    tab.wait_kept(5)
    page.get_by_role("button", name="pennant.png", exact=True).click()
    page.mouse.click(*tab.at(0.3, 0.5))
    tab.wait_kept(6)
    laid = near(server.texels(tab.project, "left"), (30, 160, 60), 9000)
    # The left half is cut off, so it is higher than wide.
    assert np.ptp(np.nonzero(laid)[0]) > 1.6 * np.ptp(np.nonzero(laid)[1]) > 0
