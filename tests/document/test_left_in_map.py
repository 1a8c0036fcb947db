"""Pictures and shapes that lie in a map stay there while islands move below them, and that is told."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Document
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.formats.image_files import write_png

from ..shapes import joined, placed, plate

LABEL = write_png(np.full((8, 8, 4), 255, np.uint8))


@pytest.fixture
def doc(tmp_path) -> Document:
    """A plate whose front has the upper left quarter of the map, with a picture and a shape there."""
    document = Document.from_mesh(plate(), "leaf", (256, 256))
    (tmp_path / "label.png").write_bytes(LABEL)
    surface = document.surfaces["surface"]
    surface.layers.add("decals", name="Labels").place(tmp_path / "label.png", (0.25, 0.25), width=0.1)
    document.regions.add_area("Window", "surface", [(0.1, 0.1), (0.2, 0.1), (0.2, 0.2)])
    return document


def front(doc: Document, side: int = 1) -> np.ndarray:
    return np.flatnonzero(doc.mesh.face_normals[:, 2] * side > 0.5)


def test_it_is_told_when_what_lies_below_goes_elsewhere(doc):
    for act in (
        lambda: doc.move_islands("surface", front(doc), (1, 0, 0, 1, 5, 0)),
        lambda: doc.arrange("surface", "mirror_across"),
        lambda: doc.unwrap("surface", "box", margin=20),
        lambda: doc.replace_mesh(files={"m.glb": write_glb(joined(placed(plate(), uv_scale=0.7), names=["surface"]))}),
    ):
        said = "\n".join(act())
        assert "label.png lies in the map and stays where it is there" in said
        assert "drawn in the map of the region Window stays" in said
        doc.undo()


def test_nothing_is_told_when_other_islands_go_or_paint_stays_in_the_map_too(doc):
    assert doc.move_islands("surface", front(doc, -1), (1, 0, 0, 1, -5, 0)) == []
    assert doc.move_islands("surface", front(doc), (1, 0, 0, 1, 5, 0), keep_paint=False) == []
    doc.undo()
    assert doc.replace_mesh(files={"m.glb": write_glb(doc.mesh)}) == []
