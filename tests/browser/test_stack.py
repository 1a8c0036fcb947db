"""Stacks in the browser, with the mouse: groups, masks, finishes by drag, regions and the fence, versions."""

from __future__ import annotations

import json
from urllib.request import Request, urlopen

import cv2
import numpy as np
from playwright.sync_api import expect

from nightmist import Document
from nightmist.core.formats.image_files import write_png
from nightmist.core.mesh.topology import islands_of

from .conftest import Painter, Server
from .test_painting import RED, plain_red


def practice(server: Server, body: str, size: int = 256, meters: float = 1) -> str:
    """A project on a practice body."""
    path = f"{server.url}api/projects/practice?body={body}&size={size}&meters={meters}"
    with urlopen(Request(path, method="POST")) as answer:
        return json.load(answer)["id"]


def islands(body: str, size: int = 256) -> list[np.ndarray]:
    """(H, W) which texels each UV island of a practice body owns."""
    document = Document.practice(body, size)
    surface = next(iter(document.surfaces.values()))
    own, mesh = surface.layout.ownership, document.mesh
    label = islands_of(mesh.topology, surface.uvs, surface.faces)
    owner = own.owner()
    return [np.isin(owner, np.flatnonzero(label == k)) for k in range(label.max() + 1)]


def row(tab: Painter, name: str):
    return tab.page.get_by_role("row", name=name, exact=True)


def drag_row(tab: Painter, name: str, onto: str, down: float = 0.5) -> None:
    """Drag a layer by its name onto another's row, at a share of that row's height."""
    page = tab.page
    start, end = (row(tab, each).bounding_box() for each in (name, onto))
    page.mouse.move(start["x"] + 90, start["y"] + 20)
    page.mouse.down()
    page.mouse.move(start["x"] + 94, start["y"] + 28)
    page.mouse.move(end["x"] + 90, end["y"] + down * end["height"], steps=6)
    # A drag and drop of the browser's own lives from event to event.
    page.mouse.move(end["x"] + 91, end["y"] + down * end["height"])
    page.mouse.up()


def test_a_layer_inside_a_group_is_cut_by_the_groups_mask(painter, server):
    """Grouped by dragging, masked by a click, shown again by a stroke on the mask; undone step by step."""
    tab = plain_red(painter)
    page = tab.page
    tab.drag((0.36, 0.5), (0.46, 0.5))
    tab.wait_kept(1)
    painted = server.texels(tab.project, "left")
    page.get_by_role("button", name="Add a group").click()
    tab.wait_kept(2)
    drag_row(tab, "First paint", "Group")
    tab.wait_kept(3)
    expect(row(tab, "First paint")).to_have_attribute("data-level", "2")
    row(tab, "Group").click()
    page.get_by_role("button", name="Hides all").click()
    tab.wait_kept(4)
    expect(page.get_by_test_id("target")).to_contain_text("mask of Group")
    hidden = server.texels(tab.project, "left")
    assert not (np.abs(hidden.astype(int) - np.array(RED) * 257).max(axis=2) < 400).any()
    tab.drag((0.41, 0.4), (0.41, 0.6))
    tab.wait_kept(5)
    shown = server.texels(tab.project, "left")
    changed = (shown != hidden).any(axis=2)
    assert 20 < changed.sum() < (painted != hidden).any(axis=2).sum()
    np.testing.assert_array_equal(
        shown[changed & (shown == painted).all(axis=2)], painted[changed & (shown == painted).all(axis=2)]
    )
    # The other value takes away again.
    page.keyboard.press("x")
    expect(page.get_by_test_id("target")).to_contain_text("shows 0%")
    page.get_by_label("Radius", exact=True).fill("400")
    tab.drag((0.41, 0.3), (0.41, 0.7))
    tab.wait_kept(6)
    assert (server.texels(tab.project, "left") != hidden).any(axis=2).sum() < changed.sum() / 4
    for change in range(7, 12):
        page.keyboard.press("Control+z")
        tab.wait_kept(change)
    np.testing.assert_array_equal(server.texels(tab.project, "left"), painted)


def test_three_finishes_are_dragged_onto_islands_and_one_island_more_is_added_and_taken(painter, server):
    project = practice(server, "box")
    tab = painter(project).open()
    page = tab.page
    found = islands("box")
    bare = server.texels(project, "box")
    tab.side_by_side()
    page.get_by_role("button", name="Finishes").click()
    canvas = page.locator("canvas[data-ready]")
    expect(page.get_by_role("button", name="Rust", exact=True)).to_be_visible()
    tab.box = canvas.bounding_box()
    places = island_places(tab, found)
    looks = []
    for change, (name, k) in enumerate([("Rust", 0), ("Concrete", 1), ("Timber boards", 2)], 1):
        x, y = places[k]
        page.get_by_role("button", name=name, exact=True).drag_to(canvas, target_position={"x": x, "y": y})
        tab.wait_kept(change)
        looks.append(server.texels(project, "box"))
    last = looks[-1]
    for k, island in enumerate(found):
        touched = (last != bare)[island].any()
        assert touched == (k < 3), k
    # Each lies on its own island alone.
    assert ((looks[0] != bare).any(axis=2) <= grown(found[0])).all()
    expect(page.get_by_test_id("target")).to_contain_text("mask of Timber boards")
    x, y = places[4]
    page.mouse.click(tab.box["x"] + x, tab.box["y"] + y)
    tab.wait_kept(4)
    assert (server.texels(project, "box") != bare)[found[4]].any()
    page.keyboard.press("x")
    page.mouse.click(tab.box["x"] + x, tab.box["y"] + y)
    tab.wait_kept(5)
    np.testing.assert_array_equal(server.texels(project, "box")[found[4]], bare[found[4]])
    np.testing.assert_array_equal(server.texels(project, "box")[found[2]], last[found[2]])


def grown(island: np.ndarray, texels: int = 18) -> np.ndarray:
    """An island with its gutter, which goes on at the other side of the map."""
    around = np.pad(island.astype(np.uint8), texels, mode="wrap")
    wide = cv2.dilate(around, np.ones((2 * texels + 1, 2 * texels + 1)))
    return wide[texels:-texels, texels:-texels] > 0


def island_places(tab: Painter, found: list[np.ndarray]) -> list[tuple[float, float]]:
    """Where the middle of each island lies on the canvas, in the map at the right: it is fitted with a margin."""
    page = tab.page
    page.get_by_role("button", name="Show all").click()
    image = tab.colors()
    height, width = image.shape[:2]
    # The map lies in the right half, framed by the stage's gray.
    stage = np.array([0x8B, 0x8F, 0x8E])
    right = np.abs(image[:, width // 2 + 4 :] - stage).max(axis=2) > 12
    right[:52] = False
    columns, rows = np.flatnonzero(right.sum(axis=0) > height / 3), np.flatnonzero(right.sum(axis=1) > width / 8)
    scale = (columns[-1] - columns[0] + 1) / found[0].shape[1]
    # Controls may lie over its upper edge.
    left, top = width // 2 + 4 + columns[0], rows[-1] + 1 - scale * found[0].shape[0]
    places = []
    for island in found:
        y, x = np.argwhere(island).mean(axis=0)
        places.append((left + (x + 0.5) * scale, top + (y + 0.5) * scale))
    return places


def test_a_picked_region_is_the_fence_that_strokes_stay_in(painter, server):
    project = practice(server, "box")
    tab = painter(project).open()
    page = tab.page
    found = islands("box")
    tab.side_by_side()
    places = island_places(tab, found)
    page.get_by_role("radio", name="Pick").click()
    page.mouse.click(tab.box["x"] + places[1][0], tab.box["y"] + places[1][1])
    expect(page.get_by_role("status").filter(has_text="picked")).to_contain_text("picked")
    page.get_by_role("button", name="Keep as region").click()
    tab.wait_kept(1)
    expect(page.get_by_test_id("target")).to_contain_text("Region")
    bare = server.texels(project, "box")
    page.get_by_role("radio", name="Brush").click()
    page.get_by_label("Radius", exact=True).fill("600")
    across = [(x / tab.box["width"], y / tab.box["height"]) for x, y in (places[0], places[1], places[2])]
    tab.drag(*across)
    tab.wait_kept(2)
    fenced = (server.texels(project, "box") != bare).any(axis=2)
    assert fenced.any()
    assert not fenced[~grown(found[1])].any()
    assert not any(fenced[found[k]].any() for k in range(len(found)) if k != 1)
    page.keyboard.press("k")
    tab.drag(*across)
    tab.wait_kept(3)
    free = (server.texels(project, "box") != bare).any(axis=2)
    assert free[found[0]].any()
    # It is still there after a reload.
    tab.open()
    expect(page.get_by_role("button", name="Fence: Region")).to_have_attribute("aria-pressed", "false")


def test_faces_are_picked_by_their_direction_and_by_a_box(painter, server):
    """A box of 6 sides with 64 polygons each: one side faces one way; a box around the model picks the sides seen."""
    tab = painter(practice(server, "box")).open()
    page, box = tab.page, tab.box
    picked = page.get_by_role("status").filter(has_text="picked")
    middle = (box["x"] + box["width"] * 0.45, box["y"] + box["height"] * 0.55)
    page.get_by_role("radio", name="Pick").click()
    page.get_by_role("radio", name="Facing").click()
    page.mouse.click(*middle)
    expect(picked).to_have_text("64 faces are picked.")
    page.get_by_label("Within", exact=True).fill("1000")
    page.mouse.click(*middle)
    # At right angles the four sides around belong to it.
    expect(picked).to_have_text("320 faces are picked.")
    page.get_by_role("button", name="Pick nothing").click()
    page.get_by_role("radio", name="Box", exact=True).click()
    tab.drag((0.02, 0.98), (0.98, 0.02))
    expect(picked).to_have_text("192 faces are picked.")
    page.keyboard.down("Control")
    tab.drag((0.02, 0.98), (0.98, 0.02))
    page.keyboard.up("Control")
    expect(picked).to_have_text("No faces are picked.")


def test_a_wash_meets_what_lies_below_by_height(painter, server):
    """Two finishes: the upper one gets a mask of one half, and covers low places only once it meets by height."""
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    page.get_by_role("button", name="Finishes").click()
    page.get_by_role("button", name="Rope", exact=True).click()
    tab.wait_kept(1)
    page.get_by_role("button", name="Rubber", exact=True).click()
    tab.wait_kept(2)
    expect(page.locator("[data-target=true]")).to_contain_text("Rubber")
    page.get_by_role("button", name="Hides all").click()
    tab.wait_kept(3)
    page.get_by_role("slider", name="Shows").fill("500")
    page.get_by_role("radio", name="Fill").click()
    page.get_by_role("radio", name="Surface", exact=True).last.click()
    # The card has taken room from the stage.
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    tab.drag((0.5, 0.5), (0.5, 0.5))
    tab.wait_kept(4)
    half = server.texels(project, "plane").astype(int)
    page.get_by_role("button", name="Meets below: plainly").click()
    page.get_by_label("by height: low places first").click()
    tab.wait_kept(5)
    met = server.texels(project, "plane").astype(int)
    # Half of either everywhere has become all of one or the other nearly everywhere.
    assert met.std() > half.std() * 1.3
    page.get_by_label("Border").fill("900")
    tab.wait_kept(6)
    heights = server.texels(project, "plane", "height").astype(int)
    page.keyboard.press("Control+z")
    tab.wait_kept(7)
    assert (server.texels(project, "plane", "height").astype(int) != heights).any()


def test_versions_are_kept_and_gone_back_to(painter, server):
    tab = plain_red(painter)
    page = tab.page
    tab.drag((0.36, 0.5), (0.46, 0.5))
    tab.wait_kept(1)
    first = server.texels(tab.project, "left")
    page.get_by_role("button", name="Versions").click()
    expect(page.get_by_label("Name of the version")).to_have_value("Base colors")
    page.get_by_role("button", name="Keep", exact=True).click()
    tab.wait_kept(2)
    page.keyboard.press("Escape")
    tab.drag((0.36, 0.3), (0.46, 0.3))
    tab.wait_kept(3)
    second = server.texels(tab.project, "left")
    assert (second != first).any()
    tab.open()
    page.get_by_role("button", name="Versions").click()
    page.get_by_role("button", name="Go back", exact=True).click()
    tab.wait_kept(4)
    np.testing.assert_array_equal(server.texels(tab.project, "left"), first)
    page.get_by_role("button", name="Forget Base colors").click()
    tab.wait_kept(5)
    page.keyboard.press("Escape")
    expect(page.get_by_label("Name of the version")).to_have_count(0)
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    tab.wait_kept(7)
    np.testing.assert_array_equal(server.texels(tab.project, "left"), second)


def test_a_version_is_compared_by_a_line_that_is_dragged(painter, server):
    """Left of the line what is there now, right of it the version; nothing is changed by looking."""
    tab = plain_red(painter)
    page = tab.page

    def patch(image: np.ndarray) -> np.ndarray:
        y, x = int(0.5 * image.shape[0]), int(0.4 * image.shape[1])
        return image[y - 3 : y + 4, x - 3 : x + 4].reshape(-1, 3).mean(axis=0)

    def near(color: np.ndarray):
        return lambda image: bool(np.abs(patch(image) - color).max() < 4)

    page.get_by_role("button", name="Versions").click()
    page.get_by_role("button", name="Keep", exact=True).click()
    tab.wait_kept(1)
    page.keyboard.press("Escape")
    before = patch(tab.colors())
    tab.drag((0.36, 0.5), (0.46, 0.5))
    tab.wait_kept(2)
    tab.wait_view(lambda image: np.abs(patch(image) - before).max() > 20, "the stroke is seen")
    painted = patch(tab.colors())
    page.get_by_role("button", name="Versions").click()
    page.get_by_role("button", name="Compare with Base colors").click()
    page.keyboard.press("Escape")
    wipe = page.get_by_role("slider", name="Wipe between now and the version")
    expect(wipe).to_be_visible()
    expect(page.get_by_text("is being fetched")).to_have_count(0)
    tab.wait_view(near(painted), "left of the line stands what is there now")
    line = wipe.bounding_box()
    page.mouse.move(line["x"] + line["width"] / 2, line["y"] + 200)
    page.mouse.down()
    page.mouse.move(tab.box["x"] + 0.2 * tab.box["width"], line["y"] + 200, steps=4)
    page.mouse.up()
    expect(wipe).to_have_attribute("aria-valuenow", "20")
    tab.wait_view(near(before), "right of the line stands the version")
    wipe.press("ArrowRight")
    expect(wipe).to_have_attribute("aria-valuenow", "22")
    page.get_by_role("button", name="Stop comparing").click()
    tab.wait_view(near(painted), "all is as it is now")
    tab.wait_kept(2)


def test_a_blur_runs_below_a_stroke_and_a_mask_is_seen_alone_from_its_menu(painter, server):
    """An adjustment by clicks, its radius by the slider; strokes below come out blurred; then only the mask is seen."""
    tab = plain_red(painter)
    page = tab.page
    tab.drag((0.4, 0.4), (0.4, 0.6))
    tab.wait_kept(1)
    sharp = server.texels(tab.project, "left").astype(int)
    page.get_by_role("button", name="Add an adjustment").click()
    tab.wait_kept(2)
    page.get_by_role("radio", name="Blur", exact=True).click()
    tab.wait_kept(3)
    expect(row(tab, "Blur")).to_be_visible()
    page.get_by_role("slider", name="Radius").first.fill("250")
    tab.wait_kept(4)
    soft = server.texels(tab.project, "left").astype(int)
    steps = [np.abs(np.diff(image[..., 1], axis=1)).max() for image in (sharp, soft)]
    assert steps[1] < steps[0] / 2
    row(tab, "Blur").click()
    page.get_by_role("button", name="Hides all").click()
    tab.wait_kept(5)
    np.testing.assert_array_equal(server.texels(tab.project, "left"), sharp)
    page.get_by_role("button", name="Make the mask of Blur from").click()
    page.get_by_role("menuitem", name="See the mask alone").click()
    chip = page.get_by_role("button", name="Put to rest: Only a mask is seen")
    expect(chip).to_be_visible()
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    tab.drag((0.35, 0.5), (0.5, 0.5))
    tab.wait_kept(6)
    chip.click()
    expect(chip).to_have_count(0)
    cut = server.texels(tab.project, "left").astype(int)
    assert (cut != sharp).any()
    assert (cut == sharp).all(axis=2).mean() > (soft == sharp).all(axis=2).mean()


def test_a_finish_is_dropped_into_a_group_and_a_picture_onto_the_stack(painter, server):
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    bare = server.texels(project, "plane")
    page.get_by_role("button", name="Add a group").click()
    tab.wait_kept(1)
    page.get_by_role("button", name="Finishes").click()
    rope = page.get_by_role("button", name="Rope", exact=True)
    expect(rope).to_be_visible()
    rope.drag_to(row(tab, "Group"), target_position={"x": 90, "y": 20})
    tab.wait_kept(2)
    expect(row(tab, "Rope").first).to_have_attribute("data-level", "2")
    roped = server.texels(project, "plane")
    assert (roped != bare).any()
    # A flat green picture, as the page gets it from a drop of a file.
    page.evaluate(
        """async () => {
          const canvas = new OffscreenCanvas(8, 8), paint = canvas.getContext("2d");
          paint.fillStyle = "#00ff00"; paint.fillRect(0, 0, 8, 8);
          const data = new DataTransfer();
          data.items.add(new File([await canvas.convertToBlob()], "green.png", { type: "image/png" }));
          const stack = document.querySelector("section[aria-label=Stack]");
          stack.dispatchEvent(new DragEvent("drop", { dataTransfer: data, bubbles: true, cancelable: true }));
        }"""
    )
    expect(row(tab, "Wash")).to_be_visible()
    tab.wait_kept(4)
    green = server.texels(project, "plane")[..., :3]
    np.testing.assert_array_equal(green[128, 128], [0, 65535, 0])


def test_a_finish_is_dropped_on_what_has_one_color_in_a_picture_of_flat_colors(painter, server):
    project = practice(server, "plane")
    tab = painter(project).open()
    page = tab.page
    bare = server.texels(project, "plane")
    tab.side_by_side()
    # Left half red, right half blue.
    ids = np.zeros((64, 64, 4), np.uint8)
    ids[..., 3], ids[:, :32, 0], ids[:, 32:, 2] = 255, 255, 255
    given = {"name": "ids.png", "mimeType": "image/png", "buffer": write_png(ids)}
    answer = page.request.post(f"{server.url}api/projects/{project}/library", multipart={"files": given})
    assert answer.ok
    tab.wait_kept(1)
    page.get_by_role("button", name="Finishes").click()
    page.get_by_role("radio", name="ID color").click()
    canvas = page.locator("canvas[data-ready]")
    tab.box = canvas.bounding_box()
    rust = page.get_by_role("button", name="Rust", exact=True)
    rust.drag_to(canvas, target_position={"x": tab.box["width"] * 0.7, "y": tab.box["height"] * 0.5})
    tab.wait_kept(2)
    changed = (server.texels(project, "plane") != bare).any(axis=2)
    assert changed[:, 20:120].mean() > 0.9
    assert not changed[:, 136:240].any()


def test_faces_are_picked_by_their_color_in_a_picture_of_flat_colors(painter, server):
    """On the second surface, as a region: a fill stays on the half that was clicked; without a picture that is said."""
    project = server.create()
    tab = painter(project).open()
    page = tab.page
    page.get_by_role("radio", name="Pick", exact=True).click()
    page.get_by_role("radio", name="ID color").click()
    page.mouse.click(*tab.at(0.66, 0.5))
    expect(page.get_by_role("alert")).to_contain_text("no picture of flat colors")
    ids = np.zeros((64, 64, 4), np.uint8)
    ids[..., 3], ids[:, :32, 0], ids[:, 32:, 2] = 255, 255, 255
    given = {"name": "ids.png", "mimeType": "image/png", "buffer": write_png(ids)}
    assert page.request.post(f"{server.url}api/projects/{project}/library", multipart={"files": given}).ok
    tab.wait_kept(1)
    expect(page.get_by_role("alert")).to_be_hidden()
    page.mouse.click(*tab.at(0.66, 0.5))
    expect(page.get_by_text("8 faces are picked.")).to_be_visible()
    page.get_by_role("button", name="Keep as region").click()
    tab.wait_kept(2)
    bare = {name: server.texels(project, name) for name in ("left", "right")}
    page.get_by_role("radio", name="Fill", exact=True).click()
    page.get_by_role("radio", name="Surface", exact=True).click()
    page.mouse.click(*tab.at(0.66, 0.5))
    tab.wait_kept(3)
    changed = (server.texels(project, "right") != bare["right"]).any(axis=2)
    halves = sorted(float(half[20:-20, 20:-20].mean()) for half in np.hsplit(changed, 2))
    assert halves[0] == 0
    assert halves[1] > 0.9
    assert (server.texels(project, "left") != bare["left"]).any(axis=2).mean() < 0.02


def test_a_wash_lays_what_is_painted_on_another_layer_and_follows_it(painter, server):
    """Chosen for the metal of a wash: the color that is painted; each stroke shows in both, times a factor."""
    project = practice(server, "plane")
    tab = plain_red(painter, project)
    page = tab.page
    tab.drag((0.42, 0.5), (0.5, 0.5))
    tab.wait_kept(1)
    page.get_by_role("button", name="Wash", exact=True).click()
    tab.wait_kept(2)
    chosen = page.get_by_label("Metal of Wash")
    chosen.select_option(label="First paint of plane, color")
    tab.wait_kept(3)
    expect(chosen.locator("option:checked")).to_have_text("First paint of plane, color")
    first = server.texels(project, "plane", "metallic").astype(int)
    gray = np.array([0xB8, 0x40, 0x2C]) / 255 @ (0.2126, 0.7152, 0.0722)
    assert abs(np.median(first[first > 3000]) / 65535 - gray) < 0.02
    row(tab, "First paint").click()
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    tab.drag((0.42, 0.6), (0.5, 0.6))
    tab.wait_kept(4)
    second = server.texels(project, "plane", "metallic").astype(int)
    assert (second > 3000).sum() > 1.2 * (first > 3000).sum()
    row(tab, "Wash").click()
    page.get_by_label("Times", exact=True).fill("0")
    tab.wait_kept(5)
    assert not server.texels(project, "plane", "metallic").any()
    for change in (6, 7):
        page.get_by_role("button", name="Undo", exact=True).click()
        tab.wait_kept(change)
    np.testing.assert_array_equal(server.texels(project, "plane", "metallic"), first)
    row(tab, "First paint").click()
    page.get_by_role("button", name="Delete layer").click()
    tab.wait_kept(8)
    expect(page.get_by_role("alert")).to_contain_text("A wash lays what is painted on First paint: it goes on")
    np.testing.assert_array_equal(server.texels(project, "plane", "metallic"), first)
