"""Sizes, gutters, plans and start values of maps, set in the page."""

from __future__ import annotations

import re

import cv2
import numpy as np
from playwright.sync_api import expect

from nightmist.core.formats.gltf_write import write_glb

from ..shapes import plane, sphere
from .conftest import PATIENCE, SWITCHES
from .test_painting import RED, plain_red
from .test_preparing import prepare, settled


def test_maps_of_another_size_keep_the_paint(painter, server):
    """One click makes all maps larger and says what is gained; an exception for one; all high; the stroke stays."""
    tab = plain_red(painter)
    page = tab.page
    tab.drag((0.42, 0.5), (0.46, 0.5))
    tab.wait_kept(1)
    page.get_by_role("button", name="Prepare").click()
    page.get_by_role("button", name="Map size").click()
    expect(page.get_by_role("radio", name="All of the project")).to_be_checked()
    page.get_by_role("button", name="512").click()
    settled(tab, 2)
    expect(page.get_by_text("Pixels per model unit now: left 230 (was 115), right 230 (was 115).")).to_be_visible()
    for surface in ("left", "right"):
        assert server.texels(tab.project, surface).shape[:2] == (512, 512)
    assert (np.abs(server.texels(tab.project, "left").astype(int) - np.array(RED) * 257).max(axis=2) < 300).sum() > 400
    page.get_by_role("button", name="Map size").click()
    page.get_by_role("radio", name="left only").click()
    page.get_by_label("Wide").fill("200")
    page.get_by_label("High").click()
    expect(page.get_by_label("Wide")).to_have_value("192")
    page.get_by_role("button", name="Set", exact=True).click()
    settled(tab, 3)
    assert server.texels(tab.project, "left").shape[:2] == (512, 192)
    assert server.texels(tab.project, "right").shape[:2] == (512, 512)
    page.get_by_role("button", name="Map size").click()
    page.get_by_role("button", name="Follow the project, 512 × 512").click()
    settled(tab, 4)
    assert server.texels(tab.project, "left").shape[:2] == (512, 512)
    page.get_by_role("button", name="Map size").click()
    page.get_by_role("radio", name="High, 1 : 2").click()
    page.get_by_role("button", name="128 × 256").click()
    settled(tab, 5)
    for surface in ("left", "right"):
        assert server.texels(tab.project, surface).shape[:2] == (256, 128)
    page.get_by_role("button", name="Paint", exact=True).click()
    tab.wait_color(0.44, 0.5, RED)


def test_a_painted_layer_is_copied_to_maps_of_another_size(painter, server):
    """At the same share of the map, as one step that is undone."""
    tab = plain_red(painter)
    page = tab.page
    page.get_by_role("button", name="Prepare").click()
    page.get_by_role("button", name="Map size").click()
    page.get_by_role("radio", name="left only").click()
    page.get_by_label("Wide").fill("512")
    page.get_by_label("High").fill("320")
    page.get_by_role("button", name="Set", exact=True).click()
    settled(tab, 1)
    page.get_by_role("button", name="Paint", exact=True).click()
    tab.drag((0.38, 0.5), (0.44, 0.5))
    tab.wait_kept(2)
    bare = server.texels(tab.project, "right")
    page.get_by_role("button", name="What else for the layer").click()
    page.get_by_role("menuitem", name="Copy to right").click()
    tab.wait_kept(3)
    here, there = (server.texels(tab.project, surface).astype(np.float32) for surface in ("left", "right"))
    off = np.abs(there - cv2.resize(here, (256, 256), interpolation=cv2.INTER_AREA)).max(axis=2)
    painted = np.abs(there - np.array(RED) * 257).max(axis=2) < 300
    assert painted.sum() > 400
    assert np.median(off[painted]) < 100
    assert here.shape == (320, 512, 3)
    page.get_by_role("button", name="Undo").click()
    tab.wait_kept(4)
    assert np.array_equal(server.texels(tab.project, "right"), bare)


def test_a_gutter_as_wide_as_chosen(painter, server):
    """The fill goes on around its island as far; by the map's size again, as before, to the texel."""
    small = plane()
    small.uvs = [small.uvs[0] / 2 + np.float32(0.25)]
    tab = plain_red(painter, server.create(write_glb(small)))
    page = tab.page
    page.get_by_role("radio", name="Fill", exact=True).click()
    page.get_by_role("radio", name="Island", exact=True).click()
    page.mouse.click(*tab.at(0.5, 0.5))
    tab.wait_kept(1)
    surface = small.surfaces[0].name
    before = server.texels(tab.project, surface)
    page.get_by_role("button", name="Prepare").click()
    reds = {}
    for step, width in enumerate(("16 texels", "64 texels", "by the map’s size"), 2):
        page.get_by_role("button", name="Map size").click()
        page.get_by_role("combobox", name="Gutter").select_option(width)
        settled(tab, step)
        page.keyboard.press("Escape")
        texels = server.texels(tab.project, surface)
        reds[width] = np.argwhere((texels == np.array(RED) * 257).all(axis=2))
    grown = reds["16 texels"].min(axis=0) - reds["64 texels"].min(axis=0)
    assert grown.tolist() == [48, 48]
    np.testing.assert_array_equal(texels, before)


def test_pixels_for_maps_that_have_another_size_by_then_are_left_out(painter, server):
    """While a new model is fetched the maps grow and shrink again: what came in between for large ones does not fit."""
    tab = plain_red(painter)
    page = tab.page
    tab.drag((0.42, 0.5), (0.46, 0.5))
    tab.wait_kept(1)
    errors, held = [], []
    page.on("pageerror", lambda error: errors.append(str(error)))
    page.get_by_role("button", name="Prepare").click()
    page.wait_for_selector("[data-testid=checkup][data-running=false]", timeout=PATIENCE)
    page.route(re.compile("/mesh$"), lambda route: held.append(route))
    page.get_by_role("button", name="Unwrap left").click()
    tab.wait_kept(2)
    page.get_by_role("button", name="Map size").click()
    page.get_by_role("button", name="512").click()
    tab.wait_kept(3)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Undo", exact=True).click()
    tab.wait_kept(4)
    for route in held:
        route.continue_()
    page.unroute(re.compile("/mesh$"))
    settled(tab, 4)
    assert len(held) >= 2
    assert server.texels(tab.project, "left").shape[:2] == (256, 256)
    page.get_by_role("button", name="Undo", exact=True).click()
    settled(tab, 5)
    page.get_by_role("button", name="Paint", exact=True).click()
    tab.wait_color(0.44, 0.5, RED)
    assert errors == []


def test_a_practice_body_and_the_planner(painter, server):
    """A ring from the gallery is sound, a size that is none is told; the planner says which size it needs."""
    tab = painter("0")
    page = tab.page
    page.goto(f"{server.url}{SWITCHES}#/")
    page.get_by_role("combobox", name="Maps").select_option("512")
    for typed, said in (
        ("wide", "Size takes a number; “wide” is none."),
        ("0", "Size goes from 0.001 to 10000 m. It stays 1."),
        ("", "Size takes a number; nothing was typed. It stays 1."),
    ):
        page.get_by_label("Size").fill(typed)
        page.keyboard.press("Enter")
        expect(page.get_by_role("alert")).to_have_text(said)
    page.get_by_label("Size").fill("3")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_have_count(0)
    page.get_by_role("button", name="ring").click()
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
    page.get_by_role("button", name="Prepare").click()
    expect(page.get_by_test_id("checkup")).to_contain_text("Sound: nothing to mend.")
    expect(page.get_by_text("1 part, 3 × 0.6 × 3 units")).to_be_visible()
    page.get_by_role("button", name="Plan sizes").click()
    expect(page.get_by_role("cell", name="one shared, 2048")).to_be_visible()
    # From where all of it is seen, unless told otherwise: a ball that holds it fills the view from farther in.
    fills = np.sqrt(3**2 + 3**2 + 0.6**2) / 2 / np.sin(np.radians(20))
    nearest = page.get_by_role("textbox", name="Nearest")
    expect(nearest).not_to_have_value("")
    assert fills <= float(nearest.input_value()) < 1.5 * fills
    nearest.fill("3")
    nearest.press("Enter")
    expect(page.get_by_text("From 3 units")).to_be_visible()
    text = page.get_by_text("a model unit takes").inner_text()
    needed = int(re.search(r"takes ([\d,]+) px", text).group(1))
    assert needed == round(1080 / (2 * 3 * np.tan(np.radians(20))))
    advised = page.get_by_role("table", name="Advised sizes").get_by_role("row").nth(1)
    side, found = re.search(r"512 × 512\s+(\d+) × \d+\s+(\d+)", advised.inner_text()).groups()
    assert int(found) >= needed > int(found) / 2
    page.get_by_role("button", name="Use these sizes for ring").click()
    expect(page.get_by_role("button", name="Map size")).to_have_text(f"{side} × {side}", timeout=PATIENCE)
    expect(page.get_by_text(f"Pixels per model unit now: ring {found}")).to_be_visible()


def test_start_values_show_while_they_move_and_edges_are_as_sharp_as_set(painter, server):
    """Bump and the others in one card, seen at once; faceted by surface, kept over a reload, handed off."""
    project = server.create(write_glb(sphere(12, 6)), "ball.glb")
    tab = prepare(painter, project)
    page = tab.page
    before = tab.colors()
    page.get_by_role("button", name="Start", exact=True).click()
    card = page.get_by_role("region", name="Start values of surface")
    card.get_by_label("Metal", exact=True).fill("1000")
    tab.wait_kept(1)
    card.get_by_label("Bump", exact=True).fill("250")
    tab.wait_kept(2)
    assert server.texels(project, "surface", "metallic").min() == 65535
    height = server.texels(project, "surface", "height")
    assert np.ptp(height) == 0
    assert 0.2 < height[0, 0, 0] / 65535 < 0.3
    # Counted from the level, as the pigment's.
    card.get_by_role("button", name="−0.25").click()
    page.keyboard.type("-0.1")
    page.keyboard.press("Enter")
    tab.wait_kept(3)
    assert server.texels(project, "surface", "height")[0, 0, 0] == round(0.4 * 65535)
    tab.wait_view(lambda image: (np.abs(image - before).max(axis=2) > 20).mean() > 0.05, "start values are not seen")
    page.keyboard.press("Escape")
    smooth = tab.colors()
    page.get_by_label("Edges").select_option("all sharp")
    tab.wait_kept(4)
    tab.wait_view(lambda image: (np.abs(image - smooth).max(axis=2) > 12).mean() > 0.02, "edges are not sharp")
    page.get_by_label("Edges").select_option("sharp by angle")
    tab.wait_kept(5)
    angle = page.get_by_title("Edges between faces that turn by less are smooth").get_by_role("textbox")
    angle.fill("80")
    angle.press("Enter")
    tab.wait_kept(6)
    page.reload()
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
    expect(angle).to_have_value("80")
    for _ in range(3):
        page.get_by_role("button", name="Undo", exact=True).click()
    tab.wait_kept(9)
    expect(page.get_by_label("Edges")).to_have_value("file")
