"""What one sees of the model and the map, and that it stays as it was left."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
from playwright.sync_api import expect

from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.mesh.bodies import practice_body

from ..shapes import placed, plane, walls
from .conftest import model_in
from .test_painting import plain_red


def middle_of_map(tab) -> tuple[int, int, int]:
    image = tab.colors()
    return tuple(image[image.shape[0] // 2 + 20, image.shape[1] * 3 // 4 + 20])


def test_the_map_shows_the_map_that_is_chosen(painter, server):
    """Roughness that is painted in the flat view is seen there, as the number that is stored."""
    tab = plain_red(painter)
    page = tab.page
    tab.side_by_side()
    page.get_by_role("switch", name="Paint color").click()
    page.get_by_role("switch", name="Paint rough").click()
    page.get_by_label("Rough", exact=True).fill("900")
    page.get_by_label("Light and view").click()
    page.get_by_role("radio", name="Rough", exact=True).click()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="UV lines").click()
    before = middle_of_map(tab)
    page.get_by_role("radio", name="Fill", exact=True).click()
    page.mouse.click(*tab.at(0.75, 0.5))
    tab.wait_kept(1)
    tab.wait_view(lambda _: max(abs(c - 230) for c in middle_of_map(tab)) < 4, "the map does not show roughness")
    assert before[0] < 160
    stored = server.texels(tab.project, "left", "roughness") // 257
    assert np.abs(stored[128, 128].astype(int) - 230).max() <= 1


def test_a_channel_of_the_color_is_seen_alone_as_it_is_stored(painter, server):
    """On the model and in the map, as gray of the number that lies in the file."""
    tab = plain_red(painter)
    page = tab.page
    tab.side_by_side()
    page.get_by_role("button", name="UV lines").click()
    page.get_by_role("radio", name="Fill", exact=True).click()
    page.mouse.click(*tab.at(0.75, 0.5))
    tab.wait_kept(1)
    stored = server.texels(tab.project, "left")[128, 128] // 257
    assert np.ptp(stored) > 60
    for name, wanted in zip(("Red", "Green", "Blue"), stored.tolist(), strict=True):
        page.get_by_label("Light and view").click()
        page.get_by_role("radio", name=name, exact=True).click()
        page.keyboard.press("Escape")
        for x in (0.2, 0.75):
            tab.wait_color(x, 0.55, (wanted,) * 3, near=2)


def test_uv_lines_are_light_over_what_is_dark(painter):
    """Black paint in the map: lines that were dark before are lighter than it."""
    tab = painter().open()
    page = tab.page
    page.get_by_role("radio", name="Plain").click()
    page.get_by_role("radio", name="Map", exact=True).click()
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    page.get_by_label("Color", exact=True).fill("#000000")
    page.get_by_role("radio", name="Fill", exact=True).click()
    page.mouse.click(*tab.at(0.5, 0.5))
    tab.wait_kept(1)
    page.mouse.move(*tab.at(0.01, 0.99))
    tab.wait_view(lambda now: (now.max(axis=2) < 8).sum() > 5000, "the map is not black")
    image = tab.colors().max(axis=2)
    height, width = image.shape
    middle = image[int(height * 0.35) : int(height * 0.65), int(width * 0.4) : int(width * 0.6)]
    assert 100 < (middle > 40).sum() < middle.size / 4


def test_the_normal_map_is_seen_alone_as_it_is_stored(painter, server):
    """On the model and in the map: what is flat, and a slope."""
    tab = plain_red(painter)
    page = tab.page
    tab.side_by_side()
    page.get_by_role("button", name="UV lines").click()
    page.get_by_role("switch", name="Paint bump").click()
    page.get_by_label("Bump", exact=True).fill("900")
    page.get_by_label("Light and view").click()
    page.get_by_role("radio", name="Normal", exact=True).click()
    page.keyboard.press("Escape")
    for x in (0.2, 0.75):
        tab.wait_color(x, 0.55, (128, 128, 255), near=2)
    tab.drag((0.75, 0.3), (0.75, 0.7))
    tab.wait_kept(1)
    stored = server.texels(tab.project, "left", "normal").astype(int) // 257
    sloped = np.abs(stored - (128, 128, 255)).max(axis=2) > 20
    assert sloped.sum() > 500
    before = tab.colors()[..., 0].astype(int)
    half = before.shape[1] // 2
    for view in (before[:, :half], before[:, half:]):
        assert (np.abs(view - 128) > 20).sum() > 100


def test_the_ring_stands_in_every_view(painter):
    """On one map alone, on clay and on wire the brush is seen where it is."""
    tab = plain_red(painter)
    page = tab.page
    for shading in ("Rough", "Normal", "Clay", "Wire"):
        page.get_by_label("Light and view").click()
        page.get_by_role("radio", name=shading, exact=True).click()
        page.keyboard.press("Escape")
        page.mouse.move(*tab.at(0.02, 0.98))
        page.wait_for_timeout(200)
        bare = tab.colors()
        page.mouse.move(*tab.at(0.4, 0.5))
        tab.wait_view(
            lambda now, bare=bare: (np.abs(now - bare).max(axis=2) > 30).sum() > 60, f"there is no ring on {shading}"
        )


def test_nothing_averted_shows_at_the_outline(painter, server):
    """A box, black where it faces the eye and white behind, is black up to its last pixel, however it is turned."""
    box = practice_body("box", 1.0)
    averted = (box.face_normals.max(axis=1) < 0.5).astype(np.int32)
    looks = [
        replace(box.surfaces[0], name=name, base_color=(tone,) * 3) for name, tone in (("near", 0.0), ("far", 1.0))
    ]
    mesh = box.changed(face_surface=averted, surfaces=looks)
    tab = painter(server.create(write_glb(mesh), "box.glb")).open()
    page = tab.page
    page.get_by_role("radio", name="Plain", exact=True).click()
    for _ in range(6):
        page.mouse.move(*tab.at(0.05, 0.9))
        page.keyboard.down("Alt")
        tab.drag((0.05, 0.9), (0.056, 0.894))
        page.keyboard.up("Alt")
        tab.wait_view(lambda image: (image[80:].max(axis=2) < 30).sum() > 10_000, "the box is not seen")
        assert not (tab.colors()[80:].min(axis=2) > 0xB0).any()


def test_edges_are_smooth_once_nothing_moves(painter, server):
    """A black box on the stage's gray: grays between along its outline, and the same colors as without, elsewhere."""
    box = practice_body("box", 1.0)
    mesh = box.changed(surfaces=[replace(box.surfaces[0], base_color=(0.0, 0.0, 0.0))])
    tab = painter(server.create(write_glb(mesh), "box.glb"))
    page = tab.page
    # Sides that larger pixels do not divide.
    page.set_viewport_size({"width": 1161, "height": 641})
    tab.open()
    page.get_by_role("radio", name="Plain", exact=True).click()
    stage = (0x8B, 0x8F, 0x8E)

    def between(image: np.ndarray) -> np.ndarray:
        level = image[80:, :, :3].max(axis=2)
        return (level > 12) & (level < 120)

    def there(image: np.ndarray) -> bool:
        return bool((image[80:].max(axis=2) < 8).sum() > 10_000)

    plain = tab.wait_view(there, "the box is not seen")
    assert not between(plain).any()
    page.goto(page.url.replace("&smooth=off", ""))
    page.reload()
    # The words of a page that still loads are dark on light, too, and lie on the box.
    page.wait_for_selector("canvas[data-ready=true]")
    smooth = tab.wait_view(lambda image: there(image) and between(image).sum() > 100, "no edge is smooth")
    edge = np.abs(smooth.astype(int) - plain).max(axis=2) > 1
    assert edge[80:].mean() < 0.01
    assert (smooth[100, 20, :3] == stage).all()

    def jumps(image: np.ndarray) -> int:
        level = image[80:, :, :3].max(axis=2).astype(int)
        return int((np.abs(np.diff(level, axis=1)) > 100).sum())

    # While the view turns pixels are twice as large, and blended; where it comes to rest as it stood, all is as it was.
    x, y = tab.at(0.05, 0.9)
    page.mouse.move(x, y)
    page.mouse.down()
    assert jumps(plain) > 300
    steps = itertools.cycle((20, 40, 60, 40))

    def turned() -> np.ndarray:
        page.mouse.move(x + next(steps), y, steps=4)
        return tab.colors()

    coarse = next(image for image in (turned() for _ in range(40)) if there(image) and jumps(image) < 20)
    assert (coarse[-1, :, :3] == stage).all()
    assert (coarse[80:, -1, :3] == stage).all()
    page.mouse.move(x, y)
    tab.wait_view(lambda image: (np.abs(image.astype(int) - smooth)[80:] <= 1).all(), "no smooth frame after turning")
    page.mouse.up()
    # Made larger by the browser, the page has more pixels of the screen to each of its own; the stage uses them.
    larger = {"width": 928, "height": 512, "deviceScaleFactor": 1.25, "mobile": False}
    screen = page.context.new_cdp_session(page)
    screen.send("Emulation.setDeviceMetricsOverride", larger)
    page.wait_for_function(
        "() => { const { width, clientWidth } = document.querySelector('canvas[data-ready]');"
        " return clientWidth < 900 && width === Math.floor(1.25 * clientWidth); }"
    )
    screen.send("Emulation.setDeviceMetricsOverride", {**larger, "deviceScaleFactor": 1})
    page.wait_for_function("() => devicePixelRatio === 1")
    screen.detach()


def test_all_is_shown_and_the_camera_is_kept(painter, server):
    """A flat wide model fills the view without being cut off; turned, it stands so after a reload."""
    project = server.create(write_glb(placed(plane(4), scale=(3, 1, 1))), "wide.glb")
    tab = painter(project).open()
    page = tab.page
    page.get_by_role("button", name="Show all").click()

    def box(image: np.ndarray) -> tuple[float, float]:
        x = np.flatnonzero(model_in(image)[60:].any(axis=0))
        return x.min() / image.shape[1], x.max() / image.shape[1]

    tab.wait_view(lambda image: box(image)[0] > 0.01 and box(image)[1] < 0.99, "the model is cut off")
    tab.wait_view(lambda image: box(image)[1] - box(image)[0] > 0.6, "the model is small")
    tab.drag((0.1, 0.95), (0.2, 0.8))
    page.wait_for_timeout(300)
    turned = tab.colors()
    assert model_in(turned).any()
    # The desk is kept a moment after the camera rests.
    page.wait_for_timeout(1500)
    tab.open()
    expect(page.get_by_test_id("target")).to_be_visible()
    tab.wait_view(lambda now: (np.abs(now - turned).max(axis=2) > 12).mean() < 0.01, "the camera was not kept")


def test_what_was_framed_stays_clear_of_the_bars_when_the_window_changes(painter, server):
    """A tall model, in a window that becomes smaller; once turned by hand it is left where it is."""
    tab = painter(server.create(write_glb(placed(plane(4), scale=(0.4, 1, 1))), "mast.glb")).open()
    page = tab.page

    def top() -> float:
        """How far down the model begins, and the bars are, when they are out of sight for a moment."""
        page.add_style_tag(content="[data-bar] { visibility: hidden }")
        return float(np.flatnonzero(model_in(tab.colors()).any(axis=1))[0])

    page.set_viewport_size({"width": 1600, "height": 900})
    page.get_by_role("button", name="Show all").click()
    page.set_viewport_size({"width": 1024, "height": 640})
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    bars = [bar.bounding_box() for bar in page.locator("[data-bar]").all()]
    lowest = max(bar["y"] + bar["height"] - tab.box["y"] for bar in bars if bar)
    assert top() > 0
    tab.wait_view(
        lambda image: np.flatnonzero(model_in(image).any(axis=1))[0] >= lowest, "the model lies under the bars"
    )
    tab.drag((0.1, 0.95), (0.14, 0.95))
    page.wait_for_timeout(500)
    turned = top()
    page.set_viewport_size({"width": 1024, "height": 660})
    page.wait_for_timeout(500)
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    assert abs(top() - turned) < 20


def test_the_map_lies_as_it_was_left(painter, server):
    """Zoomed and shifted by the mouse; after a reload a stroke at the same place of the view meets the same texels."""
    tab = painter(server.create(write_glb(plane(4)), "deck.glb")).open()
    page = tab.page
    page.get_by_role("radio", name="Map", exact=True).click()
    page.wait_for_selector("canvas[data-views='map']")
    page.mouse.move(*tab.at(0.45, 0.4))
    for _ in range(6):
        page.mouse.wheel(0, -240)
    tab.drag((0.5, 0.5), (0.6, 0.55), button="middle")
    # The desk is kept a moment after the view rests.
    page.wait_for_timeout(1500)
    tab.drag((0.48, 0.5), (0.52, 0.5))
    tab.wait_kept(1)
    first = server.texels(tab.project, "surface").astype(int)
    page.get_by_role("button", name="Undo").click()
    tab.wait_kept(2)
    tab.open()
    tab.drag((0.48, 0.5), (0.52, 0.5))
    tab.wait_kept(3)
    again = server.texels(tab.project, "surface").astype(int)
    bare = np.median(first.reshape(-1, 3), axis=0)
    assert 0 < (np.abs(first - bare).max(axis=2) > 0).sum() < 20_000
    assert np.abs(again - first).max() <= 65535 / 255
    page.get_by_role("button", name="Show all").click()
    page.wait_for_timeout(1500)
    tab.open()
    tab.drag((0.48, 0.5), (0.52, 0.5))
    tab.wait_kept(4)
    assert np.abs(server.texels(tab.project, "surface").astype(int) - again).max() > 0


def test_edges_are_the_polygons(painter, server):
    """A plane of four by four quads has lines between its quads, and none across them."""
    tab = painter(server.create(write_glb(plane(4)), "plane.glb")).open()
    page = tab.page
    page.get_by_label("Light and view").click()
    page.get_by_role("radio", name="Wire", exact=True).click()
    page.keyboard.press("Escape")
    page.mouse.move(*tab.at(0.5, 0.5))
    page.keyboard.press("n")
    page.wait_for_timeout(600)
    page.mouse.move(*tab.at(0.01, 0.99))

    def lines(image: np.ndarray) -> int:
        dark = image.sum(axis=2) < 300
        y = int(image.shape[0] * 0.45)
        return int((np.diff(dark[y].astype(int)) == 1).sum())

    tab.wait_view(lambda image: lines(image) == 5, "there are not five lines across")


def test_a_card_beside_the_stage_leaves_all_of_the_model_in_sight(painter, server):
    """The view grows narrower: the model goes back as far as it must, and comes again when the card is closed."""
    tab = painter(server.create(write_glb(placed(walls(2), scale=(2, 1, 1))), "long.glb")).open()
    page = tab.page

    def columns():
        tab.box = page.locator("canvas[data-ready]").bounding_box()
        # Below what stands over the stage, above what stands on it.
        return model_in(tab.colors())[60:-60].any(axis=0)

    tab.wait_view(lambda image: image.std() > 1, "the model is not seen")
    first = columns()
    seen = np.ptp(np.flatnonzero(first))
    assert not first[[0, -1]].any()
    page.get_by_role("button", name="Stencil", exact=True).click()
    page.wait_for_function("w => document.querySelector('canvas[data-ready]').clientWidth < w", arg=len(first))
    tab.wait_view(lambda _: np.ptp(np.flatnonzero(columns())) < 0.95 * seen, "the model does not go back")
    assert not columns()[[0, -1]].any()
    page.get_by_role("button", name="Close the stencil’s settings").click()
    tab.wait_view(
        lambda _: len(columns()) == len(first) and (columns() == first).all(), "the model does not come again"
    )


def test_what_is_tall_is_shown_below_what_lies_over_the_stage(painter, server):
    """The bars lie beside one another at the top: neither the model nor the map begins under them."""
    tab = painter(server.create(write_glb(placed(walls(2), scale=(1.5, 3, 1))), "tall.glb")).open()
    page = tab.page
    page.get_by_role("button", name="Stencil", exact=True).click()
    page.get_by_role("button", name="Close the stencil’s settings").wait_for()
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    bars = [bar.bounding_box() for bar in page.locator("[data-bar]").all()]
    bottom = max(bar["y"] + bar["height"] for bar in bars) - tab.box["y"]
    page.get_by_role("button", name="Show all").click()
    page.add_style_tag(content="[data-bar] { visibility: hidden }")

    def first_row(image):
        # The stage's corners are round.
        return int(model_in(image)[:-60, 20:-20].any(axis=1).argmax())

    tab.wait_view(lambda image: bottom < first_row(image) < bottom + 40, "the model does not end below the bars")
    page.get_by_role("radio", name="Map", exact=True).click()
    page.wait_for_selector("canvas[data-views='map']")
    tab.wait_view(lambda image: bottom < first_row(image) < bottom + 40, "the map does not begin below the bars")


def test_a_model_that_was_replaced_meanwhile_is_seen_whatever_its_size(painter, server):
    """The camera is kept, but not for a model of a hundred times the size."""
    tab = painter(server.create(write_glb(walls(2)), "walls.glb")).open()
    tab.drag((0.1, 0.95), (0.2, 0.9))
    # The desk is kept a moment after the camera rests.
    tab.page.wait_for_timeout(1500)
    tab.page.goto("about:blank")
    server.hand_in(f"api/projects/{tab.project}/model", write_glb(placed(walls(2), scale=(100, 100, 100))), "large.glb")
    tab.open()
    tab.wait_view(lambda image: model_in(image)[60:-60].mean() > 0.1, "the model is not seen")
    tab.wait_view(lambda image: not model_in(image)[60:, [0, -1]].any(), "the camera stands inside the model")
