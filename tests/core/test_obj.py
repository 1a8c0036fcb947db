"""OBJ with MTL as programs write it, older ones and odd ones, and with its pictures in folders and zips."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest

from nightmist.core.errors import NightmistError
from nightmist.core.formats import read_model
from nightmist.core.formats.bundle import files_with, the_model, unpacked

TRIANGLE = b"v 0 0 0\nv 1 0 0\nv 0 1 0\n"

OBJ = b"""mtllib m.mtl
o post
v 0 0 0
v 2 0 0
v 2 2 0
v 0 2 0
vt 0 0
vt 1 0
vt 1 1
vt 0 1
usemtl rusty
f 1/1 2/2 3/3 4/4
g foot
usemtl plain
f -4/-4 -3/-3 -2/-2
"""


def test_obj_with_material_and_picture():
    """Polygons, negative indices, surfaces, parts, v turned over, color and picture of the material."""
    files = {
        "a.obj": OBJ,
        "m.mtl": b"newmtl rusty\nKd 0.5 0.25 0\nPr 0.8\nmap_Kd C:\\work\\rust.png\nnewmtl plain\nmap_Kd gone.png\n",
        "rust.png": b"picture",
    }
    mesh = read_model("a.obj", files)
    assert [s.name for s in mesh.surfaces] == ["rusty", "plain"]
    assert mesh.parts == ["post", "post foot"]
    assert len(mesh.faces) == 3
    assert mesh.surfaces[0].base_color == (0.5, 0.25, 0)
    assert mesh.surfaces[0].pictures == {"base_color": b"picture"}
    assert np.allclose(mesh.uvs[0][0], [[0, 1], [1, 1], [1, 0]])
    assert mesh.surfaces[1].missing == {"base_color": "gone.png"}


def test_obj_pictures_of_every_usual_statement():
    """Options before a name, blanks in it, another case on disk; what is not painted is said, once each."""
    material = (
        b"newmtl rusty\nmap_Kd -clamp on -s 2 3 1 -o 0.1 My Tex.PNG\nmap_Pr -imfchan r rough.png\nmap_Pm metal.png\n"
        b"map_Bump -bm 0.4 dents.png\nnorm n.png\nmap_d cut.png\nmap_d cut.png\nnewmtl plain\ndisp -o 1 d 1.png\n"
    )
    pictures = {
        "my tex.png": b"1",
        "rough.png": b"2",
        "METAL.PNG": b"3",
        "dents.png": b"4",
        "n.png": b"5",
        "cut.png": b"6",
    }
    mesh = read_model("a.obj", {"a.obj": OBJ, "m.mtl": material, **pictures})
    rusty, plain = mesh.surfaces
    painted = {"base_color": b"1", "roughness": b"2", "metallic": b"3", "height": b"4"}
    assert rusty.pictures == {**painted, "normal": b"5", "opacity": b"6"}
    assert plain.missing == {"height": "d 1.png"}
    assert not rusty.multiplied
    said = " ".join(mesh.notes)
    assert "map_Pr of rusty is read without its one channel (-imfchan)." in said
    # Its v points up: what shows at (u, v) lies at (2 u + 0.1, 3 v) of the picture.
    assert rusty.placed.keys() == {"base_color"}
    assert np.allclose(rusty.placed["base_color"].of(np.array([0.2, 1 - 0.3])), [2 * 0.2 + 0.1, 1 - 3 * 0.3])
    assert np.allclose(plain.placed["height"].of(np.array([0.25, 0.5])), [1.25, 0.5])
    assert said.count("normal pictures") == 1
    # What did not come cannot be said to be handed off.
    alone = read_model("a.obj", {"a.obj": OBJ, "m.mtl": material})
    assert alone.surfaces[0].missing["normal"] == "n.png"
    assert "handed off" not in " ".join(alone.notes)


def test_names_in_obj_hold_what_comments_begin_with():
    """Materials told apart by a number sign alone stay apart, and behind numbers a comment is one."""
    data = b"mtllib m #1.mtl\n" + TRIANGLE + b"usemtl Steel #1\nf 1 2 3 # front\nusemtl Steel #2\nf 3 2 1\n"
    material = b"newmtl Steel #1\nmap_Kd rust #1.png\nnewmtl Steel #2\nKd 1 0 0 # red\n"
    mesh = read_model("a.obj", {"a.obj": data, "m #1.mtl": material, "rust #1.png": b"1"})
    assert [look.name for look in mesh.surfaces] == ["Steel #1", "Steel #2"]
    assert mesh.surfaces[0].pictures == {"base_color": b"1"}
    assert mesh.surfaces[1].base_color == (1, 0, 0)


def test_obj_with_names_in_quotes_and_statements_in_capitals():
    """As some programs write them: nothing of it is passed over."""
    data = b'mtllib "my stuff.mtl"\n' + TRIANGLE.upper() + b"usemtl a\nF 1 2 3\nf 3 2 1\n"
    material = b'newmtl a\nmap_Kd -s 2 2 1 "my tar.png"\n'
    mesh = read_model("a.obj", {"a.obj": data, "my stuff.mtl": material, "my tar.png": b"1"})
    assert len(mesh.faces) == 2
    assert mesh.surfaces[0].pictures == {"base_color": b"1"}
    assert mesh.notes == []


@pytest.mark.parametrize("link", [b"one.mtl two.mtl", b"ONE.MTL two.mtl gone.mtl"])
def test_several_material_files_in_one_statement(link):
    data = b"mtllib " + link + b"\n" + TRIANGLE + b"usemtl a\nf 1 2 3\nusemtl b\nf 3 2 1\n"
    files = {"a.obj": data, "one.mtl": b"newmtl a\nPr 0.25\n", "two.mtl": b"newmtl b\nPr 0.75\n"}
    mesh = read_model("a.obj", files)
    assert [look.roughness for look in mesh.surfaces] == [0.25, 0.75]
    assert ["gone.mtl" in note for note in mesh.notes] == [True] * (b"gone" in link)


@pytest.mark.parametrize(
    ("letters", "name"),
    [("utf-8", "K\u00fcste"), ("utf-8-sig", "K\u00fcste"), ("cp1252", "K\u00fcste"), ("utf-16", "K\u00fcste")],
)
def test_obj_in_older_letters(letters, name):
    """A mark before the first statement hides none of it."""
    data = (TRIANGLE.decode() + f"usemtl {name}\nf 1 2 3\n").encode(letters)
    mesh = read_model("a.obj", {"a.obj": data})
    assert (len(mesh.positions), mesh.surfaces[0].name) == (3, name)


def test_what_is_no_face_of_an_obj_is_said():
    mesh = read_model(
        "a.obj",
        {"a.obj": TRIANGLE + b"v 0 0 1 1 0 0\nf 1 2 3\np 1\nl 1 2\nl 2 3\nsurf 0 1 0 1 1 2 3 1\ncurv 0 1 1 2\n"},
    )
    assert "Not read here and left out: points, lines, curved surfaces, curves, vertex colors." in mesh.notes


def packed(files):
    zipped = io.BytesIO()
    with zipfile.ZipFile(zipped, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return zipped.getvalue()


def test_pictures_of_one_name_in_two_folders_stay_apart():
    """In a zip, by paths of another system; and what a system puts beside its files is no second model."""
    material = b"newmtl a\nmap_Kd D:\\work\\Hull\\color.png\nnewmtl b\nmap_Kd tex/mast/color.png\n"
    files = unpacked({
        "harbor.zip": packed({
            "harbor/boat.obj": b"mtllib boat.mtl\n" + TRIANGLE + b"usemtl a\nf 1 2 3\nusemtl b\nf 3 2 1\n",
            "harbor/boat.mtl": material, "harbor/tex/hull/color.png": b"1", "harbor/tex/mast/color.png": b"2",
            "harbor/tex/other/color.png": b"3", "__MACOSX/harbor/._boat.obj": b"\0\5\x16",
        })
    })  # fmt: skip
    mesh = read_model(the_model(files), files)
    assert [look.pictures["base_color"] for look in mesh.surfaces] == [b"1", b"2"]


def test_pictures_are_found_a_folder_below_the_model(tmp_path):
    (tmp_path / "tex").mkdir()
    (tmp_path / "tex" / "Color.png").write_bytes(b"1")
    (tmp_path / "notes.txt").write_bytes(b"not for the model")
    (tmp_path / "a.mtl").write_bytes(b"newmtl a\nmap_Kd tex/color.png\n")
    (tmp_path / "a.obj").write_bytes(b"mtllib a.mtl\n" + TRIANGLE + b"usemtl a\nf 1 2 3\n")
    files = files_with(tmp_path / "a.obj")
    assert files.keys() == {"a.obj", "a.mtl", "tex/Color.png"}
    assert read_model("a.obj", files).surfaces[0].pictures == {"base_color": b"1"}


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"v 0 0 0\nf 1 2 3\n", "line 2: a face points at vertex 2"),
        (b"v 0 0 x\n", "line 1: 0 0 x stands where 3 or more numbers belong"),
        (b"v 0 0\n", "line 1: 0 0 stands where 3 or more numbers belong"),
        (b"v 0 0 0\nf 1 b/2 1\n", "line 2: b/2 is not a corner of a face"),
        (b"vt\n", "line 1: nothing stands where 1 or more numbers belong"),
        (b"v 0 0 0\nv 1 0 0\nf 1 2\n", "no faces"),
        (b"# nothing\n", "no faces"),
        (b"v 0 0 0\nv 0 0 0\nv 0 0 0\nf 1 2 3\n", "without area"),
        (b"", "empty"),
    ],
)
def test_broken_obj_names_its_line(data, message):
    """What is wrong, and where."""
    with pytest.raises(NightmistError, match=message):
        read_model("a.obj", {"a.obj": data})


def test_a_broken_material_is_left_out_line_by_line_and_said():
    """The model comes in; what could be read of the material is kept, and what is not shown is said."""
    material = (
        b"newmtl rusty\nKd red green blue\nPr nan\nPm 0.5\nTr 0.25\nKe 0.1 0.2 0.3\nmap_Kd -s x 2 my.png\nKd 0.25\n"
    )
    mesh = read_model("a.obj", {"a.obj": OBJ, "m.mtl": material, "my.png": b"1"})
    rusty = mesh.surfaces[0]
    assert (rusty.base_color, rusty.metallic) == ((0.25,) * 3, 0.5)
    assert (rusty.opacity, rusty.untouched.alpha_mode) == (0.75, "BLEND")
    assert rusty.untouched.emissive == (0.1, 0.2, 0.3)
    assert rusty.pictures == {"base_color": b"1"}
    said = " ".join(mesh.notes)
    opaque = read_model("a.obj", {"a.obj": OBJ, "m.mtl": b"newmtl rusty\nTr 1.0\n"}).surfaces[0]
    assert (opaque.opacity, opaque.untouched.alpha_mode) == (1, "OPAQUE")
    assert "m.mtl, line 2, was left out: red is not a number." in said
    assert "m.mtl, line 3, was left out: nan is not a number." in said
    assert "handed off as it came: glow of rusty." in said


@pytest.mark.parametrize(
    ("statements", "parts"),
    [
        (("o Hull", "f", "o Mast", "f"), ["Hull", "Mast"]),
        (("g left", "f", "g right", "f", "g left", "f"), ["left", "right"]),
        (("f", "g right", "f"), ["part", "right"]),
        # What only groups divide, an object holds together; a group of the same name in two objects is two parts.
        (("o Hull", "g left", "f", "g right", "f"), ["Hull left", "Hull right"]),
        (("o Hull", "g default", "f", "o Mast", "g default", "f"), ["Hull", "Mast"]),
        (("o Hull", "g Hull_steel", "f", "g Hull_wood", "f", "o Mast", "f"), ["Hull_steel", "Hull_wood", "Mast"]),
    ],
)
def test_parts_are_what_objects_and_groups_tell_apart_and_none_is_empty(statements, parts):
    lines = "\n".join("f 1 2 3" if line == "f" else line for line in statements)
    mesh = read_model("a.obj", {"a.obj": f"v 0 0 0\nv 1 0 0\nv 0 1 0\n{lines}\n".encode()})
    assert mesh.parts == parts
    assert set(mesh.face_part) == set(range(len(parts)))


def test_faces_of_two_corners_are_left_out_and_said():
    data = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2\nf 1 2 3\nf 2 3\n"
    mesh = read_model("a.obj", {"a.obj": data})
    assert len(mesh.faces) == 1
    assert any("left out, 2 in all" in note for note in mesh.notes)
