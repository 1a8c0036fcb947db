"""UVs, maps and models change; the paint stays where the painter put it."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest

import nightmist as nm
from nightmist import Camera, Document, NightmistError, Pigment, Tip
from nightmist.api.mesh_wire import Snapshot, write_mesh
from nightmist.core.formats import read_model
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.mesh.seams import edges_at
from nightmist.core.progress import CancelledError
from nightmist.demo.buoy import lantern_buoy
from nightmist.document.files.hand_off import glb
from nightmist.document.preparing.refit import Plan, refit
from nightmist.document.values import StartValues

from ..shapes import drum, joined, placed, plane, plate, sphere

RAMP = (Pigment(base_color="#202830", height=0.2), Pigment(base_color="#e0c8a0", height=0.9))
CAMERA = Camera.look_at((0, 0, 6), (0, 0, 0), 40, (400, 300))
FAR = Camera.look_at((0, 0, 800), (0, 0, 0), 30, (400, 400))


def painted(mesh, size=(512, 512)) -> Document:
    """A document whose first surface has a ramp over the model and a stroke across it."""
    doc = Document.from_mesh(mesh, "painted", size)
    for surface in doc.surfaces.values():
        coat = surface.layers.add("brushed", name="Coat")
        doc.gradient(coat, (-1, -1, -0.5), (1, 1, 0.5), RAMP)
    doc.stroke(
        coat,
        [(120, 150), (280, 150)],
        CAMERA,
        Tip(radius=20, strength=0.9, hardness=0.3),
        Pigment(base_color="#b03020"),
    )
    return doc


def seen(doc: Document, points: np.ndarray, normals: np.ndarray, name="base_color") -> np.ndarray:
    """Map values at places of the model, found by rays: what a viewer would show there, without filtering."""
    hits = doc.caster.cast(points + 0.05 * normals, -normals)
    assert (hits.face >= 0).all()
    weights, _ = doc.caster.attributes(hits, np.arange(len(points)))
    values = np.zeros((len(points), 3))
    for surface in doc.surfaces.values():
        here = doc.mesh.face_surface[hits.face] == surface.value.number
        uv = (surface.uvs[hits.face[here]] * weights[here][:, :, None]).sum(axis=1)
        texel = np.floor(uv * surface.size).astype(int) % surface.size
        image = surface.read(name)
        values[here] = (image[texel[:, 1], texel[:, 0]] if image.ndim == 3 else image[texel[:, 1], texel[:, 0], None])[
            :, :3
        ]
    return values / 257


def places(mesh, count=3000):
    """Points inside faces, away from their edges, evenly over the surface."""
    rng = np.random.default_rng(1)
    a, b, c = mesh.corners[:, 0], mesh.corners[:, 1], mesh.corners[:, 2]
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    face = rng.choice(len(area), count, p=area / area.sum())
    weights = rng.dirichlet((4, 4, 4), count)
    return (mesh.corners[face] * weights[:, :, None]).sum(axis=1), mesh.face_normals[face]


@pytest.mark.parametrize("method", ["auto", "seams", "box"])
def test_paint_survives_a_new_unwrap_and_the_way_back(method):
    """On the model nothing moves; back in the old UVs texels differ by at most 2/255 on average."""
    mesh = sphere()
    doc = painted(mesh)
    surface = doc.surfaces["surface"]
    points, normals = places(mesh)
    before, texels = seen(doc, points, normals), surface.read("base_color").astype(int)
    uv = mesh.uvs[0].copy()
    doc.unwrap("surface", method)
    assert np.abs(doc.mesh.uvs[0] - uv).max() > 0.05
    assert np.abs(seen(doc, points, normals) - before).mean() < 2
    restored = doc.mesh.with_uvs(0, np.arange(len(mesh.faces)), uv)
    doc.do(refit(doc, Plan("Back", mesh=restored, moved=[doc.surfaces["surface"].id])))
    owner = doc.surfaces["surface"].layout.ownership.owner()
    inside = np.ones_like(owner, bool)
    for shift in ((0, 3), (0, -3), (3, 0), (-3, 0)):
        inside &= np.roll(owner, shift, (0, 1)) >= 0
    difference = np.abs(doc.surfaces["surface"].read("base_color").astype(int) - texels)[inside & (owner >= 0)]
    assert difference.mean() / 257 < 2


def test_paint_left_in_the_map_stays_to_the_bit():
    """Without keeping it on the model, no layer's texel changes."""
    doc = painted(sphere())
    layer = doc.surfaces["surface"].layers[0]
    before = layer.read("base_color")
    doc.unwrap("surface", keep_paint=False)
    assert (doc.surfaces["surface"].layers[0].read("base_color") == before).all()


def test_another_mesh_takes_over_the_paint():
    """Finer, with other UVs and shifted corners: what was painted is found at the nearest place."""
    doc = painted(sphere(24, 12))
    finer = placed(sphere(40, 20), scale=(1.002, 1.002, 1.002), uv_scale=0.7, uv_move=(0.2, 0.1))
    points, normals = places(doc.mesh)
    before = seen(doc, points, normals)
    doc.replace_mesh(files={"finer.glb": write_glb(finer)})
    assert len(doc.mesh.faces) == len(finer.faces)
    assert np.abs(seen(doc, points, normals) - before).mean() < 3
    doc.undo()
    assert np.abs(seen(doc, points, normals) - before).max() == 0


def test_a_thin_walls_paint_stays_on_its_side():
    """Two sides closer than a texel: each new texel takes the paint of the side that faces as it does."""
    doc = Document.from_mesh(plate(0.001), "plate", (256, 256))
    coat = doc.surfaces["surface"].layers.add("brushed")
    doc.stroke(
        coat, [(150, 150), (250, 150)], CAMERA, Tip(radius=300, strength=1, hardness=1), Pigment(base_color="#ff0000")
    )
    slightly = placed(plate(0.001), move=(0.0004, 0.0003, 0))
    doc.replace_mesh(files={"plate.glb": write_glb(slightly)})
    front = doc.mesh.face_normals[:, 2] > 0
    middle = doc.mesh.corners.mean(axis=1)
    near = np.hypot(*middle[:, :2].T) < 0.5
    for side, red in ((front, True), (~front, False)):
        colors = seen(doc, middle[side & near], doc.mesh.face_normals[side & near] * 0.001)
        assert (colors[:, 1] < 60).all() == red


def test_faces_moved_to_a_new_surface_take_their_paint_along():
    """The new surface shows what the old one did there; the stack keeps its names; undo puts it back to the bit."""
    mesh = joined(plane(), placed(plane(), move=(0, 2.2, 0), uv_scale=0.4, uv_move=(0, 0)))
    mesh.uvs[0][: len(mesh.faces) // 2] = mesh.uvs[0][: len(mesh.faces) // 2] * 0.4 + 0.5
    doc = painted(mesh)
    points, normals = places(mesh, 800)
    before = seen(doc, points, normals)
    state = doc.state()
    name = doc.assign_faces(np.arange(len(mesh.faces) // 2), name="Lid")
    assert [layer.name for layer in doc.surfaces[name].layers] == ["Coat"]
    assert np.abs(seen(doc, points, normals) - before).max() < 1
    doc.assign_faces(np.arange(len(mesh.faces) // 2), "surface")
    assert len(doc.surfaces["Lid"].faces) == 0
    assert np.abs(seen(doc, points, normals) - before).max() < 1
    doc.undo()
    doc.undo()
    assert doc.state() == state
    assert (seen(doc, points, normals) == before).all()


def test_hidden_parts_are_neither_hit_nor_painted():
    """A stroke goes to what lies behind the hidden part, and leaves the part's texels alone."""
    front = placed(plane(), move=(0, 0, 0.3), uv_scale=0.4)
    back = placed(plane(), uv_scale=0.4, uv_move=(0.5, 0.5))
    doc = Document.from_mesh(joined(front, back), "two", (256, 256))
    coat = doc.surfaces["surface"].layers.add("brushed")
    doc.hide_parts([0])
    assert doc.pick(CAMERA, (200, 150)).position[2] == pytest.approx(0)
    doc.stroke(coat, [(200, 150)], CAMERA, Tip(radius=1, unit="world", strength=1), Pigment(base_color="#ff0000"))
    alpha = coat.read("base_color")[..., 3]
    assert alpha[:110, :110].max() == 0
    assert alpha[128:, 128:].max() == 65535
    doc.hide_parts([])
    assert doc.pick(CAMERA, (200, 150)).position[2] == pytest.approx(0.3)


def test_the_chosen_uv_set_is_painted_and_exported():
    """Maps are made for the set, texCoord names it, and the paint moves with the choice."""
    mesh = plane()
    second = (mesh.uvs[0] * 0.5 + 0.25).astype(np.float32)
    doc = painted(mesh.changed(uvs=[mesh.uvs[0], second]))
    points, normals = places(mesh, 500)
    before = seen(doc, points, normals)
    doc.choose_uv_set("surface", 1)
    assert np.abs(seen(doc, points, normals) - before).mean() < 1.5
    with pytest.raises(NightmistError, match="no UV set 2"):
        doc.choose_uv_set("surface", 2)
    from nightmist.document.files.hand_off import glb

    assert b'"texCoord":1' in glb(doc)
    assert not doc.surfaces["surface"].layout.ownership.covered()[:40].any()


def test_start_values_show_where_nothing_is_painted():
    """A changed start value is seen at once, and taken back."""
    doc = Document.from_mesh(plane(), "x", (64, 64))
    doc.set_start("surface", StartValues(base_color=(1, 0, 0), roughness=0.2, metallic=1))
    assert (doc.surfaces["surface"].read("base_color")[0, 0] == [65535, 0, 0, 65535]).all()
    assert doc.surfaces["surface"].read("metallic").min() == 65535
    doc.undo()
    assert doc.surfaces["surface"].read("metallic").max() == 0


def brute_normals(mesh, limit):
    """Corner by corner: the area-weighted mean of faces at that place within an angle of the own."""
    across = np.cross(mesh.corners[:, 1] - mesh.corners[:, 0], mesh.corners[:, 2] - mesh.corners[:, 0])
    unit = across / np.linalg.norm(across, axis=1, keepdims=True)
    found = np.zeros((len(mesh.faces), 3, 3))
    for f in range(len(mesh.faces)):
        for k in range(3):
            at = (np.abs(mesh.corners - mesh.corners[f, k]).max(axis=2) < 1e-6).any(axis=1)
            near = at & (np.degrees(np.arccos(np.clip(unit @ unit[f], -1, 1))) < limit)
            near[f] = True
            mean = across[near].sum(axis=0)
            found[f, k] = mean / np.linalg.norm(mean)
    return found


@pytest.mark.parametrize("angle", [0, 20, 180])
def test_edges_are_as_sharp_as_set(tmp_path, angle):
    """On one of two surfaces, in what is seen and handed off; undone, and kept in a project file; paint is the same."""
    mesh = joined(sphere(10, 6), placed(sphere(10, 6), move=(3, 0, 0)), names=["left", "right"])
    doc = Document.from_mesh(mesh, "balls", (64, 64))
    before = doc.surfaces["left"].read("base_color")
    doc.set_crease("left", angle)
    here = doc.mesh.face_surface == 0
    wanted = brute_normals(doc.mesh, angle)
    normals = doc.shaded_mesh.normals
    assert np.abs(normals[here] - wanted[here]).max() < 1e-5
    np.testing.assert_array_equal(normals[~here], doc.mesh.normals[~here])
    doc.save(tmp_path / "balls.nightmist")
    again = Document.load(tmp_path / "balls.nightmist")
    assert again.surfaces["left"].value.crease == angle
    assert np.abs(np.sort(again.shaded_mesh.normals.ravel()) - np.sort(normals.ravel())).max() < 1e-5
    again.set_crease(None, None)
    assert np.abs(np.sort(again.shaded_mesh.normals.ravel()) - np.sort(doc.mesh.normals.ravel())).max() < 1e-5
    handed = read_model("balls.glb", {"balls.glb": glb(doc)})
    assert np.abs(np.sort(handed.normals.ravel()) - np.sort(normals.ravel())).max() < 1e-3
    np.testing.assert_array_equal(doc.surfaces["left"].read("base_color"), before)
    doc.undo()
    np.testing.assert_array_equal(doc.shaded_mesh.normals, doc.mesh.normals)
    with pytest.raises(NightmistError, match="degrees"):
        doc.set_crease("left", 200)


def test_the_prepare_lines_of_the_design(tmp_path, monkeypatch):
    """They run as written."""
    monkeypatch.chdir(tmp_path)
    (tmp_path / "buoy.glb").write_bytes(write_glb(lantern_buoy()))
    (tmp_path / "buoy-2.glb").write_bytes(write_glb(placed(lantern_buoy(), scale=(1.01, 1.01, 1.01))))
    doc = nm.Document.open("buoy.glb", size=256)
    report = doc.check_uvs()["hull"]
    assert (report.missing, report.flipped, report.overlap, report.outside) == (0, 0, 0, 0)
    assert 0.5 < report.used < 1
    assert report.density[0] < report.density[1] < report.density[2]
    assert 1 <= report.stretch[0] <= report.stretch[1]
    doc.unwrap("hull", method="auto", angle=60, margin=2)
    pairs = doc.mesh.topology.pairs_of(edges_at(doc.mesh, 4000, 0, "loop"))
    doc.unwrap("hull", method="seams", seams=[(int(a), int(b)) for a, b in pairs], margin=2)
    doc.pack("hull", margin=2)
    doc.set_density("hull", 100)
    assert doc.check_uvs()["hull"].density[1] == pytest.approx(100, rel=0.2)
    doc.resize("hull", (256, 512))
    doc.replace_mesh("buoy-2.glb", keep_paint=True)
    assert doc.mesh.bounds[1][1] == pytest.approx(lantern_buoy().bounds[1][1] * 1.01, rel=1e-5)
    assert nm.plan_map_size(distance=3, fov_y=40, picture_height=1080, length=1.2, uv_length=0.9) == 1024
    hit = doc.pick(nm.Camera.look_at((0, 0, 6), (0, 0, 0), 30, (800, 600)), (400, 300))
    assert hit.surface == "hull"
    assert len(doc.select(hit, by="island")) > 100


def test_what_is_refused_or_called_off_changes_nothing():
    """Wrong numbers, faces of nowhere, broken models, a cancel half way: state, pixels and history stay."""
    doc = painted(sphere())
    before, places_before = doc.state(), doc.history.place

    def cancel(what: str, share: float) -> None:
        if share > 0.5:
            raise CancelledError("Called off; nothing was changed.")

    for wrong in (
        lambda: doc.unwrap("surface", "sideways"),
        lambda: doc.unwrap("surface", angle=300),
        lambda: doc.unwrap("deck"),
        lambda: doc.unwrap("surface", "seams", seams=[(0, 10**9)]),
        lambda: doc.move_islands("surface", [0], (0, 0, 0, 0, 0, 0)),
        lambda: doc.move_islands("surface", [10**6], (1, 0, 0, 1, 5, 0)),
        lambda: doc.set_density("surface", float("nan")),
        lambda: doc.set_density("surface", 1e9),
        lambda: doc.move_islands("surface", [0], (1, 0, 0, 1, 1e30, 0)),
        lambda: doc.pack("surface", margin=5000),
        lambda: doc.hide_parts([7]),
        lambda: doc.assign_faces([]),
        lambda: doc.mark_seams(10**7, 0),
        lambda: doc.clear_seams(),
        lambda: doc.replace_mesh(files={"a.glb": b"glTF"}),
        lambda: doc.replace_mesh(files={"a.txt": b""}),
        lambda: doc.resize(None, (64, 1 << 20)),
    ):
        with pytest.raises(NightmistError):
            wrong()
    doc.progress = cancel
    with pytest.raises(CancelledError):
        doc.unwrap("surface")
    assert doc.state() == before
    assert doc.history.place == places_before


def test_a_line_that_is_one_already_is_told_and_its_paint_left_alone():
    """Paint that followed what does not move would be rounded once more, in an undo step that shows nothing."""
    doc = Document.from_mesh(placed(drum(radius=0.6), scale=(100, 100, 100)), "drum", (512, 512))
    name, surface = next(iter(doc.surfaces.items()))
    red = Pigment(base_color="#ff0000")
    doc.stroke(surface.layers.add("brushed"), [(150, 200), (260, 210)], FAR, Tip(radius=20), red)
    uv, steps = doc.mesh.uvs[0].reshape(-1, 2), doc.history.place
    for row in np.unique(uv[:, 1])[1:-1]:
        with pytest.raises(NightmistError, match="so already"):
            doc.line_up_points(name, np.flatnonzero(uv[:, 1] == row).tolist(), "across")
    assert doc.history.place == steps


def test_projects_keep_seams_and_polygons(tmp_path):
    """Saved and loaded, seams lie where they were and quads are still quads."""
    doc = Document.practice("ring", 64)
    doc.mark_seams(0, int(np.argmin(doc.mesh.topology.inner[0])), "loop")
    doc.hide_parts([0])
    doc.save(tmp_path / "ring.nightmist")
    again = Document.load(tmp_path / "ring.nightmist")
    assert again.project.hidden_parts == (0,)

    def ends(document):
        return {tuple(sorted(map(tuple, pair))) for pair in document.mesh.positions[document.mesh.seams].tolist()}

    assert ends(again) == ends(doc)
    assert (np.bincount(again.mesh.polygon) == 2).all()


def test_a_zip_of_a_model_is_opened_and_a_bomb_is_not(tmp_path):
    """Folders inside do not matter; what unpacks to too much is refused before it is unpacked."""
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as zipped:
        zipped.writestr("models/plane.glb", write_glb(plane()))
        zipped.writestr("models/readme.txt", "hello")
    (tmp_path / "plane.zip").write_bytes(packed.getvalue())
    assert nm.Document.open(tmp_path / "plane.zip", size=64).surfaces["surface"].size == (64, 64)
    bomb = io.BytesIO()
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as zipped:
        for i in range(9):
            zipped.writestr(f"{i}.bin", bytes(1 << 27))
    with pytest.raises(NightmistError, match="at most"):
        nm.Document.from_files({"bomb.zip": bomb.getvalue()}, 64)
    with pytest.raises(NightmistError, match="damaged"):
        nm.Document.from_files({"cut.zip": packed.getvalue()[:-40]}, 64)


def test_three_hundred_materials_open_and_the_last_is_painted():
    """More surfaces than a byte numbers: report, stage mesh, picture, and a stroke on the last one alone."""
    count = 300
    tiles = [placed(plane(1), move=(3 * (i % 20), 3 * (i // 20), 0)) for i in range(count)]
    doc = Document.from_mesh(joined(*tiles, names=[f"plate {i}" for i in range(count)]), "many", (64, 64))
    layers = {name: surface.layers.add("brushed") for name, surface in doc.surfaces.items()}
    assert not any(report.findings() for report in doc.check_uvs().values())
    assert len(write_mesh(Snapshot.of(doc))) > 300 * 6 * 32
    camera = Camera.look_at((57, 42, 4), (57, 42, 0), 40, (800, 600))
    doc.stroke(layers["plate 299"], [(400, 300)], camera, Tip(radius=20, hardness=1), Pigment(base_color="#ff0000"))
    doc.refresh()
    painted = [i for i in range(count) if (doc.surfaces[f"plate {i}"].read("base_color")[..., 0] > 60000).any()]
    assert painted == [299]
