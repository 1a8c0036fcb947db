"""What is mirrored equals what was painted: strokes, fills and gradients, on the model and in the map."""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
import pytest

from nightmist import Camera, Document, NightmistError, Pigment, Tip
from nightmist.core.brush.mirror import Mirror
from nightmist.core.formats.image_files import write_png

from ..shapes import joined, placed, plane, sphere, walls
from .test_tips import wheel
from .test_tools import CAMERA, FIRM, RED, alpha, flat, wall


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


@pytest.mark.parametrize("apart", [False, True])
def test_a_stroke_in_the_map_is_mirrored_onto_a_turned_island(apart):
    """Two walls, the island of one a quarter turned and half as large: the same place of the model is covered alike.

    apart: each wall is a surface of its own. One undo takes both back, and redo lays both again.
    """
    left, right = placed(plane(4, 0, 1), move=(-1.5, 0, 0)), placed(plane(4, 0, 1), move=(1.5, 0, 0))
    uv = left.uvs[0].astype(np.float64)

    def in_left(p, q):
        return np.stack([0.02 + 0.6 * p, 0.02 + 0.6 * q], -1)

    def in_right(p, q):
        return np.stack([0.68 + 0.3 * q, 0.98 - 0.3 * p], -1)

    left = replace(left, uvs=[in_left(uv[..., 0], uv[..., 1]).astype(np.float32)])
    right = replace(right, uvs=[in_right(uv[..., 0], uv[..., 1]).astype(np.float32)])
    names = ["left", "right"] if apart else None
    doc = Document.from_mesh(joined(left, right, names=names), "walls", (512, 512))
    layers = [surface.layers.add("brushed") for surface in doc.surfaces.values()]
    doc.mirror = "x"
    tip = Tip(radius=30, strength=0.8, hardness=0.1, picture="ink")
    flat(doc, layers[0], [(60, 120), (140, 90), (200, 180)], tip)
    covers = [alpha(layer).astype(np.float32) for layer in layers]
    doc.undo()
    assert not any(alpha(layer).any() for layer in layers)
    doc.redo()
    assert all((alpha(layer).astype(np.float32) == cover).all() for layer, cover in zip(layers, covers, strict=True))
    p, q = np.meshgrid(np.linspace(0.05, 0.95, 90), np.linspace(0.05, 0.95, 90))
    here, there = (cv2.remap(cover, (uv * 512 - 0.5).astype(np.float32), None, cv2.INTER_LINEAR)
                   for cover, uv in ((covers[0], in_left(p, q)), (covers[-1], in_right(1 - p, q))))  # fmt: skip
    assert here.max() > 0.75
    assert np.abs(here - there).max() < 0.08
    assert np.abs(here - there).mean() < 0.004


@pytest.mark.parametrize("tool", ["erase", "soften"])
def test_tools_in_the_map_reach_the_image_on_another_surface(tool):
    """Both walls painted alike: what a tool does on the one it does on the other, mirrored; a hidden one stays."""
    walls = [placed(plane(4, 0.1, 0.9), move=(x, 0, 0)) for x in (-1.5, 1.5)]
    doc = Document.from_mesh(joined(*walls, names=["left", "right"]), "walls", (256, 256))
    layers = [surface.layers.add("brushed") for surface in doc.surfaces.values()]
    for layer in layers:
        flat(doc, layer, [(128, 60), (128, 200)], Tip(radius=20, **FIRM))
    before = [alpha(layer) for layer in layers]
    doc.mirror = "x"
    flat(doc, layers[0], [(100, 128), (150, 128)], Tip(radius=20, strength=0.8), tool=tool)
    here, there = (alpha(layer) for layer in layers)
    assert (here != before[0]).any()
    assert np.abs(here - there[:, ::-1]).max() < 0.02
    doc.undo()
    layers[1].visible = False
    flat(doc, layers[0], [(100, 128), (150, 128)], Tip(radius=20, strength=0.8), tool=tool)
    assert (alpha(layers[1]) == before[1]).all()
    assert np.abs(alpha(layers[0]) - here).max() < 1e-4


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


@pytest.mark.parametrize("planes", ["", "x"])
def test_the_map_of_a_surface_whose_faces_went_to_another_takes_no_paint(planes):
    doc = Document.from_mesh(walls(), "walls", (64, 64))
    layer = doc.surfaces["left"].layers.add("brushed")
    doc.assign_faces(doc.surfaces["left"].faces, name="right")
    doc.mirror = planes
    with pytest.raises(NightmistError, match="left has no faces"):
        flat(doc, layer, [(20, 20), (40, 30)], Tip(radius=9, **FIRM))
    assert not alpha(layer).any()
