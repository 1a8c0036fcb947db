"""Holes are painted in the page: the stage is seen through them, in every view that shows the model as it is."""

from __future__ import annotations

import numpy as np
from playwright.sync_api import expect

from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.formats.image_files import write_png

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
    areas = np.array([(255, 0, 0), (0, 255, 0), (0, 0, 255), (255, 255, 0)], np.uint8).repeat(1024, 0).reshape(64, 64, 3)
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
