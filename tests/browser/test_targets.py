"""What receives strokes when the surface changes, when it is deleted and comes back, when another page deletes it."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from .conftest import SIZE, Painter


def test_the_mask_that_is_painted_goes_along_to_another_surface_or_is_left(painter, server):
    """Chosen in the list or by a stroke; what is told, what the stack marks and what strokes change are the same."""
    tab = painter().open()
    page, project = tab.page, tab.project
    told, mask = page.get_by_test_id("target"), page.get_by_role("button", name="Mask of Wash", exact=True)
    surface = page.get_by_role("combobox", name="Surface")
    for change, name in [(1, "left"), (3, "right")]:
        surface.select_option(name)
        page.get_by_role("button", name="Wash", exact=True).click()
        tab.wait_kept(change)
        if name == "left":
            page.get_by_role("button", name="Shows all").click()
            tab.wait_kept(2)
            expect(told).to_contain_text("left, mask of Wash")
    page.get_by_role("radio", name="Brush").click()
    surface.select_option("left")
    mask.click()
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    expect(told).to_contain_text("left, mask of Wash")

    # Without a mask there: a stroke leaves nothing, and is not told of as if it did; the list goes to the paint.
    bare = {name: server.texels(project, name) for name in ("left", "right")}
    tab.drag((0.56, 0.5), (0.6, 0.5))
    expect(page.get_by_text("right has no mask of that name")).to_be_visible()
    expect(told).to_contain_text("left, mask of Wash")
    page.get_by_role("button", name="Paint on its layer").click()
    expect(told).to_contain_text("right, Wash")
    surface.select_option("left")
    mask.click()
    surface.select_option("right")
    expect(told).to_contain_text("right, Wash")
    assert (server.texels(project, "right") == bare["right"]).all()

    # With one of the same name both are painted, whichever is shown.
    page.get_by_role("button", name="Shows all").click()
    tab.wait_kept(4)
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    for change, name, x in [(5, "left", 0.42), (6, "right", 0.58)]:
        before = server.texels(project, name)
        tab.drag((x - 0.02, 0.5), (x + 0.02, 0.5))
        tab.wait_kept(change)
        expect(told).to_contain_text(f"{name}, mask of Wash")
        expect(mask).to_have_attribute("aria-pressed", "true")
        assert (server.texels(project, name) != before).any()
    surface.select_option("left")
    expect(told).to_contain_text("left, mask of Wash")
    expect(mask).to_have_attribute("aria-pressed", "true")


def test_what_was_deleted_receives_strokes_again_once_it_is_back(painter, server):
    """Deleted one after the other and undone; made, undone and redone: each time the layer of that moment."""
    tab = painter().open()
    page, project = tab.page, tab.project
    told = page.get_by_test_id("target")
    page.get_by_role("combobox", name="Surface").select_option("right")
    kept = 0

    def then(receives: str) -> None:
        nonlocal kept
        kept += 1
        tab.wait_kept(kept)
        expect(told).to_contain_text(f"right, {receives}")

    def named(title: str) -> None:
        page.keyboard.press("Shift+L")
        then("Layer")
        page.keyboard.press("F2")
        page.get_by_label("Name of the layer").fill(title)
        page.keyboard.press("Enter")
        then(title)

    named("Lower")
    named("Upper")
    for receives in ("Lower", "First paint"):
        page.keyboard.press("Shift+Delete")
        then(receives)
    for receives in ("Lower", "Upper"):
        page.keyboard.press("Control+z")
        then(receives)
    page.keyboard.press("Control+z")
    then("Layer")
    page.keyboard.press("Control+z")
    then("Lower")
    page.keyboard.press("Control+Shift+z")
    then("Layer")
    bare = server.texels(project, "right")
    tab.drag((0.56, 0.5), (0.6, 0.5))
    then("Layer")
    assert (server.texels(project, "right") != bare).any()


def test_a_layer_that_another_page_deletes_is_not_named_any_more(painter):
    """Nor does the field open again by itself once undo brings the layer back."""
    tab, other = painter().open(), painter().open()
    page = tab.page
    page.keyboard.press("Shift+L")
    tab.wait_kept(1)
    page.keyboard.press("F2")
    expect(page.get_by_label("Name of the layer")).to_be_focused()
    other.wait_kept(1)
    other.page.get_by_role("row", name="Layer").click()
    other.page.get_by_role("button", name="Delete layer").click()
    tab.wait_kept(2)
    expect(page.get_by_label("Name of the layer")).to_have_count(0)
    page.keyboard.press("Control+z")
    tab.wait_kept(3)
    expect(page.get_by_role("row", name="Layer")).to_be_visible()
    expect(page.get_by_label("Name of the layer")).to_have_count(0)


def test_a_finger_chooses_the_layer_that_it_meets(painter, chromium):
    """Alone, also among several that are marked; a finger has no key that would say that it means more."""
    tab = painter().open()
    for count in (1, 2):
        tab.page.keyboard.press("Shift+L")
        tab.wait_kept(count)
    context = chromium.new_context(viewport=SIZE, has_touch=True)
    page = Painter(context.new_page(), tab.server, tab.project).open().page
    marked, told = page.locator("[role=row][aria-selected=true]"), page.get_by_test_id("target")
    rows = page.get_by_role("row")
    for row, name in [(1, "Layer"), (2, "First paint"), (0, "Layer 2")]:
        rows.nth(row).tap()
        expect(marked).to_have_text([re.compile(f"^{name}")])
        expect(told).to_contain_text(f"left, {name}")
    rows.nth(2).click(modifiers=["Shift"])
    expect(marked).to_have_count(3)
    rows.nth(1).tap()
    expect(marked).to_have_text([re.compile("^Layer")])
    expect(told).to_contain_text("left, Layer")
    context.close()
