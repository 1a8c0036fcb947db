"""Fill and take away in every extent, over several surfaces; bump from color; each one step of undo."""

from __future__ import annotations

import colorsys

import numpy as np
import pytest

from nightmist import Camera, Document, NightmistError, Pigment

from ..shapes import plane, sphere, walls

CAMERA = Camera.look_at((0, 0, 4), (0, 0, 0), 40, (400, 300))
RED = Pigment(base_color="#ff0000", roughness=0.25)


def alpha(layer, name="base_color") -> np.ndarray:
    return layer.read(name)[..., -1].astype(float) / 65535


def two() -> tuple[Document, dict]:
    """Two walls that meet, each a surface with a layer of the same name."""
    doc = Document.from_mesh(walls(), "two", (128, 128))
    return doc, {name: surface.layers.add("brushed", name="Coat") for name, surface in doc.surfaces.items()}


def test_a_region_is_filled_on_all_its_surfaces_in_one_step():
    doc, layers = two()
    place = doc.history.place
    everything = np.arange(len(doc.mesh.faces))
    doc.fill(layers["left"], RED, region=everything)
    assert doc.history.place == place + 1
    for name, layer in layers.items():
        inside = doc.surfaces[name].layout.ownership.covered()
        for map_name in ("base_color", "roughness"):
            assert (alpha(layer, map_name)[inside] == 1).all()
    doc.undo()
    assert not any(alpha(layer).any() for layer in layers.values())


def test_the_layers_that_receive_a_fill_can_be_named():
    doc, layers = two()
    other = doc.surfaces["right"].layers.add("brushed", name="Other")
    doc.fill(layers["left"], RED, region=np.arange(len(doc.mesh.faces)), layers={"right": other})
    assert alpha(other).any()
    assert not alpha(layers["left"]).any()
    assert not alpha(layers["right"]).any()


def test_a_region_without_a_layer_is_refused():
    doc, layers = two()
    with pytest.raises(NightmistError, match="None of these faces"):
        doc.fill(layers["left"], RED, region=doc.surfaces["right"].faces, layers={"left": layers["left"]})
    with pytest.raises(NightmistError, match="leaves every map alone"):
        doc.fill(layers["right"], Pigment())
    layers["right"].visible = False
    with pytest.raises(NightmistError, match="hidden"):
        doc.fill(layers["right"], RED)


@pytest.mark.parametrize("half", [False, True])
def test_taking_away_is_the_opposite_of_laying_on(half):
    """On the faces nothing is left, elsewhere all of it, between them what the cover says; other maps stay."""
    doc = Document.from_mesh(plane(4), "one", (256, 256))
    layer = doc.surfaces["surface"].layers.add("brushed")
    doc.fill(layer, RED)
    before = {name: layer.read(name) for name in ("base_color", "roughness")}
    region = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 0] < 0) if half else None
    other = doc.surfaces["surface"].layers.add("brushed")
    doc.fill(other, RED, region=region)
    doc.erase(layer, region=region, maps=["base_color"])
    owned = doc.surfaces["surface"].layout.ownership.covered()
    assert np.abs(alpha(layer) + alpha(other) - 1)[owned].max() < 2 / 65535
    assert (alpha(layer)[owned] == 0).sum() > owned.sum() * (0.45 if half else 0.99)
    np.testing.assert_array_equal(layer.read("roughness"), before["roughness"])
    doc.undo()
    np.testing.assert_array_equal(layer.read("base_color"), before["base_color"])


def test_tiles_with_nothing_left_are_not_kept():
    doc = Document.from_mesh(sphere(), "ball", (256, 256))
    layer = doc.surfaces["surface"].layers.add("brushed")
    doc.fill(layer, RED, region=np.arange(len(doc.mesh.faces)))
    assert "base_color" in doc.painted_maps(layer.id)
    doc.erase(layer, region=np.arange(len(doc.mesh.faces)))
    assert not doc.painted_maps(layer.id)
    place = doc.history.place
    doc.erase(layer)
    assert doc.history.place == place, "what holds nothing is not changed"


def test_what_shows_a_color_is_taken_away():
    """Keyed out by tolerance: the dark end of a gradient goes, the rest stays as it was."""
    doc = Document.from_mesh(plane(), "one", (256, 256))
    layer = doc.surfaces["surface"].layers.add("brushed")
    doc.gradient(layer, (-1, 0, 0), (1, 0, 0), (Pigment(base_color="#000000"), Pigment(base_color="#ffffff")))
    before = layer.read("base_color").astype(int)
    hit = doc.pick(CAMERA, (115, 150))
    x, y = (int(c * 256) for c in hit.uv)
    gone = np.abs(before[..., :3] - before[y, x, :3]).max(axis=2) <= round(0.2 * 65535)
    doc.erase_color(layer, hit, tolerance=0.2)
    after = layer.read("base_color")
    owned = doc.surfaces["surface"].layout.ownership.covered()
    assert 0.1 < gone[owned].mean() < 0.6
    assert (after[..., 3][owned & gone] == 0).all()
    np.testing.assert_array_equal(after[owned & ~gone], before[owned & ~gone])
    with pytest.raises(NightmistError, match="tolerance"):
        doc.erase_color(layer, hit, tolerance=2)


def test_bump_from_color_is_the_lightness_of_the_paint():
    """Gray is its own height; of pure colors green stands highest and blue lowest; cover stays, undo takes it back."""
    doc = Document.from_mesh(plane(), "one", (128, 128))
    layer = doc.surfaces["surface"].layers.add("brushed")
    with pytest.raises(NightmistError, match="holds no color"):
        doc.bump_from_color(layer)
    doc.gradient(layer, (-1, 0, 0), (1, 0, 0), (Pigment(base_color="#000000"), Pigment(base_color="#ffffff")))
    doc.bump_from_color(layer)
    color, height = layer.read("base_color").astype(int), layer.read("height").astype(int)
    assert np.abs(height[..., 0] - color[..., 0]).max() <= 1
    np.testing.assert_array_equal(height[..., 1], color[..., 3])
    heights = {}
    for name in ("#ff0000", "#00ff00", "#0000ff"):
        doc.fill(layer, Pigment(base_color=name))
        doc.bump_from_color(layer)
        heights[name] = layer.read("height")[64, 64, 0] / 65535
        red, green, blue = (int(name[i : i + 2], 16) / 255 for i in (1, 3, 5))
        # The Y of YIQ is the older weighting of the same idea: near, and in the same order.
        assert heights[name] == pytest.approx(colorsys.rgb_to_yiq(red, green, blue)[0], abs=0.15)
    assert heights["#0000ff"] < heights["#ff0000"] < heights["#00ff00"]
    assert sum(heights.values()) == pytest.approx(1, abs=1e-4)
    doc.undo()
    doc.undo()
    assert layer.read("height")[64, 64, 0] / 65535 == pytest.approx(heights["#00ff00"], abs=1e-4)
    assert "height" in doc.painted_maps(layer.id)


def test_a_fill_of_a_surface_covers_every_gap():
    """Each texel of the map, far from any island too; all tiles are one array, so it takes next to no memory."""
    doc = Document.from_mesh(sphere(), "ball", (512, 512))
    layer = doc.surfaces["surface"].layers.add("brushed")
    doc.fill(layer, RED)
    assert (alpha(layer) == 1).all()
    assert len({id(tile) for tile in doc.raster(layer.id, "base_color").tiles.values()}) == 1
    doc.undo()
    assert not alpha(layer).any()


def test_a_gradient_runs_over_all_surfaces_in_one_step():
    """From red on the left wall to green on the right one: where they meet both show the same."""
    doc, layers = two()
    place = doc.history.place
    doc.gradient(layers["left"], (-2, 0, 0), (2, 0, 0), (RED, Pigment(base_color="#00ff00")), layers)
    assert doc.history.place == place + 1
    left, right = (layers[name].read("base_color")[64].astype(float) / 65535 for name in ("left", "right"))
    # The walls take 90 % of their maps; the middle of the gradient lies on the edge that they share.
    assert left[8, 0] > 0.98
    assert right[119, 1] > 0.98
    assert np.abs(left[120, :3] - right[7, :3]).max() < 0.02
