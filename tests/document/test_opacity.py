"""Holes: opacity is painted, composited, handed off and read again like the other maps; nothing vanishes by itself."""

from __future__ import annotations

import json
import zipfile

import numpy as np
import pytest

import nightmist as nm
from nightmist import Camera, Document, Pigment, Tip
from nightmist.core.formats import read_model
from nightmist.core.formats.image_files import read_picture, write_png
from nightmist.core.mesh.look import Placement
from nightmist.document.change import Change
from nightmist.document.files.hand_off import glb, map_files
from nightmist.document.files.portrait import portrait
from nightmist.document.preparing.untouched import kept_picture
from nightmist.document.values import Adjustment, NodeMap

from ..shapes import joined, placed, plane, walls
from .test_scripting import split_glb

FRONT = Camera.look_at((0, 0, 5), (0, 0, 0), 40, (800, 600))
TIP = Tip(radius=60, strength=0.8, hardness=0.3)
HOLE = Pigment(opacity=0.0)


@pytest.fixture
def net():
    """A surface with a layer of opacity over one of color."""
    doc = Document.from_mesh(plane(4), "net", (128, 128))
    stack = doc.surfaces["surface"].layers
    doc.fill(stack.add("brushed", name="Rope"), Pigment(base_color="#a08050", roughness=0.8))
    return doc, doc.surfaces["surface"], stack.add("brushed", name="Holes")


def shown(surface) -> np.ndarray:
    surface.document.refresh()
    return surface.read("opacity").astype(int)


def test_a_stroke_of_opacity_counts_by_its_coverage_and_is_undone(net):
    """Start value 1: what is left is one minus the layer's alpha, times its opacity; other maps stay."""
    doc, surface, holes = net
    assert (shown(surface) == 65535).all()
    color = surface.read("base_color")
    doc.stroke(holes, [(300, 300), (500, 320)], FRONT, TIP, HOLE)
    alpha = holes.read("opacity")[..., 1] / 65535
    assert 0.75 < alpha.max() < 0.85
    assert np.abs(shown(surface) - 65535 * (1 - alpha)).max() <= 1
    holes.opacity = 0.5
    assert np.abs(shown(surface) - 65535 * (1 - 0.5 * alpha)).max() <= 1
    np.testing.assert_array_equal(surface.read("base_color"), color)
    doc.undo()
    doc.undo()
    assert (shown(surface) == 65535).all()


def test_a_layer_takes_opacity_up_among_others_while_a_stroke_is_drawn(net):
    """What lies around a layer was worked out without opacity; dirty tiles equal the whole, to the bit."""
    doc, surface, holes = net
    above = surface.layers.add("brushed", name="Above")
    doc.fill(above, Pigment(base_color="#204060", metallic=0.4))
    above.blend, above.opacity = "multiply", 0.5
    for pigment in (Pigment(base_color="#ff0000"), HOLE):
        stroke = doc.begin_stroke({"surface": holes}, FRONT, TIP, pigment)
        for x in (300, 360, 420):
            stroke.extend([(x, 300, 1.0)])
            doc.refresh()
        doc.finish_stroke(stroke)
        doc.refresh()
    fresh = doc.duplicate("again").surfaces["surface"]
    for name in ("base_color", "roughness", "metallic", "height", "opacity"):
        np.testing.assert_array_equal(surface.read(name), fresh.read(name))
    assert shown(surface).min() < 20000


def test_adjustments_leave_opacity_alone_until_they_are_told(net, tmp_path):
    """Also those kept from before it could be painted: an invert would make all of the model vanish."""
    doc, surface, _ = net
    assert Adjustment(id="a", parent="s", order=0, name="Invert").maps == {"opacity": NodeMap(on=False)}
    invert = surface.layers.add("adjustment", effect="invert")
    invert.maps["roughness"].on = True
    assert (shown(surface) == 65535).all()
    invert.maps["opacity"].on = True
    assert (shown(surface) == 0).all()
    doc.save(tmp_path / "net.nightmist")
    again = Document.load(tmp_path / "net.nightmist").surfaces["surface"]
    assert (shown(again) == 0).all()
    doc.undo()
    assert (shown(surface) == 65535).all()


def test_a_filter_that_is_told_to_blurs_holes(net):
    doc, surface, holes = net
    doc.fill(holes, HOLE, region=np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 0] < 0))
    blur = surface.layers.add("adjustment", effect="blur", radius=4)
    hard = shown(surface)
    assert set(np.unique(hard)) == {0, 65535}
    blur.maps["opacity"].on = True
    soft = shown(surface)[64]
    assert ((soft > 1000) & (soft < 64000)).sum() > 8
    assert (np.diff(soft[20:108]) >= 0).all()


def test_holes_go_out_and_come_back(net, tmp_path):
    """A map of their own and the GLB's alpha, where there are any; a file with them starts with them."""
    doc, surface, holes = net
    assert not any("opacity" in name for name in map_files(doc, "png16"))
    material = split_glb(glb(doc))[0]["materials"][0]
    assert "alphaMode" not in material
    doc.stroke(holes, [(300, 300), (500, 320)], FRONT, TIP, HOLE)
    written = shown(surface)
    files = {path.name: path for path in doc.export(tmp_path / "out", maps="png16")}
    kept = read_picture("o", files["net_surface_opacity_128.png"].read_bytes())[..., 0]
    np.testing.assert_array_equal(kept, written)
    described = split_glb(files["net.glb"].read_bytes())[0]
    assert described["materials"][0]["alphaMode"] == "BLEND"
    assert described["materials"][0]["pbrMetallicRoughness"]["baseColorFactor"][3] == 1
    again = Document.open(files["net.glb"], size=128).surfaces["surface"]
    own = again.layout.ownership.covered()
    assert np.abs(shown(again) - written)[own].max() <= 129  # half an 8-bit step
    assert again.layers[0].read("opacity")[..., 1].any()


def test_transparent_materials_start_as_they_are(tmp_path):
    """By their factor alone, glTF or OBJ; what is opaque stays solid whatever its alpha says."""
    described, binary = split_glb(glb(Document.from_mesh(walls(), "pier", (64, 64))))
    for material, mode in zip(described["materials"], ("BLEND", "OPAQUE"), strict=True):
        material["alphaMode"] = mode
        material["pbrMetallicRoughness"] = {"baseColorFactor": [1, 1, 1, 0.25]}
    described["buffers"][0]["uri"] = "pier.bin"
    looks = read_model("pier.gltf", {"pier.gltf": json.dumps(described).encode(), "pier.bin": binary}).surfaces
    assert [look.opacity for look in looks] == [0.25, 1.0]
    obj = b"mtllib m.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl glass\nf 1/1 2/2 3/3\n"
    cut = np.full((64, 64, 3), 51, np.uint8)
    files = {"a.obj": obj, "m.mtl": b"newmtl glass\nd 0.5\nmap_d cut.png\n", "cut.png": write_png(cut)}
    for name, data in files.items():
        (tmp_path / name).write_bytes(data)
    glass = Document.open(tmp_path / "a.obj", size=64).surfaces["glass"]
    assert glass.value.start.opacity == 0.5
    owned = glass.layout.ownership.covered()
    assert (shown(glass)[owned] == 51 * 257).all()


def test_what_projects_of_before_kept_of_a_file_still_counts(net):
    """Their transparency was handed through beside the paint: now what is painted counts besides."""
    doc, surface, holes = net
    picture = write_png(np.full((8, 8, 4), (255, 255, 255, 128), np.uint8))
    doc.fill(holes, Pigment(opacity=0.5))
    transparent = glb(doc)
    kept = kept_picture("opacity", picture, doc.mesh, Placement(), doc.arrays)
    old = surface.value
    untouched = old.untouched.model_copy(update={"alpha": 0.5, "alpha_mode": "BLEND"})
    doc.do(Change(label="As before", values={old.id: (old, old.but(kept=(kept,), untouched=untouched))}))
    # Another file's own transparency is for surfaces that begin anew, like its other pictures.
    assert doc.replace_mesh(files={"m.glb": transparent}) == [
        "Pictures of the new file are not taken where layers stay: surface (base color, metallic roughness, opacity). A"
        " surface that begins anew takes its own."
    ]
    described, binary = split_glb(glb(doc))
    pbr = described["materials"][0]["pbrMetallicRoughness"]
    view = described["bufferViews"][described["images"][pbr["baseColorTexture"]["index"]]["bufferView"]]
    color = read_picture("c", binary[view["byteOffset"] : view["byteOffset"] + view["byteLength"]])
    assert abs(int(color[64, 64, 3]) // 257 - 64) <= 1
    assert pbr["baseColorFactor"][3] == 0.5


def test_decals_cut_no_holes(net, tmp_path):
    doc, surface, _ = net
    (tmp_path / "mark.png").write_bytes(write_png(np.full((4, 4, 4), 255, np.uint8)))
    hit = doc.pick(FRONT, (400, 300))
    decals = surface.layers.add("decals")
    with pytest.raises(nm.NightmistError, match="no holes"):
        decals.place(tmp_path / "mark.png", hit, width=0.2, pigment=HOLE)


def test_projects_of_four_maps_open_as_they_were(net, tmp_path):
    """Values that say nothing of opacity: solid."""
    doc = net[0]
    path = tmp_path / "net.nightmist"
    doc.save(path)
    with zipfile.ZipFile(path) as packed:
        entries = {name: packed.read(name) for name in packed.namelist()}
    described = json.loads(entries["document.json"])
    for value in described["values"]:
        value.get("start", {}).pop("opacity", None)
    entries["document.json"] = json.dumps(described).encode()
    with zipfile.ZipFile(path, "w") as packed:
        for name, data in entries.items():
            packed.writestr(name, data)
    assert (shown(Document.load(path).surfaces["surface"]) == 65535).all()


def test_the_gallery_looks_through_holes(net):
    """A hole in the front sheet shows the sheet behind it, and where that has one too, the stage."""
    front, back = plane(4), placed(plane(4), move=(0, 0, -1))
    doc = Document.from_mesh(joined(front, back, names=["front", "back"]), "sheets", (128, 128))
    colors = {"front": "#ff0000", "back": "#0000ff"}
    layers = {name: doc.surfaces[name].layers.add("brushed") for name in colors}
    middles = doc.mesh.corners.mean(axis=1)
    for name, color in colors.items():
        doc.fill(layers[name], Pigment(base_color=color))
        faces = doc.surfaces[name].faces
        doc.fill(layers[name], HOLE, region=[f for f in faces if middles[f, 1] < (0 if name == "front" else -0.5)])

    def parts() -> list[int]:
        seen = read_picture("p", portrait(doc))[..., :3].astype(int) // 257
        red, blue = seen[..., 0] > seen[..., 2] + 60, seen[..., 2] > seen[..., 0] + 60
        return [int(red.sum()), int(blue.sum())]

    red, blue = parts()
    assert min(red, blue) > 4000
    doc.fill(layers["front"], Pigment(opacity=1.0))
    whole, hidden = parts()
    assert whole > 1.8 * red
    assert hidden < blue
