"""What changes of the model, of parts and of surfaces must not do to the paint."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Camera, Document, NightmistError, Pigment, Tip
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.mesh import SurfaceLook
from nightmist.document.preparing.replacing import preview_of_replacement
from nightmist.studio.prepare_messages import AssignFaces

from ..shapes import joined, placed, plane, walls

CAMERA = Camera.look_at((0, 0, 6), (0, 0, 0), 40, (400, 300))
FIRM = Tip(radius=40, strength=1, hardness=1, pressure_strength=False)
RED, GREEN = Pigment(base_color="#ff0000"), Pigment(base_color="#00ff00")


def test_layers_of_one_name_keep_their_own_paint_on_another_surface():
    """Two layers "Rust", red below green: faces given to a new and to a known surface carry red and green."""
    doc = Document.from_mesh(walls(), "two", (128, 128))
    left = doc.surfaces["left"]
    for pigment in (RED, GREEN):
        doc.fill(left.layers.add("brushed", name="Rust"), pigment)
    doc.assign_faces(left.faces[:4], name="rim")
    doc.assign_faces(doc.surfaces["left"].faces, surface="right")
    for name in ("rim", "right"):
        surface = doc.surfaces[name]
        colors = [layer.read("base_color")[surface.layout.ownership.covered()] for layer in surface.layers]
        assert [layer.name for layer in surface.layers] == ["Rust", "Rust"]
        painted = [color[color[:, 3] == 65535] for color in colors]
        assert [len(np.unique(color, axis=0)) for color in painted] == [1, 1]
        assert [tuple(color[0, :2]) for color in painted] == [(65535, 0), (0, 65535)]


def test_faces_that_come_to_lie_on_others_are_told():
    """Both walls fill the same square of their maps: given to one, only one's paint can stay, which is said.

    Faces given to a new surface, and those whose islands lie apart there, bring no word.
    """
    doc = Document.from_mesh(walls(), "two", (128, 128))
    left, right = (doc.surfaces[name].faces for name in ("left", "right"))
    doc.move_islands("left", left, (0.4, 0, 0, 0.4, 0, 0))
    asked = AssignFaces(type="assign_faces", faces=[(int(left[0]), int(left[-1]) + 1)], surface="right")
    assert ["both show the same paint" in sentence for sentence in asked.run(doc)] == [True]
    doc.undo()
    doc.move_islands("right", right, (0.4, 0, 0, 0.4, 76, 76))
    assert asked.run(doc) == []
    rim = AssignFaces(type="assign_faces", faces=[(int(right[0]), int(right[0]) + 2)], name="rim")
    assert rim.run(doc) == []


def test_another_model_with_other_material_names_keeps_all_paint():
    """Surfaces are found again by their faces, and what stands for what is said."""
    doc = Document.from_mesh(walls(), "walls", (128, 128))
    doc.fill(doc.surfaces["left"].layers.add("brushed", name="coat"), RED)
    doc.fill(doc.surfaces["right"].layers.add("brushed", name="rust"), GREEN)
    before = [surface.read("base_color") for surface in doc.surfaces.values()]
    mesh = walls()
    for look, name in zip(mesh.surfaces, ("port", "starboard"), strict=True):
        look.name = name
    notes = doc.replace_mesh(files={"m.glb": write_glb(mesh)})
    assert list(doc.surfaces) == ["left", "right"]
    assert any("stands for port" in note for note in notes)
    owned = [surface.layout.ownership.covered() for surface in doc.surfaces.values()]
    after = [surface.read("base_color") for surface in doc.surfaces.values()]
    for was, now, inside in zip(before, after, owned, strict=True):
        assert (was[inside] == now[inside]).all()


def test_a_surface_that_the_new_model_lacks_is_named():
    """Its layers are said by name; undo brings all of it back."""
    doc = Document.from_mesh(walls(), "walls", (128, 128))
    doc.fill(doc.surfaces["right"].layers.add("brushed", name="Berth mark"), GREEN)
    before = doc.surfaces["right"].read("base_color")
    one = joined(placed(plane(2), move=(-1, 0, 0)), names=["left"])
    notes = doc.replace_mesh(files={"m.glb": write_glb(one)})
    assert any("no surface right" in note and "Berth mark" in note for note in notes)
    doc.undo()
    assert (doc.surfaces["right"].read("base_color") == before).all()


def test_normals_leave_no_ghosts_where_islands_were():
    """After an island moved and its paint with it, texels outside all islands and their gutters are level."""
    doc = Document.from_mesh(plane(), "one", (256, 256))
    layer = doc.surfaces["surface"].layers.add("brushed")
    doc.stroke(layer, [(150, 150), (250, 150)], CAMERA, FIRM, Pigment(height=0.9))
    surface = doc.surfaces["surface"]
    before = surface.read("normal")
    doc.move_islands("surface", surface.faces, (0.4, 0, 0, 0.4, 0, 0))
    layout = doc.surfaces["surface"].layout
    beyond = ~layout.ownership.covered()
    beyond.ravel()[layout.gutter.by_target[0][:, 0]] = False
    assert beyond.sum() > 10_000
    assert (doc.surfaces["surface"].read("normal")[beyond] == [32768, 32768, 65535]).all()
    doc.undo()
    assert (doc.surfaces["surface"].read("normal") == before).all()


def two_parts() -> Document:
    """Two squares side by side in one surface, each a part of its own with its half of the map; the second hidden."""
    halves = [placed(plane(2), move=(x, 0, 0), uv_scale=0.5, uv_move=(u, 0)) for x, u in ((-1, 0), (1, 0.5))]
    doc = Document.from_mesh(joined(*halves), "parts", (128, 128))
    doc.surfaces["surface"].layers.add("brushed", name="Coat")
    doc.hide_parts([1])
    return doc


WAYS = {
    "fill": lambda doc, layer: doc.fill(layer, RED),
    "region": lambda doc, layer: doc.fill(layer, RED, region=np.arange(len(doc.mesh.faces))),
    "gradient": lambda doc, layer: doc.gradient(layer, (-2, 0, 0), (2, 0, 0), (RED, GREEN)),
    "stroke": lambda doc, layer: doc.stroke(layer, [(100, 150), (300, 150)], CAMERA, FIRM, RED),
    "map": lambda doc, layer: doc.stroke(layer, [(10, 32), (120, 32)], CAMERA, FIRM, RED, in_map=True),
    "color": lambda doc, layer: doc.fill_color(layer, RED, doc.pick(CAMERA, (150, 150))),
    "soften": lambda doc, layer: doc.stroke(layer, [(10, 32), (120, 32)], CAMERA, FIRM, None, "soften", in_map=True),
}


@pytest.mark.parametrize("way", WAYS)
def test_hidden_parts_take_no_paint_from_any_tool(way):
    """The shown half is painted, not a texel of the hidden one or of the gutter around it."""
    doc = two_parts()
    layer = doc.surfaces["surface"].layers[0]
    if way == "soften":
        doc.hide_parts([])
        doc.gradient(layer, (-2, -1, 0), (2, 1, 0), (RED, GREEN))
        doc.hide_parts([1])
    before = layer.read("base_color")
    WAYS[way](doc, layer)
    changed = (layer.read("base_color") != before).any(axis=2)
    assert changed[:, :60].any()
    assert not changed[:64, 67:].any()


def test_hiding_a_part_works_nothing_out_anew():
    """Owners, gutters and links stay the objects they were, and no tile is stale."""
    doc = two_parts()
    doc.hide_parts([])
    doc.refresh()
    surface = doc.surfaces["surface"]
    made = (surface.layout, surface.layout.ownership, surface.layout.gutter, doc.links(surface.value))
    doc.hide_parts([0])
    assert (surface.layout, surface.layout.ownership, surface.layout.gutter, doc.links(surface.value)) == made
    assert doc.refresh() == {}
    doc.set_start("surface", surface.value.start.but(roughness=0.9))
    assert {picture for _, picture in doc.refresh()} == {"values"}


def plates(gap=0.05) -> Document:
    """Two squares behind each other that face the same way, each with half of the map."""
    front, back = placed(plane(), uv_scale=0.5), placed(plane(), move=(0, 0, -gap), uv_scale=0.5, uv_move=(0.5, 0.5))
    doc = Document.from_mesh(joined(front, back), "plates", (256, 256))
    doc.surfaces["surface"].layers.add("brushed", name="Coat")
    return doc


@pytest.mark.parametrize("size", [1.0, 100.0, 0.01])
def test_what_is_covered_is_left_alone(size):
    """The plate behind takes nothing, whatever the model's unit; with "covered too" it takes what the front takes."""
    mesh = placed(plates().mesh, scale=(size, size, size))
    doc = Document.from_mesh(mesh, "plates", (256, 256))
    layer = doc.surfaces["surface"].layers.add("brushed")
    camera = Camera.look_at((0, 0, 4 * size), (0, 0, 0), 40, (800, 600))
    tip = Tip(radius=60, strength=1, hardness=1, pressure_strength=False)
    doc.stroke(layer, [(350, 300), (450, 300)], camera, tip, RED)
    alpha = layer.read("base_color")[..., 3]
    assert (alpha[:128, :128] > 0).sum() > 500
    assert not alpha[128:, 128:].any()
    doc.undo()
    doc.stroke(layer, [(350, 300), (450, 300)], camera, tip.but(covered_too=True), RED)
    alpha = layer.read("base_color")[..., 3]
    assert (alpha[128:, 128:] > 0).sum() == pytest.approx((alpha[:128, :128] > 0).sum(), rel=0.1)


def test_steps_that_do_not_fit_are_refused_and_change_nothing():
    """A change made against another state of its values says so."""
    doc = plates()
    layer = doc.surfaces["surface"].layers[0]
    layer.opacity = 0.5
    stale = doc.history.changes[-1]
    layer.opacity = 0.25
    values = dict(doc.values)
    with pytest.raises(NightmistError, match="does not fit"):
        doc.do(stale)
    assert doc.values == values


def test_other_names_other_faces_and_a_third_surface_lose_nothing():
    """Found again by place; a surface that lies on an old one's place gets its paint; one without a place is kept."""
    doc = Document.from_mesh(walls(), "walls", (128, 128))
    doc.fill(doc.surfaces["left"].layers.add("brushed", name="coat"), RED)
    doc.fill(doc.surfaces["right"].layers.add("brushed", name="rust"), GREEN)
    before = doc.state()
    new = joined(
        placed(plane(3), move=(1, 0, 0)), placed(plane(3), move=(5, 0, 0)), placed(plane(3), move=(-1, 0, 0)),
        names=["Zulu", "far", "Mike"],
    )  # fmt: skip
    preview = preview_of_replacement(doc, new)
    assert [(s.takes, s.why) for s in preview.surfaces] == [("right", "place"), (None, "new"), ("left", "place")]
    assert doc.state() == before
    doc.replace_mesh(files={"m.glb": write_glb(new)})
    assert list(doc.surfaces) == ["right", "far", "left"]
    for name, channel in (("right", 1), ("left", 0)):
        inside = doc.surfaces[name].layout.ownership.covered()
        assert (doc.surfaces[name].read("base_color")[inside][:, channel] == 65535).all()


def test_a_surface_without_a_place_keeps_its_paint_without_faces():
    """Its texels stay to the bit; a model that has it again finds it by its name."""
    doc = Document.from_mesh(walls(), "walls", (128, 128))
    doc.fill(doc.surfaces["right"].layers.add("brushed", name="Berth mark"), GREEN)
    both = write_glb(doc.mesh)
    before = doc.surfaces["right"].layers[0].read("base_color")
    doc.replace_mesh(files={"m.glb": write_glb(joined(placed(plane(2), move=(-1, 0, 0)), names=["left"]))})
    assert list(doc.surfaces) == ["left", "right"]
    assert not len(doc.surfaces["right"].faces)
    assert (doc.surfaces["right"].layers[0].read("base_color") == before).all()
    doc.replace_mesh(files={"m.glb": both})
    inside = doc.surfaces["right"].layout.ownership.covered()
    assert (doc.surfaces["right"].read("base_color")[inside][:, 1] == 65535).all()


def test_the_painter_says_what_stands_for_what():
    """A choice goes before names; wrong ones are refused with nothing lost."""
    doc = Document.from_mesh(walls(), "walls", (128, 128))
    doc.fill(doc.surfaces["left"].layers.add("brushed"), RED)
    files = {"m.glb": write_glb(walls())}
    for wrong, said in (({"deck": "left"}, "no surface deck"), ({"left": "mast"}, "mast left")):
        with pytest.raises(NightmistError, match=said):
            doc.replace_mesh(files=files, surfaces=wrong)
    with pytest.raises(NightmistError, match="left whose layers"):
        doc.replace_mesh(files=files, surfaces={"left": "left", "right": "left"})
    doc.replace_mesh(files=files, surfaces={"left": "right", "right": "left"}, keep_paint=False)
    assert [(s.name, len(s.layers)) for s in doc.surfaces.values()] == [("right", 0), ("left", 1)]


@pytest.mark.parametrize("anew", [False, True])
def test_faces_of_a_new_material_bring_their_paint_unless_they_begin_anew(anew):
    """What the painter let begin anew has no layers; what is lost by that is told."""
    doc = Document.from_mesh(walls(), "walls", (128, 128))
    doc.fill(doc.surfaces["left"].layers.add("brushed", name="coat"), RED)
    surface_of = doc.mesh.face_surface.copy()
    surface_of[doc.surfaces["left"].faces[:4]] = 2
    split = doc.mesh.changed(face_surface=surface_of, surfaces=[*doc.mesh.surfaces, SurfaceLook("trim")])
    chosen: dict[str, str | None] = {"trim": None} if anew else {}
    trim = preview_of_replacement(doc, split, chosen=chosen).surfaces[2]
    assert (trim.name, trim.takes, trim.besides) == ("trim", None, [] if anew else ["left"])
    notes = doc.replace_mesh(files={"m.glb": write_glb(split)}, surfaces=chosen)
    assert any("of the paint on coat of left is lost" in note for note in notes) == anew
    inside = doc.surfaces["trim"].layout.ownership.covered()
    assert (doc.surfaces["trim"].read("base_color")[inside][:, 1] == 0).all() != anew
    assert [layer.name for layer in doc.surfaces["trim"].layers] == ([] if anew else ["coat"])


def test_hidden_parts_stay_hidden_by_their_names():
    doc = Document.from_mesh(walls(), "walls", (128, 128))
    doc.hide_parts([1])
    finer = joined(placed(plane(3), move=(1, 0, 0)), placed(plane(3), move=(-1, 0, 0)), names=["right", "left"])
    finer.parts[:] = doc.mesh.parts[::-1]
    doc.replace_mesh(files={"m.glb": write_glb(finer)})
    assert [doc.mesh.parts[n] for n in doc.project.hidden_parts] == [walls().parts[1]]


def test_a_project_file_keeps_surfaces_and_parts_without_faces_and_to_whom_the_others_belong(tmp_path):
    """Those that have faces are numbered anew in its GLB; colors, names and hidden parts must not move along."""
    mesh = joined(*(placed(plane(2), move=(3 * k, 0, 0)) for k in range(3)), names=["left", "middle", "right"])
    mesh.parts = ["a", "nothing", "b", "c"]
    mesh.face_part = np.array([0, 2, 3], np.int32)[mesh.face_part]
    doc = Document.from_mesh(mesh, "walls", (64, 64))
    for name, color in (("middle", "#ff0000"), ("right", "#00ff00")):
        doc.fill(doc.surfaces[name].layers.add("brushed"), Pigment(base_color=color), name)
    doc.hide_parts([3])
    doc.assign_faces(doc.surfaces["left"].faces, name="other")
    doc.save(tmp_path / "walls.nightmist")
    again = Document.load(tmp_path / "walls.nightmist")
    for name, surface in doc.surfaces.items():
        now = again.surfaces[name]
        assert (again.mesh.corners[now.faces] == doc.mesh.corners[surface.faces]).all()
        assert (now.read("base_color") == surface.read("base_color")).all()
    assert (again.mesh.parts, again.project.hidden_parts) == (mesh.parts, (3,))
    hidden = again.mesh.positions[again.mesh.faces[again.mesh.face_part == 3]]
    assert hidden[..., 0].min() > 4
