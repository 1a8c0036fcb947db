"""Names in the page: project, surfaces and parts; surfaces that go; projects duplicated, written and opened."""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import Page, expect

from .conftest import Painter
from .test_stencil import sticker
from .test_tools import near


def rename(page: Page, what: str, name: str, end: str = "Enter") -> None:
    page.get_by_role("button", name=f"Rename {what}", exact=True).click()
    field = page.get_by_label(f"Name of {what}", exact=True)
    field.fill(name)
    field.press(end)


def test_names_are_typed_and_stay(painter, server):
    """Project, surface and part; Escape keeps the old one; strokes go where they went; all of it survives a reload."""
    tab = painter().open()
    page = tab.page
    rename(page, "the project", "Harbor wall")
    tab.wait_kept(1)
    expect(page).to_have_title("Harbor wall · Nightmist")
    rename(page, "left", "Quay")
    tab.wait_kept(2)
    surface = page.get_by_role("combobox", name="Surface")
    expect(surface).to_have_value("Quay")
    rename(page, "Quay", "right")
    expect(page.get_by_text("There is another surface right")).to_be_visible()
    rename(page, "Quay", "nonsense", end="Escape")
    expect(surface).to_have_value("Quay")
    tab.drag((0.35, 0.5), (0.4, 0.5))
    tab.wait_kept(3)
    page.keyboard.press("1")
    rename(page, "part 1", "Bollard")
    tab.wait_kept(4)
    # The checkup goes along under the new name.
    checkup = page.get_by_test_id("checkup")
    expect(checkup).to_contain_text("Checkup of Quay")
    rename(page, "Quay", "Quay wall")
    tab.wait_kept(5)
    expect(checkup).to_contain_text("Checkup of Quay wall")
    expect(checkup).to_contain_text("16 faces")
    rename(page, "Quay wall", "Quay")
    tab.wait_kept(6)
    tab.open()
    expect(page.get_by_text("Harbor wall")).to_be_visible()
    expect(page.get_by_text("Bollard")).to_be_visible()
    assert near(server.texels(tab.project, "Quay"), (125, 61, 31), 9000).any()


def test_names_as_long_as_can_be_stay_within_their_cards(painter):
    """In one word, as files give them: nothing scrolls sideways, and the layer is told behind its surface."""
    tab = painter().open()
    page = tab.page
    long = "harbor_crane_lower_arm_painted_steel_orange_worn_".ljust(80, "x")
    page.keyboard.press("1")
    for what in ("the project", "left", "part 0"):
        rename(page, what, long)
    tab.wait_kept(3)

    def sideways() -> list[str]:
        return page.evaluate(
            """() => [document.documentElement, ...document.querySelectorAll("*")].filter((one) =>
                one.scrollWidth > one.clientWidth + 1 && /auto|scroll/.test(getComputedStyle(one).overflowX)
            ).map((one) => one.getAttribute("aria-label") ?? one.className)"""
        )

    expect(page.get_by_test_id("checkup")).to_contain_text("16 faces")
    assert sideways() == []
    page.get_by_role("button", name=re.compile("^Map size")).click()
    whole = page.get_by_role("radio", name="All of the project").locator("span")
    assert whole.evaluate("one => one.scrollWidth <= one.clientWidth")
    assert sideways() == []
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Plan sizes").click()
    page.get_by_role("textbox", name="Nearest").fill("0.2")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name=re.compile("^Use these sizes"))).to_contain_text(long)
    assert sideways() == []
    page.keyboard.press("Escape")
    page.keyboard.press("2")
    told = page.get_by_test_id("target").locator("b").bounding_box()
    bar = page.get_by_test_id("target").bounding_box()
    assert told["x"] + told["width"] + 70 < bar["x"] + bar["width"]  # there is room for what stands behind it
    assert sideways() == []


def test_an_emptied_surface_is_removed_and_comes_back(painter, server):
    """All faces of one surface given to the other; the emptied one goes by its button, and undo brings it back."""
    tab = painter().open()
    page = tab.page
    names = page.get_by_role("combobox", name="Surface").locator("option")
    expect(names).to_have_text(["left", "right"])
    page.keyboard.press("1")
    page.mouse.click(*tab.at(0.2, 0.5))
    page.get_by_role("button", name="Assign faces").click()
    page.get_by_role("button", name="right", exact=True).click()
    tab.wait_kept(1)
    page.get_by_role("combobox", name="Surface").select_option("left")
    page.get_by_role("button", name="Remove this surface").click()
    tab.wait_kept(2)
    expect(names).to_have_text(["right"])
    page.keyboard.press("Control+z")
    tab.wait_kept(3)
    expect(names).to_have_text(["left", "right"])


def test_a_project_is_duplicated_written_and_opened(painter, server, tmp_path):
    """The twin in the gallery has the paint; so has what is opened from the project file."""
    tab = painter().open()
    page = tab.page
    rename(page, "the project", "Only one")
    tab.drag((0.35, 0.5), (0.4, 0.5))
    tab.wait_kept(2)
    painted = server.texels(tab.project, "left")
    page.get_by_role("button", name="Hand off").click()
    with page.expect_download() as waiting:
        page.get_by_role("link", name="Project file").click()
    file = tmp_path / waiting.value.suggested_filename
    waiting.value.save_as(file)
    assert file.suffix == ".nightmist"
    page.get_by_title("All projects", exact=True).click()
    page.get_by_role("button", name="Duplicate Only one", exact=True).click()
    page.get_by_role("link", name="Only one 2").click()
    page.wait_for_selector("canvas[data-ready]")
    twin = page.evaluate("location.hash").split("/")[-1]
    assert twin != tab.project
    assert np.array_equal(server.texels(twin, "left"), painted)
    page.get_by_title("All projects", exact=True).click()
    page.locator("input[type=file]").set_input_files(file)
    page.wait_for_selector("canvas[data-ready]")
    opened = page.evaluate("location.hash").split("/")[-1]
    assert opened not in (twin, tab.project)
    assert np.array_equal(server.texels(opened, "left"), painted)


def test_what_was_at_hand_stays_with_its_project(painter, server):
    """A picture in the hand and an open card are left behind; in the next project a brush paints."""
    page = painter().open().page
    page.get_by_role("button", name="Add decals").click()
    given = {"name": "a.png", "mimeType": "image/png", "buffer": sticker()}
    page.get_by_label("Pictures for decals").set_input_files(given)
    expect(page.get_by_role("button", name="a.png", exact=True)).to_have_attribute("aria-pressed", "true")
    page.get_by_title("All projects", exact=True).click()
    expect(page.locator("canvas")).to_have_count(0)
    tab = Painter(page, server, server.create()).open()
    expect(page.get_by_role("button", name="Close")).to_have_count(0)
    tab.drag((0.4, 0.5), (0.45, 0.5))
    tab.wait_kept(1)


def test_what_arrives_late_does_not_arrive_in_another_project(painter, server):
    """A reference picture is on its way while the painter goes on to the next project."""
    page = painter().open().page
    page.get_by_role("button", name="Reference pictures", exact=True).click()
    held = []

    def hold(route) -> None:
        if route.request.method == "POST":
            held.append(route)
        else:
            route.continue_()

    page.route(re.compile("/references$"), hold)
    given = {"name": "quay.png", "mimeType": "image/png", "buffer": sticker()}
    with page.expect_request(re.compile("/references$")):
        page.get_by_label("Reference files").set_input_files(given)
    page.get_by_title("All projects", exact=True).click()
    tab = Painter(page, server, server.create()).open()
    page.get_by_role("button", name="Reference pictures", exact=True).click()
    with page.expect_response(re.compile("/references$")):
        held[0].continue_()
    tab.drag((0.4, 0.5), (0.45, 0.5))
    tab.wait_kept(1)
    expect(page.get_by_role("region", name="Reference pictures")).to_contain_text("Drop photos or sketches here")


def test_keys_that_compose_characters_are_the_writing_systems(painter):
    """As Japanese is written: Enter takes characters, Escape gives them up, and the name is typed on; wide digits."""
    tab = painter().open()
    page = tab.page
    devtools = page.context.new_cdp_session(page)

    def compose(characters: str, key: str) -> None:
        chosen = {"selectionStart": len(characters), "selectionEnd": len(characters)}
        devtools.send("Input.imeSetComposition", {"text": characters, **chosen})
        for kind in ("rawKeyDown", "keyUp"):
            devtools.send("Input.dispatchKeyEvent", {"type": kind, "key": key, "code": key})

    page.keyboard.press("F2")
    field = page.get_by_label("Name of the layer")
    expect(field).to_be_focused()
    page.keyboard.press("Control+a")
    compose("さび", "Enter")
    devtools.send("Input.insertText", {"text": "錆"})
    expect(field).to_have_value("錆")
    compose("いろ", "Escape")
    devtools.send("Input.insertText", {"text": "色"})
    expect(field).to_have_value("錆色")
    page.keyboard.press("Enter")
    tab.wait_kept(1)
    expect(page.get_by_role("row", name="錆色")).to_be_visible()
    page.get_by_role("button", name="100%").click()
    page.get_by_label("A number").fill("４２％")
    page.keyboard.press("Enter")
    tab.wait_kept(2)
    expect(page.get_by_role("button", name="42%")).to_be_visible()
    devtools.detach()
