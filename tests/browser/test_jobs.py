"""Whole jobs replayed in the browser as a painter does them, with the mouse, down to UVs and texels."""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import expect

from nightmist import Document
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.formats.image_files import write_png
from nightmist.core.mesh.bodies import practice_body

from ..shapes import grid, joined, placed
from .test_decals import pull, sticker
from .test_decals import take as take_decals
from .test_painting import plain_red
from .test_preparing import Stage, on_map, prepare, settled
from .test_stack import islands, practice, row
from .test_stencil import YELLOW, take, yellow
from .test_tools import tool


def ring_of_full_squares(around: int = 16, across: int = 8) -> bytes:
    """OBJ of a ring of quads, each on all of the UV square."""
    lines = ["o ring", "vt 0 0", "vt 1 0", "vt 1 1", "vt 0 1"]
    for a in np.arange(around) * 2 * np.pi / around:
        for b in np.arange(across) * 2 * np.pi / across:
            away = 1 + 0.35 * np.cos(b)
            lines.append(f"v {away * np.cos(a):.6f} {away * np.sin(a):.6f} {0.35 * np.sin(b):.6f}")
    for i in range(around):
        for k in range(across):
            next_i, next_k = (i + 1) % around, (k + 1) % across
            corners = (i * across + k, next_i * across + k, next_i * across + next_k, i * across + next_k)
            lines.append("f " + " ".join(f"{corner + 1}/{n + 1}" for n, corner in enumerate(corners)))
    return "\n".join(lines).encode()


def changes(tab) -> int:
    """How many changes are kept."""
    tab.wait_kept("")
    return int(re.search(r"change (\d+)", tab.page.get_by_test_id("kept").inner_text())[1])


def mark_loops(tab, server) -> None:
    """Click on the ring until one loop along it and one around its tube are marked.

    The first has 16 edges, the other 8; each counts from both sides.
    """
    page, wanted = tab.page, {32, 16}
    previewed = lambda image: int((np.abs(image - (255, 242, 204)).max(axis=2) < 4).sum())  # noqa: E731
    for x, y in ((x, y) for y in (0.3, 0.5, 0.65) for x in np.arange(0.36, 0.64, 0.021)):
        page.mouse.move(*tab.at(x, y))
        page.wait_for_timeout(300)
        if previewed(tab.colors()) < 30:
            continue
        before, change = Stage(server, tab.project).seams, changes(tab)
        page.mouse.click(*tab.at(x, y))
        tab.wait_kept(change + 1)
        found = Stage(server, tab.project).seams - before
        if found not in wanted:
            page.keyboard.press("Control+z")
            tab.wait_kept(change + 2)
        wanted.discard(found)
        if not wanted:
            return
    raise AssertionError(f"loops of {wanted} sides were not met")


def unwrap(tab, way: str) -> None:
    """In one of the ways, by the button of the tray."""
    change = changes(tab)
    tab.page.get_by_label("Way to unwrap").select_option(way)
    tab.page.get_by_role("button", name=re.compile("^Unwrap (?!anew)")).click()
    settled(tab, change + 1)


def scale(tab, numbers: dict[str, float]) -> None:
    """Scale the picked islands by numbers, in percent."""
    change = changes(tab)
    tab.page.get_by_role("button", name="Numbers").click()
    for label, value in numbers.items():
        tab.page.get_by_label(label).fill(str(value))
        tab.page.get_by_label(label).press("Tab")
    tab.page.get_by_role("button", name="Apply").click()
    settled(tab, change + 1)


def blocks_over_each_other():
    """Three blocks that share their UVs."""
    return joined(*(placed(practice_body("box", 1.0), scale=s, move=m) for s, m in BLOCKS))


BLOCKS = (((1, 1, 1), (0, 0, 0)), ((0.6, 0.6, 0.6), (0, 0.8, 0)), ((0.3, 0.9, 0.3), (0.7, 0, 0)))


def test_a_ring_is_let_in_cut_flattened_squared_and_fitted(painter, server):
    """All quads on the full square: painting waits with its cure; two loops, an even grid, proofs, u scaled alone."""
    project = server.create(ring_of_full_squares(), "torus.obj")
    tab = painter(project).open()
    page = tab.page
    expect(page.get_by_test_id("uv-banner")).to_be_visible()
    tab = prepare(painter, project)
    page = tab.page
    page.get_by_role("radio", name="Model", exact=True).click()
    page.get_by_role("radio", name="Seam loop").click()
    mark_loops(tab, server)
    unwrap(tab, "seams")
    stage = Stage(server, project)
    assert stage.islands == 1
    page.get_by_role("radio", name="Side by side").click()
    page.wait_for_selector("canvas[data-views='model map']")
    page.get_by_role("radio", name="Pick", exact=True).click()
    middle = stage.corners().reshape(-1, 2).mean(axis=0).tolist()
    page.mouse.click(*on_map(tab, *middle))
    unwrap(tab, "grid")
    grid = Stage(server, project)
    assert grid.islands == 1
    corners = grid.corners()
    sides = np.abs(corners - np.roll(corners, 1, axis=1))
    # Every triangle is half a square: one side along u, one along v.
    assert (np.sort(sides.min(axis=2), axis=1)[:, :2] < 1e-3).all()
    scale(tab, {"Width": 150, "Height": 150})
    large = Stage(server, project).corners().reshape(-1, 2)
    change = changes(tab)
    page.get_by_role("button", name="Fit", exact=True).click()
    settled(tab, change + 1)
    fitted = Stage(server, project).corners().reshape(-1, 2)
    assert np.ptp(large, axis=0).max() > 1.2
    assert fitted.min() >= 0
    assert 0.9 < fitted.max() <= 1
    for proof in ("Checker", "Letters"):
        before = tab.colors()
        page.get_by_role("radio", name=proof).click()
        tab.wait_view(lambda image, old=before: (np.abs(image - old).max(axis=2) > 40).mean() > 0.05, proof)
    scale(tab, {"Width": 50})
    narrow = Stage(server, project).corners().reshape(-1, 2)
    assert np.allclose(np.ptp(narrow, axis=0), np.ptp(fitted, axis=0) * (0.5, 1), atol=1e-4)


def test_blocks_are_unwrapped_and_their_map_doubled_with_twice_the_density(painter, server):
    """Useless UVs, one click; one step makes the map larger, the painter is told what that gains."""
    project = server.create(write_glb(blocks_over_each_other()), "blocks.glb")
    tab = prepare(painter, project)
    page = tab.page
    expect(page.get_by_test_id("checkup")).to_contain_text("shared")
    page.get_by_role("button", name="Unwrap surface", exact=True).click()
    settled(tab, 1)
    before = Stage(server, project).corners()
    assert Stage(server, project).islands >= 18
    page.get_by_role("button", name="Map size").click()
    page.get_by_role("button", name="512").click()
    settled(tab, 2)
    expect(page.get_by_text("Pixels per model unit now: surface")).to_be_visible()
    np.testing.assert_allclose(Stage(server, project).corners(), before, atol=1e-6)
    assert server.texels(project, "surface").shape[:2] == (512, 512)
    expect(page.get_by_test_id("checkup")).to_contain_text("Sound: nothing to mend.")


def test_blocks_get_color_shine_metal_and_relief_by_every_kind_of_mark(painter, server):
    """Freehand, stabilized, spaced, strewn, straight, snapped and mirrored, on model and map: each marks all maps."""
    project = practice(server, "box")
    tab = plain_red(painter, project)
    page = tab.page
    maps = ("base_color", "roughness", "metallic", "height")
    for name in ("rough", "metal", "bump"):
        page.get_by_role("switch", name=f"Paint {name}").click()
    page.get_by_label("Metal", exact=True).fill("900")
    page.get_by_label("Rough", exact=True).fill("150")
    page.get_by_label("Radius", exact=True).fill("150")
    texels = lambda: [server.texels(project, "box", name).astype(int) for name in maps]  # noqa: E731
    bare, before, change = texels(), texels(), 0

    def marked(what: str, *places, least: int = 30, most: int = 60_000) -> np.ndarray:
        """A stroke is laid; where all maps have changed."""
        nonlocal before, change
        tab.drag(*places)
        change += 1
        tab.wait_kept(change)
        after = texels()
        where = [(a != b).any(axis=2) for a, b in zip(after, before, strict=True)]
        assert all(least < one.sum() < most for one in where), (what, [int(one.sum()) for one in where])
        before = after
        return where[0]

    def set_tip(label: str, value: str) -> None:
        page.get_by_role("button", name="More").click()
        page.get_by_label(label, exact=True).fill(value)
        page.keyboard.press("Escape")

    marked("freehand", (0.45, 0.5), (0.47, 0.55), (0.5, 0.52))
    set_tip("Stabilizer", "500")
    marked("stabilized", (0.45, 0.6), (0.5, 0.58), (0.55, 0.62))
    set_tip("Stabilizer", "0")
    page.get_by_label("Spacing", exact=True).fill("950")
    marked("spaced", (0.44, 0.45), (0.5, 0.45), (0.55, 0.45))
    page.get_by_label("Spacing", exact=True).fill("300")
    set_tip("Place", "600")
    marked("strewn", (0.46, 0.4), (0.54, 0.42))
    set_tip("Place", "0")
    page.keyboard.down("Shift")
    marked("straight", (0.47, 0.65), (0.5, 0.3), (0.52, 0.65))
    page.keyboard.down("Control")
    marked("snapped", (0.47, 0.7), (0.53, 0.71))
    page.keyboard.up("Control")
    page.keyboard.up("Shift")
    tab.side_by_side()
    marked("in the map", (0.75, 0.4), (0.8, 0.45))
    page.get_by_role("button", name="Mirror", exact=True).click()
    page.get_by_label("Mirror across X").click()
    page.keyboard.press("Escape")
    alone = marked("mirrored in the map", (0.62, 0.52), (0.64, 0.54))
    assert alone.sum() > 60
    for _ in range(change):
        page.get_by_role("button", name="Undo", exact=True).click()
    tab.wait_kept(2 * change)
    for found, wanted in zip(texels(), bare, strict=True):
        np.testing.assert_array_equal(found, wanted)


def test_a_long_box_is_painted_by_hand_from_base_to_highlights(painter, server):
    """Base by fill, darks by multiply with the mouse, lights by screen with a pen, from presets; smeared over edges."""
    project = server.create(write_glb(placed(practice_body("box", 1.0), scale=(2.5, 0.7, 0.7))), "beam.glb")
    tab = plain_red(painter, project)
    page = tab.page
    yellowish = lambda image: (image[..., 0] > 220) & (image[..., 1] > 150) & (image[..., 2] < 160)  # noqa: E731
    name = next(iter(Document.from_mesh(practice_body("box", 1.0), "b", (64, 64)).surfaces))
    light = lambda: server.texels(project, name).astype(int).sum(axis=2)  # noqa: E731
    tool(tab, "Fill")
    page.get_by_role("radio", name="Surface", exact=True).click()
    page.mouse.click(*tab.at(0.5, 0.5))
    tab.wait_kept(1)
    base = light()
    tool(tab, "Brush")
    page.get_by_label("Radius", exact=True).fill("150")
    for mode, color in (("multiply", "Use #4a2416"), ("screen", "Use #e2ae45")):
        page.get_by_label(color).click()
        page.get_by_role("button", name="More").click()
        page.get_by_label("Brush blend mode").select_option(mode)
        page.keyboard.press("Escape")
        # Lights follow the pen: a fifth of the radius at the lightest touch.
        page.get_by_label("Radius at the lightest touch").fill("200" if mode == "screen" else "1000")
        page.get_by_role("button", name="Keep a preset").click()
        page.get_by_label("Name of the preset").fill(f"With {mode}")
        page.get_by_label("with the pigment").check()
        page.get_by_role("button", name="Keep this tip").click()
        expect(page.get_by_role("button", name=f"With {mode}", exact=True)).to_be_visible()
    page.get_by_role("button", name="With multiply", exact=True).click()
    tab.drag((0.42, 0.5), (0.6, 0.5))
    tab.wait_kept(2)
    dark = light()
    assert (dark < base - 5000).sum() > 50
    assert not (dark > base + 300).any()
    page.keyboard.press("Alt+2")
    expect(
        page.get_by_role("group", name="Not at rest").get_by_role("button", name="screen", exact=True)
    ).to_be_visible()
    tab.draw_with_pen(*((0.42 + 0.18 * t, 0.45, 0.05 + 0.9 * t) for t in np.linspace(0, 1, 21)))
    tab.wait_kept(3)
    bright = light()
    assert (bright > dark + 5000).sum() > 50
    lit = lambda image, x: int(yellowish(image)[:, round(x * image.shape[1])].sum())  # noqa: E731
    tab.wait_view(lambda image: lit(image, 0.57) > 2 * max(lit(image, 0.45), 1), "pressure does not widen the light")
    # Across the edge between two sides, from the bright mark into the base.
    tool(tab, "Smear")
    tab.drag((0.1, 0.3), (0.1, 0.6), button="right")
    image = tab.colors()
    # The light mark, wherever it is seen now; over the edges above it.
    rows, columns = np.nonzero(yellowish(image))
    place = columns.mean() / image.shape[1], rows.mean() / image.shape[0]
    tab.drag(place, (place[0], 0.3), (place[0] - 0.1, 0.12))
    tab.wait_kept(4)
    smeared = light()
    owners = islands("box")
    touched = [int((smeared != bright)[owner].sum()) for owner in owners]
    assert sum(count > 0 for count in touched) >= 2, touched
    assert smeared.max() <= bright.max() + 300
    # Presets are those of all projects: none is left behind.
    for mode in ("multiply", "screen"):
        page.get_by_role("button", name=f"With {mode}", exact=True).click(button="right")
        expect(page.get_by_role("button", name=f"With {mode}", exact=True)).to_have_count(0)
    tab.open()
    np.testing.assert_array_equal(light(), smeared)


def test_a_photo_is_painted_onto_one_side_behind_a_mask_of_its_island(painter, server):
    """The layer's mask hides all, one island is shown by a click: the stencil laid whole shows there, nowhere else."""
    project = practice(server, "box")
    tab = painter(project).open()
    page = tab.page
    page.get_by_role("button", name="Hides all").click()
    tab.wait_kept(1)
    tool(tab, "Fill")
    page.get_by_role("radio", name="Island", exact=True).click()
    page.mouse.click(*tab.at(0.47, 0.55))
    tab.wait_kept(2)
    row(tab, "First paint").click()
    take(tab)
    page.get_by_role("button", name="Lay it on whole").click()
    tab.wait_kept(4)
    found = yellow(server.texels(project, "box"))
    shares = sorted(found[island].mean() for island in islands("box"))
    assert shares[:5] == [0] * 5
    assert shares[5] > 0.02


def test_a_picture_wrapped_around_a_ball_by_each_shape_sticks_when_its_node_moves(painter, server):
    """Another file with the ball elsewhere and larger: the picture lies on it as it did."""
    ball = practice_body("sphere", 1.0)
    project = server.create(write_glb(ball), "ball.glb")
    tab = painter(project).open()
    page = tab.page
    surface = next(iter(Document.from_mesh(ball, "b", (64, 64)).surfaces))
    page.get_by_role("button", name="Wash", exact=True).click()
    given = {"name": "sticker.png", "mimeType": "image/png", "buffer": sticker()}
    page.get_by_label("Pictures for the wash").set_input_files(given)
    tab.wait_kept(3)
    change, moved = 3, [(1.5, 0.5, -2), (-1, 2, 0.5), (0, 0, 3), (4, 0, 0), (0.5, 0.5, 0.5), (-2, -1, 1)]
    for shape, move in zip(("Flat", "Cylinder", "Sphere", "Box", "Three ways", "One point"), moved, strict=True):
        page.get_by_role("radio", name=shape, exact=True).click()
        change += 1
        tab.wait_kept(change)
        before = server.texels(project, surface).astype(int)
        assert yellow(before).sum() > 50, shape
        page.get_by_role("button", name="Prepare").click()
        elsewhere = write_glb(placed(ball, scale=(1.2, 1.2, 1.2), move=move))
        page.get_by_label("New model").set_input_files({"name": "ball.glb", "mimeType": "m", "buffer": elsewhere})
        page.get_by_role("dialog").get_by_role("button", name="Replace", exact=True).click()
        change += 1
        settled(tab, change)
        after = server.texels(project, surface).astype(int)
        assert (np.abs(after - before).max(axis=2) > 1500).mean() < 0.01, shape
        page.get_by_role("button", name="Paint", exact=True).first.click()


def slanted_panel() -> bytes:
    """A square of side 2 that leans back by 35 degrees."""
    across, up = np.meshgrid(np.linspace(-1, 1, 5), np.linspace(1, -1, 5))
    lean = np.radians(35)
    points = np.stack([across, up * np.cos(lean), -up * np.sin(lean)], 2)
    u, v = np.meshgrid(np.linspace(0.05, 0.95, 5), np.linspace(0.05, 0.95, 5))
    return write_glb(grid(points, np.stack([u, v], 2)))


def laid(texels) -> tuple[np.ndarray, float, float]:
    """Where a label lies in the map (column, row), by which angle it falls to the right, its length over its height.

    Texels at its edge are mixed and not counted: of 115 × 58 its length over its height is 113 / 56 then.
    """
    places = np.argwhere(yellow(texels))[:, ::-1].astype(float)
    (a, b), (_, d) = np.cov(places.T)
    middle, half = (a + d) / 2, np.hypot((a - d) / 2, b)
    return places.mean(axis=0), np.degrees(np.arctan2(2 * b, a - d)) / 2, np.sqrt((middle + half) / (middle - half))


def test_a_label_on_a_slanted_panel_is_turned_moved_duplicated_and_bevelled(painter, server):
    project = server.create(slanted_panel(), "panel.glb", 512)
    tab = painter(project).open()
    page = tab.page
    take_decals(tab, "label.png", write_png(np.full((60, 120, 3), YELLOW, np.uint8)))
    page.mouse.click(*tab.at(0.5, 0.5))
    tab.wait_kept(3)
    wide = page.get_by_role("textbox", name="Wide")
    wide.fill("0.5")
    wide.press("Enter")
    tab.wait_kept(4)
    # Upright and undistorted on the panel, however it is seen.
    first, falls, long = laid(server.texels(project, "surface"))
    assert abs(falls) < 0.6
    assert abs(long - 2) < 0.04
    turn = page.get_by_role("textbox", name="Turn")
    turn.fill("45")
    turn.press("Enter")
    tab.wait_kept(5)
    turned, falls, long = laid(server.texels(project, "surface"))
    assert abs(falls - 45) < 0.5
    assert abs(long - 2) < 0.04
    assert np.hypot(*(turned - first)) < 0.5
    pull(page, "Move the decal", 50, 0)
    tab.wait_kept(6)
    texels = server.texels(project, "surface")
    moved, falls, _ = laid(texels)
    assert moved[0] > turned[0] + 20
    assert abs(falls - 45) < 0.5
    page.get_by_role("checkbox", name="raised, or sunk").click()
    tab.wait_kept(7)

    def slopes() -> int:
        """Texels that are neither on the ground nor at the top."""
        height = server.texels(project, "surface", "height").astype(int).reshape(512, 512, -1)[..., 0]
        low, high = height.min(), height.max()
        return int(((height > low + 0.1 * (high - low)) & (height < high - 0.1 * (high - low))).sum())

    bevel = page.get_by_role("textbox", name="Bevel")
    bevel.fill("0")
    bevel.press("Enter")
    tab.wait_kept(8)
    sharp = slopes()
    bevel.fill("0.05")
    bevel.press("Enter")
    tab.wait_kept(9)
    assert slopes() > 3 * sharp
    single = yellow(server.texels(project, "surface")).sum()
    page.keyboard.down("Control")
    pull(page, "Move the decal", -130, 0)
    page.keyboard.up("Control")
    tab.wait_kept(10)
    both = server.texels(project, "surface")
    assert abs(yellow(both).sum() - 2 * single) < 0.02 * single
    tab.open()
    assert np.array_equal(server.texels(project, "surface"), both)
    # What was typed in one moment is one step, so that nobody knows how many there are.
    change = 11
    while np.ptp(server.texels(project, "surface", "height").astype(int)):
        page.keyboard.press("Control+z")
        tab.wait_kept(change)
        change += 1
    assert np.array_equal(server.texels(project, "surface"), texels)
