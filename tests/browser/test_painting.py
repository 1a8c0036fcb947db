"""The real interface in a real browser, down to the texel."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import expect

from nightmist.core.formats.gltf_write import write_glb

from ..shapes import overlapped
from .conftest import PATIENCE, SWITCHES, model_in, texels_in

RED = (184, 64, 44)  # the palette's first color
PLAIN = (231, 231, 231)  # start value of the pier: 0.8 linear


def plain_red(painter, project=None):
    """A tab with unlit shading and a firm red brush."""
    tab = painter(project).open()
    tab.page.get_by_role("radio", name="Plain").click()
    tab.page.get_by_label("Use #b8402c").click()
    for name, value in (("Strength", 1000), ("Hardness", 900)):
        tab.page.get_by_label(name, exact=True).fill(str(value))
    return tab


def test_a_stroke_from_pointer_to_kept_texel(painter, server):
    """Seen while drawn, kept, stored exactly, undone by key and redone by button, on both surfaces."""
    tab = plain_red(painter)
    tab.wait_color(0.4, 0.5, PLAIN)
    tab.drag((0.35, 0.5), (0.45, 0.5), (0.65, 0.5), hold=True)
    tab.wait_color(0.45, 0.5, RED)
    expect(tab.page.get_by_test_id("kept")).to_have_text("Kept, change 0")
    tab.page.mouse.up()
    tab.wait_kept(1)
    for surface in ("left", "right"):
        texels = server.texels(tab.project, surface)
        assert (texels == np.array(RED) * 257).all(axis=2).sum() > 200
    tab.page.keyboard.press("Control+z")
    tab.wait_kept(2)
    tab.wait_color(0.45, 0.5, PLAIN)
    assert (server.texels(tab.project, "left") == server.texels(tab.project, "left")[0, 0]).all()
    tab.page.get_by_role("button", name="Redo").click()
    tab.wait_kept(3)
    tab.wait_color(0.6, 0.5, RED)


def test_the_map_shows_what_is_painted_on_the_model(painter):
    """Side by side: during the stroke the paint appears in the flat map of the chosen surface."""
    tab = plain_red(painter)
    tab.side_by_side()
    tab.page.get_by_role("button", name="UV lines").click()
    tab.drag((0.15, 0.5), (0.22, 0.5), hold=True)

    def painted(image: np.ndarray) -> bool:
        right = image[:, image.shape[1] // 2 + 5 :]
        return (np.abs(right - RED).max(axis=2) < 12).sum() > 200

    tab.wait_view(painted, "the map shows no paint")
    tab.page.mouse.up()
    tab.wait_kept(1)


def test_turning_the_view_paints_nothing(painter, server):
    """Drags with the right button, from the empty stage, and the wheel move the view only."""
    tab = plain_red(painter)
    before = tab.colors()
    tab.drag((0.5, 0.5), (0.6, 0.6), button="right")
    tab.drag((0.02, 0.9), (0.1, 0.8))
    tab.page.mouse.wheel(0, -300)
    tab.drag((0.5, 0.5), (0.55, 0.5), button="middle")
    tab.page.mouse.move(5, 5)
    tab.wait_view(lambda now: np.abs(now - before).max() > 40, "the view did not move")
    expect(tab.page.get_by_role("button", name="Undo")).to_be_disabled()
    tab.page.get_by_role("button", name="Show all").click()


def test_a_pinch_zooms_as_far_as_the_fingers_go(painter):
    """It arrives as small turns of the wheel with a Ctrl that nobody holds; the wheel alone hardly moves."""
    tab = plain_red(painter)
    x, y = tab.at(0.4, 0.5)

    def turn(ctrl: bool) -> None:
        tab.page.evaluate(
            """([clientX, clientY, ctrlKey]) => document.querySelector("canvas[data-ready]").dispatchEvent(
              new WheelEvent("wheel", { deltaY: -30, ctrlKey, clientX, clientY, cancelable: true }))""",
            [x, y, ctrl],
        )

    def filled(image: np.ndarray) -> int:
        return int(model_in(image).sum())

    before = filled(tab.colors())
    turn(ctrl=False)
    tab.wait_view(lambda now: 1.02 * before < filled(now) < 1.2 * before, "the wheel moved it by more, or not at all")
    turn(ctrl=True)
    tab.wait_view(lambda now: filled(now) > 1.4 * before, "the pinch moved it by less")


PEN_TURNED_OVER = """([from, to]) => {
  const canvas = document.querySelector("canvas[data-ready]");
  const fire = (type, [clientX, clientY], button, buttons) => canvas.dispatchEvent(new PointerEvent(type, {
    bubbles: true, pointerId: 1, pointerType: "pen", isPrimary: true, button, buttons, clientX, clientY,
    pressure: buttons ? 0.9 : 0,
  }));
  fire("pointerdown", from, 5, 32);
  for (let k = 1; k <= 8; k++) fire("pointermove", from.map((at, i) => at + (to[i] - at) * k / 8), -1, 32);
  fire("pointerup", to, 5, 0);
}"""


def test_a_pens_other_end_erases_whatever_the_tool(painter, server):
    """What the brush has left goes below it, and the brush stays at hand."""
    tab = plain_red(painter)
    tab.drag((0.4, 0.5), (0.45, 0.5))
    tab.wait_kept(1)
    red = (server.texels(tab.project, "left")[..., 1] < 30000).sum()
    tab.page.evaluate(PEN_TURNED_OVER, [tab.at(0.38, 0.5), tab.at(0.47, 0.5)])
    tab.wait_kept(2)
    assert red > 100
    assert not (server.texels(tab.project, "left")[..., 1] < 30000).any()
    expect(tab.page.get_by_role("radio", name="Brush", exact=True)).to_be_checked()


def test_a_pens_pressure_thins_the_line(painter, server):
    """A simulated pen with rising pressure on the radius: the painted width grows."""
    tab = plain_red(painter)
    tab.page.get_by_label("Radius at the lightest touch").fill("70")
    tab.page.get_by_label("Strength at the lightest touch").fill("1000")
    tab.draw_with_pen(*((0.34 + 0.18 * t, 0.5, 0.05 + 0.9 * t) for t in np.linspace(0, 1, 21)))
    tab.wait_kept(1)
    painted = (server.texels(tab.project, "left")[..., 1] < 30000).sum(axis=0)
    columns = np.flatnonzero(painted)
    early, late = painted[columns[: len(columns) // 4]], painted[columns[len(columns) // 2 :]]
    assert late.max() > 2.5 * max(early[2:].min(), 1)


def test_erase_takes_paint_away(painter, server):
    """Erase over a stroke shows the start value again."""
    tab = plain_red(painter)
    tab.drag((0.4, 0.5), (0.45, 0.5))
    tab.wait_kept(1)
    tab.page.keyboard.press("e")
    expect(tab.page.get_by_test_id("target")).to_contain_text("Erasing on left")
    tab.drag((0.38, 0.5), (0.47, 0.5))
    tab.wait_kept(2)
    tab.wait_color(0.42, 0.5, PLAIN)
    texels = server.texels(tab.project, "left")
    assert not (np.abs(texels.astype(int) - np.array(RED) * 257).max(axis=2) < 400).any()


def test_layers(painter, server):
    """Add, paint, hide, opacity, rename, reorder, delete: each seen on the stage, each undone."""
    tab = plain_red(painter)
    page = tab.page
    tab.drag((0.42, 0.5), (0.44, 0.5))
    tab.wait_kept(1)
    page.get_by_role("button", name="Layer", exact=True).click()
    tab.wait_kept(2)
    expect(page.get_by_test_id("target")).to_contain_text("left, Layer")
    page.get_by_label("Use #1e2422").click()
    tab.drag((0.42, 0.5), (0.44, 0.5))
    tab.wait_kept(3)
    tab.wait_color(0.43, 0.5, (30, 36, 34))
    page.get_by_label("Hide Layer").click()
    tab.wait_kept(4)
    tab.wait_color(0.43, 0.5, RED)
    tab.drag((0.42, 0.5), (0.44, 0.5))
    expect(page.get_by_role("alert")).to_contain_text("The layer Layer of left is hidden")
    page.get_by_label("Show Layer").click()
    tab.wait_kept(5)
    page.get_by_label("Opacity").fill("500")
    tab.wait_kept(6)
    tab.wait_color(0.43, 0.5, (107, 50, 39), near=3)
    page.get_by_role("row", name="Layer", exact=True).get_by_text("Layer", exact=True).dblclick()
    page.get_by_label("Name of the layer").fill("Soot")
    page.keyboard.press("Enter")
    tab.wait_kept(7)
    expect(page.get_by_test_id("target")).to_contain_text("Soot")
    page.get_by_label("Move layer down").click()
    tab.wait_kept(8)
    tab.wait_color(0.43, 0.5, RED)
    page.get_by_label("Delete layer").click()
    tab.wait_kept(9)
    expect(page.get_by_text("Soot")).to_have_count(0)
    for change in range(10, 18):
        page.keyboard.press("Control+z")
        tab.wait_kept(change)
    tab.wait_color(0.43, 0.5, RED)


def test_the_desk_survives_a_reload(painter):
    """Tool, tip, color, view and target are as they were left."""
    tab = plain_red(painter)
    page = tab.page
    page.get_by_role("combobox", name="Surface").select_option("right")
    page.get_by_role("radio", name="Erase").click()
    page.get_by_label("Radius", exact=True).fill("500")
    page.get_by_role("radio", name="Map", exact=True).click()
    page.get_by_role("button", name="UV lines").click()
    shown = page.get_by_test_id("target").text_content()
    tab.open()
    expect(page.get_by_test_id("target")).to_have_text(shown)
    expect(page.get_by_role("radio", name="Map", exact=True)).to_be_checked()
    expect(page.get_by_label("Radius", exact=True)).to_have_value("500")
    expect(page.get_by_label("Hardness", exact=True)).to_have_value("900")
    expect(page.get_by_label("Use #b8402c")).to_have_attribute("aria-pressed", "true")
    expect(page.get_by_role("button", name="UV lines")).to_have_attribute("aria-pressed", "false")


def test_two_browsers_on_one_project(painter):
    """What one paints, the other sees; both know they are two."""
    one = plain_red(painter)
    two = painter(one.project).open()
    two.page.get_by_role("radio", name="Plain").click()
    expect(one.page.get_by_text("2 here")).to_be_visible()
    one.drag((0.42, 0.5), (0.44, 0.5))
    two.wait_color(0.43, 0.5, RED)
    two.page.keyboard.press("Control+z")
    one.wait_color(0.43, 0.42, PLAIN)


def test_two_browsers_share_palette_and_pigments(painter):
    """Each adds a color, and later a pigment goes: none is lost, in either, nor after a reload.

    Nor when the answer that the first one is kept comes after the second one.
    """
    one = painter().open()
    one.page.evaluate("""() => {
        const fetched = window.fetch;
        window.fetch = async (...asked) => {
            const answer = await fetched(...asked);
            if (asked[1]?.method === "PUT") await new Promise((done) => setTimeout(done, 4000));
            return answer;
        };
    }""")
    two = painter(one.project).open()
    for tab, color in ((one, "#123456"), (two, "#654321")):
        tab.page.get_by_role("textbox", name="Color", exact=True).fill(color)
        tab.page.get_by_label("Add the current color").click()
        for each in (one, two):
            expect(each.page.get_by_role("button", name=f"Use {color}")).to_be_visible()
    two.page.get_by_role("button", name="Weed").click(button="right")
    expect(one.page.get_by_role("button", name="Weed")).to_have_count(0)
    # The brush at hand is each tab's own.
    expect(one.page.get_by_role("textbox", name="Color", exact=True)).to_have_value("#123456")
    one.open()
    for color in ("#123456", "#654321"):
        expect(one.page.get_by_role("button", name=f"Use {color}")).to_be_visible()
    expect(one.page.get_by_role("button", name="Weed")).to_have_count(0)


def test_the_server_is_killed_and_comes_back(painter, server):
    """kill -9 with a stroke under way: the page says so, reconnects, shows what was kept, and keeps what was set."""
    tab = plain_red(painter)
    tab.drag((0.42, 0.5), (0.44, 0.5))
    tab.wait_kept(1)
    kept = server.texels(tab.project, "left")
    tab.page.mouse.move(*tab.at(0.3, 0.3))
    tab.page.mouse.down()
    tab.page.mouse.move(*tab.at(0.35, 0.3), steps=3)
    server.kill()
    expect(tab.page.get_by_test_id("kept")).to_have_text("Offline, kept up to change 1")
    tab.page.mouse.up()
    tab.page.get_by_label("Hardness", exact=True).fill("640")
    server.start("serve")
    tab.wait_kept(1)
    expect(tab.page.get_by_role("alert")).to_have_count(0)
    assert (server.texels(tab.project, "left") == kept).all()
    tab.wait_color(0.43, 0.5, RED)
    tab.wait_color(0.33, 0.3, PLAIN)
    tab.page.keyboard.press("Control+z")
    tab.wait_color(0.43, 0.5, PLAIN)
    tab.drag((0.3, 0.3), (0.35, 0.3))
    tab.wait_color(0.33, 0.3, RED)
    other = painter(tab.project).open()
    expect(other.page.get_by_label("Hardness", exact=True)).to_have_value("640")


def test_the_demo_project_is_painted_on(painter, server, chromium):
    """The gallery shows the buoy with a picture; it opens lit, at 2048, and takes a stroke over three surfaces."""
    tab = painter("0")
    page = tab.page
    page.goto(f"{server.url}{SWITCHES}#/")
    card = page.get_by_role("link", name="Lantern buoy")
    expect(card).to_be_visible()
    page.wait_for_function("() => document.querySelector('main li img')?.naturalWidth === 480")
    card.click()
    tab.project = page.evaluate("location.hash").split("/")[-1]
    tab.open()
    expect(page.get_by_text("2048 × 2048")).to_be_visible()
    expect(page.get_by_role("row", name="Band paint", exact=True)).to_be_visible()
    image = tab.colors()
    assert model_in(image, beyond=30).mean() > 0.05
    page.get_by_label("Use #e2ae45").click()
    tab.drag((0.49, 0.12), (0.5, 0.5), (0.5, 0.7))
    tab.wait_kept(1)
    maps = server.maps(tab.project)
    for surface in ("hull", "cage", "lantern"):
        texels = texels_in(maps, surface).astype(int)
        yellow = np.abs(texels - np.array([0xE2, 0xAE, 0x45]) * 257).max(axis=2) < 12000
        assert yellow.sum() > 300, surface
    page.keyboard.press("Control+z")
    tab.wait_kept(2)


OBJ = b"mtllib q.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nusemtl plank\nf 1 2 3 4\n"


def test_starting_a_project_from_files(painter, server):
    """Several files at once; what is to be known is said; bad files are refused with a sentence."""
    tab = painter("0")
    page = tab.page
    page.goto(f"{server.url}{SWITCHES}#/")
    choose = page.locator("input[type=file]")
    choose.set_input_files([{"name": "q.obj", "mimeType": "text/plain", "buffer": b"v 0 0 0\nf 1 2 3\n"}])
    expect(page.get_by_role("alert")).to_contain_text("q.obj, line 2")
    page.get_by_role("combobox", name="Maps").select_option("512")
    mtl = b"newmtl plank\nKd 0.5 0.5 0.5\n"
    choose.set_input_files(
        [
            {"name": "q.obj", "mimeType": "text/plain", "buffer": OBJ},
            {"name": "q.mtl", "mimeType": "text/plain", "buffer": mtl},
        ]
    )
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
    expect(page.get_by_role("alert")).to_contain_text("unwrapped automatically")
    expect(page.get_by_text("512 × 512")).to_be_visible()
    expect(page.get_by_test_id("target")).to_contain_text("plank, First paint")


def test_shared_uvs_are_said_before_the_first_stroke(painter, server):
    """A model whose halves share texels: a banner says so; "meant so" is remembered."""
    tab = painter(server.create(write_glb(overlapped()), "twins.glb")).open()
    banner = tab.page.get_by_test_id("uv-banner")
    expect(banner).to_contain_text("surface: 100% of the painted texels are shared")
    banner.get_by_role("button", name="Meant so").click()
    expect(banner).to_have_count(0)
    tab.drag((0.3, 0.5), (0.32, 0.5))
    tab.wait_kept(2)
    tab.open()
    expect(tab.page.get_by_test_id("target")).to_be_visible()
    expect(banner).to_have_count(0)


def test_where_else_a_texel_shows_is_ringed(painter, server):
    """On a model whose halves share texels the ring stands on both; where nothing is shared there is one."""
    tab = painter(server.create(write_glb(overlapped()), "twins.glb")).open()
    expect(tab.page.get_by_test_id("uv-banner")).to_be_visible()
    tab.page.mouse.move(*tab.at(0.02, 0.97))
    before = tab.colors()
    tab.page.mouse.move(*tab.at(0.36, 0.5))

    def ringed(now: np.ndarray) -> bool:
        changed = np.abs(now - before).max(axis=2) > 20
        half = changed.shape[1] // 2
        return bool(changed[:, :half].sum() > 30 and changed[:, half:].sum() > 30)

    tab.wait_view(ringed, "the other place is not ringed")


@pytest.mark.parametrize(("entry", "ending"), [("Painted model, GLB", ".glb"), ("Maps, PNG 16 bit", ".zip")])
def test_hand_off_downloads(painter, entry, ending):
    """The menu's files arrive and hold what they say."""
    tab = painter().open()
    tab.page.get_by_role("button", name="Hand off").click()
    with tab.page.expect_download() as waiting:
        tab.page.get_by_role("link", name=entry).click()
    path = waiting.value.path()
    assert waiting.value.suggested_filename.endswith(ending)
    data = path.read_bytes()
    if ending == ".glb":
        assert data[:4] == b"glTF"
    else:
        packed = zipfile.ZipFile(io.BytesIO(data))
        images = [np.asarray(Image.open(io.BytesIO(packed.read(name)))) for name in packed.namelist()]
        assert len(images) == 10
        assert {image.shape[:2] for image in images} == {(256, 256)}
        assert all(name.endswith("_256.png") for name in packed.namelist())


def test_maps_are_handed_off_under_names_of_the_painters_own(painter):
    """Told while it is typed, kept with the project; names that cannot be hold the maps back, not the model."""
    tab = painter().open()
    tab.page.get_by_role("button", name="Hand off").click()
    field = tab.page.get_by_role("textbox", name="Names of maps")
    maps = tab.page.get_by_role("link", name="Maps, PNG 8 bit")
    field.fill("{map}")
    tab.page.get_by_text("Several files would be called base_color.png").wait_for()
    assert maps.get_attribute("aria-disabled") == "true"
    assert maps.get_attribute("href") is None
    assert tab.page.get_by_role("link", name="Painted model, GLB").get_attribute("href")
    field.fill("T_{surface}_{map}.png")
    tab.page.get_by_text("T_left_base_color.png and 9 more").wait_for()
    with tab.page.expect_download() as waiting:
        maps.click()
    packed = zipfile.ZipFile(io.BytesIO(waiting.value.path().read_bytes()))
    assert "maps/T_right_normal.png" in packed.namelist()
    tab.open()
    tab.page.get_by_role("button", name="Hand off").click()
    assert field.input_value() == "T_{surface}_{map}.png"


def test_the_server_ends_cleanly(server):
    """Ctrl+C: exit status 0, and a new start on the same database works. Runs last in this file."""
    assert server.stop() == 0
    server.start("serve")
