"""Merged layers show what was seen; versions bring the whole document back to the bit."""

from __future__ import annotations

import zipfile

import numpy as np
import pytest

from nightmist import Document, NightmistError, Pigment
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.progress import CancelledError, quietly
from nightmist.core.texels.encode import to_bytes
from nightmist.document.files.version_look import version_map
from nightmist.document.stacking import merging

from ..shapes import joined, lay_picture, placed, plane

SIDE = 128
MAPS = ("base_color", "roughness", "metallic", "height", "opacity")


def shown(surface, name) -> np.ndarray:
    surface.document.refresh()
    return surface.read(name).astype(int)


def painted(seed=1):
    """Three layers of random paint with soft alpha, modes, amounts and a mask."""
    rng = np.random.default_rng(seed)
    doc = Document.from_mesh(plane(4, 0, 1), "one", (SIDE, SIDE))
    surface = doc.surfaces["surface"]
    layers = [surface.layers.add("brushed", name=name) for name in ("Low", "Middle", "High")]
    for layer in layers:
        for name, channels in (("base_color", 4), ("roughness", 2), ("height", 2), ("opacity", 2)):
            lay_picture(doc, layer, name, rng.integers(0, 65536, (SIDE, SIDE, channels), dtype=np.uint16))
    return doc, surface, layers


@pytest.mark.parametrize("how", ["merge", "merge_copy", "flatten"])
def test_merging_tells_how_far_it_is_and_can_be_called_off(how, monkeypatch):
    """In tiles or in maps, whichever it goes by; called off, all layers and all that is seen are as they were."""
    monkeypatch.setattr(merging, "BATCH", 1)
    doc, surface, layers = painted()
    before, values, place = {name: shown(surface, name) for name in MAPS}, dict(doc.values), doc.history.place
    merge = (lambda: surface.layers.merge(layers)) if how == "merge" else getattr(surface.layers, how)
    told: list[float] = []

    def last(_what: str, share: float) -> None:
        told.append(share)
        if share >= 0.5:
            raise CancelledError("Called off.")

    doc.progress = last
    with pytest.raises(CancelledError):
        merge()
    assert told == sorted(set(told))
    assert told[0] == 0
    assert (dict(doc.values), doc.history.place) == (values, place)
    for name, image in before.items():
        np.testing.assert_array_equal(shown(surface, name), image)
    doc.progress = quietly
    merge()
    for name, image in before.items():
        assert np.abs(shown(surface, name) - image).max() <= 3, name


@pytest.mark.parametrize("mode", ["normal", "multiply", "overlay"])
def test_merging_down_changes_nothing_that_is_seen(mode):
    doc, surface, (low, middle, _high) = painted()
    doc.fill(low, Pigment(base_color="#808080", roughness=0.5, height=0.5, opacity=0.5))
    middle.blend = mode
    middle.opacity = 0.7
    middle.maps["height"].opacity = 0.5
    mask = middle.add_mask(value=0.3)
    left = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 0] < 0)
    doc.fill(mask, region=left, value=0.9)
    before = {name: shown(surface, name) for name in MAPS}
    merged = surface.layers.merge_down(middle)
    assert [layer.name for layer in surface.layers] == ["Low", "High"]
    assert merged.mask is None
    for name, image in before.items():
        assert np.abs(shown(surface, name) - image).max() <= 3, name
    doc.undo()
    for name, image in before.items():
        np.testing.assert_array_equal(shown(surface, name), image)
    with pytest.raises(NightmistError, match="Nothing lies below Low"):
        surface.layers.merge_down(low)


def test_several_that_lie_together_become_one_and_others_are_refused():
    doc, surface, (low, middle, high) = painted()
    middle.opacity = 0.6
    surface.layers.add("adjustment", effect="invert")
    blur = surface.layers.add("adjustment", effect="blur", radius=3)
    before = {name: shown(surface, name) for name in MAPS}
    with pytest.raises(NightmistError, match="Middle between them"):
        surface.layers.merge([low, high])
    with pytest.raises(NightmistError, match="two layers or more"):
        surface.layers.merge([low])
    surface.layers.merge([low, middle, high])
    assert [layer.name for layer in surface.layers] == ["Low", "Adjustment", "Adjustment 2"]
    for name, image in before.items():
        assert np.abs(shown(surface, name) - image).max() <= 4, name
    doc.undo()
    for name, image in before.items():
        np.testing.assert_array_equal(shown(surface, name), image)
    group = surface.layers.group([middle, high])
    with pytest.raises(NightmistError, match="one stack"):
        surface.layers.merge([low, middle])
    assert group.kind == "group"
    assert blur.kind == "adjustment"


def test_transparent_layers_merge_with_their_alpha():
    _doc, surface, (low, _middle, high) = painted()
    low.visible = True
    before = {name: shown(surface, name) for name in MAPS}
    surface.layers.merge_down(high)
    surface.layers.merge_down(surface.layers[1])
    assert len(surface.layers) == 1
    for name, image in before.items():
        assert np.abs(shown(surface, name) - image).max() <= 4, name


def test_a_merged_copy_and_flattening_show_the_same_and_keep_or_drop_the_originals():
    doc, surface, layers = painted()
    layers[1].visible = False
    before = {name: shown(surface, name) for name in MAPS}
    copy = surface.layers.merge_copy()
    assert len(surface.layers) == 4
    assert surface.layers[3] == copy
    for name, image in before.items():
        np.testing.assert_array_equal(shown(surface, name), image)
    doc.undo()
    surface.layers.flatten()
    assert len(surface.layers) == 1
    for name, image in before.items():
        np.testing.assert_array_equal(shown(surface, name), image)
    doc.undo()
    assert [layer.name for layer in surface.layers] == ["Low", "Middle", "High"]


def test_a_version_brings_everything_back_as_one_step_and_costs_no_pixels(tmp_path):
    doc, surface, layers = painted()
    region = doc.regions.add("Left", faces=[0, 1])
    look = {name: shown(surface, name) for name in MAPS}
    held = len(doc.pool.held)
    first = doc.keep_version()
    assert first.name == "Base colors"
    assert len(doc.pool.held) - held <= sum(len(raster.tiles) for raster in doc.rasters.values())
    place = doc.history.place
    surface.layers.remove(layers[0])
    doc.fill(layers[1], Pigment(base_color="#ff0000"))
    doc.resize("surface", (256, 256))
    region.grow()
    doc.keep_version("Later")
    doc.restore_version("Base colors")
    assert surface.size == (SIDE, SIDE)
    for name, image in look.items():
        np.testing.assert_array_equal(shown(surface, name), image)
    assert region.faces.tolist() == [0, 1]
    assert [version.name for version in doc.versions] == ["Base colors", "Later"]
    doc.undo()
    assert surface.size == (256, 256)
    doc.redo()
    steps = doc.history.place
    doc.restore_version("Base colors")
    assert doc.history.place == steps
    while doc.history.place > place:
        doc.undo()
    for name, image in look.items():
        np.testing.assert_array_equal(shown(surface, name), image)
    doc.save(tmp_path / "one.nightmist")
    again = Document.load(tmp_path / "one.nightmist")
    again.restore_version("Later")
    assert again.surfaces["surface"].size == (256, 256)
    copied = doc.duplicate("Two")
    copied.restore_version("Later")
    np.testing.assert_array_equal(
        shown(copied.surfaces["surface"], "base_color"), shown(again.surfaces["surface"], "base_color")
    )
    with pytest.raises(NightmistError, match="There is no version 'Never'; there are Base colors, Later"):
        doc.restore_version("Never")
    with pytest.raises(NightmistError, match="already"):
        doc.keep_version("Later")


def test_a_wash_and_a_group_merge_with_all_that_lies_in_them():
    _doc, surface, (_low, middle, high) = painted()
    group = surface.layers.group([middle, high])
    surface.layers.move(surface.layers.add("wash", pigment=Pigment(base_color="#336699", metallic=0.8)), into=group)
    group.opacity = 0.6
    inside = surface.layers.add("adjustment", effect="invert")
    surface.layers.move(inside, into=group)
    before = {name: shown(surface, name) for name in MAPS}
    surface.layers.merge_down(group)
    assert [layer.kind for layer in surface.layers] == ["brushed"]
    for name, image in before.items():
        assert np.abs(shown(surface, name) - image).max() <= 4, name


@pytest.mark.parametrize("effect", ["blur", "sharpen", "distort", "levels"])
def test_an_adjustment_over_a_layer_that_holds_nothing_merges_into_one_that_holds_nothing(effect):
    doc = Document.from_mesh(plane(2), "bare", (64, 64))
    layers = doc.surfaces["surface"].layers
    layers.add("decals")
    layers.merge_down(layers.add("adjustment", effect=effect))
    assert [layer.kind for layer in layers] == ["brushed"]
    assert not doc.painted_planes(layers[0].id)


def test_a_version_is_looked_at_without_going_back_to_it():
    doc, surface, (low, middle, _high) = painted()
    surface.layers.add("adjustment", effect="blur", radius=2)
    doc.refresh()
    composite = doc.composite(surface.value)
    seen = {name: to_bytes(composite.pictures[name].read()) for name in ("color", "values", "relief")}
    version = doc.keep_version("Then")
    surface.layers.remove(middle)
    doc.fill(low, Pigment(base_color="#00ff00", height=0.2))
    place, values = doc.history.place, dict(doc.values)
    for name, pixels in seen.items():
        np.testing.assert_array_equal(version_map(doc, version, surface.value.id, name), pixels)
    assert (doc.history.place, doc.values) == (place, values)
    with pytest.raises(NightmistError, match="no such surface"):
        version_map(doc, version, "nothing", "color")
    doc.resize("surface", (256, 256))
    with pytest.raises(NightmistError, match="another map size in Then"):
        version_map(doc, version, surface.value.id, "color")


def test_a_version_is_one_of_the_same_model_in_a_project_opened_from_a_file(tmp_path):
    """Though a GLB lists faces in another order. Where somebody puts another model into the file, that one counts."""
    mesh = joined(plane(2), placed(plane(2), move=(3, 0, 0)), names=["left", "right"])
    mesh.face_part = 1 - mesh.face_part
    doc = Document.from_mesh(mesh, "two", (64, 64))
    layer = doc.surfaces["left"].layers.add("brushed")
    region = doc.regions.add("Corner", doc.surfaces["left"].faces[:3])
    doc.fill(layer, Pigment(base_color="#ff0000"), "left")
    version = doc.keep_version("Then")
    then = version_map(doc, version, doc.surfaces["left"].value.id, "color")
    doc.fill(layer, Pigment(base_color="#00ff00"), "left")
    doc.save(tmp_path / "two.nightmist")
    again = Document.load(tmp_path / "two.nightmist")
    assert (version_map(again, version, again.surfaces["left"].value.id, "color") == then).all()
    assert again.model == doc.model
    assert (again.region_faces(again.region_value(region.id)) == doc.surfaces["left"].faces[:3]).all()
    with zipfile.ZipFile(tmp_path / "two.nightmist") as zipped:
        entries = {name: zipped.read(name) for name in zipped.namelist()}
    entries["model.glb"] = write_glb(mesh.changed(positions=mesh.positions + np.float32(1)))
    with zipfile.ZipFile(tmp_path / "moved.nightmist", "w") as zipped:
        for name, data in entries.items():
            zipped.writestr(name, data)
    moved = Document.load(tmp_path / "moved.nightmist")
    assert moved.mesh.bounds == pytest.approx(mesh.bounds + np.float32(1))
    with pytest.raises(NightmistError, match="cannot be compared"):
        version_map(moved, version, moved.surfaces["left"].value.id, "color")
