"""Open formats in and out, and files that lie."""

from __future__ import annotations

import base64
import contextlib
import io
import json
import struct

import cv2
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from nightmist.core.brush.tips import tip_from_picture
from nightmist.core.errors import NightmistError
from nightmist.core.formats import read_model
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.formats.image_files import fit, read_picture, write_png
from nightmist.core.mesh.methods import unwrap
from nightmist.core.progress import quietly
from nightmist.core.texels.ownership import own_texels
from nightmist.demo.buoy import lantern_buoy

from ..shapes import joined, placed, plane, sphere


def gltf(**changes) -> dict:
    """One triangle as glTF with its data inside; `changes` replace parts of the description."""
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4").tobytes()
    uvs = np.array([[0, 0], [1, 0], [0, 1]], "<f4").tobytes()
    data = points + uvs + uvs[::-1] + np.array([0, 1, 2, 0], "<u2").tobytes()
    doc = {
        "asset": {"version": "2.0"},
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "name": "Post"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1, "TEXCOORD_1": 1}, "indices": 2}]}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5126, "count": 3, "type": "VEC2"},
            {"bufferView": 2, "componentType": 5123, "count": 3, "type": "SCALAR"},
        ],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": 36},
            {"buffer": 0, "byteOffset": 36, "byteLength": 24},
            {"buffer": 0, "byteOffset": 84, "byteLength": 6},
        ],
        "buffers": [{"byteLength": len(data), "uri": "data:;base64," + base64.b64encode(data).decode()}],
    }
    return {**doc, **changes}


def opened(doc: dict, **beside: bytes):
    return read_model("post.gltf", {"post.gltf": json.dumps(doc).encode(), **beside})


def test_glb_comes_back_to_the_bit():
    """Positions, faces, UVs, normals, surfaces and parts of the buoy survive writing and reading."""
    buoy = lantern_buoy()
    back = read_model("b.glb", {"b.glb": write_glb(buoy)})
    key = np.lexsort((np.arange(len(buoy.faces)), buoy.face_surface, buoy.face_part))
    assert (back.corners == buoy.corners[key]).all()
    assert (back.uvs[0] == buoy.uvs[0][key]).all()
    assert np.allclose(back.normals, buoy.normals[key], atol=1e-6)
    assert [s.name for s in back.surfaces] == ["hull", "cage", "lantern"]
    assert 15_000 <= len(buoy.faces) <= 25_000
    again = read_model("b.glb", {"b.glb": write_glb(back)})
    assert (again.corners == back.corners).all()
    assert (again.uvs[0] == back.uvs[0]).all()


def test_the_buoys_uvs_are_sound():
    """In 0-1, and no texel of 2048 × 2048 belongs to two faces."""
    buoy = lantern_buoy()
    for surface in range(3):
        faces = buoy.faces_of(surface)
        uv = buoy.uvs[0][faces]
        assert uv.min() >= 0
        assert uv.max() <= 1
        own = own_texels(buoy, faces, buoy.uvs[0], 2048, 2048)
        assert (own.spans[:, 1].astype(int) - own.spans[:, 0]).sum() == own.covered().sum()


def test_the_buoys_faces_look_outwards():
    """Bars, rings and eyes enclose a positive volume; turned parts face away from the axis, lids up or down."""
    buoy = lantern_buoy()
    for number, part in enumerate(buoy.parts):
        corners = buoy.corners[buoy.face_part == number]
        if part in ("bars", "rings", "lifting eye"):
            assert np.einsum("ij,ij->i", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])).sum() > 0, part
        else:
            away = corners.mean(axis=1) * (1, 0, 1)
            assert (buoy.face_normals[buoy.face_part == number] * away).sum(axis=1).min() > -1e-6, part


def test_node_transforms_are_applied():
    """Uneven scale, turn and move, nested; a mirroring node keeps faces facing out."""
    turn = [0, 0, np.sin(np.pi / 4), np.cos(np.pi / 4)]
    nodes = [{"children": [1], "translation": [10, 0, 0]}, {"mesh": 0, "rotation": turn, "scale": [2, 1, 3]}]
    mesh = opened(gltf(nodes=nodes))
    assert np.allclose(mesh.corners[0], [[10, 0, 0], [10, 2, 0], [9, 0, 0]], atol=1e-6)
    mirrored = opened(gltf(nodes=[{"mesh": 0, "scale": [-1, 1, 1]}]))
    assert np.allclose(mirrored.face_normals[0], [0, 0, 1])
    assert len(mesh.uvs) == 2
    assert mesh.parts == ["part 1"]


WEBP = {"images": [{"uri": "a.webp"}], "textures": [{"extensions": {"EXT_texture_webp": {"source": 0}}}]}


def painted(**changes):
    """The triangle with one material, whose color is a picture."""
    doc = gltf(materials=[{"name": "Hull", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}], **changes)
    doc["meshes"][0]["primitives"][0]["material"] = 0
    return doc


def test_a_picture_named_by_an_extension_is_found_or_left_out_with_a_word():
    """And an extension of the looks alone refuses no model, though its file calls it needed."""
    needed = ["EXT_texture_webp", "KHR_materials_ior"]
    mesh = opened(painted(**WEBP, extensionsRequired=needed), **{"A.webp": b"1"})
    assert mesh.surfaces[0].pictures == {"base_color": b"1"}
    for texture, what in (
        ({"extensions": {"KHR_texture_basisu": {"source": 0}}}, "KHR_texture_basisu"),
        ({}, "a picture without a file"),
    ):
        doc = painted(textures=[texture])
        doc["materials"][0]["alphaMode"] = "BLEND"
        mesh = opened(doc)
        assert mesh.surfaces[0].pictures == {}
        assert any(what in note and "left out of Hull:" in note for note in mesh.notes)


def test_what_of_a_scene_is_not_read_is_said():
    doc = gltf(
        scenes=[{"nodes": [0]}, {"nodes": [0]}],
        nodes=[{"mesh": 0, "extras": {"price": 3}, "extensions": {"EXT_mesh_gpu_instancing": {"attributes": {}}}}],
        extensions={"KHR_lights_punctual": {"lights": [{}]}, "KHR_materials_variants": {"variants": [{}]}},
        animations=[{}],
    )
    said = next(note for note in opened(doc).notes if note.startswith("Not read here"))
    for what in ("animations", "lights", "variants of materials", "repeats of parts", "scenes but", "other programs"):
        assert what in said
    assert not opened(gltf()).notes


BROKEN = {
    "no json": (b"{", "not JSON"),
    "other version": (json.dumps({"asset": {"version": "1.0"}}).encode(), "not glTF 2.0"),
    "outside": (gltf(buffers=[{"byteLength": 9, "uri": "http://example.test/a.bin"}]), "another machine"),
    "missing file": (gltf(buffers=[{"byteLength": 9, "uri": "../secret/a.bin"}]), "a.bin, which was not given"),
    "view too long": (gltf(bufferViews=[{"buffer": 0, "byteLength": 10**9}] * 3), "reaches past its buffer"),
    "count too high": (
        gltf(accessors=[{"bufferView": 0, "componentType": 5126, "count": 4000, "type": "VEC3"}] * 3), "do not fit",
    ),
    "no such node": (gltf(scenes=[{"nodes": [7]}]), "refers to nodes 7"),
    "endless nodes": (gltf(nodes=[{"children": [0]}]), "without end"),
    "no faces": (gltf(meshes=[{"primitives": []}]), "no triangles"),
    "strange extension": (gltf(extensionsRequired=["KHR_draco_mesh_compression"]), "extensions that are not read"),
}  # fmt: skip


@pytest.mark.parametrize("case", BROKEN)
def test_broken_gltf_is_told_in_words(case):
    """Each lie of a file has its sentence, which names the file."""
    content, message = BROKEN[case]
    data = content if isinstance(content, bytes) else json.dumps(content).encode()
    with pytest.raises(NightmistError, match=message) as caught:
        read_model("post.gltf", {"post.gltf": data})
    assert "post.gltf" in str(caught.value)


def test_positions_that_are_no_numbers():
    """NaN in a position is refused, and a face out of range too."""
    doc = gltf()
    raw = bytearray(base64.b64decode(doc["buffers"][0]["uri"].split(",")[1]))
    raw[0:4] = struct.pack("<f", float("nan"))
    doc["buffers"][0]["uri"] = "data:;base64," + base64.b64encode(raw).decode()
    with pytest.raises(NightmistError, match="not a number"):
        opened(doc)
    raw[0:4] = struct.pack("<f", 0.0)
    raw[84:86] = struct.pack("<H", 9)
    doc["buffers"][0]["uri"] = "data:;base64," + base64.b64encode(raw).decode()
    with pytest.raises(NightmistError, match="points at vertex 9"):
        opened(doc)


GLB = write_glb(joined(plane(2), placed(sphere(6, 4), move=(3, 0, 0)), names=["a", "b"]))


@settings(max_examples=150, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow])
@given(st.integers(0, len(GLB) - 1), st.lists(st.tuples(st.integers(0, len(GLB) - 1), st.integers(0, 255)), max_size=6))
def test_no_damage_to_a_glb_gets_past_the_reader(cut, changes):
    """Cut off or with bytes changed anywhere: a model or a sentence, never another error."""
    for data in (GLB[:cut], bytes(_changed(GLB, changes))):
        with contextlib.suppress(NightmistError):
            assert len(read_model("x.glb", {"x.glb": data}).faces)


def _changed(data, changes):
    changed = bytearray(data)
    for place, value in changes:
        changed[place] = value
    return changed


def test_colors_of_vertices_are_left_out_with_a_word():
    data = b"v 0 0 0 1 0 0\nv 1 0 0 1 0 0\nv 0 1 0 1 0 0\nf 1 2 3\n"
    said = "Not read here and left out: vertex colors."
    assert said in read_model("a.obj", {"a.obj": data}).notes
    assert not any("colors" in note for note in read_model("a.obj", {"a.obj": data.replace(b" 1 0 0\n", b"\n")}).notes)
    colored = PLY.replace(b"property float t\n", b"property float t\nproperty uchar red\n")
    for row in (b"0 0 0 0 0", b"1 0 0 1 0", b"1 1 0 1 1", b"0 1 0 0 1"):
        colored = colored.replace(row + b"\n", row + b" 255\n")
    assert said in read_model("a.ply", {"a.ply": colored}).notes


PLY = b"""ply
format ascii 1.0
element vertex 4
property float x
property float y
property float z
property float s
property float t
element face 1
property list uchar int vertex_indices
end_header
0 0 0 0 0
1 0 0 1 0
1 1 0 1 1
0 1 0 0 1
4 0 1 2 3
"""


def test_ply_with_uvs():
    """A quad becomes two triangles with v turned over."""
    mesh = read_model("a.ply", {"a.ply": PLY})
    assert len(mesh.faces) == 2
    assert np.allclose(mesh.uvs[0][0], [[0, 1], [1, 1], [1, 0]])


@pytest.mark.parametrize(
    "data",
    [
        PLY[:-12],
        PLY.replace(b"vertex 4", b"vertex 4000000000"),
        PLY.replace(b"4 0 1 2 3", b"4 0 1 2 9"),
        PLY.replace(b"element face 1", b"element face 0").replace(b"4 0 1 2 3\n", b""),
        b"ply\nformat ascii 1.0\nend_header\n",
        b"ply",
    ],
)
def test_broken_ply(data):
    """Cut off, with counts or indices that lie, without faces: a sentence."""
    with pytest.raises(NightmistError):
        read_model("a.ply", {"a.ply": data})


def test_ply_of_strips():
    """Two quads, corners said twice to get to a third, and a fourth after a new beginning: all of them face one way."""
    points = np.array([(x, y, 0.0) for x in range(6) for y in range(2)])
    lines = [" ".join(map(str, point)) for point in points]
    strip = [1, 0, 3, 2, 5, 4, 4, 9, 9, 8, 11, 10, -1, 5, 4, 7, 6]
    head = ["ply", "format ascii 1.0", "element vertex 12", *(f"property float {axis}" for axis in "xyz")]
    head += ["element tristrips 1", "property list int int vertex_indices", "end_header"]
    data = "\n".join([*head, *lines, " ".join(map(str, [len(strip), *strip])), ""]).encode()
    mesh = read_model("a.ply", {"a.ply": data})
    normals = np.cross(mesh.corners[:, 1] - mesh.corners[:, 0], mesh.corners[:, 2] - mesh.corners[:, 0])
    assert (normals == [0, 0, 1]).all()
    halves = [half for left in (0, 2, 8, 4) for half in ((left, left + 1, left + 3), (left, left + 2, left + 3))]
    assert sorted(tuple(sorted(face)) for face in mesh.faces.tolist()) == sorted(halves)


def test_unknown_files_are_refused():
    """A picture is no model."""
    with pytest.raises(NightmistError, match="no model file"):
        read_model("a.png", {"a.png": b"x"})


@pytest.mark.parametrize(("away", "rounded"), [(0, False), (1_000, False), (100_000, True), (4_500_000, True)])
def test_a_model_whose_places_are_rounded_is_told(away, rounded):
    """Near 100,000 numbers of 24 bits lie 2^16 / 2^23 = 0.0078 apart."""
    mesh = placed(plane(), move=(0, away, 0))
    notes = read_model("far.glb", {"far.glb": write_glb(mesh)}).notes
    assert any(f"far.glb lies {away + 1:,} units" in note for note in notes) == rounded
    assert any("rounded to 0.0078" in note for note in notes) == (away == 100_000)


def test_a_model_without_uvs_is_unwrapped():
    """Every face gets UVs in 0-1, none overlap, islands keep apart."""
    mesh = placed(sphere()).changed(uvs=[])
    faces = np.arange(len(mesh.faces))
    mesh, notes = unwrap(mesh, faces, faces, 0, (512, 512), "auto", 60, 4, None, quietly)
    assert notes == []
    uv = mesh.uvs[0]
    assert uv.min() >= 0
    assert uv.max() <= 1
    edges = uv[:, 1:] - uv[:, :1]
    assert (np.abs(np.linalg.det(edges.astype(float))) > 0).all()
    own = own_texels(mesh, np.arange(len(mesh.faces)), uv, 512, 512)
    owned = int((own.spans[:, 1].astype(int) - own.spans[:, 0]).sum())
    assert owned == own.covered().sum()
    assert own.covered().mean() > 0.4


def test_pictures_come_back_to_the_bit():
    """PNG of 8 and 16 bits, gray, RGB and RGBA."""
    rng = np.random.default_rng(1)
    for channels in (None, 3, 4):
        shape = (20, 30) if channels is None else (20, 30, channels)
        image = rng.integers(0, 65536, shape, dtype=np.uint16)
        back = read_picture("p", write_png(image))
        assert (back[..., 0] == (image if channels is None else image[..., 0])).all()
        if channels == 4:
            assert (back == image).all()
        small = (image >> 8).astype(np.uint8)
        assert (read_picture("p", write_png(small))[..., 0] == back[..., 0] // 256 * 257).all()


def test_picture_bombs_and_rubbish_are_refused():
    """A small file that unpacks to a huge picture is refused from its header alone."""
    packed = io.BytesIO()
    Image.new("1", (20000, 20000)).save(packed, "PNG")
    with pytest.raises(NightmistError, match="too many pixels"):
        read_picture("bomb.png", packed.getvalue())
    with pytest.raises(NightmistError, match=r"rubbish\.png"):
        read_picture("rubbish.png", b"\x89PNG nothing")


def tiff(numbers):
    done, data = cv2.imencode(".tif", numbers)
    assert done
    return data.tobytes()


def test_heights_kept_as_floating_point_numbers():
    """Gray TIFFs go from 0 to 1, to the nearest of 65536 steps; what cannot be read is told by what it is."""
    numbers = np.random.default_rng(7).random((20, 30)).astype(np.float32)
    read = read_picture("height.tif", tiff(numbers))
    assert (read[..., 3] == 65535).all()
    for channel in range(3):
        assert np.abs(read[..., channel] / 65535 - numbers).max() <= 0.5 / 65535 + 1e-7
    for far in (numbers * 3, numbers - 0.5, np.where(numbers > 0.5, np.nan, numbers)):
        with pytest.raises(NightmistError, match=r"height\.tif holds numbers from .* goes from 0 to 1"):
            read_picture("height.tif", tiff(far))
    for other in (np.dstack([numbers] * 3), (numbers * 2**30).astype(np.int32)):
        with pytest.raises(NightmistError, match="TIFF of a kind that cannot be read"):
            read_picture("color.tif", tiff(other))
    with pytest.raises(NightmistError, match=r"height\.tif is cut off, or a TIFF of a kind"):
        read_picture("height.tif", tiff(numbers)[:100])


def test_shrinking_does_not_mix_in_hidden_color():
    """Color under zero alpha does not bleed: premultiplied filtering."""
    image = np.zeros((4, 4, 4), np.uint16)
    image[..., 0] = 65535
    image[:, ::2] = (0, 65535, 0, 65535)
    small = fit(image, 2, 2)
    assert (small[..., 1] == 65535).all()
    assert (small[..., 0] == 0).all()
    assert np.abs(small[..., 3].astype(int) - 32768).max() <= 1


def stl_binary(corners: np.ndarray) -> bytes:
    record = np.zeros(len(corners), [("n", "<f4", 3), ("c", "<f4", (3, 3)), ("a", "<u2")])
    record["c"] = corners
    return b"solid by chance".ljust(80) + struct.pack("<I", len(corners)) + record.tobytes()


def test_stl_binary_and_ascii():
    """Both give the same welded triangles, without UVs."""
    corners = placed(sphere(8, 4)).corners.astype(np.float32)
    lines = ["solid ball"]
    for triangle in corners:
        lines += [
            "facet normal 0 0 0",
            "outer loop",
            *(f"vertex {x} {y} {z}" for x, y, z in triangle),
            "endloop",
            "endfacet",
        ]
    text = "\n".join([*lines, "endsolid ball"]).encode()
    for data in (stl_binary(corners), text, text.upper()):
        mesh = read_model("ball.stl", {"ball.stl": data})
        assert np.allclose(mesh.corners, corners)
        assert len(mesh.positions) == len(np.unique(corners.reshape(-1, 3), axis=0))
        assert mesh.uvs == []


@pytest.mark.parametrize(
    "data",
    [b"solid x\nfacet\nvertex 0 0 0\n", b"\0" * 40, b"\0" * 80 + struct.pack("<I", 10**9) + b"x" * 100,
     b"solid x\nvertex 1 2 nan\nvertex 0 0 0\nvertex 0 1 0\nendsolid"],
)  # fmt: skip
def test_broken_stl(data):
    """Cut off, lying about its length, or without numbers: a sentence."""
    with pytest.raises(NightmistError, match=r"x\.stl"):
        read_model("x.stl", {"x.stl": data})


def test_a_photo_stands_as_the_camera_was_held():
    """Exif says that the left side is up: a reference or a tip is turned, a model's picture is not."""
    image = Image.new("RGB", (40, 20), "black")
    image.paste("white", (0, 0, 10, 20))
    exif = Image.Exif()
    exif[0x0112] = 6
    file = io.BytesIO()
    image.save(file, "JPEG", exif=exif, quality=95)
    as_stored, upright = (read_picture("p.jpg", file.getvalue(), upright=turn) for turn in (False, True))
    assert as_stored.shape[:2] == (20, 40)
    assert upright.shape[:2] == (40, 20)
    assert as_stored[10, 3, 0] > 60000
    assert upright[3, 10, 0] > 60000
    assert upright[30, 10, 0] < 5000


def test_tips_keep_their_proportions():
    """A tall picture lies in the middle of a square of its height; a huge one is made as large as tips can be."""
    tall = np.zeros((400, 100, 4), np.uint8)
    tall[:, :, 3] = 255
    tall[:200, :, :3] = 255
    tip = tip_from_picture("tall.png", write_png(tall))
    assert tip.shape == (400, 400)
    assert (tip[300, 160:240] > 0.99).all()
    assert not tip[300, :140].any()
    assert not tip[100].any()
    light = tip_from_picture("tall.png", write_png(tall), light=True)
    np.testing.assert_allclose(light[:, 150:250], 1 - tip[:, 150:250])
    assert not light[:, :150].any()
    assert tip_from_picture("huge.png", write_png(np.zeros((3000, 1500, 3), np.uint8))).shape == (1024, 1024)
