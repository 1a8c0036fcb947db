"""What is cut out of pictures: against the formulas, wherever they are used, undone, kept, and refused."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

import nightmist as nm
from nightmist import Document, NightmistError
from nightmist.core.formats.image_files import read_picture
from nightmist.core.mapping.cutout import cropped, keyed_out, softened, with_alpha_of
from nightmist.demo import stencils
from nightmist.document.stacking.pictures import guessed_role

from ..shapes import plane
from .test_decals import front, in_frame, opened
from .test_stencils import wave, waves, write


def test_a_key_leaves_the_foreground_of_what_was_mixed_with_it():
    rng = np.random.default_rng(3)
    key = np.array([0.1, 0.8, 0.2])
    solid = np.array([0.9, 0.15, 0.7])
    share = rng.uniform(0, 1, (64, 64, 1))
    picture = np.full((64, 64, 4), 65535, np.uint16)
    picture[..., :3] = np.rint((solid * share + key * (1 - share)) * 65535)
    # Whoever knows how far apart both are can choose a softness that gives the mixture back, but for the smoothstep.
    whole = np.linalg.norm(solid - key) / np.sqrt(3)
    found = keyed_out(picture, tuple(key), 0.0, whole) / 65535
    t = share[..., 0]
    assert found[..., 3] == pytest.approx(t * t * (3 - 2 * t), abs=1e-3)
    a = found[..., 3:]
    expected = np.clip((picture[..., :3] / 65535 - (1 - a) * key) / np.maximum(a, 1e-3), 0, 1)
    assert abs(found[..., :3] - expected)[a[..., 0] > 0.05].max() < 2 / 255
    bare = keyed_out(picture, tuple(key), 0.1, 0.2, despill=False)
    assert (bare[..., :3] == picture[..., :3]).all()
    assert (bare[..., 3][share[..., 0] * whole < 0.1 - 1e-4] == 0).all()
    assert (bare[..., 3][share[..., 0] * whole > 0.3 + 1e-4] == 65535).all()


@pytest.mark.parametrize("key", [(0.13, 0.69, 0.25), (1.0, 1.0, 1.0), (0.0, 0.0, 0.0)])
def test_the_rim_of_a_shape_on_a_plain_ground_shows_nothing_of_the_ground(key):
    """A disc and a thin line whose shares of each pixel are known, laid over other grounds after it was keyed out."""
    fine = 16
    y, x = (np.indices((80 * fine, 80 * fine)) + 0.5) / fine
    inside = (np.hypot(x - 40.3, y - 41.1) < 22.7) | (abs(x - 0.4 * y - 8.2) < 1.4)
    share = inside.reshape(80, fine, 80, fine).mean(axis=(1, 3))[..., None]
    solid = np.array([0.94, 0.3, 0.13])
    picture = np.full((80, 80, 4), 65535, np.uint16)
    picture[..., :3] = np.rint((solid * share + np.array(key) * (1 - share)) * 65535)
    worst = {}
    for clean in (True, False):
        found = keyed_out(picture, key, 0.08, 0.1, despill=clean) / 65535
        a = found[..., 3:]
        off = [
            abs(found[..., :3] * a + ground * (1 - a) - solid * share - ground * (1 - share)).max()
            for ground in (np.zeros(3), np.ones(3), np.array([0.1, 0.2, 0.9]))
        ]
        worst[clean] = max(off)
    # What is as near to the key as the tolerance is gone, whatever it was.
    assert worst[True] < 0.2
    assert worst[False] > 0.5
    # Inverted, what is left is the ground, and its rim shows nothing of the shape.
    left = keyed_out(picture, key, 0.08, 0.1, background=True) / 65535
    kept = 1 - left[..., 3:]
    for ground in (np.zeros(3), np.ones(3), np.array([0.1, 0.2, 0.9])):
        seen = left[..., :3] * kept + ground * (1 - kept)
        assert abs(seen - np.array(key) * (1 - share) - ground * share).max() < 0.2


def test_a_rim_of_a_color_of_its_own_stays():
    """A red disc with a blue outline on green: the outline is no mixture of red and green."""
    y, x = np.indices((60, 60)) - 29.5
    far = np.hypot(x, y)
    picture = np.full((60, 60, 4), 65535, np.uint16)
    picture[..., :3] = (0, 60000, 0)
    picture[far < 20, :3] = (10000, 10000, 60000)
    picture[far < 18, :3] = (60000, 0, 0)
    found = keyed_out(picture, (0.0, 60000 / 65535, 0.0), 0.08, 0.1)
    assert (found[far < 20] == picture[far < 20]).all()
    assert not found[far >= 20, 3].any()


def test_parts_other_alphas_and_soft_rims():
    rng = np.random.default_rng(4)
    picture = rng.integers(0, 65536, (40, 60, 4)).astype(np.uint16)
    assert (cropped(picture, (0.25, 0.1, 0.75, 1.0)) == picture[4:40, 15:45]).all()
    assert cropped(picture, (0.5, 0.5, 0.5001, 0.5001)).shape == (1, 1, 4)
    gray = np.full((20, 30, 4), 65535, np.uint16)
    gray[..., :3] = 12345
    assert (with_alpha_of(picture, gray)[..., 3] == 12345).all()
    square = np.zeros((41, 41, 4), np.uint16)
    square[10:31, 10:31] = (65535, 20000, 0, 65535)
    soft = softened(square, 3.0)
    expected = cv2.GaussianBlur(square[..., 3].astype(np.float64), (0, 0), 3.0, borderType=cv2.BORDER_REPLICATE)
    assert soft[..., 3] == pytest.approx(expected, abs=2)
    # Its rim shows no other color than its own.
    shown = soft[..., 3] > 600
    assert abs(soft[shown][:, :3].astype(int) - (65535, 20000, 0)).max() < 400


def test_what_is_cut_out_shows_wherever_the_picture_is_used(tmp_path):
    green = np.full((64, 64, 4), (0.0, 1.0, 0.0, 1.0))
    green[16:48, 16:48] = (0.9, 0.1, 0.1, 1.0)
    path = write(tmp_path / "green.png", green)
    doc, surface, layer = opened(plane(2), 256)
    decal = layer.place(path, front(doc), width=1.0)
    wash = surface.layers.add("wash", images={"roughness": path})
    masked = surface.layers.add("wash", pigment=nm.Pigment(metallic=1.0))
    masked.add_mask().change(picture=decal.value.picture)
    before = {name: surface.read(name) for name in ("base_color", "roughness", "metallic")}
    doc.cut_picture(decal.value.picture, key="#00ff00")
    y, x, q, _ = in_frame(surface, decal.frame)
    color = surface.read("base_color")[y, x, :3].astype(int)
    middle, rim = abs(q[:, :2]).max(axis=1) < 0.22, (abs(q[:, :2]).max(axis=1) > 0.28)
    assert (color[middle] == np.rint(np.array((0.9, 0.1, 0.1)) * 65535)).all()
    ground = surface.read("base_color")[0, 0, :3]
    assert (color[rim] == ground).all()
    doc.cut_picture(decal.value.picture, inverted=True)
    color = surface.read("base_color")[y, x, :3].astype(int)
    shown = rim & (abs(q[:, :2]).max(axis=1) < 0.45)
    assert (color[middle] == ground).all(), "what is left is the background"
    assert (color[shown] == (0, 65535, 0)).all()
    doc.undo()
    assert (surface.read("roughness")[2, 2] != before["roughness"][2, 2]).all(), "nothing lies there now"
    assert surface.read("metallic")[2, 2] != before["metallic"][2, 2]
    doc.save(tmp_path / "kept.nightmist")
    again = Document.load(tmp_path / "kept.nightmist").surfaces["surface"]
    assert all((again.read(name) == surface.read(name)).all() for name in before)
    doc.undo()
    assert all((surface.read(name) == one).all() for name, one in before.items())
    assert wash.id != masked.id


def test_a_decal_shows_less_of_its_picture_where_that_is_cropped_and_nothing_moves(tmp_path):
    doc, surface, layer = opened(plane(2), 512)
    decal = layer.place(waves(tmp_path / "waves.png"), front(doc), width=1.2, roll=25)
    whole = decal.value.frame
    doc.cut_picture(decal.value.picture, crop=(0.25, 0.2, 0.75, 0.6))
    y, x, q, _ = in_frame(surface, whole)
    layer.bake()
    found = layer.read("base_color")[y, x] / 65535
    u, v = q[:, 0] + 0.5, 0.5 - q[:, 1]
    inside = (u > 0.27) & (u < 0.73) & (v > 0.22) & (v < 0.58)
    outside = (u < 0.24) | (u > 0.76) | (v < 0.18) | (v > 0.62)
    assert abs(found[inside, :3] - wave(u, v)[inside]).max() < 2 / 255
    assert not found[outside].any()


def test_pictures_of_an_alpha_stay_and_wrong_numbers_are_refused(tmp_path):
    doc, _, layer = opened(plane(2))
    decal = layer.place(write(tmp_path / "red.png", np.full((8, 8, 3), (1.0, 0, 0))), front(doc), width=1.0)
    gray = doc.add_picture(write(tmp_path / "gray.png", np.full((16, 4), 0.5)))
    key = decal.value.picture
    doc.cut_picture(key, alpha=gray)
    layer.bake()
    assert layer.read("base_color")[128, 128, 3] == pytest.approx(32768, abs=2)
    doc.undo()
    with pytest.raises(NightmistError, match=r"used by red\.png"):
        doc.remove_picture(gray)
    steps = doc.history.cursor
    for wrong in ({"crop": (0.5, 0, 0.5, 1)}, {"key": "green"}, {"soften": -1}, {"alpha": "gone"}):
        with pytest.raises(NightmistError):
            doc.cut_picture(key, **wrong)
    assert doc.history.cursor == steps


def test_the_key_line_of_the_design(tmp_path):
    letters = np.ones((20, 40, 3))
    letters[5:15, 10:30] = (0.1, 0.1, 0.4)
    path = write(tmp_path / "lettering.png", letters)
    out = nm.key_out(path, color="#ffffff", tolerance=0.1, out=tmp_path / "lettering_keyed.png")
    keyed = read_picture(out.name, out.read_bytes())
    assert (keyed[5:15, 10:30, 3] == 65535).all()
    assert not keyed[:5, :, 3].any()
    with pytest.raises(NightmistError, match="key"):
        nm.key_out(path, color="white", out=tmp_path / "no.png")


def test_what_marks_areas_by_flat_colors_is_told_from_letters():
    """Areas have no soft edges, also where the ground around them is transparent; a mark cut out of its ground has."""
    ids = np.full((256, 256, 4), 65535, np.uint16)
    ids[:128, :, :3], ids[128:, :, :3] = (65535, 0, 0), (0, 40000, 65535)
    assert guessed_role("quay.png", ids) == "id"
    ids[:, :30] = 0
    assert guessed_role("quay.png", ids) == "id"
    mark = ids.copy()
    mark[..., :3] = (9000, 12000, 14000)
    disc = np.zeros((256, 256), np.uint8)
    cv2.circle(disc, (128, 128), 90, 255, -1, cv2.LINE_AA)
    mark[..., 3] = disc.astype(np.uint16) * 257
    assert guessed_role("mark.png", mark) == "color"


def test_shipped_stencils_are_drawn_once_and_kept(tmp_path, monkeypatch):
    """What a folder keeps is taken as it is; without a folder to write to they are drawn all the same."""
    drawn = []
    draw = {name: lambda name=name: drawn.append(name) or np.full((4, 4, 4), 9, np.uint8) for name in ("One", "Two")}
    monkeypatch.setattr(stencils, "STENCILS", draw)
    pictures = []
    for folder in (tmp_path / "new", tmp_path / "new", tmp_path / "file" / "under"):
        monkeypatch.setattr(stencils, "_drawn", {})
        (tmp_path / "file").write_bytes(b"")
        stencils.draw_all(folder)
        pictures.append([stencils.shipped_stencil(name) for name in draw])
        assert drawn == ["One", "Two"] * (2 if folder.name == "under" else 1)
    assert pictures[0] == pictures[1] == pictures[2]
    assert (read_picture("One.png", pictures[0][0]) == 9 * 257).all()
