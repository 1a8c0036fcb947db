"""Names of project, surfaces and parts, surfaces that go, and projects once more."""

from __future__ import annotations

import io

import numpy as np
import pytest

import nightmist as nm
from nightmist.api.mesh_wire import Snapshot, write_mesh
from nightmist.core.formats import read_model
from nightmist.document.files.hand_off import glb
from nightmist.document.files.project_file import write
from nightmist.document.values import MAPS

from ..shapes import joined, placed, plane, walls

RED = nm.Pigment(base_color="#ff0000", height=0.8)


def shown(doc) -> dict:
    doc.refresh()
    return {name: [surface.read(m) for m in (*MAPS, "normal")] for name, surface in doc.surfaces.items()}


def same(one: dict, other: dict) -> bool:
    return all(np.array_equal(a, b) for key in one for a, b in zip(one[key], other[key], strict=True))


def test_renaming_keeps_paint_and_is_undone():
    """Project, surface and part: the new name everywhere, the layers still there, and back again."""
    doc = nm.Document.from_mesh(walls(), "Pier", (128, 128))
    doc.fill(doc.surfaces["left"].layers.add("brushed"), RED)
    before = shown(doc)["left"]
    doc.rename("Old pier")
    doc.rename_surface("left", "  Quay\n wall ")
    doc.rename_part(1, "Bollard")
    assert (doc.name, doc.mesh.parts[1], list(doc.surfaces)) == ("Old pier", "Bollard", ["Quay wall", "right"])
    assert all(np.array_equal(a, b) for a, b in zip(before, shown(doc)["Quay wall"], strict=True))
    assert doc.check_uvs().keys() == {"Quay wall", "right"}
    for _ in range(3):
        doc.undo()
    assert (doc.name, doc.mesh.parts[1], list(doc.surfaces)) == ("Pier", "part 1", ["left", "right"])
    doc.redo()
    assert doc.name == "Old pier"


@pytest.mark.parametrize(
    ("act", "words"),
    [
        (lambda doc: doc.rename_surface("left", "right"), "another surface right"),
        (lambda doc: doc.rename_surface("left", "left"), "so already"),
        (lambda doc: doc.rename_surface("mast", "x"), "There is no surface"),
        (lambda doc: doc.rename_part(7, "x"), "There is no part 7"),
        (lambda doc: doc.rename(" \0 "), "1 to 80 letters"),
        (lambda doc: doc.rename_part(0, "x" * 81), "1 to 80 letters"),
        (lambda doc: doc.remove_surface("left"), "still has 8 faces"),
    ],
)
def test_wrong_names_are_refused_in_words(act, words):
    doc = nm.Document.from_mesh(walls(), "Pier", (128, 128))
    with pytest.raises(nm.NightmistError, match=words):
        act(doc)
    assert not doc.history.changes


def test_an_emptied_surface_goes_and_comes_back():
    """Those behind it move up; their paint and that of the one that went are back after undo, to the bit."""
    mesh = joined(*(placed(plane(2), move=(3 * i, 0, 0)) for i in range(3)), names=["a", "b", "c"])
    doc = nm.Document.from_mesh(mesh, "three", (128, 128))
    for name, color in (("a", "#ff0000"), ("b", "#00ff00"), ("c", "#0000ff")):
        doc.fill(doc.surfaces[name].layers.add("brushed"), nm.Pigment(base_color=color, height=0.7))
    start = shown(doc)
    doc.assign_faces(doc.mesh.faces_of(1), "a")
    emptied = shown(doc)
    # A surface without faces is shown, kept and handed off like any other.
    assert len(write_mesh(Snapshot.of(doc)))
    assert read_model("out.glb", {"out.glb": glb(doc)}).faces.shape == doc.mesh.faces.shape
    assert doc.check_uvs()["b"].islands == 0
    doc.pack("a")
    doc.undo()
    with pytest.raises(nm.NightmistError, match="b has no faces any more"):
        doc.pack("b")
    doc.remove_surface("b")
    assert [(s.name, s.number) for s in doc.surface_values()] == [("a", 0), ("c", 1)]
    assert len(doc.mesh.faces_of(1)) == 8
    assert same({key: emptied[key] for key in ("a", "c")}, shown(doc))
    camera = nm.Camera.look_at((6, 0, 4), (6, 0, 0), 40, (400, 300))
    assert doc.pick(camera, (200, 150)).surface == "c"
    doc.undo()
    assert same(emptied, shown(doc))
    doc.undo()
    assert same(start, shown(doc))


def test_a_duplicate_shares_nothing_that_changes():
    """The same to the bit, also as a project file in memory; painting on one leaves the other."""
    doc = nm.Document.from_mesh(walls(), "Pier", (128, 128))
    layer = doc.surfaces["left"].layers.add("brushed")
    doc.fill(layer, RED)
    before = shown(doc)
    made = doc.duplicate("Pier 2")
    file = io.BytesIO()
    write(doc, file)
    file.seek(0)
    read = nm.Document.from_project_file(file, "pier.nightmist")
    assert (made.name, read.name) == ("Pier 2", "Pier")
    assert same(before, shown(made))
    assert same(before, shown(read))
    assert not made.history.changes
    made.fill(made.surfaces["left"].layers[0], nm.Pigment(base_color="#00ff00"))
    assert same(before, shown(doc))
    with pytest.raises(nm.NightmistError, match=r"junk\.nightmist is not a sound Nightmist project"):
        nm.Document.from_project_file(io.BytesIO(b"junk"), "junk.nightmist")
