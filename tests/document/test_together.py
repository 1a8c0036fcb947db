"""Surfaces that hang together, and those that do not: what a change of one leaves to be worked out."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Camera, Document, Pigment, Tip
from nightmist.core.mesh.topology import linked_surfaces

from ..shapes import drum, grid, joined, placed, sphere

SIDE = 128
PICTURES = ("color", "values", "relief")


def wall(number: int, at: float):
    """A square of side 1 that begins at x = at."""
    s = np.linspace(0, 1, 3)
    x, y = np.meshgrid(s, s)
    return grid(np.stack([x + at, 1 - y, 0 * x], 2), 0.1 + 0.8 * np.stack([x, y], 2), name=f"wall {number}")


def walls():
    """Three walls in a row, edge on edge, and apart from them two that touch each other: five surfaces."""
    parts = [wall(number, at) for number, at in enumerate((0, 1, 2, 5, 6))]
    return joined(*parts, names=[f"wall {number}" for number in range(5)])


def painted() -> Document:
    doc = Document.from_mesh(walls(), "walls", (SIDE, SIDE))
    for surface in doc.surfaces.values():
        surface.layers.add("brushed", name="Coat")
    return doc


def draw(doc: Document, at: float, **pigment) -> None:
    """A soft stroke over an edge, onto whatever lies there."""
    camera = Camera.look_at((at, 0.5, 3), (at, 0.5, 0), 40, (200, 200))
    layers = {name: surface.layers[0] for name, surface in doc.surfaces.items()}
    stroke = doc.begin_stroke(layers, camera, Tip(radius=20, hardness=0.2), Pigment(**pigment))
    stroke.extend([(60, 80, 1.0), (140, 120, 1.0)])
    doc.finish_stroke(stroke)


def pictures(doc: Document) -> dict:
    """All pictures, made anew from what the document holds."""
    doc.refresh()
    return {
        (surface.name, name): doc.composite(surface).pictures[name].read().copy()
        for surface in doc.surface_values()
        for name in PICTURES
    }


def anew(doc: Document) -> dict:
    doc.forget_composites()
    return pictures(doc)


def assert_same(doc: Document) -> None:
    kept = pictures(doc)
    for key, picture in anew(doc).items():
        assert (kept[key] == picture).all(), key


def sloped(doc: Document) -> list[bool]:
    """Of each surface, whether any of its normals leans."""
    reliefs = [doc.composite(surface).pictures["relief"].read() for surface in doc.surface_values()]
    return [bool((relief[..., :2] != 32768).any()) for relief in reliefs]


def test_who_hangs_together_is_who_can_be_walked_to():
    """Against a walk over shared corners, of loose bodies and of bodies with two surfaces each."""
    ball = sphere(8, 4)
    ball.face_surface[: len(ball.faces) // 2] = 1
    ball.surfaces = [*ball.surfaces, *ball.surfaces]
    mesh = joined(placed(drum(sides=8), move=(9, 0, 0)), ball, walls())
    places = [{tuple(corner) for corner in mesh.positions[face].tolist()} for face in mesh.faces]
    reached = {number: {number} for number in np.unique(mesh.face_surface).tolist()}
    for one, corners in zip(mesh.face_surface.tolist(), places, strict=True):
        for other, others in zip(mesh.face_surface.tolist(), places, strict=True):
            if len(corners & others) == 2:
                reached[one].add(other)
    for _ in reached:
        reached = {one: set().union(*(reached[other] for other in others)) for one, others in reached.items()}
    assert linked_surfaces(mesh.topology, mesh.face_surface) == {
        one: tuple(sorted(others)) for one, others in reached.items()
    }


@pytest.mark.parametrize("pigment", [{"base_color": "#aa3311"}, {"height": 0.7}, {"roughness": 0.2, "height": 0.3}])
def test_whatever_changes_all_is_as_made_anew(pigment):
    """Strokes over edges, UVs, sizes, faces given away, walls taken from each other: to the bit, relief too."""
    doc = painted()
    for at in (1, 2, 6):
        draw(doc, at, **pigment)
        assert_same(doc)
    doc.resize("wall 1", 192)
    assert_same(doc)
    doc.unwrap("wall 3", method="planar")
    assert_same(doc)
    doc.set_gutter("wall 0", 5)
    assert_same(doc)
    name = doc.assign_faces(doc.mesh.faces_of(1)[:4])
    assert_same(doc)
    doc.rename_surface(name, "part")
    draw(doc, 1, **pigment)
    assert_same(doc)
    for _ in range(4):
        doc.undo()
        assert_same(doc)


def test_a_change_of_one_leaves_those_apart_alone():
    """Links and rims of walls that no edge leads to stay the same objects; those it leads to are found again."""
    doc = painted()
    for at in (1, 6):
        draw(doc, at, base_color="#aa3311", height=0.7)
    doc.refresh()
    links = [doc.links(surface) for surface in doc.surface_values()]
    heights = [doc.composite(surface).heights for surface in doc.surface_values()]
    doc.set_gutter("wall 0", 5)
    doc.refresh()
    same = [doc.links(surface) is before for surface, before in zip(doc.surface_values(), links, strict=True)]
    assert same == [False, False, False, True, True]
    kept = [
        doc.composite(surface).heights is before for surface, before in zip(doc.surface_values(), heights, strict=True)
    ]
    assert kept == [False, False, False, True, True]


def test_relief_on_some_asks_nothing_of_those_apart():
    doc = painted()
    draw(doc, 1, height=0.7)
    doc.refresh()
    assert [doc.composite(surface).heights is not None for surface in doc.surface_values()] == [True] * 3 + [False] * 2
    assert sloped(doc) == [True, True, False, False, False]
    doc.undo()
    doc.refresh()
    assert sloped(doc) == [False] * 5


def test_rims_are_found_when_something_is_painted_or_while_there_is_time():
    """An unpainted document needs none; got ready, the first stroke finds them there."""
    doc = painted()
    doc.refresh()
    assert not [key for key in doc.cache.held if key[0] == "rim"]
    steps = 0
    while doc.get_ready():
        steps += 1
    rims = {key: made for key, made in doc.cache.held.items() if key[0] == "rim"}
    assert steps == len(rims) == 2
    draw(doc, 1, base_color="#aa3311")
    doc.refresh()
    assert {key: made for key, made in doc.cache.held.items() if key[0] == "rim"} == rims
    assert not doc.get_ready()
    doc.resize("wall 3", 192)
    assert doc.get_ready()
