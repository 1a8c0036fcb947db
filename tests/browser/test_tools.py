"""The painter's hand in a real browser: tools, tips, mirror, map, looks; down to the texel."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import expect

from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.formats.image_files import write_png

from ..shapes import placed, plane
from .conftest import PATIENCE, model_in
from .test_painting import PLAIN, RED, plain_red
from .test_preparing import on_map

DARK = (30, 36, 34)


def tool(tab, name: str) -> None:
    tab.page.get_by_role("radio", name=name, exact=True).click()


def near(texels: np.ndarray, color, off=900) -> np.ndarray:
    return np.abs(texels.astype(int) - np.array(color) * 257).max(axis=2) < off


def test_fill_sample_and_swap(painter, server):
    """Fill covers the island that is clicked; Ctrl and click takes its stored color; X swaps the loads."""
    tab = plain_red(painter)
    page = tab.page
    tool(tab, "Fill")
    page.mouse.click(*tab.at(0.4, 0.5))
    tab.wait_kept(1)
    left = server.texels(tab.project, "left")
    assert near(left, RED)[20:236, 20:236].all()
    assert not near(server.texels(tab.project, "right"), RED).any()
    tool(tab, "Brush")
    page.get_by_label("Use #1e2422").click()
    page.keyboard.press("x")
    expect(page.get_by_label("Color", exact=True)).to_have_value("#e5e1d5")
    page.keyboard.down("Control")
    page.mouse.click(*tab.at(0.4, 0.5))
    page.keyboard.up("Control")
    expect(page.get_by_label("Color", exact=True)).to_have_value("#b8402c")
    page.keyboard.press("x")
    expect(page.get_by_label("Color", exact=True)).to_have_value("#1e2422")
    expect(page.get_by_test_id("kept")).to_have_text("Kept, change 1")


def teal(image: np.ndarray, x: float) -> bool:
    red, green, _ = image[image.shape[0] // 2, int(x * image.shape[1])]
    return green > red + 40


def test_fill_goes_over_surfaces_and_takes_away(painter, server):
    """Picked faces are filled on both surfaces in one step; Take away empties the island that is clicked."""
    tab = plain_red(painter)
    page = tab.page
    tool(tab, "Fill")
    tool(tab, "Picked")
    page.mouse.click(*tab.at(0.4, 0.5))
    expect(page.get_by_text("No faces are picked.")).to_be_visible()
    page.keyboard.press("1")
    tool(tab, "All")
    # Prepare shows model and map side by side.
    page.wait_for_selector("canvas[data-views='model map']", timeout=PATIENCE)
    page.mouse.click(*tab.at(0.2, 0.5))
    page.keyboard.down("Shift")
    page.mouse.click(*tab.at(0.38, 0.5))
    page.keyboard.up("Shift")
    page.keyboard.press("2")
    page.wait_for_selector("canvas[data-views='model']", timeout=PATIENCE)
    # Teal lies over both walls: what a click will fill is seen before.
    for x in (0.4, 0.6):
        tab.wait_view(lambda image, x=x: teal(image, x), "the picked faces are not marked")
    page.mouse.click(*tab.at(0.4, 0.5))
    tab.wait_kept(1)
    for surface in ("left", "right"):
        assert near(server.texels(tab.project, surface), RED)[20:236, 20:236].all()
    tool(tab, "Take away")
    tool(tab, "Island")
    page.mouse.click(*tab.at(0.4, 0.5))
    tab.wait_kept(2)
    assert not near(server.texels(tab.project, "left"), RED).any()
    assert near(server.texels(tab.project, "right"), RED)[20:236, 20:236].all()
    tab.wait_color(0.4, 0.5, PLAIN)
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    tab.wait_kept(4)
    tab.wait_color(0.6, 0.5, PLAIN)
    assert not near(server.texels(tab.project, "right"), RED).any()


def test_color_becomes_bump(painter, server):
    """Where the layer has color the height is its lightness; one undo takes it back."""
    tab = plain_red(painter)
    page = tab.page
    tab.drag((0.4, 0.4), (0.4, 0.6))
    tab.wait_kept(1)
    before = server.texels(tab.project, "left", "height").astype(int)
    page.get_by_label("What else for the layer").click()
    page.get_by_role("menuitem", name="Bump from color").click()
    tab.wait_kept(2)
    after = server.texels(tab.project, "left", "height").astype(int)
    red = near(server.texels(tab.project, "left"), RED, 300)
    luma = (0.2126 * RED[0] + 0.7152 * RED[1] + 0.0722 * RED[2]) * 257
    assert np.abs(after[..., 0][red] - luma).max() < 300
    assert (after != before).any()
    page.keyboard.press("Control+z")
    tab.wait_kept(3)
    assert (server.texels(tab.project, "left", "height") == before).all()


def test_a_gradient_runs_between_two_points(painter, server):
    """Dragged across the left wall: from the first load to the second."""
    tab = plain_red(painter)
    tool(tab, "Gradient")
    tab.drag((0.33, 0.5), (0.49, 0.5))
    tab.wait_kept(1)
    row = server.texels(tab.project, "left")[128, :, 1].astype(int)
    inside = row[20:236]
    assert (np.diff(inside) >= 0).all()
    assert inside[-1] - inside[0] > 15000


def test_a_click_that_meets_nothing_says_so(painter, server):
    """With the tools that do something by a click; a view that is turned from there was meant to turn."""
    tab = plain_red(painter)
    said = tab.page.get_by_role("alert")
    for name in ("Fill", "Sample", "Gradient"):
        tool(tab, name)
        expect(said).to_have_count(0)
        tab.drag((0.05, 0.9), (0.08, 0.9), (0.05, 0.9))
        expect(said).to_have_count(0)
        tab.page.mouse.click(*tab.at(0.05, 0.9))
        expect(said).to_contain_text("No part of the model lies there.")
    tab.page.mouse.click(*tab.at(0.4, 0.5))
    expect(said).to_contain_text("drag to where it ends")
    tool(tab, "Fill")
    tab.side_by_side()
    tab.page.mouse.click(*on_map(tab, 0.02, 0.5))
    expect(said).to_contain_text("No face that is shown lies there.")
    expect(tab.page.get_by_test_id("kept")).to_have_text("Kept, change 0")


def test_painting_in_the_map_shows_on_the_model(painter, server):
    """A stroke in the map is the same paint; it reaches the texels under the pointer."""
    tab = plain_red(painter)
    tab.side_by_side()
    start, end = on_map(tab, 0.3, 0.5), on_map(tab, 0.7, 0.5)
    tab.page.mouse.move(*start)
    tab.page.mouse.down()
    tab.page.mouse.move(*end, steps=6)
    tab.page.mouse.up()
    tab.wait_kept(1)
    painted = near(server.texels(tab.project, "left"), RED)
    y, x = np.nonzero(painted)
    assert abs(y.mean() - 128) < 3
    assert x.min() < 0.3 * 256 < 0.7 * 256 < x.max()
    # And on the model, in the left half of the stage.
    tab.wait_color(0.2, 0.5, RED)
    tab.page.keyboard.press("Control+z")
    tab.wait_color(0.2, 0.5, PLAIN)


def test_mirror_repeats_a_stroke_and_is_always_shown(painter, server):
    """Across x both walls are painted alike; the button says so, also after a reload."""
    tab = plain_red(painter)
    page = tab.page
    page.get_by_role("button", name="Mirror", exact=True).click()
    page.get_by_label("Mirror across X").click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Mirror X", exact=True)).to_be_visible()
    tab.drag((0.38, 0.45), (0.45, 0.55))
    tab.wait_kept(1)
    left, right = (near(server.texels(tab.project, s), RED) for s in ("left", "right"))
    assert left.sum() > 100
    assert (left != right[:, ::-1]).mean() < 0.002
    tab.open()
    expect(page.get_by_role("button", name="Mirror X", exact=True)).to_be_visible()


def test_smear_soften_sharpen_and_clone(painter, server):
    """Each changes what is there, is one step, and is taken back by one undo to the bit."""
    tab = plain_red(painter)
    page = tab.page
    tab.drag((0.36, 0.5), (0.42, 0.5))
    tab.wait_kept(1)
    before = server.texels(tab.project, "left")
    change = 1
    for name, path in (("Smear", ((0.42, 0.5), (0.47, 0.5))), ("Soften", ((0.36, 0.47), (0.42, 0.47))),
                       ("Sharpen", ((0.36, 0.53), (0.42, 0.53)))):  # fmt: skip
        tool(tab, name)
        tab.drag(*path)
        tab.wait_kept(change := change + 1)
        assert (server.texels(tab.project, "left") != before).any(), name
        page.keyboard.press("Control+z")
        tab.wait_kept(change := change + 1)
        assert (server.texels(tab.project, "left") == before).all()
    tool(tab, "Clone")
    page.mouse.click(*tab.at(0.39, 0.5))
    expect(page.get_by_role("alert")).to_contain_text("Clone takes paint from here")
    tab.drag((0.39, 0.25), (0.4, 0.25))
    tab.wait_kept(change + 1)
    rows = np.nonzero(near(server.texels(tab.project, "left"), RED).any(axis=1))[0]
    assert rows.min() < 90  # there was no paint so high up


def test_a_tool_on_the_wrong_layer_says_so(painter, server):
    """Smear on an empty layer leaves no mark, names the layer that has the paint, and takes the painter there."""
    tab = plain_red(painter)
    page = tab.page
    tab.drag((0.36, 0.45), (0.44, 0.45))
    tab.wait_kept(1)
    page.get_by_role("button", name="Layer", exact=True).click()
    tab.wait_kept(2)
    tool(tab, "Smear")
    tab.drag((0.4, 0.42), (0.4, 0.6))
    expect(page.get_by_role("alert")).to_contain_text("Nothing was smeared")
    before = server.texels(tab.project, "left")
    page.get_by_role("alert").get_by_role("button", name="Choose").click()
    expect(page.get_by_role("alert")).to_have_count(0)
    tab.drag((0.4, 0.42), (0.4, 0.6))
    tab.wait_kept(3)
    assert (server.texels(tab.project, "left") != before).any()


def test_paint_under_a_layer_that_covers_it_is_kept_and_said(painter, server):
    tab = plain_red(painter)
    page = tab.page
    page.get_by_role("button", name="Layer", exact=True).click()
    tab.wait_kept(1)
    tool(tab, "Fill")
    page.mouse.click(*tab.at(0.4, 0.5))
    tab.wait_kept(2)
    shown = server.texels(tab.project, "left")
    page.get_by_text("First paint").click()
    tool(tab, "Brush")
    page.get_by_role("button", name="Use #3d6f8e").click()
    tab.drag((0.36, 0.45), (0.44, 0.45))
    tab.wait_kept(3)
    expect(page.get_by_role("alert")).to_contain_text("Kept, but not seen: Layer lies over First paint here.")
    assert np.array_equal(server.texels(tab.project, "left"), shown)
    page.get_by_role("alert").get_by_role("button", name="Choose Layer").click()
    tab.drag((0.36, 0.45), (0.44, 0.45))
    tab.wait_kept(4)
    assert not np.array_equal(server.texels(tab.project, "left"), shown)


def test_straight_lines_and_the_last_point(painter, server):
    """Shift draws one straight line from press to release, and a Shift click goes on from where it ended."""
    tab = plain_red(painter)
    page = tab.page
    page.get_by_label("Radius", exact=True).fill("160")
    page.keyboard.down("Shift")
    tab.drag((0.36, 0.4), (0.4, 0.1), (0.46, 0.4))
    page.keyboard.up("Shift")
    tab.wait_kept(1)
    painted = near(server.texels(tab.project, "left"), RED)
    rows = np.nonzero(painted)[0]
    assert np.ptp(rows) < 40  # the detour upwards left no paint
    page.keyboard.down("Shift")
    page.mouse.click(*tab.at(0.46, 0.6))
    page.keyboard.up("Shift")
    tab.wait_kept(2)
    grown = np.nonzero(near(server.texels(tab.project, "left"), RED))[0]
    assert np.ptp(grown) > 60


@pytest.mark.parametrize("unit", [1, 100, 0.01])
def test_relief_is_seen_while_it_is_painted(painter, server, unit):
    """A raised stroke changes the light at once and the normals that are handed off; depth turns it around.

    Alike whatever unit the model is in.
    """
    tab = painter(server.create(write_glb(placed(plane(4), scale=(unit, unit, unit))), "wall.glb")).open()
    page = tab.page
    for name in ("color", "bump"):
        page.get_by_role("switch", name=f"Paint {name}").click()
    page.get_by_label("Bump", exact=True).fill("1000")
    before = tab.colors()
    page.mouse.move(*tab.at(0.45, 0.5))
    page.mouse.down()
    page.mouse.move(*tab.at(0.55, 0.5), steps=5)
    tab.wait_view(lambda now: (np.abs(now - before).max(axis=2) > 8).sum() > 300, "no relief is seen")
    page.mouse.up()
    tab.wait_kept(1)
    normal = server.texels(tab.project, "surface", "normal").astype(int)
    assert (np.abs(normal[..., 1] - 32768) > 2000).sum() > 50
    page.get_by_label("Light and view").click()
    depth = page.get_by_label("Relief of surface")
    assert float(depth.input_value()) == pytest.approx(0.03 * unit)
    depth.fill(str(-0.03 * unit))
    page.keyboard.press("Enter")
    tab.wait_kept(2)
    turned = server.texels(tab.project, "surface", "normal").astype(int)
    strong = np.abs(normal[..., 1] - 32768) > 2000
    assert (np.sign(turned[..., 1] - 32768)[strong] == -np.sign(normal[..., 1] - 32768)[strong]).all()


@pytest.mark.parametrize("color", ["#7d3d1f", "#e5e1d5", "#1e2422"])
def test_plain_shows_the_stored_numbers(painter, server, color):
    """What is seen without light and what is handed off differ by 2 of 255 at most, all over the surface."""
    tab = plain_red(painter)
    page = tab.page
    page.get_by_label(f"Use {color}").click()
    tool(tab, "Fill")
    page.mouse.click(*tab.at(0.4, 0.5))
    tab.wait_kept(1)
    stored = server.texels(tab.project, "left")[128, 128] / 257
    page.mouse.move(5, 5)
    tab.wait_color(0.4, 0.5, tuple(stored), 2)
    image = tab.colors()
    height, width = image.shape[:2]
    wall = image[int(height * 0.4) : int(height * 0.6), int(width * 0.36) : int(width * 0.46)]
    assert np.abs(wall - stored).mean() <= 2


@pytest.mark.parametrize("look", ["Matte", "Rough", "Normal", "Edges", "Faceted"])
def test_looks_change_the_view_only(painter, server, look):
    """Other shadings are seen, survive a reload, and leave paint and history alone."""
    tab = painter().open()
    page = tab.page
    before = tab.colors()
    if look != "Matte":
        page.get_by_label("Light and view").click()
    control = page.get_by_role("radio", name=look, exact=True)
    if not control.count():
        control = page.get_by_role("button", name=look, exact=True)
    control.click()
    page.keyboard.press("Escape")
    if look != "Faceted":  # flat walls look the same either way
        tab.wait_view(lambda now: (np.abs(now - before).max(axis=2) > 6).sum() > 200, "the look has not changed")
    expect(page.get_by_role("button", name="Undo")).to_be_disabled()
    tab.open()
    if look == "Matte":
        expect(page.get_by_role("radio", name="Matte")).to_be_checked()


def test_fingers_move_the_view_while_the_pen_paints(painter, server):
    """Touch turns and never paints; a pen on the same screen does."""
    tab = plain_red(painter)
    page = tab.page
    before = tab.colors()
    touch = page.context.new_cdp_session(page)

    def finger(kind, *places):
        points = [{"x": x, "y": y} for x, y in (tab.at(*place) for place in places)]
        touch.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

    finger("touchStart", (0.45, 0.5))
    finger("touchMove", (0.5, 0.52))
    finger("touchMove", (0.56, 0.55))
    finger("touchEnd")
    tab.wait_view(lambda now: np.abs(now - before).max() > 40, "the view did not move")
    expect(page.get_by_role("button", name="Undo")).to_be_disabled()
    tab.draw_with_pen((0.45, 0.5, 0.9))
    tab.wait_kept(1)
    assert near(server.texels(tab.project, "left"), RED, 9000).any()


def test_a_reference_picture_is_pinned_sampled_and_painted_with(painter, server, tmp_path):
    """Ctrl and click on it takes the very color, which a stroke lays on; taken off it can be pinned again, and it is
    still there after a reload.

    Where it does not lie the stage shows what it showed before.
    """
    image = np.zeros((40, 60, 3), np.uint8)
    image[:, :30], image[:, 30:] = (18, 52, 86), (171, 205, 19)
    file = tmp_path / "quay.png"
    file.write_bytes(write_png(image))
    tab = plain_red(painter)
    page = tab.page
    alone = tab.colors()
    page.get_by_role("button", name="Reference pictures", exact=True).click()
    page.get_by_label("Reference files").set_input_files(str(file))
    picture = page.get_by_role("img", name="quay.png")
    expect(picture).to_be_visible()
    box = picture.bounding_box()
    right = box["x"] + box["width"] * 0.75, box["y"] + box["height"] * 0.5

    # The canvas shows the picture once its middle is no longer empty.
    shown = "() => { const c = document.querySelector('canvas[aria-label=\"quay.png\"]');"
    shown += " return c.getContext('2d').getImageData(c.width / 4, c.height / 2, 1, 1).data[2] === 86; }"
    page.wait_for_function(shown)
    card = page.get_by_role("region", name="Reference pictures").bounding_box()
    beside = round(card["y"] - tab.box["y"]) - 20
    assert model_in(alone[:beside]).any()
    tab.wait_view(lambda now: (np.abs(now - alone)[60:beside].max(axis=2) <= 12).all(), "the stage lost what it showed")
    page.keyboard.down("Control")
    page.mouse.click(*right)
    page.keyboard.up("Control")
    expect(page.get_by_label("Color", exact=True)).to_have_value("#abcd13")
    tab.drag((0.35, 0.3), (0.45, 0.3))
    tab.wait_kept(1)
    assert near(server.texels(tab.project, "left"), (171, 205, 19), 300).any()
    page.get_by_role("button", name="Take off", exact=True).click()
    expect(picture).to_be_hidden()
    page.get_by_role("button", name="Pin it again").click()
    expect(picture).to_be_visible()
    tab.open()
    expect(picture).to_be_visible()
    # Dragged as far as can be, and in a smaller window, it can be taken by its head.
    pinned = page.get_by_role("region", name="Reference pictures")
    head = pinned.bounding_box()
    page.mouse.move(head["x"] + 60, head["y"] + 16)
    page.mouse.down()
    page.mouse.move(3, 3, steps=4)
    page.mouse.up()
    assert pinned.bounding_box()["y"] == pytest.approx(tab.box["y"], abs=1)
    assert pinned.bounding_box()["x"] == pytest.approx(tab.box["x"], abs=1)
    page.set_viewport_size({"width": 1024, "height": 640})
    page.wait_for_function("() => innerWidth === 1024")
    stage = page.locator("canvas[data-ready]").bounding_box()
    assert pinned.bounding_box()["x"] >= stage["x"] - 1


@pytest.mark.parametrize(("typed", "color"), [("#1e9", (17, 238, 153)), ("#1E9F3A", (30, 159, 58))])
def test_a_color_is_typed_with_three_digits_or_six(painter, server, typed, color):
    """Three stand for six, large letters for small ones; whoever types on after three is not disturbed."""
    tab = plain_red(painter)
    field = tab.page.get_by_label("Color", exact=True)
    field.click()
    tab.page.keyboard.press("Control+a")
    tab.page.keyboard.type(typed)
    expect(field).to_have_value(typed.lower())
    tab.drag((0.35, 0.3), (0.45, 0.3))
    tab.wait_kept(1)
    assert (server.texels(tab.project, "left") == np.array(color) * 257).all(axis=2).any()
