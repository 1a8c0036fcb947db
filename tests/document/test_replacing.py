"""Another model takes over: paint goes with faces that are there again; what is lost is said before and after."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

import nightmist as nm
from nightmist import Camera, Document, Pigment, Tip
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.mesh import Mesh, SurfaceLook
from nightmist.core.mesh.bodies import practice_body
from nightmist.core.mesh.mesh import build_mesh
from nightmist.document.preparing.recognizing import recognize
from nightmist.document.preparing.replacing import preview_of_replacement, read_new_model

from ..shapes import joined, placed, plane, sphere, walls
from .test_stencils import waves

RAMP = (Pigment(base_color="#202830"), Pigment(base_color="#e0c8a0"))
NAMES = ["hull", "crate", "sign"]


def harbor(unit: float, rows: int = 16) -> Mesh:
    crate = placed(practice_body("box", 1.0), move=(2.5, 0, 0))
    bodies = joined(sphere(2 * rows, rows), crate, placed(plane(8), move=(-3, 0, 0)), names=NAMES)
    mesh = placed(bodies, scale=(unit,) * 3)
    mesh.parts[:] = NAMES
    return mesh


def again(mesh: Mesh, points=None, faces=None, part=None, parts=None, mirrored=slice(0)) -> Mesh:
    """The mesh as another program might write it: corners elsewhere, faces in another order, other parts."""
    corners, uv = mesh.faces.copy(), mesh.uvs[0].copy()
    corners[mirrored], uv[mirrored] = corners[mirrored][:, ::-1], uv[mirrored][:, ::-1]
    faces = np.arange(len(corners)) if faces is None else faces
    return build_mesh(
        np.asarray(mesh.positions if points is None else points, np.float32),
        np.ascontiguousarray(corners[faces]),
        [np.ascontiguousarray(uv[faces])],
        None,
        mesh.face_surface[faces],
        (mesh.face_part if part is None else part)[faces],
        [SurfaceLook(look.name) for look in mesh.surfaces],
        parts or mesh.parts,
        "again",
        polygon=np.arange(len(faces), dtype=np.int32),
    )


def only(mesh: Mesh, number: int, how) -> np.ndarray:
    """Positions, those of one part moved."""
    points, mine = mesh.positions.astype(float), np.unique(mesh.faces[mesh.face_part == number])
    points[mine] = how(points[mine])
    return points


def turned(points):
    """A file whose z was up."""
    return np.stack([points[:, 0], -points[:, 2], points[:, 1]], 1)


def painted(mesh: Mesh) -> tuple[Document, dict]:
    """A ramp over each surface, so that each face has colors of its own."""
    doc = Document.from_mesh(mesh, "harbor", (256, 256))
    layers = {}
    for number, (name, surface) in enumerate(doc.surfaces.items()):
        layers[name] = surface.layers.add("brushed", name="Coat")
        corners = mesh.corners[mesh.face_surface == number].reshape(-1, 3)
        doc.gradient(layers[name], tuple(corners.min(axis=0)), tuple(corners.max(axis=0)), RAMP)
    return doc, layers


def elsewhere(mesh: Mesh, unit: float) -> dict[str, Mesh]:
    """Ways in which a modeler moves, bends and writes anew what stays the same faces."""
    points, other = mesh.positions.astype(float), np.random.default_rng(3).permutation(len(mesh.faces))
    crate = mesh.face_part == 1
    away = only(mesh, 1, lambda p: p + (0, 5 * unit, 0))
    one = np.zeros(len(mesh.faces), np.int32)
    halves = mesh.face_part.copy()
    halves[np.flatnonzero(crate)[crate.sum() // 2 :]] = 3
    apart = mesh.corners.copy()
    apart[halves == 3] += (0, 5 * unit, 0)
    loose = mesh.changed(
        positions=apart.reshape(-1, 3), faces=np.arange(apart.size // 3, dtype=np.int32).reshape(-1, 3)
    )
    return {
        "in another order": again(mesh, faces=other),
        "in other units, in another order": again(mesh, points * 100, other),
        "with another axis up, in another order": again(mesh, turned(points), other),
        "all shifted, all parts renamed": again(mesh, points + (5 * unit, 0, 0), parts=["a", "b", "c"]),
        "a part shifted, in another order": again(mesh, away, other),
        "a part shifted and renamed": again(mesh, away, parts=["hull", "chest", "sign"]),
        "all joined, a part shifted": again(mesh, away, part=one, parts=["all"]),
        "a part split, a half shifted": again(loose, part=halves, parts=[*NAMES, "lid"]),
        "bent": again(mesh, only(mesh, 1, lambda p: p + unit * 0.5 * np.sin(3 * p[:, 1:2] / unit) * (1, 0, 0))),
        "stretched": again(mesh, only(mesh, 1, lambda p: p * (1, 2, 1))),
        "mirrored": again(mesh, only(mesh, 1, lambda p: p * (1, 1, -1) + (0, 5 * unit, 0)), mirrored=crate),
    }


@pytest.mark.parametrize("unit", [1, 100])
@pytest.mark.parametrize("move", [(0.1, 0.1, 0), (5, 0, 0), (-2.5, 0, 0)])
def test_a_part_that_was_moved_in_the_file_keeps_its_paint_and_its_regions(tmp_path, unit, move):
    """Also where it lies now where another part lay; that one stays as it is."""

    def model(shift):
        crate = placed(practice_body("box", 1.0), move=(2.5 + shift[0], shift[1], shift[2]))
        return placed(joined(sphere(16, 8), crate, names=["hull", "crate"]), scale=(unit,) * 3)

    doc = Document.from_mesh(model((0, 0, 0)), "harbor", (256, 256))
    layers = {name: surface.layers.add("brushed") for name, surface in doc.surfaces.items()}
    for name, middle in (("hull", 0.0), ("crate", 2.5 * unit)):
        camera = Camera.look_at((middle, 0, 4 * unit), (middle, 0, 0), 30, (300, 300))
        doc.stroke(layers[name], [(130, 150), (170, 150)], camera, Tip(radius=15), Pigment(base_color="#ff0000"))
    before = {name: layer.read("base_color").astype(int) for name, layer in layers.items()}
    faces = np.flatnonzero(doc.mesh.face_surface == 1)[[10, 11, 40, 41]]
    region = doc.regions.add("Marked", faces=faces)
    (tmp_path / "moved.glb").write_bytes(write_glb(model(move)))
    doc.replace_mesh(tmp_path / "moved.glb", keep_paint=True)
    assert region.faces.tolist() == faces.tolist()
    for name, layer in layers.items():
        after = layer.read("base_color").astype(int)
        assert (before[name][..., 3] > 0).sum() > 100
        seen = np.minimum(before[name][..., 3], after[..., 3]) > 2000
        assert abs(after[..., 3] - before[name][..., 3]).max() < 300
        assert abs(after - before[name])[seen].max() < 300
    doc.undo()
    for name, layer in layers.items():
        assert (layer.read("base_color") == before[name]).all()


@pytest.mark.parametrize("unit", [1, 100])
def test_faces_are_known_again_by_their_uvs_wherever_they_lie(unit):
    """However the file was written, each texel keeps its paint, and nothing is said to be lost."""
    mesh = harbor(unit)
    doc, layers = painted(mesh)
    before = {name: layer.read("base_color").astype(int) for name, layer in layers.items()}
    for how, new in elsewhere(mesh, unit).items():
        assert preview_of_replacement(doc, new).losses == [], how
        assert doc.replace_mesh(files={"new.glb": write_glb(new)}) == [], how
        for name, layer in layers.items():
            after = layer.read("base_color").astype(int)
            assert (before[name][..., 3] > 0).sum() > 10_000
            assert np.abs(after - before[name]).max(axis=2).mean() < 40, (how, name)
        doc.undo()


def test_what_was_made_anew_goes_with_the_model(tmp_path):
    """In other units, the hull of other faces: its paint comes from where it would lie had nothing grown."""
    doc, layers = painted(harbor(1))
    before = layers["hull"].read("base_color").astype(int)
    new = placed(harbor(1, rows=24), scale=(100,) * 3)
    new.parts[:] = NAMES
    assert doc.replace_mesh(files={"new.glb": write_glb(new)}) == []
    after = layers["hull"].read("base_color").astype(int)
    both = np.minimum(before[..., 3], after[..., 3]) > 60_000
    assert both.sum() > 0.95 * (before[..., 3] > 60_000).sum()
    # Another sphere's facets lie up to 1 % off.
    assert np.abs(after - before)[both].max() < 65535 * 0.02


def test_relief_and_decals_grow_with_the_model(tmp_path):
    doc, _ = painted(harbor(1))
    surface = doc.surfaces["crate"]
    waves(tmp_path / "waves.png")
    camera = Camera.look_at((2.5, 0, 4), (2.5, 0, 0), 20, (100, 100))
    relief = nm.DecalRelief(height=0.01, bevel=0.002)
    marks = surface.layers.add("decals", name="Marks")
    marks.place(tmp_path / "waves.png", doc.pick(camera, (50, 50)), width=0.4).relief = relief
    depth = surface.value.depth
    new = placed(harbor(1), scale=(100,) * 3)
    new.parts[:] = NAMES
    doc.replace_mesh(files={"new.glb": write_glb(new)})
    (decal,) = marks.value.placed
    assert surface.value.depth == pytest.approx(100 * depth)
    assert np.allclose(decal.frame.position, (250, 0, 50), atol=0.01)
    grown = (decal.frame.width, decal.relief.height, decal.relief.bevel)
    assert grown == pytest.approx((40, 1, 0.2), rel=1e-5)


@pytest.mark.parametrize("unit", [1, 100])
def test_the_share_of_paint_that_is_lost_is_said_before_and_after(unit):
    """Of a layer over all of the crate as many percent as of its texels lie on faces that are gone; others keep all."""
    mesh = harbor(unit)
    doc, _ = painted(mesh)
    stroke = doc.surfaces["crate"].layers.add("brushed", name="Numeral")
    camera = Camera.look_at((2.5 * unit, 0, 4 * unit), (2.5 * unit, 0, 0), 30, (300, 300))
    doc.stroke(stroke, [(140, 150), (160, 150)], camera, Tip(radius=15), Pigment(base_color="#ff0000"))
    crate = np.flatnonzero(mesh.face_part == 1)
    front = crate[mesh.face_normals[crate, 2] > 0.9]
    new = again(mesh, faces=np.setdiff1d(np.arange(len(mesh.faces)), front))
    own = doc.layout(doc.surfaces["crate"].value).ownership
    owner = own.owner()
    lost = 100 * np.isin(own.faces[owner[owner >= 0]], front).mean()
    preview = preview_of_replacement(doc, new)
    assert preview.losses == [
        f"{lost:.0f}% of the paint on Coat of crate is lost: nothing of the new model takes it over there.",
        "All of the paint on Numeral of crate is lost: nothing of the new model takes it over there.",
    ]
    assert preview_of_replacement(doc, new, keep_paint=False).losses == []
    notes = doc.replace_mesh(files={"new.glb": write_glb(new)})
    assert notes == [f"{loss} Undo brings it back." for loss in preview.losses]
    doc.undo()
    assert stroke.read("base_color")[..., 3].any()


@pytest.mark.parametrize("unit", [0.01, 100])
@pytest.mark.parametrize("renamed", [False, True])
@pytest.mark.parametrize("lying", [False, True])
def test_a_model_made_anew_in_other_units_takes_the_paint_by_where_it_lies(unit, renamed, lying):
    """Two walls of other faces, of a hundredth of the size or a hundred times it, perhaps with another axis up."""
    doc = Document.from_mesh(walls(6), "walls", (256, 256))
    layers = [surface.layers.add("brushed") for surface in doc.surfaces.values()]
    for layer, (low, high) in zip(layers, (((-2, 1, 0), (0, -1, 0)), ((0, 1, 0), (2, -1, 0))), strict=True):
        doc.gradient(layer, low, high, RAMP)
    before = [layer.read("base_color").astype(int) for layer in layers]
    new = placed(walls(9), scale=(unit,) * 3, move=(3 * unit, 0, 0))
    if lying:
        new = new.changed(positions=turned(new.positions.astype(float)).astype(np.float32))
    if renamed:
        new = new.changed(surfaces=[replace(look, name=f"quay {look.name}") for look in new.surfaces])
    assert preview_of_replacement(doc, new).losses == []
    doc.replace_mesh(files={"new.glb": write_glb(new)})
    for layer, was in zip(layers, before, strict=True):
        seen = was[..., 3] > 60000
        assert seen.sum() > 20_000
        assert np.abs(layer.read("base_color").astype(int) - was)[seen].max() < 2 * 257
    doc.undo()
    assert all((layer.read("base_color") == was).all() for layer, was in zip(layers, before, strict=True))


def test_paint_beside_a_smaller_model_is_lost_by_its_share():
    """A sign of other faces that is a tenth narrower: a tenth of the paint lies beside it."""
    doc = Document.from_mesh(plane(4), "sign", (256, 256))
    coat = doc.surfaces["surface"].layers.add("brushed", name="Coat")
    doc.fill(coat, Pigment(base_color="#ff0000"))
    narrow = placed(plane(5), scale=(0.9, 1, 1))
    (loss,) = preview_of_replacement(doc, narrow).losses
    assert abs(int(loss.split("%")[0]) - 10) <= 2


def test_a_plate_in_place_of_a_knob_does_not_take_its_paint():
    """Paint on a knob that is gone is lost, though the plate below is new and near."""
    knob = placed(practice_body("box", 0.06), move=(0, 0, 0.03))
    doc = Document.from_mesh(joined(plane(4), placed(knob, uv_scale=0.2), names=["plate", "knob"]), "x", (256, 256))
    for surface in doc.surfaces.values():
        doc.fill(surface.layers.add("brushed", name="Coat"), Pigment(base_color="#ff0000"))
    new = joined(plane(5), placed(sphere(8, 4), move=(0, 0, 40)), names=["plate", "knob"])
    losses = preview_of_replacement(doc, new).losses
    assert any(loss.startswith("All of the paint on Coat of knob") for loss in losses)


def test_a_region_of_which_nothing_is_left_is_told():
    doc, _ = painted(harbor(1))
    crate = np.flatnonzero(doc.mesh.face_part == 1)
    doc.regions.add("Lid", faces=crate[:4])
    doc.regions.add("Side", faces=crate)
    new = again(harbor(1), faces=np.setdiff1d(np.arange(len(doc.mesh.faces)), crate[:300]))
    assert "Nothing of the new model lies where the faces of Lid lay." in preview_of_replacement(doc, new).losses


def test_of_many_surfaces_one_sentence_tells():
    """Twelve plates under other names, without UVs: what stands for what, and what was unwrapped, is told briefly."""
    plates = [placed(plane(2), move=(3 * k, 0, 0)) for k in range(12)]
    doc = Document.from_mesh(joined(*plates, names=[f"deck {k}" for k in range(12)]), "decks", (64, 64))
    renamed = joined(*plates, names=[f"floor {k}" for k in range(12)]).changed(uvs=[])
    shown = preview_of_replacement(doc, read_new_model({"decks.glb": write_glb(renamed)}, None))
    assert [successor.faces for successor in shown.surfaces] == [4] * 12
    notes = doc.replace_mesh(files={"decks.glb": write_glb(renamed)})
    assert notes == [
        "deck 0 stands for floor 0, deck 1 stands for floor 1, deck 2 stands for floor 2, deck 3 stands for floor 3"
        " and 8 more of the new model; each keeps its name and layers.",
        "deck 0, deck 1, deck 2, deck 3 and 8 more came without UVs and were unwrapped automatically.",
    ]
    assert np.isfinite(doc.mesh.uvs[0]).all()
    opened = Document.from_files({"decks.glb": write_glb(renamed)}, size=64)
    assert opened.project.notes == (
        "floor 0, floor 1, floor 2, floor 3 and 8 more came without UVs and were unwrapped automatically.",
    )


def plates(which, part="plate {}", surface="Plate {}", apart=3.0) -> Mesh:
    """Plates of one shape and one UV layout in a row; names are filled with their turn and with what they are."""
    bodies = [placed(plane(2), move=(apart * k, 0, 0)) for k in which]
    mesh = joined(*bodies, names=[surface.format(turn, k) for turn, k in enumerate(which)])
    mesh.parts[:] = [part.format(turn, k) for turn, k in enumerate(which)]
    return mesh


@pytest.mark.parametrize("apart", [3.0, 0.0])
@pytest.mark.parametrize(
    ("part", "surface"),
    [("plate {0}", "Plate {0}"), ("plate {0}", "New {0}"), ("p {0}", "New {0}"), ("p", "Plate {1}")],
)
def test_twins_are_told_apart_by_where_they_lie(part, surface, apart):
    """The first two left out and the rest numbered anew: each keeps its own, also those that lie on one another."""
    doc = Document.from_mesh(plates(range(6), apart=apart), "decks", (64, 64))
    reds = {name: f"#{30 * k:02x}4020" for k, name in enumerate(doc.surfaces)}
    for name, red in reds.items():
        doc.fill(doc.surfaces[name].layers.add("brushed", name=f"Coat of {name}"), Pigment(base_color=red))
    mid = np.s_[4:60, 4:60]
    before = {name: doc.surfaces[name].layers[-1].read("base_color")[mid] for name in reds}
    first = 2 if apart else 0
    new = plates(range(first, 6), part, surface, apart)
    shown = preview_of_replacement(doc, new)
    kept = [f"Plate {k}" for k in range(first, 6)]
    assert [successor.takes for successor in shown.surfaces] == kept
    assert [left.name for left in shown.left] == [f"Plate {k}" for k in range(first)]
    doc.replace_mesh(files={"decks.glb": write_glb(new)})
    for name in kept:
        (layer,) = doc.surfaces[name].layers
        assert layer.name == f"Coat of {name}"
        assert (layer.read("base_color")[mid] == before[name]).all()


@pytest.mark.parametrize("unit", [1.0, 0.01, 100.0])
@pytest.mark.parametrize("how", ["as it lies", "another axis up"])
def test_twins_are_known_in_other_units_under_other_names(unit, how):
    """Shifted, too: nothing but the places of faces to one another says what is what; relief grows with the model."""
    doc = Document.from_mesh(plates(range(6)), "decks", (64, 64))
    coats = {name: surface.layers.add("brushed") for name, surface in doc.surfaces.items()}
    for turn, coat in enumerate(coats.values()):
        doc.fill(coat, Pigment(base_color=f"#{30 * turn:02x}4020"))
    before = {name: coat.read("base_color")[4:60, 4:60] for name, coat in coats.items()}
    depth = doc.surfaces["Plate 3"].value.depth
    other = plates([3, 5, 0, 1, 4, 2], "mesh {0}", "M {0}")
    points = unit * (turned(other.positions) if how == "another axis up" else other.positions) + 7 * unit
    new = placed(other.changed(positions=points.astype(np.float32)))
    assert preview_of_replacement(doc, new).losses == []
    doc.replace_mesh(files={"decks.glb": write_glb(new)})
    for name, coat in coats.items():
        assert (coat.read("base_color")[4:60, 4:60] == before[name]).all()
    assert doc.surfaces["Plate 3"].value.depth == pytest.approx(unit * depth)


def test_twins_that_share_texels_are_known_in_other_units():
    """Posts stacked in one map: each face is itself, and paint that another post still has is not said to be lost."""
    posts = joined(*[placed(plane(2), move=(3 * k * k, 0, 0)) for k in range(4)])
    doc = Document.from_mesh(posts, "posts", (64, 64))
    doc.fill(doc.surfaces["surface"].layers.add("brushed"), Pigment(base_color="#ff0000"))
    new = placed(posts, scale=(100,) * 3)
    new.parts[:] = ["a", "b", "c", "d"]
    new.surfaces[0].name = "other"
    known = recognize(doc, new)
    assert known.face.tolist() == list(range(len(posts.faces)))
    assert known.motion
    assert known.motion.scale == pytest.approx(100)
    fewer = again(posts, faces=np.flatnonzero(posts.face_part == 2))
    assert preview_of_replacement(doc, fewer).losses == []


def test_twins_that_changed_places_by_their_uvs_have_changed_places():
    """Two plates of different UVs: the names go where the UVs go, though each lies now where the other lay."""
    mesh = joined(placed(plane(2), uv_scale=0.4), placed(plane(2), move=(3, 0, 0)), names=["a", "b"])
    mesh.parts[:] = ["a", "b"]
    doc = Document.from_mesh(mesh, "decks", (64, 64))
    points = mesh.positions.astype(float)
    points[:, 0] = np.where(mesh.positions[:, 0] > 1.5, points[:, 0] - 3, points[:, 0] + 3)
    assert recognize(doc, again(mesh, points)).face.tolist() == list(range(len(mesh.faces)))


def test_a_surface_that_lost_all_its_faces_takes_those_of_a_new_name():
    doc = Document.from_mesh(walls(), "walls", (64, 64))
    doc.assign_faces(doc.surfaces["left"].faces, "right")
    mesh = joined(plane(3), placed(plane(3), move=(4, 0, 0)), names=["right", "new"])
    assert "left stands for new" in " ".join(doc.replace_mesh(files={"m.glb": write_glb(mesh)}))
    assert {name: len(surface.faces) for name, surface in doc.surfaces.items()} == {"right": 18, "left": 18}


def test_what_was_told_to_begin_anew_leaves_its_layers_to_no_other():
    """They stay, without faces, unless another surface was told to take them."""
    doc = Document.from_mesh(walls(), "walls", (64, 64))
    left, right, lamp = (placed(plane(2), move=move) for move in ((-1, 0, 0), (1, 0, 0), (0, 9, 0)))
    mesh = joined(left, right, lamp, names=["left", "right", "lamp"])

    def taken(**chosen: str | None) -> dict[str, str | None]:
        return {row.name: row.takes for row in preview_of_replacement(doc, mesh, chosen=chosen).surfaces}

    assert taken() == {"left": "left", "right": "right", "lamp": None}
    assert taken(right=None) == {"left": "left", "right": None, "lamp": None}
    assert taken(right=None, lamp="right") == {"left": "left", "right": None, "lamp": "right"}
    assert [gone.name for gone in preview_of_replacement(doc, mesh, chosen={"right": None}).left] == ["right"]
