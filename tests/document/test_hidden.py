"""Hiding parts is no undo step: what is undone and redone around it leaves it as it is."""

from __future__ import annotations

import pytest

from nightmist import Document
from nightmist.core.formats.gltf_write import write_glb

from ..shapes import joined, placed, plane
from .test_losses import CAMERA, FIRM, RED


def parts(*names: str) -> Document:
    doc = Document.from_mesh(model(*names), "quay", (128, 128))
    doc.surfaces["surface"].layers.add("brushed", name="Coat")
    return doc


def model(*names: str):
    """A square for each part, side by side."""
    mesh = joined(*(placed(plane(2), move=(n, 0, 0), uv_scale=0.3, uv_move=(n / 3, 0)) for n in range(len(names))))
    mesh.parts[:] = names
    return mesh


def hidden(doc: Document) -> list[str]:
    return [doc.mesh.parts[n] for n in doc.project.hidden_parts]


def test_undo_takes_back_the_stroke_and_not_the_hiding_after_it():
    doc = parts("wall", "rail", "bollard")
    layer = doc.surfaces["surface"].layers[0]
    bare = layer.read("base_color").tobytes()
    places = doc.history.place
    doc.stroke(layer, [(180, 150), (220, 150)], CAMERA, FIRM, RED)
    painted = layer.read("base_color").tobytes()
    doc.hide_parts([1])
    assert doc.history.place == places + 1
    doc.undo()
    assert layer.read("base_color").tobytes() == bare
    assert hidden(doc) == ["rail"]
    doc.hide_parts([2])
    doc.redo()
    assert layer.read("base_color").tobytes() == painted
    assert hidden(doc) == ["bollard"]


@pytest.mark.parametrize("rename", [lambda doc: doc.rename("Pier"), lambda doc: doc.rename_part(1, "handrail")])
def test_names_are_undone_and_redone_whatever_is_hidden_meanwhile(rename):
    doc = parts("wall", "rail", "bollard")
    names = lambda: (doc.project.name, *doc.mesh.parts)  # noqa: E731
    before = names()
    rename(doc)
    after = names()
    assert after != before
    doc.hide_parts([1])
    doc.undo()
    assert (names(), doc.project.hidden_parts) == (before, (1,))
    doc.hide_parts([0, 1])
    doc.redo()
    assert (names(), doc.project.hidden_parts) == (after, (0, 1))


def test_parts_stay_hidden_by_name_when_another_model_is_taken_back():
    """Hidden after the change, under another number, and hidden before it, where nothing else was hidden since."""
    doc = parts("wall", "rail", "bollard")
    doc.hide_parts([0])
    doc.replace_mesh(files={"m.glb": write_glb(model("bollard", "wall"))})
    assert hidden(doc) == ["wall"]
    doc.undo()
    assert hidden(doc) == ["wall"]
    doc.redo()
    doc.hide_parts([0])
    assert hidden(doc) == ["bollard"]
    doc.undo()
    assert hidden(doc) == ["bollard"]
    doc.redo()
    assert hidden(doc) == ["bollard"]


def test_a_project_is_opened_with_what_was_hidden_last(tmp_path):
    doc = parts("wall", "rail")
    doc.hide_parts([1])
    doc.rename("Pier")
    doc.undo()
    doc.save(tmp_path / "quay.nightmist")
    assert hidden(Document.load(tmp_path / "quay.nightmist")) == ["rail"]
