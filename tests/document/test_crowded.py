"""Paint on UVs that lie over each other too often to be painted: it goes along with what cures them."""

from __future__ import annotations

import re

import numpy as np
import pytest

from nightmist import Document
from nightmist.core.formats.gltf_write import Texture, write_glb
from nightmist.core.formats.image_files import write_png
from nightmist.document.preparing.replacing import preview_of_replacement

from ..shapes import joined, placed, plane, stacked
from .test_preparing import places, seen

#: How often the picture repeats across and down: 144 times in all.
TIMES = 12
RED, BLUE = (200, 30, 20), (20, 60, 210)


def tiled():
    """A square of two faces, each of which lies over the map 72 times."""
    return placed(plane(1, 0, 1), uv_scale=TIMES)


def striped(mesh) -> Document:
    """A square from -1 to 1 as its file brings it: with a picture that is red on the left, blue on the right."""
    picture = np.zeros((64, 64, 3), np.uint8)
    picture[:, :32], picture[:, 32:] = RED, BLUE
    mesh.surfaces[0].name = "wall"
    file = write_glb(mesh, {"wall": {"baseColor": Texture(write_png(picture))}})
    doc = Document.from_files({"wall.glb": file}, (512, 512))
    assert doc.held_back(doc.surface_value("wall"))
    return doc


def stripes(doc: Document) -> tuple[np.ndarray, np.ndarray]:
    """(n, 3) the colors seen at places of the square, away from where the picture's colors meet, and those that are."""
    points, normals = places(doc.mesh)
    across = (points[:, 0] + 1) / 2 * TIMES % 1
    clear = np.abs(across % 0.5 - 0.25) < 0.15
    right = np.where((across < 0.5)[:, None], RED, BLUE)
    return seen(doc, points[clear], normals[clear]), right[clear]


@pytest.mark.parametrize("make", [tiled, stacked])
def test_the_paint_of_the_file_stays_on_the_model(make):
    """Unwrapped, and laid on a larger map before or after; and back by undo."""
    doc = striped(make())
    before = doc.surfaces["wall"].read("base_color")
    for acts in (("unwrap",), ("resize", "unwrap"), ("unwrap", "resize")):
        for act in acts:
            doc.unwrap("wall") if act == "unwrap" else doc.resize("wall", 1024)
        assert not doc.held_back(doc.surface_value("wall"))
        found, right = stripes(doc)
        assert np.abs(found - right).max() <= 1
        for _ in acts:
            doc.undo()
        assert np.array_equal(doc.surfaces["wall"].read("base_color"), before)


@pytest.mark.parametrize("make", [tiled, stacked])
def test_another_model_takes_it_over(make):
    """One of other faces and UVs, which nothing is lost of, or only what it has no place for, which is said before."""
    doc = striped(make())
    whole = joined(plane(5), names=["wall"])
    assert preview_of_replacement(doc, whole).losses == []
    doc.replace_mesh(files={"wall.glb": write_glb(whole)})
    found, right = stripes(doc)
    assert np.abs(found - right).max() <= 1
    doc.undo()
    half, away = (placed(plane(5), scale=(0.5, 1, 1), move=move) for move in ((-0.5, 0, 0), (0, 0, 9)))
    for there, low, high in ((half, 44, 56), (away, 100, 100)):
        (said,) = preview_of_replacement(doc, joined(there, names=["wall"])).losses
        share, layer = re.fullmatch(r"(\d+%|All) of the paint on (.+) of wall is lost: nothing .*", said).groups()
        assert low <= int(share.replace("All", "100%")[:-1]) <= high
        assert layer == "From the file"


def test_what_faces_that_stay_share_is_not_lost():
    """Half of the quads are gone, and the others hold all of the picture."""
    mesh = joined(placed(stacked(), move=(-1, 0, 0)), placed(stacked(), move=(1, 0, 0)), names=["wall", "wall"])
    doc = striped(mesh.changed(face_surface=np.zeros(len(mesh.faces), np.int32)))
    assert preview_of_replacement(doc, joined(placed(stacked(), move=(1, 0, 0)), names=["wall"])).losses == []
