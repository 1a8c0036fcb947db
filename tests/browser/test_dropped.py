"""What a painter drops: a model's folder on the gallery, folders of photos and of nothing on an open project."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import CDPSession, Page, expect

from nightmist.core.formats.image_files import write_png

from .conftest import Server

RED, BLUE = (255, 0, 0), (0, 0, 255)
QUAY = """mtllib looks/quay.mtl
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
v 2 0 0
v 3 0 0
v 3 1 0
v 2 1 0
vt 0 0
vt 1 0
vt 1 1
vt 0 1
usemtl wall
f 1/1 2/2 3/3 4/4
usemtl ladder
f 5/1 6/2 7/3 8/4
"""
LOOKS = "newmtl wall\nmap_Kd wall/color.png\nnewmtl ladder\nmap_Kd ladder/color.png\n"


def plain(color: tuple[int, int, int]) -> bytes:
    return write_png(np.tile(np.array([*color, 255], np.uint8), (8, 8, 1)))


@pytest.fixture
def folders(tmp_path) -> Path:
    """A model whose pictures have one name in two folders, beside notes; a folder of photos; one of notes alone."""
    files = {
        "model/quay.obj": QUAY.encode(), "model/looks/quay.mtl": LOOKS.encode(), "model/notes.txt": b"tide tables",
        "model/maps/wall/color.png": plain(RED), "model/maps/ladder/color.png": plain(BLUE),
        "photos/dusk.png": plain(BLUE), "notes/notes.txt": b"tide tables",
    }  # fmt: skip
    for name, data in files.items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_bytes(data)
    return tmp_path


@pytest.fixture
def gallery(window, server) -> Iterator[Page]:
    page = window.new_page()
    page.goto(server.url)
    # Asked for once the page listens.
    expect(page.get_by_role("link", name="Lantern buoy")).to_be_visible()
    page.get_by_role("combobox", name="Maps").select_option("512")
    yield page
    page.close()


def drop(page: Page, *dropped: Path) -> None:
    """From the system, far from where a model is asked for."""
    devtools: CDPSession = page.context.new_cdp_session(page)
    data = {"items": [], "files": [str(path) for path in dropped], "dragOperationsMask": 1}
    for kind in ("dragEnter", "dragOver", "drop"):
        devtools.send("Input.dispatchDragEvent", {"type": kind, "x": 700, "y": 400, "data": data})
    devtools.detach()


def each_has_its_picture(server: Server, page: Page) -> None:
    project = page.url.rsplit("/", 1)[1]
    for surface, color in (("wall", RED), ("ladder", BLUE)):
        found = np.unique(server.texels(project, surface).reshape(-1, 3), axis=0)
        np.testing.assert_array_equal(found, [np.array(color) * 257])


def test_a_models_folder_is_taken_with_all_in_it(gallery, folders, server: Server):
    page = gallery
    drop(page, folders / "notes")
    expect(page.get_by_role("alert")).to_contain_text("Nothing in that folder")
    drop(page, folders / "model")
    page.wait_for_selector("canvas[data-batch]")
    expect(page.get_by_test_id("target")).to_contain_text("wall")
    each_has_its_picture(server, page)


def test_what_the_model_lacks_is_given_to_it_wherever_it_is_dropped(gallery, folders, server: Server):
    """A folder with two pictures of one name, of which each goes to its surface; another picture is pinned."""
    page = gallery
    drop(page, folders / "model/quay.obj", folders / "model/looks")
    page.wait_for_selector("canvas[data-batch]")
    page.get_by_role("button", name="Prepare").click()
    expect(page.get_by_test_id("missing-banner")).to_contain_text("color.png")
    (folders / "model/maps/dusk.png").write_bytes(plain(BLUE))
    drop(page, folders / "model/maps")
    expect(page.get_by_test_id("missing-banner")).to_have_count(0)
    expect(page.get_by_text("dusk.png is pinned beside the model")).to_be_visible()
    each_has_its_picture(server, page)


def test_a_folder_of_photos_is_pinned_beside_an_open_model(painter, folders):
    """One that holds nothing of use, or another model with its pictures, changes nothing; that is said."""
    page = painter().open().page
    drop(page, folders / "notes")
    expect(page.get_by_text("Nothing in that folder is a model or a picture.")).to_be_visible()
    drop(page, folders / "model")
    expect(page.get_by_text("quay.obj is a model. To put it in place of this one")).to_be_visible()
    expect(page.get_by_role("region", name="Reference pictures")).to_have_count(0)
    drop(page, folders / "photos")
    expect(page.get_by_role("region", name="Reference pictures")).to_contain_text("dusk.png")
