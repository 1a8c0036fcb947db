"""Every option of tip and tool against an independent computation; all of it undone to the bit."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Camera, Document, NightmistError, Pigment, PressureCurve, Tip
from nightmist.document.values import MAPS, TOOLS, CloneSource

from ..shapes import joined, lay_picture, placed, plane, sphere, walls

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
