"""Decals in the browser: put down by a click, moved, scaled and turned by handles, by numbers, in the map; kept."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect

from nightmist.core.formats.image_files import write_png

from .test_preparing import on_map
from .test_stack import islands, practice
from .test_stencil import YELLOW, sticker, yellow


def take(tab, name="sticker.png", data=None) -> None:
    """A layer of decals, and a picture in hand."""
    page = tab.page
    page.get_by_role("button", name="Add decals").click()
    given = {"name": name, "mimeType": "image/png", "buffer": data or sticker()}
    page.get_by_label("Pictures for decals").set_input_files(given)
    expect(page.get_by_role("button", name=name, exact=True)).to_have_attribute("aria-pressed", "true")
    tab.box = page.locator("canvas[data-ready]").bounding_box()


def on_body(painter, server, body: str):
    """A project on a practice body, a tab with the sticker put down in its middle, and the choice of its shape."""
    project = practice(server, body)
    tab = painter(project).open()
    take(tab)
    tab.page.mouse.click(*tab.at(0.5, 0.5))
    tab.wait_kept(3)
    return project, tab, tab.page.get_by_role("radiogroup", name="Shape of the decal")


def middle_of(found: np.ndarray) -> np.ndarray:
    """Row and column, as shares of the map."""
    return np.argwhere(found).mean(axis=0) / len(found)


def pull(page, handle: str, dx: float, dy: float) -> None:
    box = page.get_by_role("button", name=handle).bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx / 2, y + dy / 2)
    page.mouse.move(x + dx, y + dy)
    page.mouse.up()


def green(texels: np.ndarray) -> np.ndarray:
    return (texels[..., 1] > 3 * texels[..., 0].astype(int)) & (texels[..., 1] > 30000)


def test_a_click_puts_a_picture_down_and_its_handles_move_scale_and_turn_it(painter, server):
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    take(tab)
    # Put away again, a click lays nothing.
    page.keyboard.press("Escape")
    expect(page.get_by_test_id("target")).to_contain_text("click to choose")
    page.mouse.click(*tab.at(0.5, 0.5))
    page.get_by_text("Its decals").click()
    page.get_by_role("button", name="sticker.png", exact=True).click()
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    page.mouse.dblclick(*tab.at(0.5, 0.5))  # as some hands do
    expect(page.get_by_test_id("decal-frame")).to_be_visible()
    expect(page.get_by_role("alert")).to_have_count(0)
    tab.wait_kept(3)
    first = yellow(server.texels(project, "plane"))
    assert middle_of(first) == pytest.approx([0.5, 0.5], abs=0.02)
    pull(page, "Move the decal", 60, 0)
    tab.wait_kept(4)
    # It lies at z = 0, whatever rays make of that.
    expect(page.get_by_role("group", name="Middle").get_by_role("textbox", name="Z")).to_have_value("0")
    moved = yellow(server.texels(project, "plane"))
    assert middle_of(moved)[1] > 0.55
    assert moved.sum() == pytest.approx(first.sum(), rel=0.05)
    pull(page, "Scale the decal at corner 3", 30, 30)
    tab.wait_kept(5)
    larger = yellow(server.texels(project, "plane"))
    assert larger.sum() > 1.3 * moved.sum()
    assert middle_of(larger) == pytest.approx(middle_of(moved), abs=0.01)
    pull(page, "Turn the decal", 40, 30)
    tab.wait_kept(6)
    turn = page.get_by_role("textbox", name="Turn")
    assert 20 < float(turn.input_value()) < 90
    turn.fill("45")
    turn.press("Enter")
    wide, high = page.get_by_role("textbox", name="Wide"), page.get_by_role("textbox", name="High")
    before, tall = float(wide.input_value()), float(high.input_value())
    wide.fill(str(before / 2))
    wide.press("Enter")
    tab.wait_kept(8)
    assert float(high.input_value()) == pytest.approx(tall / 2, rel=1e-3)
    assert yellow(server.texels(project, "plane")).sum() == pytest.approx(larger.sum() / 4, rel=0.05)
    page.get_by_role("checkbox", name="in proportion").click()
    wide.fill(str(before))
    wide.press("Enter")
    tab.wait_kept(9)
    assert float(high.input_value()) == pytest.approx(tall / 2, rel=1e-3)
    stretched = np.argwhere(yellow(server.texels(project, "plane"))).astype(float)
    spread = np.cov(stretched.T)
    # Twice as wide as high, it lies along a diagonal that falls to the right.
    assert spread[0, 1] > 0.4 * spread[0, 0]
    # Back in its picture's proportions, and stretched again by undo.
    page.get_by_role("button", name="Undistort").click()
    tab.wait_kept(10)
    assert float(high.input_value()) == pytest.approx(tall, rel=1e-3)
    assert yellow(server.texels(project, "plane")).sum() == pytest.approx(larger.sum(), rel=0.05)
    expect(page.get_by_role("button", name="Undistort")).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    tab.wait_kept(11)
    # All of it is there when the project is opened again, frame, numbers and steps.
    tab.open()
    page.get_by_text("Its decals").click()
    page.get_by_role("list", name="Decals, the topmost first").get_by_role("button", name="sticker.png").first.click()
    expect(page.get_by_role("textbox", name="Turn")).to_have_value("45")
    change = 12
    while page.get_by_role("button", name="Undo").is_enabled():
        page.keyboard.press("Control+z")
        tab.wait_kept(change)
        change += 1
    assert not yellow(server.texels(project, "plane")).any()


def test_a_stroke_and_a_fill_on_a_layer_of_decals_say_why_nothing_happens(painter, server):
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    page.get_by_role("button", name="Add decals").click()
    tab.wait_kept(1)
    page.get_by_role("button", name="Close").click()
    for tool in ("Brush", "Fill"):
        page.get_by_role("radio", name=tool, exact=True).click()
        tab.drag((0.45, 0.5), (0.55, 0.5))
        expect(page.get_by_role("alert")).to_contain_text("Decals is a layer of decals and holds no paint of its own.")
    page.get_by_role("button", name="Add a layer above").click()
    tab.wait_kept(2)
    expect(page.get_by_role("alert")).to_have_count(0)
    page.mouse.click(*tab.at(0.5, 0.5))
    tab.wait_kept(3)
    assert (server.texels(project, "plane") // 257 == (0x7D, 0x3D, 0x1F)).all()


def test_the_next_number_is_typed_over_though_it_has_just_come_along(painter, server):
    """A width brings its height along a moment later, while that is chosen to be typed."""
    _, tab, _ = on_body(painter, server, "sphere")
    page = tab.page
    wide, high = page.get_by_role("textbox", name="Wide"), page.get_by_role("textbox", name="High")
    before = high.input_value()
    wide.fill(f"{float(wide.input_value()) / 2:g}")
    page.keyboard.press("Tab")
    expect(high).to_be_focused()
    expect(high).not_to_have_value(before)
    page.keyboard.type("0.2")
    page.keyboard.press("Enter")
    expect(high).to_have_value("0.2")


def test_numbers_of_a_tiny_model_are_seen_to_their_end(painter, server):
    tab = painter(practice(server, "box", meters=0.01)).open()
    take(tab)
    tab.page.mouse.click(*tab.at(0.45, 0.6))
    tab.wait_kept(3)
    fields = tab.page.get_by_role("textbox").evaluate_all(
        "all => all.map((one) => [one.value, one.scrollWidth - one.clientWidth])"
    )
    assert max(len(value) for value, _ in fields) > 6
    assert all(beyond <= 0 for _, beyond in fields), fields


def test_its_sliders_show_while_they_move_and_are_kept(painter, server):
    """One step each, there again after a reload, and taken back."""
    project, tab, _ = on_body(painter, server, "plane")
    page = tab.page
    whole = server.texels(project, "plane")
    opacity = page.get_by_role("slider", name="Opacity").last
    opacity.scroll_into_view_if_needed()
    box = opacity.bounding_box()
    full = tab.colors()
    page.mouse.move(box["x"] + box["width"] - 7, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, steps=4)
    tab.wait_view(lambda image: (np.abs(image - full).max(axis=2) > 20).mean() > 0.01, "half of it is seen")
    page.mouse.up()
    tab.wait_kept(4)
    half = server.texels(project, "plane").astype(int)
    middle = np.s_[half.shape[0] // 2, half.shape[1] // 2]
    share = (half[middle] - whole[0, 0]) / (whole[middle].astype(int) - whole[0, 0])
    assert share == pytest.approx(np.full(3, 0.5), abs=0.04)
    page.get_by_role("slider", name="Soft sides").fill("300")
    tab.wait_kept(5)
    assert (server.texels(project, "plane") != half).any()
    tab.open()
    page.mouse.click(*tab.at(0.5, 0.5))
    expect(opacity).to_have_attribute("aria-valuetext", "50%")
    for change in (6, 7):
        page.keyboard.press("Control+z")
        tab.wait_kept(change)
    np.testing.assert_array_equal(server.texels(project, "plane"), whole)


def test_wheel_and_right_button_reach_the_model_through_handles(painter, server):
    _, tab, _ = on_body(painter, server, "box")
    page = tab.page
    reach = """() => {
      const left = (name) => parseFloat(document.querySelector(`[aria-label^="${name}"]`).style.left);
      return left("Scale the decal at corner 2") - left("Move the decal");
    }"""
    near = page.evaluate(reach)
    box = page.get_by_role("button", name="Move the decal").bounding_box()
    page.mouse.move(box["x"] + 12, box["y"] + 12)
    page.mouse.wheel(0, -240)
    page.wait_for_function(f"near => ({reach})() > 1.2 * near", arg=near)
    zoomed = page.evaluate(reach)
    page.mouse.down(button="right")
    page.mouse.move(box["x"] + 130, box["y"] + 12, steps=4)
    page.mouse.up(button="right")
    page.wait_for_function(f"zoomed => Math.abs(({reach})() - zoomed) > 5", arg=zoomed)
    # It lies where it was put down; what moved is the view.
    pull(page, "Turn the decal", 60, 0)
    tab.wait_kept(4)


def test_a_copy_is_dragged_off_and_relief_and_values_come_with_it(painter, server):
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    take(tab)
    page.mouse.click(*tab.at(0.42, 0.5))
    tab.wait_kept(3)
    page.get_by_role("checkbox", name="raised, or sunk").click()
    page.get_by_role("checkbox", name="Own rough").click()
    tab.wait_kept(5)
    page.keyboard.down("Control")
    tab.drag((0.42, 0.5), (0.5, 0.5), (0.58, 0.5))
    page.keyboard.up("Control")
    tab.wait_kept(6)
    expect(page.get_by_role("list", name="Decals, the topmost first").get_by_role("listitem")).to_have_count(2)
    found = yellow(server.texels(project, "plane"))
    height = server.texels(project, "plane", "height")
    raised = height.astype(int).reshape(*height.shape[:2], -1)[..., 0]
    assert (raised[found] > raised[0, 0] + 500).mean() > 0.9
    columns = np.flatnonzero(found.any(axis=0))
    assert (np.diff(columns) > 1).sum() == 1, "two of them, apart"
    page.get_by_label("Only in the region").select_option("its island")
    tab.wait_kept(7)
    assert (yellow(server.texels(project, "plane")) == found).all()
    expect(page.get_by_label("Only in the region").locator("option:checked")).to_contain_text("Island below")
    page.keyboard.press("Delete")
    tab.wait_kept(8)
    expect(page.get_by_role("list", name="Decals, the topmost first").get_by_role("listitem")).to_have_count(1)
    page.get_by_role("button", name="What else for the layer").click()
    page.get_by_role("menuitem", name="Bake into a brushed layer").click()
    tab.wait_kept(9)
    baked = yellow(server.texels(project, "plane"))
    assert 0.4 * found.sum() < baked.sum() < 0.6 * found.sum()


def test_on_a_ball_it_lies_along_the_curve_and_can_be_laid_flat(painter, server):
    project, tab, shapes = on_body(painter, server, "sphere")
    page = tab.page
    expect(shapes.get_by_role("radio", name="Ball")).to_be_checked()
    radius = page.get_by_role("textbox", name="Radius")
    assert float(radius.input_value()) == pytest.approx(0.5, rel=0.01)
    turn, wide = page.get_by_role("textbox", name="Turn"), page.get_by_role("textbox", name="Wide")
    wide.fill("1,2")
    wide.press("Enter")
    tab.wait_kept(4)
    # Its middle row goes around the ball by its width over the radius, near enough to the equator.
    found = yellow(server.texels(project, "sphere"))
    around = np.ptp(np.flatnonzero(found.any(axis=0))) / found.shape[1] * 2 * np.pi * 0.5
    assert around > 1.2 * (120 / 128) * 0.95
    outline = page.get_by_test_id("decal-frame").locator("> svg path").last
    assert outline.get_attribute("d").count("L") > 20
    shapes.get_by_role("radio", name="Flat").click()
    tab.wait_kept(5)
    flat = yellow(server.texels(project, "sphere"))
    # Straight through the ball it reaches no further than to its rim.
    assert flat.sum() < 0.9 * found.sum()
    expect(radius).to_have_count(0)
    page.keyboard.press("Control+z")
    tab.wait_kept(6)
    assert (yellow(server.texels(project, "sphere")) == found).all()
    radius.fill("0")
    radius.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("Radius is above 0 or, in a hollow, below it.")
    pull(page, "Turn the decal", 40, 30)
    tab.wait_kept(7)
    assert float(turn.input_value()) > 10
    tab.open()
    page.mouse.click(*tab.at(0.45, 0.45))
    expect(page.get_by_test_id("decal-frame")).to_be_visible()
    expect(shapes.get_by_role("radio", name="Ball")).to_be_checked()


def test_over_a_border_it_stays_chosen_and_a_copy_that_shows_nothing_says_why(painter, server):
    project = server.create()
    tab = painter(project).open()
    page = tab.page
    take(tab)
    page.mouse.click(*tab.at(0.4, 0.5))
    tab.wait_kept(3)
    assert yellow(server.texels(project, "left")).any()
    wide = page.get_by_role("textbox", name="Wide")
    tab.drag((0.4, 0.5), (0.55, 0.5), (0.7, 0.52))
    tab.wait_kept(4)
    assert not yellow(server.texels(project, "left")).any()
    assert yellow(server.texels(project, "right")).any()
    expect(page.get_by_test_id("target")).to_contain_text("right")
    expect(page.get_by_test_id("decal-frame")).to_be_visible()
    kept = wide.input_value()
    wide.fill("-3")
    wide.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("It stays")
    expect(wide).to_have_value(kept)
    page.get_by_label("Only in the region").select_option("its part")
    tab.wait_kept(5)
    page.keyboard.down("Control")
    tab.drag((0.7, 0.52), (0.55, 0.5), (0.4, 0.5))
    page.keyboard.up("Control")
    tab.wait_kept(6)
    expect(page.get_by_role("alert")).to_contain_text("kept inside Part below sticker.png")


def test_over_a_border_its_frame_is_seen_from_either_surface(painter, server):
    """Put down on the second surface it reaches over to the first one, too; there the paint goes on elsewhere."""
    project = server.create()
    tab = painter(project).open()
    page = tab.page
    page.get_by_role("combobox", name="Surface").select_option("right")
    take(tab)
    page.mouse.click(*tab.at(0.52, 0.5))
    tab.wait_kept(3)
    assert all(yellow(server.texels(project, surface)).any() for surface in ("left", "right"))
    expect(page.get_by_test_id("target")).to_contain_text("right")
    expect(page.get_by_test_id("decal-frame")).to_be_visible()
    before = yellow(server.texels(project, "left")).sum()
    pull(page, "Move the decal", -40, 0)
    tab.wait_kept(4)
    assert yellow(server.texels(project, "left")).sum() > 1.5 * before
    expect(page.get_by_test_id("decal-frame")).to_be_visible()


def test_around_a_box_it_shows_on_all_sides_in_a_frame_that_is_pulled_smaller_and_fitted_again(painter, server):
    project, tab, shapes = on_body(painter, server, "box")
    page = tab.page
    shapes.get_by_role("radio", name="Box").click()
    tab.wait_kept(4)
    sides = islands("box")
    whole = yellow(server.texels(project, "box"))
    share = [whole[side].mean() for side in sides]
    assert len(share) == 6
    assert min(share) > 0.5
    assert max(share) - min(share) < 0.04
    pull(page, "Size of the frame along Y", 0, 30)
    tab.wait_kept(5)
    assert 0.1 < yellow(server.texels(project, "box")).sum() / whole.sum() < 0.9
    page.get_by_role("button", name="Fit the frame to the part").click()
    tab.wait_kept(6)
    assert (yellow(server.texels(project, "box")) == whole).all()
    size = page.get_by_role("group", name="Size").get_by_role("textbox", name="X")
    size.fill("-2")
    size.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("It stays 1")
    tab.open()
    page.mouse.click(*tab.at(0.5, 0.5))
    expect(page.get_by_test_id("frame-box")).to_be_visible()
    expect(shapes.get_by_role("radio", name="Box")).to_be_checked()
    for change in (7, 8, 9):
        page.keyboard.press("Control+z")
        tab.wait_kept(change)
    assert 0 < yellow(server.texels(project, "box")).sum() < 0.2 * whole.sum()
    expect(shapes.get_by_role("radio", name="Flat")).to_be_checked()


def test_one_around_a_part_is_dragged_to_another(painter, server):
    project = server.create()
    tab = painter(project).open()
    page = tab.page
    take(tab)
    page.mouse.click(*tab.at(0.4, 0.5))
    page.get_by_role("radio", name="Three ways").click()
    tab.wait_kept(4)
    tab.drag((0.4, 0.5), (0.55, 0.5), (0.7, 0.52))
    tab.wait_kept(5)
    assert not yellow(server.texels(project, "left")).any()
    assert yellow(server.texels(project, "right")).mean() > 0.3
    expect(page.get_by_test_id("target")).to_contain_text("right")


def test_in_the_map_a_picture_lies_flat_and_is_moved_there(painter, server):
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    tab.side_by_side()
    take(tab)
    page.mouse.click(*on_map(tab, 0.5, 0.5))
    expect(page.get_by_test_id("decal-frame")).to_be_visible()
    tab.wait_kept(3)
    found = yellow(server.texels(project, "plane"))
    assert middle_of(found) == pytest.approx([0.5, 0.5], abs=0.03)
    rows, columns = np.argwhere(found).max(axis=0) - np.argwhere(found).min(axis=0)
    assert abs(rows - columns) <= 2
    pull(page, "Move the decal", -30, 20)
    tab.wait_kept(4)
    moved = middle_of(yellow(server.texels(project, "plane")))
    assert moved[0] > 0.53
    assert moved[1] < 0.47


#: Types into fields that follow each other, and leaves each, before any answer can come.
AT_ONCE = """(field, typed) => {
  const fields = [...field.closest("[role=group]").querySelectorAll("input")];
  const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set;
  typed.forEach((text, k) => {
    fields[k].focus();
    set.call(fields[k], text);
    fields[k].dispatchEvent(new Event("input", { bubbles: true }));
    fields[k].blur();
  });
}"""


def test_a_plain_background_goes_by_a_click_on_the_picture_or_as_its_border_has_it(painter, server):
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    page.get_by_role("button", name="Add decals").click()
    pixels = np.full((64, 64, 4), (32, 176, 64, 255), np.uint8)
    pixels[24:40, 24:40, :3] = YELLOW
    given = {"name": "letter.png", "mimeType": "image/png", "buffer": write_png(pixels)}
    page.get_by_label("Pictures for decals").set_input_files(given)
    expect(page.get_by_role("button", name="letter.png", exact=True)).to_have_attribute("aria-pressed", "true")
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    page.mouse.click(*tab.at(0.5, 0.5))
    tab.wait_kept(3)
    before = server.texels(project, "plane")
    assert green(before).sum() > 5 * yellow(before).sum() > 0
    page.get_by_alt_text("The whole picture").click(position={"x": 4, "y": 4})
    tab.wait_kept(4)
    after = server.texels(project, "plane")
    assert not green(after).any()
    assert yellow(after).sum() == pytest.approx(yellow(before).sum(), rel=0.1)
    near = page.get_by_role("slider", name="Near to it")
    near.fill("1000")
    tab.wait_kept(5)
    assert not yellow(server.texels(project, "plane")).any()
    without = page.get_by_role("checkbox", name="Without its background")
    without.click()
    tab.wait_kept(6)
    assert np.array_equal(server.texels(project, "plane"), before)
    without.click()
    tab.wait_kept(7)
    expect(page.get_by_role("textbox", name="Background", exact=True)).to_have_value("#20b040")
    assert not green(server.texels(project, "plane")).any()
    # A side of what is cut out stops before the one across.
    sides = page.get_by_role("group", name="The part that is used").get_by_role("textbox")
    sides.nth(0).fill("60")
    page.keyboard.press("Enter")
    tab.wait_kept(8)
    sides.nth(2).fill("60")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("Right goes from 60.1 to 100 %")
    tab.wait_kept(8)
    # Two sides are typed before an answer comes: both count.
    sides.first.evaluate(AT_ONCE, ["50", "20"])
    expect(sides.nth(1)).to_have_value("20")
    expect(sides.nth(0)).to_have_value("50")


def test_a_washs_frame_is_moved_and_sized_by_handles_and_by_numbers(painter, server):
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    page.get_by_role("button", name="Wash", exact=True).click()
    given = {"name": "sticker.png", "mimeType": "image/png", "buffer": sticker()}
    page.get_by_label("Pictures for the wash").set_input_files(given)
    tab.wait_kept(3)
    page.get_by_role("radio", name="Flat").click()
    page.get_by_role("radio", name="Once").click()
    page.get_by_role("button", name="Take a frame that fits").click()
    expect(page.get_by_test_id("frame-box")).to_be_visible()
    tab.wait_kept(6)
    whole = yellow(server.texels(project, "plane"))
    pull(page, "Size of the frame along X", -40, 0)
    tab.wait_kept(7)
    narrow = yellow(server.texels(project, "plane"))
    assert 0.3 * whole.sum() < narrow.sum() < 0.9 * whole.sum()
    pull(page, "Move the frame", 40, 0)
    tab.wait_kept(8)
    moved = yellow(server.texels(project, "plane"))
    assert middle_of(moved)[1] > middle_of(narrow)[1] + 0.05
    turn = page.get_by_role("group", name="Turn").get_by_role("textbox").nth(2)
    turn.fill("90")
    turn.press("Enter")
    tab.wait_kept(9)
    rows, columns = np.ptp(np.argwhere(yellow(server.texels(project, "plane"))), axis=0)
    assert rows < 0.9 * columns
