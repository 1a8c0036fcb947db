"""The "open, look, paint" lines of the design, as written; files in and out."""

from __future__ import annotations

import io
import json
import re
import struct
import zipfile
from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image

import nightmist as nm
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.formats.image_files import write_png
from nightmist.core.mesh.bodies import practice_body
from nightmist.demo.buoy import lantern_buoy
from nightmist.demo.stencils import shipped_stencil
from nightmist.document.files.portrait import portrait

from ..shapes import placed, plane, sphere, walls

RED, GREEN, BLUE = (255, 0, 0), (0, 255, 0), (0, 0, 255)


def split_glb(data: bytes) -> tuple[dict, bytes]:
    """The description and the binary chunk of a GLB."""
    (length,) = struct.unpack_from("<I", data, 12)
    return json.loads(data[20 : 20 + length]), data[20 + length + 8 :]


@pytest.fixture
def buoy(tmp_path, monkeypatch):
    """The lantern buoy as a file in the working folder."""
    monkeypatch.chdir(tmp_path)
    (tmp_path / "buoy.glb").write_bytes(write_glb(lantern_buoy()))
    return tmp_path


def test_open_look_paint(buoy):
    """Each line runs and does what it says."""
    doc = nm.Document.open("buoy.glb", size=512)
    hull = doc.surfaces["hull"]
    assert hull.size == (512, 512)
    assert len(hull.layers) == 0
    cam = nm.Camera.look_at(eye=(0, 0, 4), target=(0, 0, 0), fov_y=40, viewport=(1280, 800))
    coat = hull.layers.add("brushed", name="First color")
    rust = nm.Pigment(base_color="#7d3d1f", roughness=0.34, height=0.66)
    tip = nm.Tip(radius=38, unit="px", strength=0.65, hardness=0.2, spacing=0.12)
    doc.stroke(coat, path=[(600, 380), (680, 410, 0.7)], camera=cam, tip=tip, pigment=rust, tool="brush")
    stroke = coat.read("base_color")
    assert abs(int(stroke[..., 3].max()) - 0.65 * 65535) <= 1
    assert not coat.read("metallic").any()
    doc.undo()
    assert not coat.read("base_color").any()
    doc.redo()
    assert (coat.read("base_color") == stroke).all()
    pen = nm.Tip(
        radius=24, unit="px", strength=1, hardness=1, spacing=0.05, pressure_radius=True, pressure_strength=False
    )
    assert pen.pressure_radius
    doc.fill(coat, pigment=rust, surface="hull")
    assert (
        hull.read("base_color")[hull.layout.ownership.covered()] == [0x7D * 257, 0x3D * 257, 0x1F * 257, 65535]
    ).all()
    doc.gradient(coat, start=(0, -1, 0), end=(0, 1, 0), pigments=(rust, nm.Pigment(base_color="#e5e1d5")))
    hull.depth = 0.02
    assert hull.read("base_color").shape == (512, 512, 4)
    assert hull.read("roughness").dtype == np.uint16
    assert hull.read("normal").shape == (512, 512, 3)
    paths = doc.export("out", maps="png16", model="glb")
    assert len(paths) == 3 * 5 + 1
    assert all(path.stat().st_size for path in paths)
    doc.save("buoy.nightmist")
    again = nm.Document.load("buoy.nightmist")
    for name, surface in doc.surfaces.items():
        for map_name in ("base_color", "roughness", "metallic", "height"):
            assert (again.surfaces[name].read(map_name) == surface.read(map_name)).all()
    assert again.surfaces["hull"].depth == 0.02
    assert {**again.values, "model": None} == {**doc.values, "model": None}


def test_a_gradient_is_exact():
    """Along x over a plane: encoded color and value mix evenly with position, to one code."""
    doc = nm.Document.from_mesh(plane(), "g", (256, 256))
    layer = doc.surfaces["surface"].layers.add("brushed")
    ends = (nm.Pigment(base_color="#000000", height=0.2), nm.Pigment(base_color="#ff8000", height=0.8))
    doc.gradient(layer, (-1, 0, 0), (1, 0, 0), ends)
    x = (np.arange(256) + 0.5) / 256
    share = np.clip((x - 0.05) / 0.9, 0, 1)
    owned = doc.surfaces["surface"].layout.ownership.covered()[128]
    color, height = layer.read("base_color")[128], layer.read("height")[128]
    wanted = share[:, None] * [65535, 0x80 * 257, 0]
    assert np.abs(color[owned, :3] - wanted[owned]).max() <= 1
    assert np.abs(height[owned, 0] - (0.2 + 0.6 * share[owned]) * 65535).max() <= 1
    with pytest.raises(nm.NightmistError, match="the same"):
        doc.gradient(layer, (0, 0, 0), (0, 0, 0), ends)


def test_export_shows_what_was_painted(buoy):
    """Maps and the GLB's pictures hold the composited texels; 16 bits exactly, 8 bits rounded."""
    doc = nm.Document.open("buoy.glb", size=256)
    hull = doc.surfaces["hull"]
    coat = hull.layers.add("brushed")
    dark = nm.Pigment(base_color="#204060", roughness=0.1, height=0.2)
    bright = nm.Pigment(base_color="#e0a010", roughness=0.9, height=0.7)
    doc.gradient(coat, (-1, 0, 0), (1, 0, 0), (dark, bright))
    files = {path.name: path for path in doc.export("out", maps="png8")}
    shown = np.asarray(Image.open(files["buoy_hull_base_color_256.png"]))
    assert shown.shape == (256, 256, 3)
    assert (shown == np.floor(hull.read("base_color")[..., :3] / 257 + 0.5)).all()
    doc_json, binary = split_glb(files["buoy.glb"].read_bytes())
    material = next(m for m in doc_json["materials"] if m["name"] == "hull")
    slots = {**material["pbrMetallicRoughness"], "normalTexture": material["normalTexture"]}

    def picture(slot):
        view = doc_json["bufferViews"][
            doc_json["images"][doc_json["textures"][slots[slot]["index"]]["source"]]["bufferView"]
        ]
        return np.asarray(Image.open(io.BytesIO(binary[view["byteOffset"] :][: view["byteLength"]])))

    assert (picture("baseColorTexture") == shown).all()
    assert (picture("metallicRoughnessTexture")[..., 1] == np.floor(hull.read("roughness") / 257 + 0.5)).all()
    assert picture("normalTexture")[..., 2].mean() > 200
    with pytest.raises(nm.NightmistError, match="png8"):
        doc.export("out", maps="jpeg")


def test_pictures_of_the_file_become_the_lowest_layer(buoy):
    """A GLB with maps inside opens showing them, and start values come from its factors."""
    doc = nm.Document.open("buoy.glb", size=256)
    coat = doc.surfaces["hull"].layers.add("brushed")
    ends = (nm.Pigment(base_color="#204060", metallic=0), nm.Pigment(base_color="#e0a010", metallic=1))
    doc.gradient(coat, (-1, 0, 0), (1, 0, 0), ends)
    doc.export("out")
    back = nm.Document.open("out/buoy.glb", size=256)
    hull = back.surfaces["hull"]
    assert [layer.name for layer in hull.layers] == ["From the file"]
    covered = hull.layout.ownership.covered()
    for name in ("base_color", "metallic"):
        difference = back.surfaces["hull"].read(name)[covered].astype(int) - doc.surfaces["hull"].read(name)[covered]
        assert np.abs(difference).max() <= 129
    assert not back.history.changes


@pytest.mark.parametrize(
    ("given", "wall", "ladder"),
    [
        ({"maps/wall/c.png": RED, "maps/LADDER/C.png": BLUE}, RED, BLUE),
        ({"ladder/c.png": BLUE, "wall/c.png": RED, "c.png": GREEN}, RED, BLUE),
        ({"c.png": GREEN}, GREEN, GREEN),
    ],
)
def test_missing_pictures_of_one_name_are_told_apart_by_their_folders(given, wall, ladder):
    """As when they come with the model; a picture without folders is taken for both."""
    corners = "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\n"
    model = f"mtllib q.mtl\n{corners}usemtl wall\nf 1/1 2/2 3/3\nusemtl ladder\nf 1/1 2/2 3/3\n"
    looks = "newmtl wall\nmap_Kd C:\\quay\\wall\\c.png\nnewmtl ladder\nmap_Kd ../ladder/c.png\n"
    doc = nm.Document.from_files({"q.obj": model.encode(), "q.mtl": looks.encode()}, 64)
    assert [m.file for surface in doc.surface_values() for m in surface.missing] == ["c.png"] * 2
    assert (
        doc.add_pictures({name: write_png(np.full((4, 4, 3), color, np.uint8)) for name, color in given.items()}) == []
    )
    for surface, color in (("wall", wall), ("ladder", ladder)):
        texels = doc.surfaces[surface].read("base_color")[4:20, 40:60, :3]
        assert (texels == np.array(color) * 257).all()


def test_a_missing_picture_is_named(tmp_path):
    """The model opens without it and says which one; given later, it becomes the lowest layer, in one step."""
    (tmp_path / "a.obj").write_text("mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl m\nf 1 2 3\n")
    (tmp_path / "a.mtl").write_text("newmtl m\nmap_Kd rust.png\n")
    doc = nm.Document.open(tmp_path / "a.obj", size=64)
    assert [(m.slot, m.file) for m in doc.surfaces["m"].value.missing] == [("base_color", "rust.png")]
    assert any("unwrapped automatically" in note for note in doc.project.notes)
    picture = write_png(np.full((8, 8, 3), 200, np.uint8))
    before = doc.surfaces["m"].read("base_color")
    with pytest.raises(nm.NightmistError, match=r"Wanted: rust\.png"):
        doc.add_pictures({"moss.png": picture})
    assert doc.add_pictures({"Rust.png": picture}) == []
    assert (doc.surfaces["m"].read("base_color")[..., :3] == 200 * 257).all()
    doc.undo()
    assert (doc.surfaces["m"].read("base_color") == before).all()
    (tmp_path / "rust.png").write_bytes(picture)
    doc = nm.Document.open(tmp_path / "a.obj", size=64)
    assert (doc.surfaces["m"].read("base_color")[..., :3] == 200 * 257).all()


@pytest.mark.parametrize(
    ("size", "good"), [(64, True), ((512, 128), True), ((192, 320), True), (100, False), (32, False), (16384, False)]
)
def test_map_sizes(buoy, size, good):
    """Multiples of 64 from 64 to 8192, oblong too; anything else says what would do."""
    if good:
        assert nm.Document.open("buoy.glb", size=size).surfaces["hull"].size == ((size, size) if size == 64 else size)
    else:
        with pytest.raises(nm.NightmistError, match="multiple of 64"):
            nm.Document.open("buoy.glb", size=size)


def test_unreadable_files_are_told_in_words(buoy):
    """Missing models, and project files that are none or damaged."""
    with pytest.raises(nm.NightmistError, match=r"gone\.glb"):
        nm.Document.open("gone.glb")
    (buoy / "no.nightmist").write_bytes(b"no zip")
    with pytest.raises(nm.NightmistError, match="not a sound"):
        nm.Document.load("no.nightmist")
    nm.Document.open("buoy.glb", size=64).save("half.nightmist")
    with zipfile.ZipFile("half.nightmist") as whole, zipfile.ZipFile("cut.nightmist", "w") as cut:
        for name in whole.namelist():
            if name != "model.glb":
                cut.writestr(name, whole.read(name))
    with pytest.raises(nm.NightmistError, match="not a sound"):
        nm.Document.load("cut.nightmist")
    with pytest.raises(nm.NightmistError, match="same point"):
        nm.Camera.look_at((0, 0, 0), (0, 0, 0))


def test_the_gallery_picture_shows_the_paint(buoy):
    """Red paint all over makes a red model on the neutral stage."""
    doc = nm.Document.open("buoy.glb", size=64)
    for name, surface in doc.surfaces.items():
        doc.fill(surface.layers.add("brushed"), nm.Pigment(base_color="#ff0000"), name)
    image = np.asarray(Image.open(io.BytesIO(portrait(doc, 120, 90)))).astype(int)
    red = (image[..., 0] > 80) & (image[..., 1] < 20)
    assert 0.1 < red.mean() < 0.6
    assert (image[2, 2] == [0x8B, 0x8F, 0x8E]).all()


@pytest.mark.parametrize("sides", [(1, 1, 1), (9, 0.3, 0.3), (0.2, 5, 0.2), (100, 100, 1)])
def test_the_gallery_picture_holds_all_of_the_model(sides):
    doc = nm.Document.from_mesh(placed(practice_body("box"), scale=sides, move=(7, 0, -3)), "box", (64, 64))
    image = np.asarray(Image.open(io.BytesIO(portrait(doc, 120, 90)))).astype(int)
    model = (image != [0x8B, 0x8F, 0x8E]).any(axis=2)
    rim = np.concatenate([model[0], model[-1], model[:, 0], model[:, -1]])
    assert not rim.any()
    rows, columns = np.argwhere(model).min(axis=0), np.argwhere(model).max(axis=0)
    assert max((columns - rows) / (90, 120)) > 0.65


def test_maps_of_any_names_all_arrive(tmp_path):
    """Surfaces in another script, and names that differ in case or in a blank only: a file for every map."""
    mesh = walls()
    mesh.surfaces[0].name, mesh.surfaces[1].name = "мачта A", "Мачта-a"
    doc = nm.Document.from_mesh(mesh, "буй / 7", (64, 64))
    paths = doc.export(tmp_path / "out")
    assert len({path.name.casefold() for path in paths}) == len(paths) == 11
    assert all(path.stat().st_size for path in paths)
    assert "буй-7_мачта-A_height_64.png" in {path.name for path in paths}


def test_maps_are_called_as_the_painter_says(tmp_path):
    """In any order of words, the ending once; names that are alike, or not understood, write nothing."""
    doc = nm.Document.from_mesh(walls(), "pier", (64, 128))
    paths = doc.export(tmp_path / "named", name="T {map}/{surface}.{size}.PNG.png")
    assert "T-roughness-left.64x128.png" in {path.name for path in paths}
    assert len(paths) == 11
    refused = {"{surface}_{map}_{side}": "no {side}", "{surface": "brace", "{map}": "Several files", " ": "empty"}
    for wrong, said in refused.items():
        with pytest.raises(nm.NightmistError, match=re.escape(said)):
            doc.export(tmp_path / "wrong", name=wrong)
    assert not (tmp_path / "wrong").exists()


def test_factors_multiply_the_pictures_of_a_gltf(tmp_path):
    """Color in linear light, roughness and metallic as they are; pictures added later too; the rest is said."""
    pixels = np.zeros((64, 64, 4), np.uint8)
    pixels[...] = (188, 188, 255, 255)
    pixels[:32, :, 0] = 64
    pictures = {"color.png": write_png(pixels), "orm.png": write_png(pixels)}
    described, binary = split_glb(write_glb(plane()))
    described["buffers"][0]["uri"] = "wall.bin"
    described["images"] = [{"uri": "color.png"}, {"uri": "orm.png"}]
    described["textures"] = [{"source": 0}, {"source": 1}]
    described["materials"] = [
        {"name": "wall", "alphaMode": "BLEND", "doubleSided": True, "normalTexture": {"index": 0},
         "extensions": {"KHR_materials_clearcoat": {}},
         "pbrMetallicRoughness": {"baseColorFactor": [0.2, 0.4, 1, 1], "roughnessFactor": 0.5, "metallicFactor": 0.25,
                                  "baseColorTexture": {"index": 0}, "metallicRoughnessTexture": {"index": 1}}},
    ]  # fmt: skip
    (tmp_path / "wall.gltf").write_text(json.dumps(described))
    (tmp_path / "wall.bin").write_bytes(binary)
    bare = nm.Document.open(tmp_path / "wall.gltf", size=64)
    slots = {m.slot for m in bare.surface_value("wall").missing}
    assert slots == {"base_color", "metallic_roughness", "normal", "opacity"}
    bare.add_pictures(pictures)
    for name, data in pictures.items():
        (tmp_path / name).write_bytes(data)
    whole = nm.Document.open(tmp_path / "wall.gltf", size=64)
    light = ((pixels[..., :3] / 255 + 0.055) / 1.055) ** 2.4 * [0.2, 0.4, 1]
    wanted = (1.055 * light ** (1 / 2.4) - 0.055) * 65535
    for doc in (bare, whole):
        wall = doc.surfaces["wall"]
        assert np.abs(wall.read("base_color")[..., :3] - wanted).max() <= 1.01
        assert np.abs(wall.read("roughness") - pixels[..., 1].astype(float) * 257 * 0.5).max() <= 1
        assert np.abs(wall.read("metallic") - pixels[..., 2].astype(float) * 257 * 0.25).max() <= 1
    said = " ".join(whole.project.notes)
    assert said.count("left out of wall: KHR_materials_clearcoat.") == 1


def test_layers_masks_regions(buoy):
    """The lines of layers, masks and regions run and do what they say."""
    doc = nm.Document.open("buoy.glb", size=256)
    hull = doc.surfaces["hull"]
    cam = nm.Camera.look_at(eye=(0, 0, 4), target=(0, 0, 0), fov_y=40, viewport=(1280, 800))
    tip = nm.Tip(radius=38)
    rust = nm.Pigment(base_color="#7d3d1f", roughness=0.34, height=0.66)
    hull.layers.add("brushed", name="Ground")
    coat = hull.layers.add("brushed", name="First color")
    for picture in ("ids.png", "weed.png", "weed_h.png"):
        rows = np.zeros((64, 64, 3), np.uint8)
        rows[:, :32, 2] = 255
        cv2.imwrite(picture, rows)
    hit = doc.pick(cam, (640, 400))
    cone = doc.regions.add("Lower cone", faces=doc.select(hit, by="island"))
    before = len(cone.faces)
    cone.grow()
    assert len(cone.faces) >= before
    cone.shrink()
    cone.invert()
    cone.invert()
    assert doc.regions["Lower cone"] == cone
    doc.regions.add_area("Panel", "hull", polygon=[(0.1, 0.1), (0.4, 0.1), (0.4, 0.3)])
    bolts = doc.regions.add_color("Bolts", "hull", "ids.png", color="#ff0000", tolerance=8)
    assert 0 < len(bolts.faces) < len(hull.faces)
    doc.fence = cone
    mask = coat.add_mask(value=0.0)
    doc.fill(mask, region=cone, value=1.0)
    doc.stroke(mask, path=[(600, 380), (680, 410)], camera=cam, tip=tip, value=0.0)
    assert mask.read().shape == (256, 256)
    mask.invert()
    mask.on = False
    coat.remove_mask()
    coat.opacity, coat.blend, coat.visible = 0.8, "multiply", True
    coat.maps["height"].on, coat.maps["roughness"].opacity, coat.maps["base_color"].blend = False, 0.5, "screen"
    group = hull.layers.add("group", name="Growth")
    hull.layers.move(coat, into=group, index=0)
    hull.layers.add("wash", pigment=rust)
    weed = hull.layers.add(
        "wash", images={"base_color": "weed.png", "height": "weed_h.png"},
        mapping=nm.Mapping("triplanar", repeat=(3, 3)),
    )  # fmt: skip
    weed.mapping = nm.Mapping("uv", repeat=(2, 1), turn=30, offset=(0.1, 0), wrap="repeat", frame=None)
    levels = hull.layers.add("adjustment", effect="levels", black=0.1, white=0.9, gamma=1.2)
    assert levels.kind == "adjustment"
    group.mix = nm.MixByHeight(softness=0.1, influence=0.0, border=0.7)
    hull.layers.move(coat, into=None, index=1)
    hull.layers.merge_down(coat)
    copy = hull.layers.merge_copy()
    hull.layers.duplicate(coat)
    assert copy.name == "Merged"
    version = doc.keep_version("Base colors")
    doc.restore_version(version)
    hull.layers.move(coat, into=group)
    finish = doc.keep_finish(group, "Old timber")
    laid = hull.layers.add_finish(finish, region=cone)
    assert laid.mask.read().any()
    doc.mirror = "x"
    doc.stroke(coat, path=[(600, 380), (680, 410)], camera=cam, tip=tip, pigment=rust)


def test_the_decal_lines(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    Path("mark.png").write_bytes(shipped_stencil("Compass rose"))
    doc = nm.Document.from_mesh(sphere(24, 12), "buoy", (256, 256))
    hull = doc.surfaces["surface"]
    cam = nm.Camera.look_at(eye=(0, 0, 4), target=(0, 0, 0), fov_y=40, viewport=(1280, 800))
    hit = doc.pick(cam, (640, 400))
    decals = hull.layers.add("decals", name="Berth mark")
    d = decals.place("mark.png", at=hit, width=0.4, roll=0, depth=None, pigment=nm.Pigment(roughness=0.2), region=None)
    assert d.frame.position == pytest.approx((0, 0, 1), abs=0.02)
    assert (d.frame.width, d.frame.height, d.frame.roll) == pytest.approx((0.4, 0.4, 0))
    assert 0 < d.frame.depth < 2
    d.move(to=doc.pick(cam, (700, 400)))
    assert d.frame.position[0] > 0.1
    d.duplicate(at=hit)
    d.relief = nm.DecalRelief(height=0.002, bevel=0.01)
    assert len(decals.decals) == 2
    seen = hull.read("base_color")
    decals.bake()
    assert (hull.read("base_color") == seen).all()
