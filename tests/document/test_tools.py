"""Every option of tip and tool against an independent computation; all of it undone to the bit."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from nightmist import Camera, Document, NightmistError, Pigment, PressureCurve, Tip
from nightmist.core.brush.falloff import falloff_table
from nightmist.core.brush.mirror import Mirror
from nightmist.core.brush.tips import TIPS, made_tip
from nightmist.core.formats.image_files import write_png
from nightmist.core.mesh.bodies import practice_body
from nightmist.document.values import MAPS, TOOLS, CloneSource

from ..shapes import joined, lay_picture, placed, places_at, plane, sphere, walls

CAMERA = Camera.look_at((0, 0, 6), (0, 0, 0), 40, (400, 300))
RED = Pigment(base_color="#ff0000")
FIRM = {"strength": 1.0, "hardness": 1.0, "pressure_strength": False}


def wall(size=256):
    """A square of 2 units on 90 % of a map, with a layer; a texel is a fixed part of a unit."""
    doc = Document.from_mesh(plane(4, 0, 1), "wall", (size, size))
    return doc, doc.surfaces["surface"].layers.add("brushed", name="Coat")


def flat(doc, layer, path, tip, pigment=RED, tool="brush", **options):
    """A stroke in the map."""
    doc.stroke(layer, path, CAMERA, tip, pigment, tool, in_map=True, **options)


def alpha(layer, name="base_color"):
    return layer.read(name)[..., -1] / 65535


def everything(doc):
    return {(i, n): layer.read(n).tobytes() for i, layer in doc.layers.items() for n in MAPS}


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


def test_straight_lines_deviate_by_no_pixel():
    """Along an axis every row of the line covers the same columns; at 45 degrees it lies on the diagonal."""
    doc, layer = wall()
    flat(doc, layer, [(40.5, 100.5), (200.5, 100.5)], Tip(radius=9, **FIRM, spacing=0.05))
    cover = alpha(layer) > 0.5
    rows = [set(np.flatnonzero(cover[:, x])) for x in range(60, 180)]
    assert all(found == rows[0] for found in rows)
    doc.undo()
    flat(doc, layer, [(40.5, 40.5), (200.5, 200.5)], Tip(radius=9, **FIRM, spacing=0.05))
    cover = alpha(layer) > 0.5
    assert (cover == cover.T).all()


def test_pressure_ramps():
    """Radius, strength and hardness follow pressure by the tip's least value and curve."""
    tip = Tip(radius=30, strength=1, hardness=1, spacing=2, pressure_radius=True, pressure_strength=False,
              pressure_radius_curve=PressureCurve(least=0.2, gamma=2.0))  # fmt: skip
    doc, layer = wall()
    for i, pressure in enumerate((0.0, 0.5, 1.0)):
        flat(doc, layer, [(40.5 + 80 * i, 128.5, pressure)], tip)
        column = alpha(layer)[:, 40 + 80 * i] > 0.5
        wanted = 30 * (0.2 + 0.8 * pressure**2)
        assert column.sum() / 2 == pytest.approx(wanted, abs=1.1)
    doc, layer = wall()
    flat(doc, layer, [(128.5, 128.5, 0.5)], Tip(radius=30, hardness=1, pressure_strength_curve=PressureCurve(least=0)))
    assert alpha(layer).max() == pytest.approx(0.5, abs=1e-3)
    doc, layer = wall()
    flat(
        doc,
        layer,
        [(128.5, 128.5, 0.5)],
        Tip(
            radius=40,
            hardness=0.8,
            pressure_strength=False,
            pressure_hardness=True,
            pressure_hardness_curve=PressureCurve(least=0),
        ),
    )
    profile = alpha(layer)[128, 128:168]
    assert (profile[:15] > 0.999).all()  # 0.4 of the radius is hard
    assert profile[18] < 0.999


def test_pressure_has_a_curve_for_each_value():
    """One press: the radius by its curve, the strength by another, each as its formula says."""
    tip = Tip(
        radius=40, strength=0.9, hardness=1, pressure_radius=True,
        pressure_radius_curve=PressureCurve(least=0.5, gamma=1),
        pressure_strength_curve=PressureCurve(least=0, gamma=3),
    )  # fmt: skip
    doc, layer = wall()
    flat(doc, layer, [(128.5, 128.5, 0.6)], tip)
    cover = alpha(layer)
    assert cover.max() == pytest.approx(0.9 * 0.6**3, abs=1e-3)
    assert (cover[:, 128] > 0.5 * cover.max()).sum() / 2 == pytest.approx(40 * (0.5 + 0.5 * 0.6), abs=1.1)


def test_the_stabilizer_trails_on_a_string_and_catches_up():
    """A jagged path is calmed: the brush stays within the string of the pointer, and ends where it ends."""
    zigzag = [(40 + 4 * i, 128 + 10 * (-1) ** i) for i in range(40)]
    rows = []
    for length in (0, 30):
        doc, layer = wall()
        flat(doc, layer, zigzag, Tip(radius=4, **FIRM, stabilizer=length))
        y, x = np.nonzero(alpha(layer) > 0.5)
        rows.append(np.ptp(y[(x > 90) & (x < 170)]))
        assert np.hypot(x - zigzag[-1][0], y - zigzag[-1][1]).min() < 3
    assert rows[1] < rows[0] - 8


def test_taper_thins_both_ends():
    """The middle has the full width, both ends a small part of it, the same at either end."""
    doc, layer = wall()
    flat(doc, layer, [(28.5, 128.5), (228.5, 128.5)], Tip(radius=16, **FIRM, taper=60, spacing=0.03))
    width = (alpha(layer) > 0.5).sum(axis=0)
    assert width[128] == pytest.approx(32, abs=1)
    assert 0 < width[32] < 8
    assert 0 < width[224] < 8
    assert (np.abs(width[30:128].astype(int) - width[::-1][29:127]) <= 2).all()


def test_build_up_grows_while_resting():
    """Each rest is another dab: 1 - (1 - w)^n; capped strokes stay at their strength."""
    for build_up, wanted in ((True, 1 - 0.9**6), (False, 0.1)):
        doc, layer = wall()
        tip = Tip(radius=20, strength=0.1, hardness=1, pressure_strength=False, build_up=build_up)
        flat(doc, layer, [(128, 128)] * 6, tip)
        assert alpha(layer)[128, 128] == pytest.approx(wanted, abs=1e-3)


@pytest.mark.parametrize("mode", ["multiply", "screen", "overlay", "difference", "add", "luminosity"])
def test_brush_blend_modes_meet_the_layer(mode):
    """On an opaque layer a brush in a mode gives what a layer of that mode gives; on nothing it lays its own color."""
    color, under = Pigment(base_color="#c08040"), Pigment(base_color="#4060a0")
    doc, layer = wall()
    doc.fill(layer, under, "surface")
    flat(doc, layer, [(128, 128)], Tip(radius=40, **FIRM, blend=mode), color)
    found = layer.read("base_color")[128, 128, :3].astype(int)
    other, below = wall()
    other.fill(below, under, "surface")
    above = other.surfaces["surface"].layers.add("brushed")
    other.fill(above, color, "surface")
    above.blend = mode
    wanted = other.surfaces["surface"].read("base_color")[128, 128, :3].astype(int)
    assert np.abs(found - wanted).max() <= 2
    doc, layer = wall()
    flat(doc, layer, [(128, 128)], Tip(radius=40, **FIRM, blend=mode), color)
    assert (layer.read("base_color")[128, 128, :3] == np.array([0xC0, 0x80, 0x40]) * 257).all()


def test_mirrored_strokes_are_equal():
    """Across x and y on a symmetric wall: all four quarters hold the same texels; nothing doubled on the plane."""
    for build_up in (False, True):
        doc, layer = wall()
        doc.mirror = "xy"
        tip = Tip(radius=22, strength=0.5, hardness=0.3, pressure_strength=False, build_up=build_up)
        doc.stroke(layer, [(215, 120), (260, 80), (201, 60)], CAMERA, tip, RED)
        cover = alpha(layer)
        assert np.abs(cover - cover[:, ::-1]).max() < 2e-3
        assert np.abs(cover - cover[::-1]).max() < 2e-3
        if not build_up:
            assert cover.max() <= 0.5 + 1e-4
        doc.mirror = ""
        doc.undo()
        assert not alpha(layer).any()


@pytest.mark.parametrize("build_up", [False, True])
def test_strokes_in_the_map_are_mirrored(build_up):
    """By way of the model: alike on both halves of the wall, a picture turned over; near the middle nothing doubled."""
    doc, layer = wall()
    doc.mirror = "xy"
    half = np.zeros((64, 64, 4), np.uint8)
    half[:, 32:, 3] = 255
    soft = Tip(radius=22, strength=0.5, hardness=0.3, pressure_strength=False, build_up=build_up)
    for tip in (soft, soft.but(picture=doc.add_tip("half.png", write_png(half)), angle=30, angle_mode="along")):
        flat(doc, layer, [(60, 70), (100, 40), (118, 60)], tip)
        cover = alpha(layer)
        assert cover[:128, :128].max() > 0.4
        assert np.abs(cover - cover[:, ::-1]).max() < 2e-3
        assert np.abs(cover - cover[::-1]).max() < 2e-3
        if not build_up:
            assert cover.max() <= 0.5 + 1e-4
        doc.undo()
        assert not alpha(layer).any()


def test_a_stroke_in_the_map_is_mirrored_onto_a_turned_island():
    """Two walls, the island of one a quarter turned and half as large: the same place of the model is covered alike."""
    left, right = placed(plane(4, 0, 1), move=(-1.5, 0, 0)), placed(plane(4, 0, 1), move=(1.5, 0, 0))
    uv = left.uvs[0].astype(np.float64)

    def in_left(p, q):
        return np.stack([0.02 + 0.6 * p, 0.02 + 0.6 * q], -1)

    def in_right(p, q):
        return np.stack([0.68 + 0.3 * q, 0.98 - 0.3 * p], -1)

    left = replace(left, uvs=[in_left(uv[..., 0], uv[..., 1]).astype(np.float32)])
    right = replace(right, uvs=[in_right(uv[..., 0], uv[..., 1]).astype(np.float32)])
    doc = Document.from_mesh(joined(left, right), "walls", (512, 512))
    layer = doc.surfaces["surface"].layers.add("brushed")
    doc.mirror = "x"
    flat(doc, layer, [(60, 120), (140, 90), (200, 180)], Tip(radius=30, strength=0.8, hardness=0.1, picture="ink"))
    cover = alpha(layer)
    p, q = np.meshgrid(np.linspace(0.05, 0.95, 90), np.linspace(0.05, 0.95, 90))
    here, there = (cv2.remap(cover.astype(np.float32), (uv * 512 - 0.5).astype(np.float32), None, cv2.INTER_LINEAR)
                   for uv in (in_left(p, q), in_right(1 - p, q)))  # fmt: skip
    assert here.max() > 0.75
    assert np.abs(here - there).max() < 0.08
    assert np.abs(here - there).mean() < 0.004


def test_a_mirrored_gradient_goes_by_the_nearer_image():
    """Four turns of a line about the middle: each texel by the one whose middle is nearest."""
    doc, layer = wall()
    ends = (Pigment(base_color="#000000"), Pigment(base_color="#ffffff"))
    doc.gradient(layer, (0.1, 0.05, 0), (0.7, 0.2, 0), ends, mirror=Mirror(axis="z", turns=4))
    y, x = np.mgrid[1:-1:256j, -1:1:256j] * (255 / 256)
    at = np.stack([x, y], -1)
    shares, away = [], []
    for k in range(4):
        c, s = np.cos(np.pi / 2 * k), np.sin(np.pi / 2 * k)
        a, b = np.array([[c, -s], [s, c]]) @ (0.1, 0.05), np.array([[c, -s], [s, c]]) @ (0.7, 0.2)
        shares.append(np.clip((at - a) @ (b - a) / ((b - a) @ (b - a)), 0, 1))
        away.append(np.linalg.norm(at - (a + b) / 2, axis=-1))
    nearest = np.argmin(away, axis=0)
    wanted = np.take_along_axis(np.array(shares), nearest[None], axis=0)[0]
    clear = np.sort(away, axis=0)
    found = layer.read("base_color")[..., 0] / 65535
    assert np.abs(found - wanted)[clear[1] - clear[0] > 0.01].max() < 0.01


def test_mirror_matrices():
    """Planes give all combinations, turns all rotations, each once; lengths are kept."""
    assert len(Mirror(planes="xyz").matrices()) == 8
    assert len(Mirror(turns=6).matrices()) == 6
    assert len(Mirror(planes="xz", turns=2).matrices()) == 4  # turned by 180° about y is both planes at once
    for matrix in Mirror(planes="xy", axis="z", turns=5).matrices():
        assert np.allclose(matrix[:, :3] @ matrix[:, :3].T, np.eye(3))
    for matrix in Mirror(planes="xz", turns=3, center=(2.5, 1, -4)).matrices():
        assert np.allclose(matrix @ [2.5, 1, -4, 1], [2.5, 1, -4])


def test_a_plane_through_any_point_mirrors_strokes_and_fills():
    """A body far from the origin: both halves are painted alike, and so are the images of faces that are filled."""
    doc = Document.from_mesh(placed(plane(4, 0, 1), move=(2.5, 0, 0)), "off", (128, 128))
    layer = doc.surfaces["surface"].layers.add("brushed")
    camera = Camera.look_at((2.5, 0, 4), (2.5, 0, 0), 40, (600, 300))
    doc.mirror, doc.mirror_center = "x", (2.5, 0, 0)
    doc.stroke(layer, [(240, 150)], camera, Tip(radius=20, **FIRM), RED)
    cover = alpha(layer)
    assert cover[:, :64].max() == 1
    assert np.abs(cover - cover[:, ::-1]).max() <= 1 / 255
    doc.undo()
    doc.fill(layer, RED, region=[0, 1], mirror=Mirror(planes="x", center=(2.5, 0, 0)))
    cover = alpha(layer)
    assert (cover[:32, :32] == 1).all()
    assert (cover[:32, 96:] == 1).all()
    assert not cover[:, 40:88].any()
    assert not cover[40:].any()


def test_a_mirror_image_without_a_match_is_left_out():
    """Where the body is not symmetric, nothing is painted on the other side."""
    doc = Document.from_mesh(placed(plane(4, 0, 1), move=(0.9, 0, 0)), "off", (128, 128))
    layer = doc.surfaces["surface"].layers.add("brushed")
    doc.mirror = "x"
    doc.stroke(layer, [(300, 150)], CAMERA, Tip(radius=10, **FIRM), RED)
    x = np.nonzero(alpha(layer))[1]
    assert np.ptp(x) < 30


@pytest.mark.parametrize("tool", ["smear", "soften", "sharpen"])
def test_retouching_conserves_a_constant_field(tool):
    """Over a field of one value, seams included, not a single bit changes, and no step is made."""
    doc = Document.from_mesh(sphere(), "ball", (256, 256))
    layer = doc.surfaces["surface"].layers.add("brushed")
    doc.fill(layer, Pigment(base_color="#7d3d1f", roughness=0.37, height=0.61), "surface")
    before, place = everything(doc), doc.history.place
    doc.stroke(layer, [(150, 150), (250, 140)], CAMERA, Tip(radius=40, strength=0.8), tool=tool)
    assert everything(doc) == before
    assert doc.history.place == place


def test_smear_carries_paint_along_and_over_a_seam():
    """Paint of one surface is pulled onto the next, and nowhere else."""
    doc = Document.from_mesh(walls(4), "two", (256, 256))
    for surface in doc.surfaces.values():
        doc.fill(surface.layers.add("brushed", name="Coat"), Pigment(base_color="#000000"), surface.name)
    left, right = doc.surfaces["left"].layers[0], doc.surfaces["right"].layers[0]
    doc.fill(left, Pigment(base_color="#ffffff"), "left")
    before = everything(doc)
    doc.stroke(
        left, [(170, 150), (230, 150)], CAMERA, Tip(radius=16, strength=1, hardness=0.6, spacing=0.05), tool="smear"
    )
    pulled = right.read("base_color")[..., 0] > 20000
    assert pulled.sum() > 30
    y, x = np.nonzero(pulled)
    assert x.min() < 20
    assert np.abs(y - 128).max() < 30
    doc.undo()
    assert everything(doc) == before


def test_soften_is_a_blur_and_sharpen_sets_off():
    """A step of brightness gets a gentler slope from one and a steeper one from the other; means stay."""
    doc, layer = wall()
    doc.fill(layer, Pigment(base_color="#404040"), "surface")
    flat(doc, layer, [(192, -200), (192, 460)], Tip(radius=64, **FIRM, spacing=0.02), Pigment(base_color="#c0c0c0"))
    sharp = layer.read("base_color")[128, :220, 0].astype(int)
    flat(doc, layer, [(128, 60), (128, 200)], Tip(radius=40, strength=0.9, hardness=0.5), None, "soften")
    soft = layer.read("base_color")[128, :220, 0].astype(int)
    assert np.abs(np.diff(soft)).max() < 0.35 * np.abs(np.diff(sharp)).max()
    assert abs(soft.mean() - sharp.mean()) < 120
    for _ in range(4):
        flat(doc, layer, [(128, 60), (128, 200)], Tip(radius=40, strength=0.7, hardness=0.5), None, "sharpen")
    again = layer.read("base_color")[128, :220, 0].astype(int)
    assert np.abs(np.diff(again)).max() > 1.3 * np.abs(np.diff(soft)).max()


def test_clone_equals_its_source():
    """In the map, texel for texel; on the model, through the surface, to the nearest level."""
    doc, layer = wall()
    y, x = np.mgrid[:256, :256]
    image = np.zeros((256, 256, 4), np.uint16)
    image[..., 0], image[..., 1], image[..., 3] = x * 256, y * 256, 65535
    image[:, 128:] = 0
    lay_picture(doc, layer, "base_color", image)
    source = CloneSource(point=(60.5, 128.5, 0), normal=(0, 0, 1), anchor=(190.5, 128.5, 0), anchor_normal=(0, 0, 1))
    flat(doc, layer, [(190.5, 128.5), (200.5, 140.5)], Tip(radius=20, **FIRM), None, "clone", source=source)
    found = layer.read("base_color")
    inside = np.hypot(x - 190, y - 128) < 17
    assert (found[inside] == np.roll(image, 130, axis=1)[inside]).all()
    doc.undo()
    # The same over the model: the wall is 2 units on 256 texels.
    unit = 2 / 256
    source = CloneSource(point=(-68 * unit, 0, 0), normal=(0, 0, 1), anchor=(62 * unit, 0, 0), anchor_normal=(0, 0, 1))
    doc.stroke(layer, [(256, 150)], CAMERA, Tip(radius=16, **FIRM), None, "clone", source=source)
    found = layer.read("base_color").astype(int)
    changed = (found[..., 3] > 65000) & (x > 130)
    assert changed.sum() > 100
    assert np.abs(found - np.roll(image.astype(int), 130, axis=1))[changed][:, :3].max() <= 2
    with pytest.raises(NightmistError, match="needs a source"):
        doc.stroke(layer, [(200, 150)], CAMERA, Tip(), None, "clone")


def test_a_fill_of_faces_leaves_no_rim_at_any_seam():
    """Islands and halves of islands: inside fully covered, up to the gutter; outside untouched; edges smooth."""
    mesh = joined(
        placed(plane(4), uv_scale=0.45), placed(plane(4), move=(2.2, 0, 0), uv_scale=0.45, uv_move=(0.5, 0.5))
    )
    doc = Document.from_mesh(mesh, "two", (256, 256))
    surface = doc.surfaces["surface"]
    layer = surface.layers.add("brushed")
    island = np.arange(len(mesh.faces) // 2)
    doc.fill(layer, RED, region=island)
    owner = surface.layout.ownership.owner()
    inside = np.isin(owner, island)
    cover = alpha(layer)
    assert (cover[inside] == 1).all()
    assert not cover[(owner >= 0) & ~inside].any()
    pairs, _ = surface.layout.gutter.by_target
    near = np.isin(pairs[:, 1], np.flatnonzero(inside.ravel()))
    assert (cover.ravel()[pairs[near, 0]] == 1).all()
    doc.undo()
    half = np.flatnonzero(mesh.corners.mean(axis=1)[:, 0] < 0)
    doc.fill(layer, RED, region=half)
    cover = alpha(layer)
    y, x = np.nonzero(np.isin(owner, half))
    middle = x.max()
    assert (cover[y[x < middle - 1], x[x < middle - 1]] == 1).all()
    assert not cover[np.isin(owner, np.setdiff1d(island, half)) & (np.arange(256) > middle + 2)].any()


def test_fill_by_color_covers_what_shows_it():
    """All texels within the tolerance, none beyond; the layer named takes the paint."""
    doc, layer = wall()
    doc.gradient(layer, (-1, 0, 0), (1, 0, 0), (Pigment(base_color="#000000"), Pigment(base_color="#ffffff")))
    image = doc.surfaces["surface"].read("base_color").astype(int)
    top = doc.surfaces["surface"].layers.add("brushed")
    hit = doc.pick(CAMERA, (200, 150))
    doc.fill_color(top, RED, hit, tolerance=0.1)
    x, y = (int(c * 256) for c in hit.uv)
    wanted = np.abs(image[..., :3] - image[y, x, :3]).max(axis=2) <= round(0.1 * 65535)
    assert ((alpha(top) == 1) == wanted).all()


def test_samples_are_the_stored_values():
    """Of what shows, and of one layer alone; a map that a layer does not hold is left out."""
    doc, layer = wall()
    doc.fill(layer, Pigment(base_color="#123456", roughness=0.25), "surface")
    top = doc.surfaces["surface"].layers.add("brushed")
    doc.fill(top, Pigment(base_color="#ffffff"), "surface")
    top.opacity = 0.5
    hit = doc.pick(CAMERA, (200, 150))
    assert doc.sample(hit, layer).base_color == "#123456"
    assert doc.sample(hit, layer).roughness == pytest.approx(0.25, abs=1e-5)
    assert doc.sample(hit, top).roughness is None
    # Half white over it lies between two steps of 8 bits; the sample keeps the 16 that are stored.
    stored = doc.surfaces["surface"].read("base_color")[64, 64, :3].tolist()
    assert doc.sample(hit).base_color == "#" + "".join(f"{value:04x}" for value in stored)
    again = doc.surfaces["surface"].layers.add("brushed")
    doc.fill(again, doc.sample(hit), "surface")
    assert again.read("base_color")[64, 64, :3].tolist() == stored


def test_painting_in_the_map_wraps_and_stays_in_its_surface():
    """A dab over the border goes on at the other one; the other surface is left alone."""
    doc = Document.from_mesh(walls(), "two", (128, 128))
    layers = {name: surface.layers.add("brushed", name="Coat") for name, surface in doc.surfaces.items()}
    flat(doc, layers["left"], [(2, 64)], Tip(radius=12, **FIRM))
    cover = alpha(layers["left"]) > 0.5
    y, x = np.mgrid[:128, :128] + 0.5
    wanted = np.hypot((x - 2 + 64) % 128 - 64, y - 64) < 11.5
    assert (cover == wanted).mean() > 0.998
    assert cover[:, 120:].any()
    assert not alpha(layers["right"]).any()


@pytest.mark.parametrize("tool", TOOLS)
@pytest.mark.parametrize("in_map", [False, True])
def test_every_tool_is_undone_and_redone_to_the_bit(tool, in_map):
    """With jitter, taper, pictures and mirror all at once."""
    doc = Document.from_mesh(sphere(), "ball", (256, 256))
    layer = doc.surfaces["surface"].layers.add("brushed")
    doc.gradient(layer, (-1, 0, 0), (1, 0.2, 0), (RED, Pigment(base_color="#0040ff")))
    doc.mirror = "" if in_map else "x"
    before, place = everything(doc), doc.history.place
    tip = Tip(radius=18, strength=0.7, jitter_place=0.3, jitter_radius=0.4, taper=30, stabilizer=5, picture="chalk")
    source = CloneSource(point=(40, 60, 0) if in_map else (0.3, 0.2, 0.93), normal=(0, 0, 1),
                         anchor=(90, 90, 0) if in_map else (0, 0, 1), anchor_normal=(0, 0, 1))  # fmt: skip
    path = [(100, 100), (140, 130), (170, 110)] if in_map else [(170, 130), (210, 160), (240, 150)]
    pigment = Pigment(base_color="#20c040", height=0.7) if tool == "brush" else None
    doc.stroke(layer, path, CAMERA, tip, pigment, tool, in_map=in_map, source=source if tool == "clone" else None)
    assert doc.history.place == place + 1
    after = everything(doc)
    assert after != before
    doc.undo()
    assert everything(doc) == before
    doc.redo()
    assert everything(doc) == after


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


@pytest.mark.parametrize("picture", [False, True])
def test_what_differs_from_dab_to_dab_is_mirrored_while_it_builds_up(picture):
    """Each image gathers alone; the colors of dabs, strewn or the tip's own, come with the coverage that counts."""
    doc = Document.from_mesh(sphere(), "ball", (256, 256))
    layer = next(iter(doc.surfaces.values())).layers.add("brushed")
    doc.mirror = "x"
    own = doc.add_tip("wheel.png", write_png(wheel())) if picture else None
    tip = Tip(radius=20, build_up=True, strength=0.4, jitter_color=0.0 if picture else 0.6, picture=own, spacing=0.3)
    camera = Camera.look_at((0, 0, 4), (0, 0, 0), 40, (400, 300))
    doc.stroke(layer, [(170, 150), (140, 170), (215, 150)], camera, tip, RED)
    found = layer.read("base_color")
    seen = found[..., 3] > 6000
    assert seen.sum() > 500
    assert (found[seen, :3].max(axis=1) > 10_000).all()
    assert len(np.unique(found[seen, 1])) > 3


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
