"""Faces that another surface is given bring along all that is seen on them, and change nothing else that is seen."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Camera, Document, Pigment
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.formats.image_files import write_png

from ..shapes import walls
from .test_preparing import places, seen

RED, GREEN, BLUE = (Pigment(base_color=color) for color in ("#c02010", "#108030", "#2040c0"))
CAMERA = Camera.look_at((0, 0, 6), (0, 0, 0), 40, (400, 300))


@pytest.fixture
def doc() -> Document:
    """Two walls beside each other, whose islands lie apart from each other's."""
    document = Document.from_mesh(walls(6), "walls", (256, 256))
    for name, place in (("left", (0.4, 0, 0, 0.4, 0, 0)), ("right", (0.4, 0, 0, 0.4, 140, 140))):
        document.move_islands(name, document.surfaces[name].faces, place)
    return document


def given(document: Document, way: str) -> np.ndarray:
    """Give ten faces of the left wall to the right one: here, or by another model."""
    faces = document.surfaces["left"].faces[:10]
    if way == "assigned":
        document.assign_faces(faces, surface="right")
    else:
        mesh = document.mesh
        face_surface = mesh.face_surface.copy()
        face_surface[faces] = document.surfaces["right"].value.number
        document.replace_mesh(files={"walls.glb": write_glb(mesh.changed(face_surface=face_surface))})
    assert len(document.surfaces["left"].faces) == len(document.surfaces["right"].faces) - 20
    return faces


def fill(document: Document, surface: str, name: str, pigment: Pigment) -> None:
    document.fill(document.surfaces[surface].layers.add("brushed", name=name), pigment)


def wash_left(document: Document) -> None:
    fill(document, "right", "Coat", GREEN)
    document.surfaces["left"].layers.add("wash", name="Red", pigment=RED)


def wash_right(document: Document) -> None:
    fill(document, "left", "Coat", RED)
    fill(document, "right", "Coat", GREEN)
    document.surfaces["right"].layers.add("wash", name="Blue", pigment=BLUE)


def washes_of_one_name(document: Document) -> None:
    for surface, pigment in (("left", RED), ("right", GREEN)):
        document.surfaces[surface].layers.add("wash", name="Base", pigment=pigment)
        layer = document.surfaces[surface].layers.add("brushed", name="Stripe")
        document.fill(layer, BLUE, region=document.surfaces[surface].faces[4:8])


def adjusted(document: Document) -> None:
    for surface, pigment in (("left", RED), ("right", GREEN)):
        fill(document, surface, "Coat", pigment)
    document.surfaces["left"].layers.add("adjustment", effect="invert")


@pytest.mark.parametrize("way", ["assigned", "replaced"])
@pytest.mark.parametrize("paint", [wash_left, wash_right, washes_of_one_name, adjusted])
def test_nothing_that_is_seen_changes(doc, paint, way):
    """Neither on the faces that come nor on those that were there; at places of the model, found by rays."""
    paint(doc)
    points, normals = places(doc.mesh, 1500)
    before = seen(doc, points, normals)
    assert len(np.unique(before, axis=0)) > 1
    given(doc, way)
    assert np.abs(seen(doc, points, normals) - before).max() <= 1
    doc.undo()
    assert np.array_equal(seen(doc, points, normals), before)


@pytest.mark.parametrize("way", ["assigned", "replaced"])
def test_decals_come_into_a_layer_of_their_name(doc, way, tmp_path):
    """Which was there already with a decal of its own."""
    (tmp_path / "label.png").write_bytes(write_png(np.full((8, 8, 4), (200, 30, 20, 255), np.uint8)))
    for surface, at in (("left", (140, 150)), ("right", (260, 150))):
        hit = doc.pick(CAMERA, at)
        assert hit.surface == surface
        doc.surfaces[surface].layers.add("decals", name="Labels").place(tmp_path / "label.png", hit, width=0.8)
    points, normals = places(doc.mesh, 1500)
    before = seen(doc, points, normals)
    given(doc, way)
    clear = np.abs(seen(doc, points, normals) - before).max(axis=1) <= 1
    # But for places at the labels' edges.
    assert clear.mean() > 0.99
    assert [layer.name for layer in doc.surfaces["right"].layers] == ["Labels"]


def test_what_is_bare_brings_no_group(doc):
    """A surface that holds nothing is only matched; a new surface has the stack for itself."""
    doc.surfaces["right"].layers.add("wash", name="Blue", pigment=BLUE)
    doc.surfaces["left"].layers.add("brushed", name="Coat")
    given(doc, "assigned")
    assert [layer.kind for layer in doc.surfaces["right"].layers] == ["wash", "brushed"]
    doc.assign_faces(doc.surfaces["right"].faces[:4], name="rim")
    assert [(layer.kind, layer.name) for layer in doc.surfaces["rim"].layers] == [("wash", "Blue"), ("brushed", "Coat")]


def test_paint_does_not_go_into_the_group_of_another_surface(doc):
    """Of three surfaces the first has a wash; the second has a layer of a name that the third has not."""
    faces = {name: doc.surfaces[name].faces for name in ("left", "right")}
    doc.assign_faces(faces["right"][:20], name="post")
    doc.move_islands("post", faces["right"][:20], (1, 0, 0, 1, 0, -130))
    for name, pigment in (("left", RED), ("post", GREEN)):
        fill(doc, name, "Coat", pigment)
    fill(doc, "right", "Other", BLUE)
    doc.surfaces["left"].layers.add("wash", name="Red", pigment=RED)
    points, normals = places(doc.mesh, 1500)
    before = seen(doc, points, normals)
    assert len(np.unique(before, axis=0)) == 3
    doc.assign_faces([*faces["left"][:10], *faces["right"][:10]], surface="right")
    assert np.abs(seen(doc, points, normals) - before).max() <= 1
    assert [layer.name for layer in doc.surfaces["right"].layers] == ["Other", "left", "post"]
