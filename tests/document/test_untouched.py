"""What a model's file says of what is not painted here: kept, and handed off as it came."""

from __future__ import annotations

import json

import numpy as np
import pytest

import nightmist as nm
from nightmist.core.formats import read_model
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.formats.image_files import read_picture, write_png
from nightmist.core.mesh.look import SceneNode, SurfaceLook
from nightmist.core.relief.combine import combined
from nightmist.document.files.hand_off import glb, map_files
from nightmist.document.files.project_file import load, save
from nightmist.document.preparing.replacing import preview_of_replacement, read_new_model
from nightmist.studio import Studio

from ..shapes import joined, placed, plane
from .test_scripting import split_glb

SIDE = 128


def waves(seed: int, side=SIDE) -> np.ndarray:
    """(side, side, 4) 8-bit waves that repeat, opaque."""
    y, x = (np.mgrid[0:side, 0:side] + 0.5) / side * 2 * np.pi
    sines = [np.sin(x * (1 + k % 2) + seed + k) * np.cos(y + k) for k in range(3)]
    return np.dstack([*(127.5 + 110 * w for w in sines), np.full((side, side), 255)]).round().astype(np.uint8)


def slanted(x: float, y: float) -> np.ndarray:
    """A normal picture that leans the same way everywhere."""
    normal = np.array([x, y, np.sqrt(1 - x * x - y * y)])
    return np.tile(np.append(np.rint((normal + 1) * 127.5), 255), (SIDE, SIDE, 1)).astype(np.uint8)


COLOR, GLOW, DIM = waves(1), waves(2), waves(3)
COLOR[:40, :, 3] = 60
LEAN = slanted(0.5, 0.2)
MATERIAL = {
    "name": "wall", "alphaMode": "MASK", "alphaCutoff": 0.3, "doubleSided": True, "emissiveFactor": [1, 0.5, 0.25],
    "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}, "baseColorFactor": [1, 1, 1, 0.75]},
    "emissiveTexture": {"index": 1}, "occlusionTexture": {"index": 2, "texCoord": 1, "strength": 0.5},
    "normalTexture": {"index": 3, "scale": 0.8},
}  # fmt: skip
#: A mirrored and unevenly scaled node inside a turned one, as exporters of scenes write them.
NODES = [
    {"name": "pier", "rotation": [0, 0.6, 0, 0.8], "translation": [5, 0, 1], "children": [1, 2]},
    {"name": "gate", "scale": [-1, 2, 1], "mesh": 0},
    {"name": "lamp post"},
]


@pytest.fixture
def wall(tmp_path):
    """A path to a GLTF with all of it; the pictures lie beside it."""
    mesh = placed(plane(2), uv_scale=0.9)
    mesh.uvs.append((mesh.uvs[0] * 0.5).astype(np.float32))
    described, binary = split_glb(write_glb(mesh))
    pictures = {"color.png": COLOR, "glow.png": GLOW, "shade.png": DIM, "lean.png": LEAN}
    for name, pixels in pictures.items():
        (tmp_path / name).write_bytes(write_png(pixels))
    described["buffers"][0]["uri"] = "wall.bin"
    described["images"] = [{"uri": name} for name in pictures]
    described["textures"] = [{"source": k} for k in range(4)]
    described["materials"] = [MATERIAL]
    described["nodes"], described["scenes"] = NODES, [{"nodes": [0]}]
    (tmp_path / "wall.gltf").write_text(json.dumps(described))
    (tmp_path / "wall.bin").write_bytes(binary)
    return tmp_path / "wall.gltf"


def handed_off(doc) -> tuple[dict, dict, dict]:
    """The GLB's description, its one material, and its pictures by slot: bytes, or None."""
    described, binary = split_glb(glb(doc))
    material = described["materials"][0]
    slots = {**material, **material["pbrMetallicRoughness"]}
    found = {}
    for slot, value in slots.items():
        if slot.endswith("Texture"):
            view = described["bufferViews"][described["images"][value["index"]]["bufferView"]]
            found[slot[:-7]] = binary[view["byteOffset"] : view["byteOffset"] + view["byteLength"]]
    return described, material, found


def test_everything_comes_out_as_it_went_in(wall):
    """Factors, alpha, sidedness, pictures to the byte with their UV set, the tree of nodes, places in space."""
    doc = nm.Document.open(wall, size=SIDE)
    described, material, pictures = handed_off(doc)
    for key in ("alphaMode", "alphaCutoff", "doubleSided", "emissiveFactor"):
        assert material[key] == MATERIAL[key]
    assert material["pbrMetallicRoughness"]["baseColorFactor"] == [1, 1, 1, 1]
    assert material["normalTexture"]["scale"] == 0.8
    assert (material["occlusionTexture"]["strength"], material["occlusionTexture"]["texCoord"]) == (0.5, 1)
    for slot, pixels in (("emissive", GLOW), ("occlusion", DIM), ("normal", LEAN)):
        assert pictures[slot] == write_png(pixels)
    color = read_picture("c", pictures["baseColor"]) // 257
    alpha = color.astype(int)[..., 3]
    owned = doc.surfaces["wall"].layout.ownership.covered()
    assert np.abs(alpha - 0.75 * COLOR[..., 3])[owned].max() <= 1
    # Color under a low alpha is the file's, not mixed with anything.
    inside = np.s_[8:-24, 8:-24]
    assert np.abs(color.astype(int)[inside] - COLOR[inside])[..., :3].max() <= 1
    assert [node.get("name") for node in described["nodes"]] == ["pier", "gate", "lamp post"]
    assert described["nodes"][0]["children"] == [1, 2]
    assert described["scenes"][0]["nodes"] == [0]
    before, after = doc.mesh, read_model("b.glb", {"b.glb": glb(doc)})
    assert np.allclose(before.corners, after.corners, atol=1e-5)
    assert np.allclose(before.normals, after.normals, atol=1e-4)
    everything = "normal pictures, occlusion pictures, glow pictures, double-sidedness"
    said = [note for note in doc.project.notes if "handed off as it came" in note]
    assert said == [f"Not painted or shown here, but handed off as it came: {everything} of wall."]


def glow_at_middles(doc, picture: np.ndarray, uv_set=0) -> np.ndarray:
    """What a picture shows in the middle of each face."""
    middle = doc.mesh.uvs[uv_set].mean(axis=1) * picture.shape[1::-1]
    column, row = middle.astype(int).T
    return picture[row, column, :3].astype(int)


def test_pictures_follow_the_model_to_other_uvs(wall):
    """After an island was turned, moved and shrunk each place of the model has the same glow, shade and slant."""
    doc = nm.Document.open(wall, size=SIDE)
    wanted, shade = glow_at_middles(doc, GLOW), glow_at_middles(doc, DIM, 1)
    everything = list(range(len(doc.mesh.faces)))
    # A quarter turn to the right, half the size: (x, y) to (1 - y, x), then into the middle.
    doc.move_islands("wall", everything, (0, 0.5, -0.5, 0, 0.75 * SIDE, 0.25 * SIDE))
    _, material, pictures = handed_off(doc)
    glow = read_picture("g", pictures["emissive"]) // 257
    assert np.abs(glow_at_middles(doc, glow) - wanted).max() <= 12  # half a texel
    # Its own UV set was left alone.
    assert (pictures["occlusion"], material["occlusionTexture"]["texCoord"]) == (write_png(DIM), 1)
    assert np.abs(glow_at_middles(doc, DIM, 1) - shade).max() == 0
    lean = read_picture("n", pictures["normal"])[..., :3] / 32767.5 - 1
    middle = (doc.mesh.uvs[0].mean(axis=1) * SIDE).astype(int)
    # Turned with the island: what leaned to the right of it leans down the map, and what leaned up leans right.
    assert np.abs(lean[middle[:, 1], middle[:, 0]] - [0.2, -0.5, np.sqrt(0.71)]).max() < 0.01
    doc.undo()
    assert handed_off(doc)[2]["emissive"] == write_png(GLOW)


def test_kept_pictures_survive_files_and_restarts(wall, tmp_path, store):
    """In a project file, in a copy, in the database after a new start: the same hand-off to the byte."""
    doc = nm.Document.open(wall, size=SIDE)
    wanted = handed_off(doc)
    save(doc, tmp_path / "wall.nightmist")
    again = load(tmp_path / "wall.nightmist")
    assert handed_off(again)[1:] == wanted[1:]
    assert [n.get("name") for n in handed_off(again)[0]["nodes"]] == ["pier", "gate", "lamp post"]
    studio = Studio(store)
    project = studio.create(load(tmp_path / "wall.nightmist"))
    studio.close()
    later = Studio(store)
    assert later.with_document(project, handed_off)[1:] == wanted[1:]
    later.close()


def test_relief_is_laid_onto_the_normal_picture(wall):
    """Where nothing is raised the file's normals stay; where something is, both show."""
    doc = nm.Document.open(wall, size=SIDE)
    layer = doc.surfaces["wall"].layers.add("brushed")
    doc.fill(layer, nm.Pigment(base_color=None, roughness=None, height=0.9), "wall")
    doc.erase(layer, region=[0])
    normals = read_picture("n", handed_off(doc)[2]["normal"])[..., :3] / 32767.5 - 1
    flat = np.abs(normals - [0.5, 0.2, np.sqrt(0.71)]).max(axis=2)
    assert (flat < 0.01).mean() > 0.8
    assert flat.max() > 0.1


def test_reoriented_normals_against_turns():
    """An upright one changes nothing; two leans about one axis add up."""
    lean = lambda angle: np.array([[[np.sin(angle), 0, np.cos(angle)]]])  # noqa: E731
    stored = lambda normal: np.rint((normal + 1) * 32767.5).astype(np.uint16)  # noqa: E731
    for a, b in ((0, 0.4), (0.3, 0), (0.3, 0.4), (-0.5, 0.2)):
        found = combined(stored(lean(a)), stored(lean(b))) / 32767.5 - 1
        assert np.abs(found - lean(a + b)).max() < 1e-4


@pytest.mark.parametrize(("uv_set", "turn"), [(0, 0.0), (0, 0.7), (1, 0.0)])
def test_placed_pictures_are_painted_where_they_show(wall, uv_set, turn):
    """A base color that is scaled, turned and moved, or lies by another UV set."""
    offset, scale = (0.3, 0.1), (1.5, 0.75)
    described = json.loads(wall.read_text())
    described["materials"] = [{"name": "wall", "pbrMetallicRoughness": {"baseColorTexture": {
        "index": 1, "texCoord": uv_set,
        "extensions": {"KHR_texture_transform": {"offset": offset, "scale": scale, "rotation": turn}},
    }}}]  # fmt: skip
    described["extensionsRequired"] = ["KHR_texture_transform"]
    wall.write_text(json.dumps(described))
    doc = nm.Document.open(wall, size=SIDE)
    found = doc.surfaces["wall"].read("base_color")[..., :3] / 257
    own = doc.mesh.uvs[0].astype(float)
    low, high = own.reshape(-1, 2).min(axis=0), own.reshape(-1, 2).max(axis=0)
    worst = 0.0
    for y, x in np.random.default_rng(1).integers(8, 100, (200, 2)):
        uv = np.array([x + 0.5, y + 0.5]) / SIDE
        assert (low < uv).all()
        assert (uv < high).all()
        u, v = uv * (0.5 if uv_set else 1.0) * scale
        place = np.array([np.cos(turn) * u + np.sin(turn) * v, np.cos(turn) * v - np.sin(turn) * u]) + offset
        column, row = place * SIDE - 0.5
        j, i = int(np.floor(column)), int(np.floor(row))
        weights = np.outer([i + 1 - row, row - i], [j + 1 - column, column - j])
        wanted = (
            weights[..., None] * GLOW[np.ix_([i % SIDE, (i + 1) % SIDE], [j % SIDE, (j + 1) % SIDE])][..., :3]
        ).sum(axis=(0, 1))
        worst = max(worst, np.abs(found[y, x] - wanted).max())
    assert worst < 3


def test_models_that_cannot_be_painted_yet_come_in_and_go_out(wall):
    """UVs that lie over each other absurdly often, and pictures that are placed: nothing to sample, and no error."""
    described = json.loads(wall.read_text())
    stacked = write_glb(placed(plane(2), uv_scale=400.0))
    described["accessors"], described["bufferViews"] = (
        split_glb(stacked)[0][key] for key in ("accessors", "bufferViews")
    )
    described["meshes"], described["buffers"] = (split_glb(stacked)[0][key] for key in ("meshes", "buffers"))
    described["buffers"][0]["uri"] = "wall.bin"
    pbr = described["materials"][0]["pbrMetallicRoughness"]
    pbr["baseColorTexture"]["extensions"] = {"KHR_texture_transform": {"scale": [2, 2]}}
    described["materials"][0]["occlusionTexture"]["texCoord"] = 0
    (wall.parent / "wall.bin").write_bytes(split_glb(stacked)[1])
    wall.write_text(json.dumps(described))
    doc = nm.Document.open(wall, size=SIDE)
    assert handed_off(doc)[2]["emissive"] == write_png(GLOW)
    doc.unwrap("wall")
    assert {"emissive", "occlusion", "normal"} <= set(handed_off(doc)[2])


def test_maps_are_as_large_as_their_pictures(wall):
    """Stripes of one pixel survive in a project of smaller maps; that is said, and only that surface is so large."""
    stripes = np.full((SIDE, SIDE, 4), 255, np.uint8)
    stripes[:, ::2, :3] = 0
    (wall.parent / "color.png").write_bytes(write_png(stripes))
    doc = nm.Document.open(wall, size=64)
    surface = doc.surfaces["wall"]
    assert (surface.size, doc.project.size) == ((SIDE, SIDE), (64, 64))
    read = surface.read("base_color")[20, 20:60, 0]
    assert set(read[::2].tolist()) == {0}
    assert set(read[1::2].tolist()) == {65535}
    assert "A map is as large as its pictures: wall (128 × 128)." in doc.project.notes


def test_another_model_brings_its_own(wall):
    """A new file's pictures take the place of the old ones; what it lacks is said, not lost unsaid."""
    doc = nm.Document.open(wall, size=SIDE)
    files = {file.name: file.read_bytes() for file in wall.parent.iterdir()}
    described = json.loads(wall.read_text())
    del described["materials"][0]["emissiveTexture"]
    notes = doc.replace_mesh(files={**files, "wall.gltf": json.dumps(described).encode()})
    assert any("no emissive picture for wall" in note for note in notes)
    assert set(handed_off(doc)[2]) == {"baseColor", "metallicRoughness", "occlusion", "normal"}
    bare = joined(plane(2), names=["wall"])
    doc.replace_mesh(files={"m.glb": write_glb(bare)})
    assert "doubleSided" in handed_off(doc)[1]
    doc.undo()
    doc.undo()
    assert handed_off(doc)[2]["emissive"] == write_png(GLOW)


def test_a_model_that_says_nothing_of_it_keeps_what_there_was(wall):
    """The same faces at other UVs, without a material: all is where it was; with a face that is new, that is said."""
    doc = nm.Document.open(wall, size=SIDE)
    wanted = glow_at_middles(doc, GLOW)
    mesh = doc.mesh.changed(surfaces=[SurfaceLook("wall")], uvs=[doc.mesh.uvs[0][..., ::-1] * np.float32(0.8)])
    notes = doc.replace_mesh(files={"m.glb": write_glb(mesh)})
    assert notes == []
    _, material, pictures = handed_off(doc)
    assert (material["doubleSided"], material["emissiveFactor"]) == (True, [1, 0.5, 0.25])
    glow = read_picture("g", pictures["emissive"]) // 257
    assert np.abs(glow_at_middles(doc, glow) - wanted).max() <= 12  # half a texel
    assert doc.surface_value("wall").missing == ()
    doc.undo()
    assert handed_off(doc)[2]["emissive"] == write_png(GLOW)
    far = mesh.changed(positions=mesh.positions + np.where(np.arange(len(mesh.positions)) == 0, 9, 0)[:, None])
    notes = doc.replace_mesh(files={"m.glb": write_glb(far)})
    assert any("wall has new faces, where the old normal, occlusion, emissive picture has no place" in n for n in notes)
    assert set(handed_off(doc)[2]) == {"baseColor", "metallicRoughness"}


def test_new_surfaces_take_the_pictures_of_their_file(wall):
    """Where layers stay the file's colors are not taken, and that is said before; what begins anew has them."""
    doc = nm.Document.open(wall, size=64)
    doc.fill(doc.surfaces["wall"].layers.add("brushed", name="Moss"), nm.Pigment(base_color="#00ff00"))
    files = {file.name: file.read_bytes() for file in wall.parent.iterdir()}
    told = "Pictures of the new file are not taken where layers stay: wall (base color, opacity)."
    assert told in " ".join(preview_of_replacement(doc, read_new_model(files)).notes)
    assert told in " ".join(doc.replace_mesh(files=files))
    assert [layer.name for layer in doc.surfaces["wall"].layers] == ["From the file", "Moss"]
    preview = preview_of_replacement(doc, read_new_model(files), chosen={"wall": None})
    assert (told in " ".join(preview.notes), preview.surfaces[0].besides) == (False, [])
    del files["shade.png"]
    doc.replace_mesh(files=files, surfaces={"wall": None})
    fresh = doc.surfaces["wall 2"]
    assert [layer.name for layer in fresh.layers] == ["From the file"]
    # As large as its pictures, as at import; what is missing is asked for.
    assert fresh.size == (SIDE, SIDE)
    assert [(each.slot, each.file) for each in fresh.value.missing] == [("occlusion", "shade.png")]
    inside = np.s_[48:-24, 8:-24]
    assert np.abs(fresh.read("base_color")[inside].astype(int) // 257 - COLOR[inside])[..., :3].max() <= 1
    assert [layer.name for layer in doc.surfaces["wall"].layers] == ["From the file", "Moss"]
    assert doc.add_pictures({"shade.png": write_png(DIM)}) == []
    assert {kept.slot for kept in doc.surface_value("wall 2").kept} == {"normal", "occlusion", "emissive"}


def test_missing_pictures_that_are_not_painted_are_asked_for_too(wall):
    """They are named like the others, and handed off once they came."""
    (wall.parent / "glow.png").unlink()
    doc = nm.Document.open(wall, size=SIDE)
    assert [(m.slot, m.file) for m in doc.surface_value("wall").missing] == [("emissive", "glow.png")]
    assert not [note for note in doc.project.notes if "handed off as it came" in note and "glow" in note]
    assert doc.add_pictures({"GLOW.png": write_png(GLOW)}) == []
    assert handed_off(doc)[2]["emissive"] == write_png(GLOW)
    assert [layer.name for layer in doc.surfaces["wall"].layers] == ["From the file"]


def test_between_islands_a_placed_picture_holds_nothing(wall):
    """So a picture without a hole does not make the map have some."""
    described = json.loads(wall.read_text())
    pbr = described["materials"][0]["pbrMetallicRoughness"]
    pbr["baseColorTexture"] = {"index": 1, "extensions": {"KHR_texture_transform": {"scale": [2, 2]}}}
    pbr["baseColorFactor"] = [1, 1, 1, 1]
    wall.write_text(json.dumps(described))
    doc = nm.Document.open(wall, size=SIDE)
    assert not any("opacity" in name for name in map_files(doc, "png8"))
    assert (doc.surfaces["wall"].read("opacity") == 65535).all()


@pytest.mark.parametrize("later", [False, True])
def test_a_picture_without_alpha_is_solid_in_a_transparent_material(wall, later):
    """However dark its colors are: what lets light through is the material's factor alone."""
    opaque = write_png(COLOR[..., :3])
    (wall.parent / "color.png").write_bytes(opaque)
    if later:
        (wall.parent / "color.png").unlink()
    doc = nm.Document.open(wall, size=SIDE)
    if later:
        assert doc.add_pictures({"color.png": opaque}) == []
    owned = doc.surfaces["wall"].layout.ownership.covered()
    assert (doc.surfaces["wall"].read("opacity")[owned] == round(0.75 * 65535)).all()


def test_hidden_parts_are_left_out_of_what_is_handed_off():
    """Only when that is asked for, with the maps that only they show; with nothing shown it is refused in words."""
    mesh = joined(plane(2), placed(plane(2), move=(3, 0, 0)), names=["left", "right"])
    doc = nm.Document.from_mesh(
        mesh.changed(parts=["near", "far"], face_part=mesh.face_surface.copy()), "two", (64, 64)
    )
    doc.hide_parts([1])
    whole, shown = (split_glb(glb(doc, only))[0] for only in (False, True))
    assert [each["name"] for each in whole["meshes"]] == ["near", "far"]
    assert [each["name"] for each in shown["meshes"]] == ["near"]
    assert 2 * len(shown["images"]) == len(whole["images"])
    assert [node["name"] for node in shown["nodes"]] == ["near"]
    assert [each["name"] for each in whole["materials"]] == ["left", "right"]
    assert [each["name"] for each in shown["materials"]] == ["left"]
    doc.hide_parts([0, 1])
    with pytest.raises(nm.NightmistError, match="All parts are hidden"):
        glb(doc, shown_only=True)


def test_nodes_of_left_out_parts_go_unless_others_hang_in_them():
    """What is written lies where it lay; what only hidden parts have, nodes and materials, is not written."""
    mesh = joined(plane(2), placed(plane(2), move=(3, 0, 0)), placed(plane(2), move=(0, 5, 0)), names=["a", "b", "c"])
    moved = lambda x: (1, 0, 0, x, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1)  # noqa: E731
    nodes = [
        SceneNode("crane", -1, moved(1.0)), SceneNode("boom", 0, moved(2.0), 0), SceneNode("hook", 1, moved(4.0), 1),
        SceneNode("lamp", 0, moved(8.0), 2),
    ]  # fmt: skip
    mesh = mesh.changed(parts=["boom", "hook", "lamp"], face_part=mesh.face_surface.copy(), nodes=nodes)
    for left_out, names, materials in (
        ([], ["crane", "boom", "hook", "lamp"], ["a", "b", "c"]),
        ([0], ["crane", "boom", "hook", "lamp"], ["b", "c"]),
        ([1], ["crane", "boom", "lamp"], ["a", "c"]),
        ([0, 1], ["crane", "lamp"], ["c"]),
    ):
        data = write_glb(mesh, nodes=True, left_out=left_out)
        scene = split_glb(data)[0]
        assert [node["name"] for node in scene["nodes"]] == names
        assert [each["name"] for each in scene["materials"]] == materials
        again = read_model("quay.glb", {"quay.glb": data})
        kept = ~np.isin(mesh.face_part, left_out)
        corners = lambda mesh, faces: np.sort(mesh.positions[mesh.faces[faces]].reshape(-1, 3), axis=0)  # noqa: E731
        np.testing.assert_allclose(corners(again, np.s_[:]), corners(mesh, kept), atol=1e-6)
        assert {again.surfaces[i].name for i in again.face_surface} == set(materials)
