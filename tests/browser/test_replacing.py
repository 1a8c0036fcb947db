"""Another model takes the place of the one that was painted: what goes where, what is lost, what is missing."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest
from playwright.sync_api import expect

from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.formats.image_files import write_png
from nightmist.core.mesh import SurfaceLook

from ..shapes import joined, placed, plane, walls
from .conftest import PATIENCE, SWITCHES
from .test_painting import RED, plain_red
from .test_preparing import settled


def crossed(painter, server, mesh):
    """A tab, its page and its project: a model with one stroke in its middle."""
    project = server.create(write_glb(mesh), "plane.glb")
    tab = plain_red(painter, project)
    tab.drag((0.47, 0.5), (0.53, 0.5))
    tab.wait_kept(1)
    return tab, tab.page, project


def test_another_model_takes_over_the_paint(painter, server):
    """Replacing the model carries the stroke over; a broken file changes nothing and says why."""
    tab, page, project = crossed(painter, server, placed(plane(4), uv_scale=0.9))
    page.get_by_role("button", name="Prepare").click()
    page.get_by_label("New model").set_input_files({"name": "x.glb", "mimeType": "m", "buffer": b"glTF" + bytes(30)})
    expect(page.get_by_role("alert")).to_contain_text("x.glb")
    finer = placed(plane(7), uv_scale=0.5, uv_move=(0.4, 0.4))
    page.get_by_label("New model").set_input_files({"name": "finer.glb", "mimeType": "m", "buffer": write_glb(finer)})
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("row", name="surface")).to_contain_text("same name")
    dialog.get_by_role("button", name="Cancel").click()
    page.get_by_label("New model").set_input_files({"name": "finer.glb", "mimeType": "m", "buffer": write_glb(finer)})
    dialog.get_by_role("button", name="Replace", exact=True).click()
    settled(tab, 2)
    texels = server.texels(project, "surface").astype(int)
    red = np.abs(texels - np.array(RED) * 257).max(axis=2) < 2000
    rows, columns = np.nonzero(red)
    assert red.sum() > 10
    # The middle of the model lies at UV 0.65 now.
    assert rows.mean() / 256 == pytest.approx(0.65, abs=0.03)
    assert columns.mean() / 256 == pytest.approx(0.65, abs=0.04)


def test_the_camera_goes_along_when_a_new_model_is_in_other_units(painter, server):
    """A hundredth as large and elsewhere, the model is painted at the same place of the view; undone again, too."""
    tab, page, project = crossed(painter, server, plane(4))
    once = server.texels(project, "surface").astype(int)
    page.get_by_role("button", name="Prepare").click()
    small = placed(plane(4), scale=(0.01,) * 3, move=(3, 0, 0))
    page.get_by_label("New model").set_input_files({"name": "m.glb", "mimeType": "m", "buffer": write_glb(small)})
    page.get_by_role("dialog").get_by_role("button", name="Replace", exact=True).click()
    settled(tab, 2)
    page.get_by_role("button", name="Paint", exact=True).click()

    def stroke_again(change):
        """A second stroke lies over the first and leaves the rest alone."""
        tab.drag((0.47, 0.5), (0.53, 0.5))
        tab.wait_kept(change)
        changed = (server.texels(project, "surface").astype(int) != once).any(axis=2)
        assert changed.sum() > 10
        assert (changed & (once[..., 1] > 59380)).sum() < 0.1 * changed.sum()

    stroke_again(3)
    page.get_by_role("button", name="Prepare").click()
    for change in (4, 5):
        page.keyboard.press("Control+z")
        settled(tab, change)
    page.get_by_role("button", name="Paint", exact=True).click()
    stroke_again(6)


def test_paint_that_a_new_model_has_no_place_for_is_named_first(painter, server):
    """The dialog says how much of which layer goes, not where the paint stays in the maps; undo brings all back."""
    tab, page, project = crossed(painter, server, placed(plane(4), uv_scale=0.9))
    before = server.texels(project, "surface")
    page.get_by_role("button", name="Prepare").click()
    beside = placed(plane(5), scale=(0.2, 1, 1), move=(0.8, 0, 0), uv_scale=0.9)
    lost = "All of the paint on First paint of surface is lost: nothing of the new model takes it over there."
    page.get_by_label("New model").set_input_files({"name": "m.glb", "mimeType": "m", "buffer": write_glb(beside)})
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_text(lost)).to_be_visible()
    dialog.get_by_label("Layers for surface").select_option("none: it begins anew")
    expect(dialog.get_by_text(lost)).to_be_hidden()
    dialog.get_by_label("Layers for surface").select_option("surface")
    expect(dialog.get_by_text(lost)).to_be_visible()
    dialog.get_by_role("button", name="Replace", exact=True).click()
    settled(tab, 2)
    expect(page.get_by_role("alert")).to_contain_text(f"{lost} Undo brings it back.")
    page.keyboard.press("Control+z")
    settled(tab, 3)
    assert (server.texels(project, "surface") == before).all()


def test_a_model_with_other_material_names_loses_nothing(painter, server):
    """What goes where is shown first and can be changed; a surface without a place is kept with its paint."""
    project = server.create(write_glb(walls()), "walls.glb")
    tab = plain_red(painter, project)
    page = tab.page
    tab.drag((0.42, 0.5), (0.46, 0.5))
    tab.wait_kept(1)
    red = server.texels(project, "left").astype(int)
    page.get_by_role("button", name="Prepare").click()
    renamed = joined(
        placed(plane(3), move=(1, 0, 0)), placed(plane(3), move=(-1, 0, 0)), names=["Zulu", "Mike"]
    )  # fmt: skip
    page.get_by_label("New model").set_input_files({"name": "m.glb", "mimeType": "m", "buffer": write_glb(renamed)})
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("row", name="Mike")).to_contain_text("same place")
    expect(dialog.get_by_label("Layers for Mike")).to_have_value("left")
    dialog.get_by_label("Layers for Mike").select_option("none: it begins anew")
    expect(dialog.get_by_text("left has no place in the new model. It is kept without faces")).to_be_visible()
    dialog.get_by_label("Layers for Mike").select_option("left")
    dialog.get_by_role("button", name="Replace", exact=True).click()
    settled(tab, 2)
    expect(page.get_by_role("alert")).to_contain_text("left stands for Mike")
    now = server.texels(project, "left").astype(int)
    assert (np.abs(now - red).max(axis=2) < 3000).mean() > 0.98


def test_a_new_material_brings_its_paint_or_begins_anew(painter, server):
    """The dialog says which paint comes along; a new beginning can be chosen, and taken back."""
    project = server.create(write_glb(walls()), "walls.glb")
    tab = plain_red(painter, project)
    page = tab.page
    tab.drag((0.42, 0.5), (0.46, 0.5))
    tab.wait_kept(1)
    page.get_by_role("button", name="Prepare").click()
    mesh = walls()
    surface_of = mesh.face_surface.copy()
    surface_of[mesh.faces_of(0)[::2]] = 2
    split = write_glb(mesh.changed(face_surface=surface_of, surfaces=[*mesh.surfaces, SurfaceLook("trim")]))
    page.get_by_label("New model").set_input_files({"name": "m.glb", "mimeType": "m", "buffer": split})
    dialog = page.get_by_role("dialog")
    choice = dialog.get_by_label("Layers for trim")
    along = "none: paint of left stays"
    lost = dialog.get_by_text("of the paint on First paint of left is lost")
    expect(choice.locator("option:checked")).to_have_text(along)
    choice.select_option("none: it begins anew")
    expect(lost).to_be_visible()
    choice.select_option(along)
    expect(lost).to_be_hidden()
    dialog.get_by_role("button", name="Replace", exact=True).click()
    settled(tab, 2)
    trim = server.texels(project, "trim").astype(int)
    assert (trim[..., 1] < 30000).sum() > 100


def test_missing_pictures_are_named_and_added(painter, server):
    """A surface that lacks a picture says which; given later, it becomes the lowest layer."""
    tab = painter("0")
    page = tab.page
    page.goto(f"{server.url}{SWITCHES}#/")
    places = b"v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n"
    obj = b"mtllib q.mtl\n" + places + b"usemtl plank\nf 1/1 2/2 3/3 4/4\n"
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as zipped:
        zipped.writestr("folder/q.obj", obj)
        zipped.writestr("folder/q.mtl", b"newmtl plank\nmap_Kd tar.png\n")
    page.locator("input[type=file]").set_input_files({"name": "q.zip", "mimeType": "m", "buffer": packed.getvalue()})
    page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
    project = page.evaluate("() => location.hash").split("/")[-1]
    expect(page.get_by_test_id("missing-banner")).to_contain_text("plank wants tar.png")
    # Under the pattern paint would not be seen, so none is taken.
    bare = server.texels(project, "plank")
    tab.box = page.locator("canvas[data-ready]").bounding_box()
    tab.drag((0.45, 0.5), (0.55, 0.5))
    expect(page.get_by_role("alert")).to_contain_text("until it has tar.png")
    np.testing.assert_array_equal(server.texels(project, "plank"), bare)
    picture = write_png(np.full((16, 16, 3), (20, 90, 30), np.uint8))
    page.get_by_label("Missing pictures").set_input_files({"name": "tar.png", "mimeType": "m", "buffer": picture})
    expect(page.get_by_test_id("missing-banner")).to_have_count(0)
    assert (server.texels(project, "plank") == np.array((20, 90, 30)) * 257).all()
    expect(page.get_by_role("row", name="From the file", exact=True)).to_be_visible()
