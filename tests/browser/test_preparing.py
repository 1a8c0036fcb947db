"""The stage before the first stroke, in a real browser, down to UVs and texels."""

from __future__ import annotations

import io
import json
import re
import struct
from urllib.request import urlopen

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect

from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.mesh.bodies import practice_body
from nightmist.demo.cabinet import tide_gauge_cabinet

from ..document.test_scripting import split_glb
from ..shapes import joined, overlapped, placed, plane, sphere
from .conftest import PATIENCE
from .test_painting import PLAIN, RED, plain_red


class Stage:
    """The model as the page gets it."""

    def __init__(self, server, project: str) -> None:
        with urlopen(f"{server.url}api/projects/{project}/mesh") as answer:
            data = answer.read()
        length = struct.unpack_from("<I", data, 4)[0]
        self.header = json.loads(data[8 : 8 + length])
        self.body = data[8 + length :]

    def numbers(self, place, dtype=np.uint32):
        return np.frombuffer(self.body, dtype, place[1], place[0])

    def corners(self, surface=0):
        """(faces, 3, 2) UVs."""
        found = self.header["surfaces"][surface]
        uv = self.numbers(found["uv"], np.float32).reshape(-1, 2)
        return uv[self.numbers(found["index"])].reshape(-1, 3, 2)

    @property
    def seams(self):
        return len(self.numbers(self.header["seams"]))

    @property
    def islands(self):
        return len(np.unique(self.numbers(self.header["island"])))


def prepare(painter, project):
    """A tab in the Prepare stage, its checkup done."""
    tab = painter(project).open()
    tab.page.get_by_role("button", name="Prepare").click()
    tab.page.wait_for_selector("[data-testid=checkup][data-running=false]", timeout=PATIENCE)
    return tab


def settled(tab, change: int) -> None:
    """The change is kept, and the stage shows the model as it now is."""
    tab.wait_kept(change)
    tab.page.wait_for_function("() => document.querySelector('canvas')?.dataset.shape !== ''", timeout=PATIENCE)
    tab.page.wait_for_selector("[data-testid=checkup][data-running=false]", timeout=PATIENCE)


def on_map(tab, x: float, y: float) -> tuple[float, float]:
    """Where a place of the map (UV) lies on the page, side by side with a fitted square map."""
    # 24 pixels around it are free; at the top 44, where the bars lie.
    width, height = tab.box["width"] / 2 - 48, tab.box["height"] - 68
    side = min(width, height)
    left = tab.box["x"] + tab.box["width"] / 2 + 24 + (width - side) / 2
    return left + x * side, tab.box["y"] + 44 + (height - side) / 2 + y * side


def drag_on_map(tab, start, end, **keys) -> None:
    tab.page.mouse.move(*on_map(tab, *start))
    tab.page.mouse.down()
    tab.page.mouse.move(*on_map(tab, *end), steps=6)
    tab.page.mouse.up()


def islands():
    """Two squares beside each other, each an island of a quarter of the map's side."""
    return joined(
        placed(plane(2), uv_scale=0.25), placed(plane(2), move=(2.2, 0, 0), uv_scale=0.25, uv_move=(0.5, 0.5))
    )


def test_a_bad_model_is_cured_with_one_click(painter, server):
    """The banner says what is wrong, the stage shows where, one click mends it, one undo brings it back."""
    project = server.create(write_glb(tide_gauge_cabinet()), "cabinet.glb")
    tab = painter(project).open()
    page = tab.page
    banner = page.get_by_test_id("uv-banner")
    expect(banner).to_contain_text("of the painted texels are shared")
    banner.get_by_role("button", name="Look").click()
    checkup = page.get_by_test_id("checkup")
    for words in ("shared", "outside the map", "mirrored", "stretched more than 2 times"):
        expect(checkup).to_contain_text(words)
    before = Stage(server, project).corners()
    image = tab.colors()
    reddish = (image[..., 0].astype(int) - image[..., 2]) > 60
    assert reddish.mean() > 0.1  # where it is wrong, model and map are colored
    page.get_by_role("button", name="Unwrap anew").first.click()
    settled(tab, 1)
    expect(checkup).to_contain_text("Sound: nothing to mend.")
    after = Stage(server, project).corners()
    assert after.min() >= 0
    assert after.max() <= 1
    page.get_by_role("button", name="Undo").click()
    settled(tab, 2)
    assert (Stage(server, project).corners() == before).all()
    expect(checkup).to_contain_text("shared")
    checkup.get_by_role("button", name="Meant so").first.click()
    expect(checkup).to_contain_text("1 meant so")
    tab.open()
    expect(page.get_by_test_id("checkup")).to_contain_text("1 meant so")


def test_what_is_wrong_is_mended_from_where_one_paints(painter, server):
    """One button of the banner; with two bad surfaces it mends both. The stage stays, undo brings the UVs back."""
    two = joined(overlapped(), placed(overlapped(), move=(0, 5, 0)), names=["one", "other"])
    for model, button, steps in ((overlapped(), "Unwrap anew", 1), (two, "Mend all", 2)):
        project = server.create(write_glb(model), "model.glb")
        tab = painter(project).open()
        page = tab.page
        banner = page.get_by_test_id("uv-banner")
        before = Stage(server, project).corners()
        banner.get_by_role("button", name=button).click()
        tab.wait_kept(steps)
        expect(banner).to_have_count(0)
        expect(page.get_by_test_id("target")).to_be_visible()
        after = Stage(server, project).corners()
        assert after.min() >= 0
        assert after.max() <= 1
        for step in range(steps):
            page.get_by_role("button", name="Undo").click()
            tab.wait_kept(steps + step + 1)
        banner.wait_for()
        assert (Stage(server, project).corners() == before).all()


def test_islands_are_moved_turned_and_scaled_by_numbers(painter, server):
    """Scaled in u alone, turned with the clock, moved, about the middle of the box: right to a thousandth texel."""
    project = server.create(write_glb(islands()), "islands.glb")
    tab = plain_red(painter, project)
    page = tab.page
    page.get_by_role("button", name="Prepare").click()
    page.wait_for_selector("[data-testid=checkup][data-running=false]", timeout=PATIENCE)
    before = Stage(server, project).corners()
    expect(page.get_by_role("button", name="Numbers")).to_be_disabled()
    page.mouse.click(*on_map(tab, 0.12, 0.12))
    page.get_by_role("button", name="Numbers").click()
    for label, number in (("Move right", "40"), ("Move down", "-3"), ("Turn", "30"), ("Width", "120")):
        page.get_by_role("textbox", name=label).fill(number)
        # Enter leaves the card open.
        page.keyboard.press("Enter")
    page.get_by_role("button", name="Apply").click()
    settled(tab, 1)
    after = Stage(server, project).corners()
    picked = before.max(axis=(1, 2)) < 0.3
    texels = before[picked].reshape(-1, 2) * 256
    middle = (texels.min(axis=0) + texels.max(axis=0)) / 2
    angle = np.radians(30)
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    wanted = ((texels - middle) * [1.2, 1]) @ turn.T + middle + [40, -3]
    assert np.abs(after[picked].reshape(-1, 2) * 256 - wanted).max() < 1e-3
    assert np.array_equal(after[~picked], before[~picked])


def test_islands_are_picked_moved_and_scaled_in_the_map(painter, server):
    """The model follows while dragging; what arrives is exact; the paint stays on the model."""
    project = server.create(write_glb(islands()), "islands.glb")
    tab = plain_red(painter, project)
    page = tab.page
    tab.drag((0.42, 0.5), (0.46, 0.5))
    tab.wait_kept(1)
    page.get_by_role("button", name="Prepare").click()
    page.wait_for_selector("[data-testid=checkup][data-running=false]", timeout=PATIENCE)
    before = Stage(server, project).corners()
    page.mouse.click(*on_map(tab, 0.12, 0.12))
    expect(page.get_by_text("4 faces picked")).to_be_visible()
    drag_on_map(tab, (0.12, 0.12), (0.62, 0.12))
    settled(tab, 2)
    after = Stage(server, project).corners()
    moved = (after - before)[before.max(axis=(1, 2)) < 0.3]
    shift = moved.reshape(-1, 2)
    assert np.ptp(shift, axis=0).max() < 1e-6
    assert shift[0] == pytest.approx([0.5, 0], abs=0.03)
    assert shift[0][0] * 256 == pytest.approx(round(shift[0][0] * 256), abs=1e-3)  # whole texels
    painted = server.texels(project, "surface")
    assert (painted == np.array(RED) * 257).all(axis=2).sum() > 10
    # A corner handle scales, keeping proportions; the knob above turns.
    handle = page.locator("[data-handle='1,1']").bounding_box()
    page.mouse.move(handle["x"] + 5, handle["y"] + 5)
    page.mouse.down()
    page.mouse.move(handle["x"] + 65, handle["y"] + 65, steps=5)
    page.mouse.up()
    settled(tab, 3)
    grown = Stage(server, project).corners()
    picked = before.max(axis=(1, 2)) < 0.3
    ratio = np.ptp(grown[picked].reshape(-1, 2), axis=0) / np.ptp(after[picked].reshape(-1, 2), axis=0)
    assert ratio[0] > 1.1
    assert ratio[0] == pytest.approx(ratio[1], rel=1e-3)
    knob = page.locator("[data-handle=turn]").bounding_box()
    box = page.locator("[data-handle='1,0.5']").bounding_box()
    page.mouse.move(knob["x"] + 7, knob["y"] + 7)
    page.mouse.down()
    page.mouse.move(box["x"] + 60, box["y"] + 5, steps=6)
    page.mouse.up()
    settled(tab, 4)
    turned = Stage(server, project).corners()[picked].reshape(-1, 2)
    middle = (grown[picked].reshape(-1, 2).min(axis=0) + grown[picked].reshape(-1, 2).max(axis=0)) / 2
    away = grown[picked].reshape(-1, 2) - middle
    assert np.abs(turned - middle - np.column_stack([-away[:, 1], away[:, 0]])).max() < 0.005
    for change in (5, 6, 7):
        page.keyboard.press("Control+z")
        tab.wait_kept(change)
    assert (Stage(server, project).corners() == before).all()


def test_box_pick_arrange_and_pack(painter, server):
    """A box from the empty map picks what it meets; fit, align and pack change the UVs as they say."""
    project = server.create(write_glb(islands()), "islands.glb")
    tab = prepare(painter, project)
    page = tab.page
    drag_on_map(tab, (0.45, 0.45), (0.6, 0.6))
    expect(page.get_by_text("4 faces picked")).to_be_visible()
    small = tab.colors()
    page.get_by_role("button", name="Frame", exact=True).click()
    tab.wait_view(lambda now: np.abs(now - small).max(axis=2).mean() > 5, "the picked faces are not framed")
    framed = tab.colors()
    page.get_by_role("button", name="Show all").click()
    tab.wait_view(lambda now: np.abs(now - framed).max(axis=2).mean() > 5, "all is not shown again")
    page.get_by_role("button", name="Turn, align").click()
    page.get_by_role("button", name="Align left").click()
    expect(page.get_by_role("alert")).to_contain_text("changes nothing")  # one island is in line with itself
    page.mouse.move(*on_map(tab, 0.12, 0.12))
    page.keyboard.down("Shift")
    page.mouse.click(*on_map(tab, 0.12, 0.12))
    page.keyboard.up("Shift")
    expect(page.get_by_text("8 faces picked")).to_be_visible()
    page.get_by_role("button", name="Turn, align").click()
    page.get_by_role("button", name="Align left").click()
    settled(tab, 1)
    corners = Stage(server, project).corners()
    assert corners[:8].reshape(-1, 2).min(axis=0)[0] == pytest.approx(
        corners[8:].reshape(-1, 2).min(axis=0)[0], abs=1e-6
    )
    page.get_by_role("button", name="None", exact=True).click()
    page.get_by_role("button", name="Pack", exact=True).click()
    settled(tab, 2)
    packed = Stage(server, project).corners()
    sizes = [np.ptp(packed[half].reshape(-1, 2), axis=0) for half in (slice(0, 8), slice(8, 16))]
    assert np.allclose(sizes[0], sizes[1], atol=1e-4)
    assert sizes[0].min() > 0.4
    page.get_by_label("Density").fill("40")
    page.keyboard.press("Enter")
    settled(tab, 3)
    spread = np.ptp(Stage(server, project).corners()[:8].reshape(-1, 2), axis=0) * 256
    assert spread == pytest.approx([80, 80], rel=0.01)  # 2 units across at 40 texels each


def test_points_of_the_map_come_onto_one_line(painter, server):
    """A corner lies out of its row: the row is picked by a box, from a picked island's corner on, and lined up.

    The points stay picked.
    """
    mesh = placed(plane(4), uv_scale=0.9)
    out = np.abs(mesh.uvs[0] - mesh.uvs[0].reshape(-1, 2).min(axis=0)).max(axis=2) < 1e-6
    mesh.uvs[0][out] += (0, 0.05)
    tab = prepare(painter, server.create(write_glb(mesh), "crooked.glb"))
    page = tab.page
    page.mouse.click(*on_map(tab, 0.5, 0.5))
    corner = page.locator("[data-handle='0,0']").bounding_box()
    page.get_by_role("radio", name="Points").click()
    across = page.get_by_role("button", name="Line up across")
    expect(across).to_be_disabled()
    page.mouse.move(corner["x"] + 2, corner["y"] + 2)
    page.mouse.down()
    page.mouse.move(*on_map(tab, 0.95, 0.14), steps=6)
    page.mouse.up()
    expect(page.get_by_text("Points picked")).to_be_visible()
    across.click()
    settled(tab, 1)
    uv = Stage(server, tab.project).corners()[:, :, 1].ravel()
    assert np.isclose(uv, 0.045 + 0.05 / 5, atol=1e-5).sum() == 12  # the row's eight faces have so many corners there
    across.click()
    expect(page.get_by_role("alert")).to_contain_text("it is so already")
    page.keyboard.press("Control+z")
    settled(tab, 2)
    assert np.isclose(Stage(server, tab.project).corners()[:, :, 1].min(), 0.045, atol=1e-5)


def test_picked_points_are_let_go_with_their_surface(painter, server):
    tab = prepare(painter, server.create())
    page = tab.page
    page.get_by_role("radio", name="Points").click()
    page.mouse.move(*on_map(tab, 0.01, 0.01))
    page.mouse.down()
    page.mouse.move(*on_map(tab, 0.99, 0.99), steps=6)
    page.mouse.up()
    expect(page.get_by_text("Points picked")).to_be_visible()
    page.get_by_role("combobox", name="Surface").first.select_option("right")
    expect(page.get_by_text("Points picked")).to_be_hidden()
    expect(page.get_by_role("button", name="Line up across")).to_be_disabled()


def test_seams_are_marked_and_the_surface_unwraps_along_them(painter, server):
    """A click marks an edge, another a loop, on model and map; unwrapping along them gives those pieces."""
    project = server.create(write_glb(placed(plane(4), uv_scale=0.9)), "plane.glb")
    tab = prepare(painter, project)
    page = tab.page
    page.get_by_role("radio", name="Seam loop").click()
    # The middle line from top to bottom, shown before it is clicked in the map.
    middle = on_map(tab, 0.45 * 0.9 / 0.9 + 0.002, 0.33)
    page.mouse.move(*middle)
    previewed = lambda image: int((np.abs(image - (255, 242, 204)).max(axis=2) < 4).sum())  # noqa: E731
    tab.wait_view(lambda image: previewed(image) > 200, "the loop is not shown under the pointer")
    page.mouse.move(*tab.at(0.01, 0.5))
    tab.wait_view(lambda image: previewed(image) == 0, "the loop stays when the pointer has gone")
    page.mouse.click(*middle)
    tab.wait_kept(1)
    stage = Stage(server, project)
    assert stage.seams == 8  # four edges, each from both sides
    page.get_by_label("Way to unwrap").select_option("seams")
    page.get_by_role("button", name="Unwrap surface").click()
    settled(tab, 2)
    assert Stage(server, project).islands == 2
    page.keyboard.press("v")
    page.mouse.click(*tab.at(0.21, 0.4))
    expect(page.get_by_text("8 faces picked")).to_be_visible()
    page.get_by_role("button", name="Clear seams").click()
    tab.wait_kept(3)
    assert Stage(server, project).seams == 0
    page.get_by_role("button", name="Seam at border").click()
    tab.wait_kept(4)
    assert Stage(server, project).seams == 8


def test_parts_are_hidden(painter, server):
    """A hidden part is not seen, not hit and not painted; it comes back with one click."""
    project = server.create(write_glb(joined(plane(2), placed(plane(2), move=(0, 0, 0.4), uv_scale=0.3))), "two.glb")
    tab = prepare(painter, project)
    page = tab.page
    page.get_by_label("Hide part 1").click()
    settled(tab, 1)
    page.get_by_role("button", name="Hand off").click()
    with page.expect_download() as waiting:
        page.get_by_role("link", name="Shown parts, GLB").click()
    assert len(split_glb(waiting.value.path().read_bytes())[0]["meshes"]) == 1
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Paint", exact=True).click()
    page.get_by_label("Use #b8402c").click()
    tab.drag((0.5, 0.5), (0.52, 0.5))
    tab.wait_kept(2)
    texels = server.texels(project, "surface")
    assert (np.abs(texels.astype(int) - np.array(RED) * 257).max(axis=2) < 9000).sum() > 20
    page.get_by_role("button", name="Prepare").click()
    page.get_by_label("Show part 1").click()
    settled(tab, 3)
    expect(page.get_by_label("Hide part 1")).to_be_visible()
    for part in (0, 1):
        page.get_by_label(f"Hide part {part}").click()
        settled(tab, 4 + part)
    page.get_by_role("button", name="Hand off").click()
    shown = page.get_by_role("link", name="Shown parts, GLB")
    expect(shown).to_have_attribute("aria-disabled", "true")
    expect(shown).to_contain_text("there is nothing to hand off")


def test_while_painting_the_part_under_the_pointer_is_hidden_by_a_key(painter, server):
    """What lay behind it is painted; a chip tells of it and brings it back, and so does the key beside the model."""
    project = server.create(write_glb(joined(plane(2), placed(plane(2), move=(0, 0, 0.4), uv_scale=0.3))), "two.glb")
    tab = painter(project).open()
    page = tab.page
    page.get_by_label("Use #b8402c").click()
    page.mouse.move(*tab.at(0.5, 0.5))
    page.keyboard.press("Shift+H")
    chip = page.get_by_role("button", name="1 hidden")
    chip.wait_for()
    tab.wait_kept(1)
    tab.drag((0.5, 0.5), (0.52, 0.5))
    tab.wait_kept(2)
    painted = np.abs(server.texels(project, "surface").astype(int) - np.array(RED) * 257).max(axis=2) < 9000
    # The other part lies in the map's first third.
    third = int(0.35 * len(painted))
    assert painted.sum() > 20
    assert not painted[:third, :third].any()
    chip.click()
    tab.wait_kept(3)
    expect(chip).to_have_count(0)
    page.mouse.move(*tab.at(0.5, 0.5))
    page.keyboard.press("Shift+H")
    tab.wait_kept(4)
    page.mouse.move(*tab.at(0.03, 0.9))
    page.keyboard.press("Shift+H")
    tab.wait_kept(5)
    expect(chip).to_have_count(0)
    page.get_by_role("button", name="Light and view").click()
    page.get_by_label("Hide part 0").click()
    chip.wait_for()


def test_faces_become_a_surface_of_their_own(painter, server):
    """Picked faces go to a new surface with their paint, in one step."""
    project = server.create(write_glb(islands()), "islands.glb")
    tab = plain_red(painter, project)
    page = tab.page
    tab.drag((0.42, 0.5), (0.46, 0.5))
    tab.wait_kept(1)
    painted = (server.texels(project, "surface") == np.array(RED) * 257).all(axis=2).sum()
    page.get_by_role("button", name="Prepare").click()
    page.wait_for_selector("[data-testid=checkup][data-running=false]", timeout=PATIENCE)
    page.mouse.click(*on_map(tab, 0.12, 0.12))
    page.get_by_role("button", name="Assign faces").click()
    page.get_by_label("Name of the new surface").fill("lid")
    page.keyboard.press("Enter")
    settled(tab, 2)
    expect(page.get_by_role("combobox", name="Surface")).to_contain_text("lid")
    moved = server.texels(project, "lid")
    assert (moved == np.array(RED) * 257).all(axis=2).sum() == pytest.approx(painted, abs=2)
    page.keyboard.press("Control+z")
    settled(tab, 3)
    expect(page.get_by_role("combobox", name="Surface")).not_to_contain_text("lid")


def test_picks_do_not_tint_a_proof(painter, server):
    """Picked faces are an outline over checker and letters, on model and map; beside a proof they are colored."""
    project = server.create(write_glb(practice_body("sphere")), "ball.glb")
    tab = prepare(painter, project)
    page = tab.page

    def change(then: str) -> float:
        before = tab.colors()
        page.keyboard.press("Escape")
        page.get_by_role("radio", name="Island", exact=True).click()
        page.mouse.click(*tab.at(0.25, 0.5))
        tab.wait_view(lambda now: np.abs(now - before).max(axis=2).max() > 60, then)
        return float((np.abs(tab.colors() - before).max(axis=2) > 25).mean())

    tinted = change("the pick is not shown")
    page.keyboard.press("Escape")
    page.get_by_role("radio", name="Checker").click()
    outlined = change("the outline is not shown")
    assert tinted > 0.05
    assert outlined < tinted / 3
    page.get_by_role("radio", name="Paint", exact=True).click()


@pytest.mark.parametrize("proof", ["Checker", "Letters", "Stretch", "Density"])
def test_proofs_change_what_is_seen_and_nothing_else(painter, server, proof):
    """Squares and heat are shown through the UVs; the paint below is untouched."""
    project = server.create(write_glb(practice_body("sphere")), "ball.glb")
    tab = prepare(painter, project)
    before, texels = tab.colors(), server.texels(project, "sphere")
    tab.page.get_by_role("radio", name=proof).click()
    tab.wait_view(lambda now: (np.abs(now - before).max(axis=2) > 20).mean() > 0.15, "the proof is not shown")
    assert (server.texels(project, "sphere") == texels).all()
    assert tab.page.get_by_role("button", name="Undo").is_disabled()
    tab.page.get_by_role("radio", name="Paint", exact=True).click()


def test_long_work_can_be_called_off(painter, server):
    """Unwrapping a fine model shows how far it is; called off, nothing has changed."""
    fine = sphere(200, 100)
    project = server.create(write_glb(fine), "fine.glb")
    tab = prepare(painter, project)
    before = Stage(server, project).corners()
    tab.page.get_by_role("button", name=re.compile("Unwrap")).last.click()
    work = tab.page.get_by_test_id("work")
    expect(work).to_be_visible()
    work.get_by_role("button", name="Call off").click()
    expect(work).to_have_count(0)
    expect(tab.page.get_by_role("alert")).to_contain_text("Called off; nothing was changed.")
    assert (Stage(server, project).corners() == before).all()
    assert Image.open(io.BytesIO(tab.page.screenshot())).size[0] > 0
    tab.wait_color(0.25, 0.5, PLAIN, near=90)
