"""Frames that pictures are projected from: fitted, turned, and gone along with the part to which they belong."""

from __future__ import annotations

import numpy as np
import pytest

import nightmist as nm
from nightmist import Document, NightmistError
from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.mapping.frames import degrees_of, fitted, turn_of
from nightmist.core.mapping.placing import axes_of, roll_of
from nightmist.core.mapping.projections import SHAPES
from nightmist.core.mesh.mesh import build_mesh
from nightmist.core.mesh.similarity import similarity_between

from ..shapes import joined, placed, plane, sphere
from .test_decals import front
from .test_stencils import waves


def test_turns_are_told_in_degrees_and_frames_fit_what_they_lie_around():
    rng = np.random.default_rng(1)
    for degrees in [*rng.uniform(-89, 89, (20, 3)), (30, 90, 20), (10, -90, 0), (0, 0, 180)]:
        turn = turn_of(tuple(degrees))
        assert turn_of(degrees_of(turn)) == pytest.approx(turn, abs=1e-9)
        points = rng.normal(size=(50, 3)) * (3, 1, 0.2)
        position, size = fitted(points, tuple(degrees))
        own = (points - position) @ turn / size
        assert abs(own).max(axis=0) == pytest.approx([0.5, 0.5, 0.5])
    for normal in (*rng.normal(size=(10, 3)), (0, 1, 0), (0, -1, 0)):
        roll = float(rng.uniform(-180, 180))
        assert roll_of(axes_of(normal, roll)) == pytest.approx(roll)


def test_what_moved_alike_is_told_from_what_did_not():
    rng = np.random.default_rng(2)
    old = rng.normal(size=(40, 3))
    turn = turn_of((20, 50, -70))
    found = similarity_between(old, 2.5 * old @ turn.T + (1, 2, 3))
    assert found.turn == pytest.approx(turn)
    assert (found.scale, *found.shift) == pytest.approx((2.5, 1, 2, 3))
    assert similarity_between(old, old) is None
    assert similarity_between(old, old * (1, 1, 1.3)) is None
    assert similarity_between(old, old * (1, 1, -1)) is None


def gone(mesh, turn, scale, shift):
    """A mesh that was moved as a whole in its file."""
    points = (scale * mesh.positions.astype(np.float64) @ turn.T + shift).astype(np.float32)
    return build_mesh(points, mesh.faces, mesh.uvs, None, mesh.face_surface, mesh.face_part, mesh.surfaces, mesh.parts,
                      "moved")  # fmt: skip


@pytest.mark.parametrize("shape", SHAPES[1:])
def test_a_picture_wrapped_onto_a_ball_sticks_when_the_ball_is_moved_in_the_file(shape, tmp_path):
    doc = Document.from_mesh(sphere(24, 12), "one", (256, 256))
    surface = doc.surfaces["surface"]
    frame = nm.Frame(position=(0.1, 0, 0), size=(2, 2.2, 2), turn=(10, 20, 30))
    mapping = nm.Mapping(shape, frame=frame, repeat=(2, 1))
    surface.layers.add("wash", images={"base_color": waves(tmp_path / "waves.png")}, mapping=mapping)
    decals = surface.layers.add("decals")
    decals.place(tmp_path / "waves.png", front(doc, 0.2, 0.1), width=0.5, roll=15, pigment=nm.Pigment(roughness=0.1))
    before = {name: surface.read(name).astype(int) for name in ("base_color", "roughness")}
    mesh = gone(doc.mesh, turn_of((5, 100, -40)), 3.0, (7, -2, 1))
    doc.replace_mesh(files={"moved.glb": write_glb(mesh)})
    own = surface.layout.ownership.covered()
    for name, image in before.items():
        off = abs(surface.read(name).astype(int) - image)[own]
        # Where a box's sides meet, or a seam lies, float32 may decide otherwise for single texels.
        assert (off.reshape(len(off), -1).max(axis=1) > 300).mean() < 0.002, name
    doc.undo()
    assert (surface.read("base_color").astype(int) == before["base_color"]).all()


def test_only_the_part_below_takes_a_decal_along(tmp_path):
    both = joined(plane(2), placed(plane(2), move=(4, 0, 0)), names=["one", "two"])
    doc = Document.from_mesh(both, "both", (128, 128))
    layers = [doc.surfaces[name].layers.add("decals") for name in ("one", "two")]
    path = waves(tmp_path / "waves.png")
    stays, goes = (layers[k].place(path, front(doc, 4.0 * k, 0.0), width=0.5) for k in (0, 1))
    after = joined(plane(2), placed(plane(2), move=(4, 1, 0)), names=["one", "two"])
    doc.replace_mesh(files={"m.glb": write_glb(after)})
    assert stays.frame.position == pytest.approx((0, 0, 0), abs=1e-6)
    assert goes.frame.position == pytest.approx((4, 1, 0), abs=1e-6)


def test_a_washs_frame_is_fitted_to_its_surface_as_it_is_turned():
    doc = Document.from_mesh(placed(sphere(24, 12), scale=(2, 1, 1), move=(5, 0, 0)), "one", (128, 128))
    surface = doc.surfaces["surface"]
    wash = surface.layers.add("wash")
    wash.fit_frame()
    assert wash.mapping.frame.position == pytest.approx((5, 0, 0), abs=0.01)
    assert wash.mapping.frame.size[0] == pytest.approx(4, rel=0.02)
    wash.mapping = wash.mapping.but(frame=wash.mapping.frame.but(turn=(0, 0, 90)))
    wash.fit_frame()
    assert wash.mapping.frame.size[1] == pytest.approx(4, rel=0.02)
    assert wash.mapping.frame.turn == (0, 0, 90)
    with pytest.raises(NightmistError, match="no wash"):
        surface.layers.add("brushed").fit_frame()
