"""Regions and the fence: which texels they are, and that nothing outside of one ever changes."""

from __future__ import annotations

from contextlib import nullcontext

import cv2
import numpy as np
import pytest

from nightmist import Camera, Document, NightmistError, Pigment, Tip
from nightmist.core.texels.polygon import polygon_mask

from ..shapes import plane, sphere, walls

RED = Pigment(base_color="#ff0000", roughness=0.25)


def dense(mask, width, height) -> np.ndarray:
    """(H, W) shares of a mask."""
    columns = width // 64
    parts = mask.shares(np.arange(columns * (height // 64), dtype=np.int32))
    return parts.reshape(height // 64, columns, 64, 64).swapaxes(1, 2).reshape(height, width)


def test_a_shape_in_the_map_covers_the_share_of_each_texel_that_fine_samples_say():
    rng = np.random.default_rng(5)
    for _ in range(6):
        polygon = rng.random((int(rng.integers(3, 9)), 2)) * 1.4 - 0.2
        found = dense(polygon_mask(polygon, 128, 192), 128, 192)
        places = (np.stack(np.meshgrid(np.arange(128 * 8), np.arange(192 * 8)), -1) + 0.5) / 8
        path = polygon * [128, 192]
        inside = np.zeros(places.shape[:2], bool)
        for a, b in zip(path, np.roll(path, 1, axis=0), strict=True):
            with np.errstate(divide="ignore", invalid="ignore"):
                crossing = a[0] + (places[..., 1] - a[1]) / (b[1] - a[1]) * (b[0] - a[0])
            inside ^= ((a[1] <= places[..., 1]) != (b[1] <= places[..., 1])) & (places[..., 0] < crossing)
        wanted = inside.reshape(192, 8, 128, 8).mean(axis=(1, 3))
        assert np.abs(found - wanted).max() < 0.13
        assert abs(found.sum() - wanted.sum()) < 2 + 0.002 * wanted.sum()


def test_a_shape_needs_corners():
    with pytest.raises(NightmistError, match="three corners"):
        polygon_mask([(0, 0), (1, 1)], 64, 64)
    doc = Document.from_mesh(plane(4), "one", (64, 64))
    with pytest.raises(NightmistError, match="three corners"):
        doc.regions.add_area("Panel", "surface", [(0.1, 0.1), (0.4, 0.1)])
    with pytest.raises(NightmistError, match="needs faces"):
        doc.regions.add("None", faces=[])
    with pytest.raises(NightmistError, match="no face"):
        doc.regions.add("Far", faces=[10_000])


def test_a_region_grows_shrinks_and_is_turned_inside_out():
    doc = Document.from_mesh(plane(6), "one", (64, 64))
    mesh = doc.mesh
    middles = mesh.corners.mean(axis=1)[:, :2]
    core = np.flatnonzero(np.isin(mesh.polygon, mesh.polygon[np.abs(middles).max(axis=1) < 0.3]))
    region = doc.regions.add("Middle", faces=core)
    region.grow()
    edges = {tuple(sorted(pair)) for f in core for pair in zip(mesh.faces[f], np.roll(mesh.faces[f], 1), strict=True)}
    beside = [
        f for f in range(len(mesh.faces))
        if any(tuple(sorted(pair)) in edges for pair in zip(mesh.faces[f], np.roll(mesh.faces[f], 1), strict=True))
    ]  # fmt: skip
    wanted = np.flatnonzero(np.isin(mesh.polygon, mesh.polygon[beside]))
    np.testing.assert_array_equal(region.faces, wanted)
    region.shrink()
    assert set(core) <= set(region.faces) <= set(wanted)
    before = region.faces
    region.invert()
    np.testing.assert_array_equal(np.sort(np.concatenate([before, region.faces])), np.arange(len(mesh.faces)))
    doc.undo()
    np.testing.assert_array_equal(region.faces, before)
    assert [r.name for r in doc.regions] == ["Middle"]
    doc.regions.remove(region)
    assert not len(doc.regions)


def test_a_region_is_found_by_its_id_color(tmp_path):
    doc = Document.from_mesh(plane(4), "one", (256, 256))
    left = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 0] < 0)
    ids = np.zeros((512, 512, 3), np.uint8)
    ids[:, :256, 2] = 250  # BGR: red
    cv2.imwrite(str(tmp_path / "ids.png"), ids)
    region = doc.regions.add_color("Bolts", "surface", tmp_path / "ids.png", color="#ff0000", tolerance=8)
    np.testing.assert_array_equal(region.faces, left)
    with pytest.raises(NightmistError, match="nowhere"):
        doc.regions.add_color("Nuts", "surface", tmp_path / "ids.png", color="#00ff00")


def held(layer) -> np.ndarray:
    """Its colors; where it is transparent there are none."""
    image = layer.read("base_color")
    return np.where(image[..., 3:] > 0, image, 0)


MODELS = {"sphere": lambda: sphere(24, 12), "walls": walls, "plane": lambda: plane(5)}


@pytest.mark.parametrize("model", MODELS)
def test_not_one_texel_outside_the_fence_changes(model):
    """Random strokes, fills and gradients with random regions; inside they are what they are without a fence."""
    rng = np.random.default_rng(11)
    doc = Document.from_mesh(MODELS[model](), model, (128, 128))
    layers = {name: surface.layers.add("brushed", name="Coat") for name, surface in doc.surfaces.items()}
    surfaces = list(doc.surfaces.values())
    cameras = [Camera.look_at(eye, (0, 0, 0), 40, (200, 150)) for eye in ((0, 0.3, 4), (2.5, 0.4, 3), (-2.5, 1, 3))]
    changed = 0
    for number in range(70):
        middles, pole = doc.mesh.corners.mean(axis=1), rng.normal(size=3)
        faces = np.flatnonzero(middles @ pole > np.median(middles @ pole))
        surface = surfaces[number % len(surfaces)]
        u, v = rng.random(2) * 0.5
        if number % 3 == 0:
            region = doc.regions.add_area(None, surface.name, [(u, v), (u + 0.4, v + 0.1), (u + 0.2, v + 0.5)])
        else:
            region = doc.regions.add(None, faces=faces)
        if number % 9 == 4:
            region.add_area(surface.name, [(u, v), (u + 0.3, v), (u, v + 0.3)], taken=True)
        masks = {s.name: dense(region.mask(s.name), 128, 128) for s in surfaces}
        layer = layers[surface.name]
        before = {name: held(one) for name, one in layers.items()}
        tool = ("brush", "smear", "erase", "soften")[number // 4 % 4] if number > 20 else "brush"
        how, color = number % 4, Pigment(base_color="#" + "".join(f"{c:02x}" for c in rng.integers(0, 256, 3)))

        def act(how=how, layer=layer, color=color, number=number, tool=tool):
            if how < 2:
                tip = Tip(radius=25, hardness=0.4, pressure_strength=False, build_up=number % 8 == 0)
                path = np.random.default_rng(number).random((3, 2)) * [160, 110] + 20
                doc.stroke(layer, path.tolist(), cameras[number % 3], tip, color, tool=tool, seed=number)
            elif how == 2:
                doc.fill(layer, color)
            else:
                doc.gradient(layer, (0, -1, 0), (0.3, 1, 0), (color, Pigment(base_color="#ffffff")))

        place = doc.history.place
        act()
        free = {name: held(one) for name, one in layers.items()}
        if doc.history.place > place:
            doc.undo()
        doc.fence = region
        kept_out = how > 1 and not masks[surface.name].any()
        with pytest.raises(NightmistError, match="keeps everything else") if kept_out else nullcontext():
            act()
        doc.fence = None
        for name, one in layers.items():
            after = held(one)
            np.testing.assert_array_equal(after[masks[name] == 0], before[name][masks[name] == 0])
            # Retouching looks around, and so at what the fence keeps back.
            if how > 1 or tool in ("brush", "erase"):
                np.testing.assert_array_equal(after[masks[name] == 1], free[name][masks[name] == 1])
            changed += int((after != before[name]).any())
    assert changed > 20


def test_the_first_touch_fences_a_stroke_in_its_island():
    doc = Document.from_mesh(walls(), "two", (128, 128))
    layers = {name: surface.layers.add("brushed", name="Coat") for name, surface in doc.surfaces.items()}
    camera = Camera.look_at((0, 0.2, 4), (0, 0, 0), 40, (400, 300))
    tip = Tip(radius=30, pressure_strength=False)
    path = [(120, 150), (280, 150)]
    doc.stroke(layers["left"], path, camera, tip, RED)
    assert all(layer.read("base_color").any() for layer in layers.values())
    first = doc.pick(camera, path[0]).surface
    doc.undo()
    doc.touch_fence = "surface"
    doc.stroke(layers["left"], path, camera, tip, RED)
    touched = [name for name, layer in layers.items() if layer.read("base_color").any()]
    assert touched == [first]


def test_regions_are_found_again_on_another_model(tmp_path):
    doc = Document.from_mesh(plane(4), "one", (64, 64))
    left = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 0] < 0)
    region = doc.regions.add("Left", faces=left)
    finer = Document.from_mesh(plane(8), "two", (64, 64))
    finer.export(tmp_path, model="glb")
    doc.replace_mesh(next(tmp_path.glob("*.glb")))
    wanted = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 0] < 0)
    np.testing.assert_array_equal(region.faces, wanted)
    doc.undo()
    np.testing.assert_array_equal(region.faces, left)
