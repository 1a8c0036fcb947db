"""Blur, sharpen and distort over a stack: against scipy, over seams against an unbroken map, and always to the bit."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter

import nightmist as nm
from nightmist import Document, NightmistError, Pigment

from ..shapes import grid, joined, lay_picture, placed, plane, soup, sphere

SIDE = 512
#: Where the square lies in the map: texels from LOW on, WIDE of them.
LOW, WIDE = 64, 256


def shown(surface, name="base_color") -> np.ndarray:
    surface.document.refresh()
    image = surface.read(name).astype(np.float64) / 65535
    return image[..., :3] if name == "base_color" else image


def part(first, last, place):
    """A part of a square of side 2, from one share of its width to another; place: (column, row) to texels."""
    across, down = np.meshgrid(np.linspace(first, last, 5), np.linspace(0, 1, 9))
    texels = place(LOW + WIDE * across, LOW + WIDE * down)
    return grid(np.stack([2 * across - 1, 1 - 2 * down, 0 * down], 2), np.stack(texels, 2) / SIDE)


def turned(x, y):
    """Where the right half lies when it is cut off: a quarter turn, elsewhere; texels meet texels."""
    return 224 + (y - LOW), 480 - (x - LOW - WIDE // 2)


def whole_and_cut():
    """The same square with one island, and with two; the same picture on both; and how to read the second as the first.

    Each with a brushed layer.
    """
    rng = np.random.default_rng(5)
    image = np.full((SIDE, SIDE, 4), 65535, np.uint16)
    image[LOW : LOW + WIDE, LOW : LOW + WIDE, :3] = rng.integers(0, 65536, (32, 32, 3)).repeat(8, 0).repeat(8, 1)
    half = LOW + WIDE // 2
    rows, columns = np.meshgrid(np.arange(LOW, LOW + WIDE), np.arange(half, LOW + WIDE), indexing="ij")
    there = turned(columns + 0.5, rows + 0.5)
    there = there[1].astype(int), there[0].astype(int)
    cut = image.copy()
    cut[there] = image[rows, columns]

    def unfolded(picture):
        found = picture.copy()
        found[rows, columns] = picture[there]
        return found[LOW : LOW + WIDE, LOW : LOW + WIDE]

    surfaces = []
    for square, picture in (
        (joined(part(0, 0.5, lambda x, y: (x, y)), part(0.5, 1, lambda x, y: (x, y))), image),
        (joined(part(0, 0.5, lambda x, y: (x, y)), part(0.5, 1, turned)), cut),
    ):
        doc = Document.from_mesh(square, "square", (SIDE, SIDE))
        surface = doc.surfaces["surface"]
        lay_picture(doc, surface.layers.add("brushed"), "base_color", picture)
        surfaces.append(surface)
    whole, broken = surfaces
    return whole, broken, lambda picture: picture[LOW : LOW + WIDE, LOW : LOW + WIDE], unfolded


def test_a_blur_is_a_gaussian_and_sharpening_moves_away_from_it():
    whole, _, square, _ = whole_and_cut()
    before = square(shown(whole))
    for radius, most in ((1, 2.0), (2, 0.2), (3, 0.2), (6, 1.5), (12, 1.5), (24, 1.5)):
        node = whole.layers.add("adjustment", effect="blur", radius=radius)
        wanted = np.stack([gaussian_filter(before[..., c], radius) for c in range(3)], 2)
        inner = slice(int(4 * radius), -int(4 * radius))
        away = np.abs(square(shown(whole)) - wanted)[inner, inner] * 255
        assert away.max() < most, radius
        node.change(effect="sharpen", strength=0.5)
        sharp = np.clip(before + 0.5 * (before - wanted), 0, 1)
        assert np.abs(square(shown(whole)) - sharp)[inner, inner].max() * 255 < most, radius
        node.change(effect="blur", opacity=0.25)
        assert np.abs(square(shown(whole)) - (before + (wanted - before) / 4))[inner, inner].max() * 255 < most / 2
        whole.layers.remove(node)
    np.testing.assert_array_equal(square(shown(whole)), before)


@pytest.mark.parametrize("radius", [2, 7, 30])
def test_a_blur_runs_over_a_seam_as_over_an_unbroken_map(radius):
    whole, broken, square, unfolded = whole_and_cut()
    for surface in (whole, broken):
        surface.layers.add("adjustment", effect="blur", radius=radius)
    one, other = square(shown(whole)), unfolded(shown(broken))
    assert np.abs(one - square(np.ones((SIDE, SIDE, 3)))).max() > 0.1
    away = np.abs(one - other) * 255
    # Beside the ends of the seam a corner of the gap stands for two places.
    assert away.max() < 6
    assert np.quantile(away, 0.999) < 1.5


def test_what_lies_next_door_in_the_map_does_not_bleed_in():
    one = part(0, 0.5, lambda x, y: (x, y))
    other = part(0.5, 1, lambda x, y: (x + 1, y))
    doc = Document.from_mesh(joined(one, placed(other, move=(5, 0, 0))), "two", (SIDE, SIDE))
    surface = doc.surfaces["surface"]
    coat = surface.layers.add("brushed")
    left = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 0] < 1)
    doc.fill(coat, Pigment(base_color="#ffffff"))
    doc.fill(coat, Pigment(base_color="#000000"), region=left)
    before = shown(surface)
    for radius in (2, 12):
        node = surface.layers.add("adjustment", effect="blur", radius=radius)
        own = surface.layout.ownership.covered()
        np.testing.assert_array_equal(shown(surface)[own], before[own])
        surface.layers.remove(node)


def test_distortion_moves_at_most_by_its_amount_and_runs_over_seams():
    whole, broken, square, unfolded = whole_and_cut()
    plain = square(shown(whole))
    nodes = [s.layers.add("adjustment", effect="distort", amount=0.04, grain=0.3, seed=3) for s in (whole, broken)]
    one, other = square(shown(whole)), unfolded(shown(broken))
    away = np.abs(one - other).max(axis=2)
    assert (away * 255 > 2).mean() < 0.004
    assert (np.abs(one - plain) > 0.02).any(axis=2).mean() > 0.2
    # Each texel is between texels that lie no farther off than that: a share of a side of 256 texels.
    reach = int(np.ceil(0.04 * WIDE)) + 1
    for y, x in np.random.default_rng(1).integers(reach, WIDE - reach, (40, 2)):
        near = plain[y - reach : y + reach + 1, x - reach : x + reach + 1].reshape(-1, 3)
        assert (one[y, x] >= near.min(axis=0) - 1e-4).all()
        assert (one[y, x] <= near.max(axis=0) + 1e-4).all()
    nodes[0].change(amount=0.0)
    assert np.abs(square(shown(whole)) - plain).max() * 255 < 0.01


def test_a_filter_in_a_group_sees_only_what_lies_there_and_blurs_its_rim():
    doc = Document.from_mesh(plane(4), "one", (256, 256))
    surface = doc.surfaces["surface"]
    ground = surface.layers.add("wash", pigment=Pigment(base_color="#2040c0", height=0.7))
    group = surface.layers.add("group")
    dots = surface.layers.add("brushed")
    surface.layers.move(dots, into=group)
    camera = nm.Camera.look_at((0, 0, 3), (0, 0, 0), 40, (256, 256))
    doc.stroke(dots, [(128, 128)], camera, nm.Tip(radius=30, hardness=1, pressure_strength=False),
               Pigment(base_color="#ff0000", height=0.2))  # fmt: skip
    blur = surface.layers.add("adjustment", effect="blur", radius=5, maps={})
    surface.layers.move(blur, into=group)
    color, height = dots.read("base_color") / 65535, dots.read("height") / 65535
    soft = gaussian_filter(color[..., 3], 5)
    blue = np.array([0x20, 0x40, 0xC0]) / 255
    wanted = blue + (np.array([1, 0, 0]) - blue) * soft[..., None]
    assert np.abs(shown(surface) - wanted).max() * 255 < 1.5
    soft = gaussian_filter(height[..., 1], 5)
    assert np.abs(shown(surface, "height") - (0.7 + (0.2 - 0.7) * soft)).max() * 255 < 1.5
    ground.visible = False
    blur.visible = False
    dots_alone = shown(surface)
    assert np.abs(dots_alone[128, 128] - [1, 0, 0]).max() < 1e-3
    # Merged into the layer below it, it is the same.
    ground.visible = blur.visible = True
    seen = shown(surface)
    surface.layers.merge_down(blur)
    assert np.abs(shown(surface) - seen).max() * 255 < 0.5


@pytest.mark.parametrize("make", [plane, sphere])
def test_strokes_below_filters_leave_what_a_whole_evaluation_gives_to_the_bit(make):
    doc = Document.from_mesh(make(), "one", (512, 512))
    surface = doc.surfaces["surface"]
    low = surface.layers.add("brushed")
    doc.fill(low, Pigment(base_color="#808080", roughness=0.5))
    wide = surface.layers.add("adjustment", effect="blur", radius=11, maps={})
    group = surface.layers.add("group")
    inner = surface.layers.add("brushed")
    narrow = surface.layers.add("adjustment", effect="sharpen", radius=1.5, maps={})
    for node in (inner, narrow):
        surface.layers.move(node, into=group)
    surface.layers.add("adjustment", effect="distort", amount=0.03, grain=0.2)
    top = surface.layers.add("brushed")
    top.blend = "multiply"
    for node in (wide, group):
        node.add_mask(value=1.0)
    camera = nm.Camera.look_at((0, 0, 3), (0, 0, 0), 40, (400, 400))
    rng = np.random.default_rng(8)
    shown(surface)

    def whole():
        found = {name: shown(surface, name) for name in ("base_color", "roughness")}
        doc.forget_composites()
        for name, image in found.items():
            np.testing.assert_array_equal(shown(surface, name), image)

    for number in range(8):
        path = rng.uniform(80, 320, (3, 2)).tolist()
        tip = nm.Tip(radius=float(rng.uniform(4, 40)), pressure_strength=False)
        target = (low, inner, top, wide, group)[number % 5]
        pigment = Pigment(base_color=("#ff2000", "#0040ff")[number % 2], roughness=0.1)
        masked = target in (wide, group)
        stroke = doc.begin_stroke(
            {"surface": target}, camera, tip, None if masked else pigment, mask_value=0.0 if masked else None
        )
        for x, y in path:
            stroke.extend([(x, y, 1.0)])
            doc.refresh()
        doc.finish_stroke(stroke)
        whole()
    for _ in range(3):
        doc.undo()
        doc.refresh()
    whole()
    narrow.visible = False
    doc.stroke(inner, [(120, 120), (250, 250)], camera, nm.Tip(radius=20), Pigment(base_color="#00ff00"))
    doc.refresh()
    narrow.visible = True
    whole()
    doc.set_start("surface", surface.value.start.but(roughness=0.9))
    whole()


@pytest.mark.parametrize("radius", [2, 4, 9])
@pytest.mark.parametrize("body", ["box", "cylinder"])
def test_a_blur_is_felt_just_where_it_looks_over_every_seam(body, radius):
    doc = Document.practice(body, (128, 128))
    (surface,) = doc.surfaces.values()
    layer = surface.layers.add("brushed")
    surface.layers.add("adjustment", effect="blur", radius=radius)
    shown(surface)
    for face in np.random.default_rng(radius).integers(0, len(surface.faces), 12):
        doc.fill(layer, Pigment(base_color="#c02010"), region=[face])
        kept = shown(surface)
        doc.forget_composites()
        np.testing.assert_array_equal(kept, shown(surface))


def test_a_filter_merges_with_the_layer_below_it_alone():
    doc = Document.from_mesh(plane(4), "one", (256, 256))
    surface = doc.surfaces["surface"]
    surface.layers.add("wash", pigment=Pigment(base_color="#2040c0"))
    dots = surface.layers.add("brushed")
    camera = nm.Camera.look_at((0, 0, 3), (0, 0, 0), 40, (256, 256))
    doc.stroke(dots, [(128, 128)], camera, nm.Tip(radius=30, hardness=1, pressure_strength=False),
               Pigment(base_color="#ff0000"))  # fmt: skip
    dots_alpha = dots.read("base_color")[..., 3] / 65535
    blur = surface.layers.add("adjustment", effect="blur", radius=4)
    surface.layers.merge_down(blur)
    assert len(surface.layers) == 2
    merged = surface.layers[1].read("base_color") / 65535
    assert np.abs(merged[..., 3] - gaussian_filter(dots_alpha, 4)).max() * 255 < 1.5
    assert (np.abs(merged[..., :3] - [1, 0, 0])[merged[..., 3] > 0.01] < 1e-3).all()
    doc.undo()
    assert len(surface.layers) == 3


def test_a_mask_counts_blurred_and_stretched_while_what_is_painted_stays():
    doc = Document.from_mesh(plane(4), "one", (256, 256))
    surface = doc.surfaces["surface"]
    red = surface.layers.add("wash", pigment=Pigment(base_color="#ff0000"))
    mask = red.add_mask(value=0.0)
    camera = nm.Camera.look_at((0, 0, 3), (0, 0, 0), 40, (256, 256))
    tip = nm.Tip(radius=30, hardness=1, pressure_strength=False)
    doc.stroke(mask, [(110, 110), (140, 140)], camera, tip, value=1.0)
    painted = mask.read()
    start = np.array(surface.value.start.base_color)
    for soften, low, high in ((5, 0, 1), (0, 0.2, 0.6), (9, 0.4, 0.6)):
        mask.change(soften=soften, low=low, high=high)
        share = gaussian_filter(painted / 65535, soften) if soften else painted / 65535
        share = np.clip((share - low) / (high - low), 0, 1)
        wanted = start + (np.array([1, 0, 0]) - start) * share[..., None]
        assert np.abs(shown(surface) - wanted).max() * 255 < 1.5 / (high - low)
        np.testing.assert_array_equal(mask.read(), painted)
        stroke = doc.begin_stroke({"surface": red}, camera, tip, None, mask_value=0.0)
        stroke.extend([(120, 100, 1.0)])
        doc.refresh()
        stroke.extend([(125, 170, 1.0)])
        doc.refresh()
        doc.finish_stroke(stroke)
        found = shown(surface)
        doc.forget_composites()
        np.testing.assert_array_equal(shown(surface), found)
        doc.undo()
    before = shown(surface)
    mask.invert()
    mask.invert()
    assert np.abs(shown(surface) - before).max() * 65535 < 40
    doc.resize("surface", (512, 512))
    assert red.value.mask.soften == 18
    doc.undo()
    with pytest.raises(NightmistError, match="what hides is below what shows"):
        mask.change(low=0.7, high=0.6)


def test_outside_all_islands_a_filter_leaves_the_map_as_it_was():
    doc = Document.from_mesh(plane(4, 0.3, 0.7), "one", (512, 512))
    surface = doc.surfaces["surface"]
    surface.layers.add("wash", pigment=Pigment(base_color="#808080"))
    for fields in ({"effect": "blur", "radius": 2}, {"effect": "blur", "radius": 9}, {"effect": "distort"}):
        node = surface.layers.add("adjustment", **fields)
        assert np.abs(shown(surface) - 128 / 255).max() < 1e-3, fields
        surface.layers.remove(node)


def test_a_surface_without_islands_takes_filters_and_shows_what_it_starts_with():
    mesh = soup([(0, 0, 0), (1, 0, 0), (0, 1, 0)], [(0, 1, 2)])
    surface = next(iter(Document.from_mesh(mesh, "bare", (256, 256)).surfaces.values()))
    surface.layers.add("wash", pigment=Pigment(base_color="#808080"))
    for fields in ({"effect": "blur", "radius": 9}, {"effect": "sharpen", "radius": 1}, {"effect": "distort"}):
        surface.layers.add("adjustment", **fields)
    assert np.abs(shown(surface) - 128 / 255).max() < 1e-3


def test_numbers_that_mean_nothing_are_refused():
    surface = Document.from_mesh(plane(4), "one", (64, 64)).surfaces["surface"]
    with pytest.raises(NightmistError, match="radius"):
        surface.layers.add("adjustment", effect="blur", radius=0)
    with pytest.raises(NightmistError, match="amount"):
        surface.layers.add("adjustment", effect="distort", amount=3)
