"""What the checkup finds: cured first, meant so, or said again."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Camera, Document, NightmistError, Pigment, Tip
from nightmist.document.painting.unchanged import why_unchanged

from ..shapes import joined, placed, plane, stacked


def test_stacked_uvs_come_in_and_painting_waits_for_the_cure():
    """Quads that all lie on the whole map: the checkup says so, paint is refused in words, an unwrap mends it."""
    # 64 quads can be painted, each covering the map once; 144 cannot.
    fewer = Document.from_mesh(stacked(8), "net", (128, 128))
    assert fewer.held_back(fewer.surface_value("surface")) is None
    doc = Document.from_mesh(
        joined(stacked(), placed(plane(), move=(3, 0, 0)), names=["net", "post"]), "net", (256, 256)
    )
    layers = {name: surface.layers.add("brushed") for name, surface in doc.surfaces.items()}
    (said,) = [text for text in doc.check_uvs()["net"].findings() if "shared" in text]
    assert said.startswith("100%")
    camera = Camera.look_at((1.5, 0, 8), (1.5, 0, 0), 40, (800, 600))
    red = Pigment(base_color="#ff0000")
    for act in (
        lambda: doc.fill(layers["net"], red),
        lambda: doc.gradient(layers["net"], (0, 0, 0), (1, 0, 0), (red, red)),
        lambda: doc.stroke(layers["net"], [(60, 60)], None, in_map="net", tip=Tip(radius=30), pigment=red),
    ):
        with pytest.raises(NightmistError, match=r"net cannot be painted yet.*Unwrap it in Prepare"):
            act()
    # A stroke over both paints the one and tells of the other.
    stroke = doc.begin_stroke(layers, camera, Tip(radius=30), red)
    stroke.extend([(250, 300, 1.0), (500, 300, 1.0)])
    assert doc.finish_stroke(stroke)
    assert "net cannot be painted yet" in why_unchanged(stroke).sentence
    doc.resize("net", 128)
    doc.unwrap("net")
    doc.fill(layers["net"], red)
    assert (doc.surfaces["net"].read("base_color")[..., 0] > 60000).mean() > 0.5
    for _ in range(3):
        doc.undo()
    assert doc.held_back(doc.surface_value("net"))


def test_paint_is_not_given_up_for_stacked_uvs():
    """A second UV set that is stacked is refused where paint would be lost, and taken where there is none."""
    mesh, crowd = plane(12), stacked(12)
    mesh.uvs.append(crowd.uvs[0])
    doc = Document.from_mesh(mesh, "wall", (256, 256))
    layer = doc.surfaces["surface"].layers.add("brushed")
    doc.fill(layer, Pigment(base_color="#ff0000"))
    before = doc.surfaces["surface"].read("base_color")
    with pytest.raises(NightmistError, match="The paint of surface would be lost"):
        doc.choose_uv_set("surface", 1)
    assert np.array_equal(doc.surfaces["surface"].read("base_color"), before)
    doc.undo()
    doc.choose_uv_set("surface", 1)
    assert doc.held_back(doc.surface_value("surface"))


def test_islands_that_share_on_purpose_are_known_and_later_ones_are_told():
    """Two of three planks share their texels and are meant to; the third, moved over them, is told alone."""
    mesh = joined(
        *(placed(plane(2), move=(3.0 * k, 0, 0), uv_scale=0.4, uv_move=(0.5 * (k > 1), 0)) for k in range(3)),
        names=["deck", "b", "c"],
    )  # fmt: skip
    mesh = mesh.changed(face_surface=np.zeros(len(mesh.faces), np.int32))
    del mesh.surfaces[1:]
    doc = Document.from_mesh(mesh, "planks", (256, 256))
    third = doc.surfaces["deck"].faces[-1:]

    def told() -> list[tuple[str, bool]]:
        return [(f.sentence, f.meant) for f in doc.check_uvs()["deck"].found if f.kind == "shared"]

    ((sentence, meant),) = told()
    assert ("by 2 islands" in sentence, meant) == (True, False)
    doc.mean_so("deck", "shared")
    assert [meant for _, meant in told()] == [True]
    assert doc.surfaces["deck"].value.meant.shared == ((0, 8),)
    doc.move_islands("deck", third, (1, 0, 0, 1, -128, 0))
    (alone, _), (known, _) = sorted(told(), key=lambda found: found[1])
    assert alone.startswith("100% of the painted texels are shared by 2 islands")
    assert known == alone
    doc.undo()
    assert [meant for _, meant in told()] == [True]
    doc.mean_so("deck", "shared", False)
    assert [meant for _, meant in told()] == [False]


def test_what_is_said_of_several_surfaces_at_once_is_one_step(tmp_path):
    """Two materials without their pictures, tiled: one undo for doing without both, one for meaning both so."""
    model, materials = tmp_path / "quay.obj", tmp_path / "quay.mtl"
    corners = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 0\nvt 0 0\nvt 3 0\nvt 0 3\n"
    model.write_text(f"mtllib quay.mtl\n{corners}usemtl a\nf 1/1 2/2 3/3\nusemtl b\nf 4/1 3/2 2/3\n")
    materials.write_text("newmtl a\nmap_Kd a.png\nnewmtl b\nmap_Kd b.png\n")
    doc = Document.open(model, size=64)
    for name in ("a", "b"):
        doc.do_without_pictures(name)
    for name in ("a", "b"):
        doc.mean_so(name, "outside")
    assert [(bool(s.missing), s.meant.kinds) for s in doc.surface_values()] == [(False, ("outside",))] * 2
    doc.undo()
    assert [(bool(s.missing), s.meant.kinds) for s in doc.surface_values()] == [(False, ())] * 2
    doc.undo()
    assert [bool(s.missing) for s in doc.surface_values()] == [True, True]
    with pytest.raises(NightmistError, match="so already"):
        doc.mean_so("a", "outside", False)


def test_other_findings_are_meant_by_their_kind():
    doc = Document.from_mesh(placed(plane(2), uv_scale=2.0), "tiled", (128, 128))
    doc.mean_so("surface", "outside")
    assert doc.surfaces["surface"].value.meant.kinds == ("outside",)
    with pytest.raises(NightmistError, match="so already"):
        doc.mean_so("surface", "outside")
    doc.undo()
    assert doc.surfaces["surface"].value.meant.kinds == ()
