"""Tips: falloffs by their formulas, pictures that let through, turning, jitter, colors of their own."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Camera, Document, NightmistError, Pigment, Tip
from nightmist.core.brush.falloff import falloff_table
from nightmist.core.brush.tips import TIPS, made_tip
from nightmist.core.formats.image_files import write_png
from nightmist.core.mesh.bodies import practice_body

from ..shapes import joined, places_at, plane
from .test_tools import CAMERA, FIRM, RED, alpha, flat, wall

FALLOFFS = {
    "smooth": lambda s: 1 - s * s * (3 - 2 * s),
    "linear": lambda s: 1 - s,
    "dome": lambda s: np.sqrt(1 - s * s),
    "point": lambda s: (1 - s) ** 2,
    "curve": lambda s: np.interp(s, [0, 0.3, 1], [1, 0.8, 0]),
}


@pytest.mark.parametrize("kind", FALLOFFS)
@pytest.mark.parametrize("hardness", [0.0, 0.5])
def test_falloffs_are_their_formulas(kind, hardness):
    """A dab in the map, texel by texel; the curve is straight between its points."""
    doc, layer = wall()
    curve = ((0, 1), (0.3, 0.8), (1, 0)) if kind == "curve" else None
    tip = Tip(radius=40, strength=0.9, hardness=hardness, falloff=kind, curve=curve, pressure_strength=False)
    flat(doc, layer, [(128.5, 120.5)], tip)
    y, x = np.mgrid[:256, :256]
    t = np.hypot(x - 128, y - 120) / 40
    s = np.clip((t - hardness) / (1 - hardness), 0, 1)
    wanted = np.where(t < 1, 0.9 * FALLOFFS[kind](s), 0)
    # The dome falls straight down at its rim.
    assert np.abs(alpha(layer) - wanted)[t < 0.99].max() < 0.004


def test_a_curve_needs_points():
    """Refused in a sentence."""
    with pytest.raises(NightmistError, match="two points"):
        falloff_table("curve", [(0, 1)])


def test_a_tip_picture_lets_through_what_it_shows():
    """A half-bright picture covers on its bright side only, turned as the tip is."""
    doc, layer = wall()
    half = np.zeros((64, 64, 4), np.uint8)
    half[:, 32:, 3] = 255
    name = doc.add_tip("half.png", write_png(half))
    for angle, bright in ((0, (1, 0)), (90, (0, 1)), (180, (-1, 0))):
        flat(doc, layer, [(128, 128)], Tip(radius=40, **FIRM, picture=name, angle=angle))
        y, x = np.nonzero(alpha(layer) > 0.5)
        middle = np.array([x.mean() - 128, y.mean() - 128])
        assert middle @ bright > 10
        assert abs(middle @ (bright[1], bright[0])) < 1
        doc.undo()
    with pytest.raises(NightmistError, match="no tip picture"):
        flat(doc, layer, [(128, 128)], Tip(radius=40, picture="nothing"))


@pytest.mark.parametrize("eye", [(0.4, 0.3, 4), (4, 0.5, 0.2), (0.3, -4, 0.5), (-4, 0.6, -0.7)])
@pytest.mark.parametrize(("angle", "toward"), [(0, (1, 1)), (90, (1, -1)), (180, (-1, -1))])
def test_a_tip_picture_stands_on_the_model_as_one_sees_it(eye, angle, toward):
    """A picture of its upper right quarter, on sides of a box: it lies there for the eye, and turns with the clock."""
    doc = Document.from_mesh(practice_body("box", 2.0), "box", (256, 256))
    surface = next(iter(doc.surfaces.values()))
    layer = surface.layers.add("brushed")
    quarter = np.zeros((64, 64, 4), np.uint8)
    quarter[:32, 32:, 3] = 255
    tip = Tip(radius=60, **FIRM, picture=doc.add_tip("quarter.png", write_png(quarter)), angle=angle)
    camera = Camera.look_at(eye, (0, 0, 0), 40, (400, 300))
    doc.stroke(layer, [(200, 150)], camera, tip, RED)
    own = surface.layout.ownership
    y, x = np.nonzero(layer.read("base_color")[..., 3] > 30_000)
    places = places_at(own, y, x)
    hit = doc.pick(camera, (200, 150))
    right, up, _ = np.array(camera.axes)
    middle = places.mean(axis=0) - hit.position
    radius = 60 * float(camera.units_per_pixel(np.array([hit.position]))[0])
    # The middle of a quarter of a disk lies at 4 r / (3 pi) along both sides.
    assert np.array([middle @ right, middle @ up]) / radius == pytest.approx(
        np.multiply(toward, 4 / (3 * np.pi)), abs=0.1
    )


@pytest.mark.parametrize("name", TIPS)
def test_shipped_tips_are_made_the_same_each_time(name):
    """Between 0 and 1, neither empty nor full, repeatable."""
    picture = made_tip(name)
    made_tip.cache_clear()
    assert (made_tip(name) == picture).all()
    assert 0.01 < picture.mean() < 0.9
    assert picture.max() > 0.5


@pytest.mark.parametrize("angle", [0, 60, 90, 200])
def test_a_tip_turns_with_the_tilt_of_the_pen(angle):
    """A half-bright picture covers the side to which the pen is tilted; an upright pen leaves it as it is."""
    doc, layer = wall()
    half = np.zeros((64, 64, 4), np.uint8)
    half[:, 32:, 3] = 255
    tip = Tip(radius=40, **FIRM, picture=doc.add_tip("half.png", write_png(half)), angle_mode="tilt")
    tilt = 0.7 * np.array([np.cos(np.radians(angle)), np.sin(np.radians(angle))])
    for given, toward in (((128, 128, 1, *tilt), tilt / 0.7), ((128, 128, 1, 0, 0), (1, 0)), ((128, 128), (1, 0))):
        flat(doc, layer, [given], tip)
        y, x = np.nonzero(alpha(layer) > 0.5)
        middle = np.array([x.mean() - 128, y.mean() - 128])
        # The middle of half a disk lies at 4 r / (3 pi).
        assert np.abs(middle - np.multiply(toward, 40 * 4 / (3 * np.pi))).max() < 1
        doc.undo()
    with pytest.raises(NightmistError, match="tilt"):
        flat(doc, layer, [(128, 128, 1, 0.5)], tip)


def test_a_tip_may_speak_as_the_first_versions_did():
    """Presets, recorded strokes and scripts of before say steady and lean."""
    tip = Tip.model_validate({"radius": 9, "steady": 7, "angle_mode": "lean"})
    assert (tip.radius, tip.stabilizer, tip.angle_mode) == (9, 7, "tilt")
    assert Tip(steady=3) == Tip(stabilizer=3)
    with pytest.raises(NightmistError, match="stabilizer"):
        Tip(steady=-1)


def test_a_tip_along_the_stroke_turns_with_it():
    """A rivet row along a line to the right covers three bumps across; along one downwards, three bumps down."""
    for path, axis in (([(60, 128), (200, 128)], 0), ([(128, 60), (128, 200)], 1)):
        doc, layer = wall()
        flat(doc, layer, path, Tip(radius=30, **FIRM, picture="rivets", angle_mode="along", angle=90, spacing=3))
        cover = alpha(layer) > 0.3
        spread = [np.ptp(places) for places in np.nonzero(cover)]
        assert cover.any()
        # Turned by a right angle the row stands across the path.
        assert spread[axis] > 36


JITTERS = [
    {"jitter_place": 1.0}, {"jitter_radius": 0.8}, {"jitter_angle": 1.0, "picture": "chalk"}, {"jitter_color": 1.0},
    {"angle_mode": "random", "picture": "bristle"},
]  # fmt: skip


@pytest.mark.parametrize("option", JITTERS)
def test_jitter_is_repeated_by_its_seed(option):
    """The same seed gives the same texels however samples are batched; another seed others."""
    tip = Tip(radius=14, strength=0.9, spacing=0.5, **option)
    results = []
    for seed, batches in ((5, 1), (5, 3), (6, 1)):
        doc, layer = wall()
        layers = {"surface": layer}
        stroke = doc.begin_stroke(layers, None, tip, RED, in_map="surface", seed=seed)
        samples = [(40 + 6 * i, 100 + 20 * np.sin(i / 3), 1) for i in range(30)]
        for part in np.array_split(np.array(samples), batches):
            stroke.extend([tuple(sample) for sample in part])
        doc.finish_stroke(stroke)
        results.append(layer.read("base_color"))
    assert (results[0] == results[1]).all()
    assert (results[0] != results[2]).any()


def test_jitter_of_color_strews_tones_around_the_color():
    """Many tones, around the one that was asked for; without jitter there is one."""
    doc, layer = wall()
    flat(
        doc,
        layer,
        [(30, 128), (220, 128)],
        Tip(radius=12, **FIRM, spacing=0.6, jitter_color=0.5),
        Pigment(base_color="#808080"),
    )
    colors = layer.read("base_color")
    inside = colors[colors[..., 3] > 60000][:, :3] / 257
    assert len(np.unique(inside.round(), axis=0)) > 8
    assert np.abs(inside.mean(axis=0) - 128).max() < 25


def test_a_file_that_is_no_picture_is_no_tip():
    """Refused in a sentence."""
    doc, _ = wall()
    with pytest.raises(NightmistError, match="cannot be read"):
        doc.add_tip("x.png", b"nothing")


def wheel(side=128):
    """A disc of smooth colors, clear beyond it, half transparent on its left."""
    y, x = np.mgrid[-1 : 1 : side * 1j, -1 : 1 : side * 1j]
    colors = np.stack([(x + 1) / 2, (y + 1) / 2, 0.5 + 0 * x, np.where(np.hypot(x, y) < 0.97, 0.75 + 0.25 * x, 0)], 2)
    return np.rint(np.clip(colors, 0, 1) * 65535).astype(np.uint16)


def test_a_colored_tip_lays_its_own_colors():
    """Three dabs that overlap, each source-over the one before, texel by texel; other maps take the pigment."""
    doc, layer = wall()
    name = doc.add_tip("wheel.png", write_png(wheel()))
    tip = Tip(radius=32, strength=0.8, hardness=1, pressure_strength=False, picture=name, spacing=0.25)
    flat(doc, layer, [(100.5, 128.5), (132.5, 128.5)], tip, Pigment(base_color="#ff0000", roughness=0.25))
    y, x = np.mgrid[:256, :256]
    color, cover = np.zeros((256, 256, 3)), np.zeros((256, 256))
    # The picture stands in the circle, to its right and down, as wide as it is.
    side = doc.tip_picture(name).shape[0] / 128
    for cx in (100, 116, 132):
        u, v = (x - cx) / 32 * side, (y - 128) / 32 * side
        alpha_here = np.where(np.hypot(u, v) < 0.97, 0.75 + 0.25 * u, 0) * 0.8
        here = np.stack([(u + 1) / 2, (v + 1) / 2, 0.5 + 0 * u], 2)
        whole = alpha_here + cover * (1 - alpha_here)
        share = np.divide(alpha_here, whole, out=np.zeros_like(whole), where=whole > 0)
        color += (np.clip(here, 0, 1) - color) * share[..., None]
        cover = np.maximum(cover, alpha_here)
    made = layer.read("base_color") / 65535
    rims = [np.abs(np.hypot((x - cx) / 32, (y - 128) / 32) - 0.97 / side) < 0.06 for cx in (100, 116, 132)]
    away = ~np.any(rims, axis=0)
    assert (cover[away] > 0.05).sum() > 3000
    assert np.abs(made[..., 3] - cover)[away].max() < 0.02
    assert np.abs(made[..., :3] - color)[away & (cover > 0.05)].max() < 0.02
    rough = layer.read("roughness") / 65535
    assert np.abs(rough[..., 1] - made[..., 3]).max() < 1e-4
    assert np.abs(rough[..., 0] - 0.25)[rough[..., 1] > 0].max() < 1e-4


def test_a_colored_tip_can_be_tinted_and_paints_masks():
    """Its shape alone then counts, with the pigment's color or the mask's value."""
    doc, layer = wall()
    name = doc.add_tip("wheel.png", write_png(wheel()))
    tip = Tip(radius=32, **FIRM, picture=name, tint=True)
    flat(doc, layer, [(128, 128)], tip)
    made = layer.read("base_color")
    assert (made[..., :3][made[..., 3] > 0] == (65535, 0, 0)).all()
    mask = layer.add_mask(1.0)
    doc.stroke(mask, [(128, 128)], CAMERA, tip.but(tint=False), value=0.0, in_map=True)
    left = mask.read() / 65535
    assert left.min() < 0.1
    assert np.abs((1 - left) - alpha(layer)).max() < 0.01


def test_a_tip_of_ones_own_is_kept_once_and_to_the_bit(tmp_path):
    """Gray or colored, the same picture again is the same tip; a project file has it to the bit."""
    doc, _ = wall()
    gray = np.random.default_rng(2).integers(0, 255, (40, 30), dtype=np.uint8)
    names = [doc.add_tip("grain.png", write_png(gray)), doc.add_tip("wheel.png", write_png(wheel()))]
    assert [doc.add_tip("other.png", write_png(gray)), doc.add_tip("x.png", write_png(wheel()))] == names
    doc.save(tmp_path / "tips.nightmist")
    again = Document.load(tmp_path / "tips.nightmist")
    for name in names:
        assert (again.tip_picture(name) == doc.tip_picture(name)).all()
    assert [tip.colored for tip in again.tip_values()] == [False, True]


def test_in_the_map_of_faces_that_have_no_area_in_space_tips_of_any_unit_leave_a_mark():
    mesh = joined(plane(), plane(), names=["wall", "nothing"])
    mesh.positions[len(plane().positions) :] = 0
    doc = Document.from_mesh(mesh, "w", (64, 64))
    layer = doc.surfaces["nothing"].layers.add("brushed")
    name = doc.add_tip("full.png", write_png(np.full((8, 8, 4), (0, 0, 0, 255), np.uint8)))
    for unit, picture in (("px", name), ("world", None), ("world", name)):
        flat(doc, layer, [(32, 32)], Tip(radius=9, unit=unit, **FIRM, picture=picture))
        assert alpha(layer)[32, 32] > 0.9
        doc.undo()
