"""UVs for every kind of body: nothing missing, nothing shared, all inside, in true proportions."""

from __future__ import annotations

import numpy as np
import pytest
from bench.rough_bodies import ROUGH_BODIES
from bench.unwrap import bare as xatlas_alone
from bench.unwrap import ours

from nightmist.core.errors import NightmistError
from nightmist.core.mesh import Mesh
from nightmist.core.mesh.bodies import practice_body, torus
from nightmist.core.mesh.by_shape import ShapeAxes, frame_around, unwrap_by_shape
from nightmist.core.mesh.methods import has_uvs, unwrap
from nightmist.core.mesh.seams import edges_at, with_seams
from nightmist.core.mesh.solvers import _Solver, solve
from nightmist.core.mesh.strip import straighten
from nightmist.core.mesh.topology import islands_of, joined_in_map
from nightmist.core.progress import CancelledError, quietly

from ..shapes import fin, grid, joined, placed, plane, plate, soup, sphere, uv_report, walls
from .brute import owners

SIZE = (1024, 1024)


def bare(mesh: Mesh) -> Mesh:
    return mesh.changed(uvs=[])


def holes() -> Mesh:
    whole = plane(8)
    middle = np.abs(whole.corners.mean(axis=1)[:, :2])
    keep = np.flatnonzero(~((middle > 0.2) & (middle < 0.5)).all(axis=1))
    return soup(whole.positions, whole.faces[keep])


def helix() -> Mesh:
    u, v = np.meshgrid(np.linspace(0, 6 * np.pi, 120), np.linspace(0.5, 1, 4))
    return grid(np.stack([v * np.cos(u), u / 10, v * np.sin(u)], 2), np.stack([u, v], 2))


def slivers() -> Mesh:
    """Needles ten thousand times longer than wide, and faces without area, which are dropped."""
    points = [(0, 0, 0)]
    for i in range(12):
        a = i / 12 * 2 * np.pi
        points += [(np.cos(a), np.sin(a), 0), (np.cos(a + 1e-4), np.sin(a + 1e-4), 0.1)]
    faces = [(0, 1 + 2 * i, 2 + 2 * i) for i in range(12)] + [(0, 1, 1), (2, 2, 2)]
    return soup(points, faces)


def scatter() -> Mesh:
    rng = np.random.default_rng(4)
    return soup(rng.normal(size=(180, 3)), np.arange(180).reshape(60, 3))


def fine() -> Mesh:
    return sphere(224, 112)


BODIES = {
    "ball": sphere, "thin plate": plate, "holes": holes, "helix": helix, "slivers": slivers, "no manifold": fin,
    "loose triangles": scatter, "several shells": lambda: joined(sphere(12, 6), placed(sphere(12, 6), (0.3,) * 3)),
    "uneven scale": lambda: placed(sphere(), (0.02, 5, 1)), "one triangle": lambda: soup(np.eye(3), [(0, 1, 2)]),
    "tiny": lambda: placed(sphere(), (1e-5,) * 3), "huge": lambda: placed(sphere(), (1e6,) * 3, (1e7, 0, 0)),
    "fifty thousand triangles": fine,
}  # fmt: skip


def report_of(mesh: Mesh, size=SIZE):
    return uv_report(mesh, size, islands_of(mesh.topology, mesh.uvs[0], np.arange(len(mesh.faces))))


def all_faces(mesh: Mesh, method, size=SIZE, margin=4.0, **rest):
    faces = np.arange(len(mesh.faces))
    return unwrap(mesh, faces, faces, 0, size, method, rest.get("angle", 60), margin, rest.get("frame"), quietly)


@pytest.mark.parametrize("body", BODIES)
def test_automatic_unwrap_of_odd_bodies(body):
    """No face is missing or mirrored, no texel shared, all lies in 0-1, in one density."""
    mesh, _ = all_faces(bare(BODIES[body]()), "auto")
    uv = mesh.uvs[0]
    assert np.isfinite(uv).all()
    assert uv.min() >= 0
    assert uv.max() <= 1
    report = report_of(mesh)
    assert (report.missing, report.overlap, report.outside, report.flipped) == (0, 0, 0, 0)
    if body != "slivers":
        assert report.stretch[0] < 1.3


def test_islands_keep_the_margin():
    """Between texels of different islands lie at least as many free ones as asked for (brute force over pairs)."""
    mesh, _ = all_faces(bare(joined(sphere(12, 6), placed(sphere(12, 6), move=(3, 0, 0)))), "auto", (128, 128), 4)
    island = islands_of(mesh.topology, mesh.uvs[0], np.arange(len(mesh.faces)))
    assert island.max() > 2
    label = np.full((128, 128), -1)
    for face, texels, _, inside in owners(mesh, 128, 128):
        y, x = texels[inside >= 0].T
        label[y, x] = island[face]
    places = np.argwhere(label >= 0)
    kinds = label[label >= 0]
    nearest = np.inf
    for k in range(island.max() + 1):
        mine, others = places[kinds == k], places[kinds > k]
        for point in mine:
            if len(others):
                nearest = min(nearest, np.hypot(*(others - point).T).min())
    assert nearest - 1 >= 4


@pytest.mark.parametrize("angle", [20, 45, 80])
def test_charts_stay_within_the_angle(angle):
    """In every island each face's normal lies within the limit of the island's mean normal."""
    mesh, _ = all_faces(bare(sphere()), "auto", angle=angle)
    island = islands_of(mesh.topology, mesh.uvs[0], np.arange(len(mesh.faces)))
    area = np.linalg.norm(
        np.cross(mesh.corners[:, 1] - mesh.corners[:, 0], mesh.corners[:, 2] - mesh.corners[:, 0]), axis=1
    )
    for k in range(island.max() + 1):
        mine = island == k
        mean = (mesh.face_normals[mine] * area[mine, None]).sum(axis=0)
        cosines = mesh.face_normals[mine] @ (mean / np.linalg.norm(mean))
        assert np.degrees(np.arccos(np.clip(cosines.min(), -1, 1))) < angle + 12


def test_a_box_cut_open_lies_flat_without_distortion():
    """Seams along seven edges unfold a box into one island whose faces keep their shape."""
    points = np.array([(x, y, z) for x in (0, 2) for y in (0, 1) for z in (0, 3)], float)
    quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    faces = [t for a, b, c, d in quads for t in ((a, b, c), (a, c, d))]
    mesh = soup(points, faces)
    cuts = np.array([(0, 4), (1, 5), (2, 6), (3, 7), (4, 6), (4, 5), (5, 7)], np.int32)
    mesh = mesh.changed(seams=cuts)
    mesh, notes = all_faces(mesh, "seams")
    assert notes == []
    report = report_of(mesh)
    assert (report.islands, report.overlap, report.missing, report.flipped) == (1, 0, 0, 0)
    assert report.stretch[1] < 1.001


def test_a_closed_ball_gets_the_cut_it_needs():
    """Without any seam a ball is cut once, said so, and laid flat without overlap."""
    mesh, notes = all_faces(bare(sphere()), "seams")
    assert "1 cuts more" in " ".join(notes)
    report = report_of(mesh)
    assert (report.missing, report.overlap, report.flipped) == (0, 0, 0)


def test_a_ring_and_a_pipe_are_cut_to_disks():
    """Handles and open ends: every piece is laid flat, nothing is shared."""
    a, b = np.meshgrid(np.linspace(0, 2 * np.pi, 33), np.linspace(0, 2 * np.pi, 17))
    torus = np.round(np.stack([(2 + np.cos(b)) * np.cos(a), np.sin(b), (2 + np.cos(b)) * np.sin(a)], 2), 6)
    torus[:, -1], torus[-1] = torus[:, 0], torus[0]
    u, v = np.meshgrid(np.linspace(0, 2 * np.pi, 25), np.linspace(0, 3, 7))
    pipe = np.round(np.stack([np.sin(u), v, np.cos(u)], 2), 6)
    pipe[:, -1] = pipe[:, 0]
    for points in (torus, pipe):
        mesh, _ = all_faces(bare(grid(points, np.zeros((*points.shape[:2], 2)))), "seams")
        report = report_of(mesh)
        assert (report.missing, report.overlap) == (0, 0)


def test_two_seams_make_two_pieces_of_a_pipe():
    """Marked loops part the surface where they run."""
    u, v = np.meshgrid(np.linspace(0, 2 * np.pi, 25), np.linspace(0, 3, 7))
    points = np.round(np.stack([np.sin(u), v, np.cos(u)], 2), 6)
    points[:, -1] = points[:, 0]
    mesh = bare(grid(points, np.zeros((7, 25, 2))))
    topology = mesh.topology
    ends = np.unique(mesh.positions, axis=0)
    middle = next(
        (f, s) for f in range(len(mesh.faces)) for s in range(3)
        if not topology.inner[f, s]
        and abs(mesh.corners[f, s, 1] - 1.5) < 1e-5 and abs(mesh.corners[f, (s + 1) % 3, 1] - 1.5) < 1e-5
    )  # fmt: skip
    loop = edges_at(mesh, *middle, "loop")
    assert (len(loop), len(ends)) == (24, 7 * 24)
    mesh, _ = all_faces(with_seams(mesh, loop, True), "seams")
    report = report_of(mesh)
    assert (report.islands, report.overlap) == (2, 0)
    assert report.stretch[1] < 1.02  # a pipe unrolls without distortion


def test_a_cylinder_unrolls_to_its_real_lengths():
    """Width 2πr and the height, to 1 %, whatever uneven scale the model had."""
    radius, height = 1.5, 4.0
    u, v = np.meshgrid(np.linspace(0, 2 * np.pi, 129), np.linspace(0, 1, 9))
    points = np.stack([radius * np.sin(u), height * v, radius * np.cos(u)], 2)
    points[:, -1] = points[:, 0]
    mesh = grid(np.round(points, 6), np.zeros((9, 129, 2)))
    corners = unwrap_by_shape(mesh, np.arange(len(mesh.faces)), "cylinder", frame_around(mesh.corners))
    span = np.ptp(corners.reshape(-1, 2), axis=0)
    assert span == pytest.approx([2 * np.pi * radius, height], rel=0.01)
    # No face bridges the seam: none is wider than its share of the turn.
    assert np.ptp(corners[..., 0], axis=1).max() == pytest.approx(2 * np.pi * radius / 128, rel=0.01)


def test_planar_and_box_are_true_to_size():
    """Seen along an axis, lengths across it are the model's own; a box's sides lie apart."""
    mesh = placed(plane(4), (3, 0.5, 1))
    corners = unwrap_by_shape(mesh, np.arange(len(mesh.faces)), "planar", frame_around(mesh.corners))
    assert np.ptp(corners.reshape(-1, 2), axis=0) == pytest.approx([6, 1])
    made, _ = all_faces(bare(sphere()), "box")
    report = report_of(made)
    assert (report.overlap, report.flipped, report.missing) == (0, 0, 0)
    assert report.islands >= 6


@pytest.mark.parametrize("method", ["cylinder", "sphere", "planar"])
def test_what_would_leave_no_area_is_refused(method):
    """A flat wall through its own middle, or seen edge-on; a box is taken, though some of its sides lie on lines."""
    wall = plane()
    everything = np.arange(len(wall.faces))
    frame = (
        frame_around(wall.corners, "x")
        if method != "planar"
        else ShapeAxes(center=(0, 0, 0), right=(0, 0, 1), up=(0, 1, 0))
    )
    with pytest.raises(NightmistError, match="on a line"):
        unwrap(wall, everything, everything, 0, (256, 256), method, 60, 8, frame, quietly)
    box = practice_body("box")
    everything = np.arange(len(box.faces))
    made, notes = unwrap(box, everything, everything, 0, (256, 256), method, 60, 8, None, quietly)
    assert has_uvs(made, everything)
    # Of its six sides a plane sees four edge-on.
    assert [note.split()[0] for note in notes] == (["67%"] if method == "planar" else [])


def test_a_sphere_has_no_torn_faces_at_seam_and_poles():
    """Every face spans less than half a turn, and poles take the mean of their neighbors."""
    corners = unwrap_by_shape(sphere(), np.arange(len(sphere().faces)), "sphere", frame_around(sphere().corners))
    assert np.ptp(corners[..., 0], axis=1).max() < np.pi / 6
    assert np.isfinite(corners).all()


def bent_strip():
    """A band of quads that turns a corner and climbs, with columns of different lengths."""
    lengths = np.array([0.3, 0.5, 1.2, 0.4, 0.8, 0.2])
    turn = np.cumsum([0, 0.2, 0.5, 0.1, 0.7, 0.3])
    path = np.concatenate(
        [[[0, 0]], np.cumsum(np.column_stack([np.cos(turn), np.sin(turn)]) * lengths[:, None], axis=0)]
    )
    widths = np.array([0, 0.25, 0.85, 1.0])
    points = np.stack([np.column_stack([path, np.full(7, -w)]) for w in widths])
    return grid(points, np.zeros((4, 7, 2))), lengths, np.diff(widths)


def test_a_bent_strip_becomes_an_even_grid():
    """Columns and rows are straight, and as wide as the real edges, within 1 %."""
    mesh, lengths, widths = bent_strip()
    corners = straighten(mesh, np.arange(len(mesh.faces)))
    across, down = (np.unique(np.round(corners[..., k], 6)) for k in (0, 1))
    sides = sorted([np.diff(across), np.diff(down)], key=len)
    assert len(across) * len(down) == 28
    assert min(np.abs(sides[0] - widths).max(), np.abs(sides[0] - widths[::-1]).max()) < 0.01 * widths.min()
    assert min(np.abs(sides[1] - lengths).max(), np.abs(sides[1] - lengths[::-1]).max()) < 0.01 * lengths.min()


def ring() -> Mesh:
    points, _ = torus(16, 8)
    return bare(grid(np.round(points, 6), np.zeros((*points.shape[:2], 2))))


def opened(mesh: Mesh, leader: int | None = None) -> np.ndarray:
    """(F, 3): sides of polygons at which an even grid of all faces is cut."""
    corners = straighten(mesh, np.arange(len(mesh.faces)), leader)
    return ~joined_in_map(mesh.topology, corners, 1e-9) & ~mesh.topology.inner


def test_an_even_grid_is_cut_where_seams_are_marked_and_nowhere_else():
    """A ring with a loop marked each way opens there, wherever the walk begins."""
    mesh = ring()
    outer = [side for side in range(3) if not mesh.topology.inner[40, side]]
    loops = [edges_at(mesh, 40, side, "loop") for side in outer[:2]]
    assert sorted(map(len, loops)) == [8, 16]
    marked = with_seams(mesh, np.concatenate(loops), True)
    seam = np.isin(marked.topology.edge, marked.topology.edges_between(marked.seams))
    for leader in (None, 0, 77, 200):
        assert (opened(marked, leader) == seam).all()


@pytest.mark.parametrize("turns", range(4))
def test_an_even_grid_lies_in_the_map_as_its_leader_does(turns):
    """A flat strip whose middle quad is turned by quarters: all of it is, whichever corners its quads begin with."""
    s = np.linspace(0, 1, 4)
    x, y = np.meshgrid(5 * s, s[:2])
    mesh = grid(np.stack([x, 1 - y, 0 * x], 2), 0.2 + 0.5 * np.stack([x / 5, y], 2))
    faces = np.arange(len(mesh.faces))
    leader = np.flatnonzero(mesh.polygon == mesh.polygon[2])
    quarter = np.linalg.matrix_power(np.array([[0.0, -1.0], [1.0, 0.0]]), turns)
    turned = mesh.uvs[0].copy()
    turned[leader] = turned[leader] @ quarter.T
    rolled = mesh.changed(faces=mesh.faces.copy(), uvs=[turned])
    for face in faces[::2]:
        rolled.faces[face], rolled.uvs[0][face] = np.roll(rolled.faces[face], 1), np.roll(rolled.uvs[0][face], 1, 0)
    made, _ = unwrap(rolled, faces, faces, 0, SIZE, "grid", 60, 4.0, None, quietly, leader=int(leader[0]))
    before, after = turned[leader].reshape(-1, 2), made.uvs[0][leader].reshape(-1, 2)
    # The same up to a place and a scale along each axis.
    for axis in (0, 1):
        assert np.corrcoef(before[:, axis], after[:, axis])[0, 1] > 0.999
    wide, tall = np.ptp(made.uvs[0].reshape(-1, 2), axis=0)
    assert wide / tall == pytest.approx(15 if turns % 2 == 0 else 1 / 15, rel=0.02)


def test_an_even_grid_spreads_from_its_leader():
    """Without seams a ring opens as far from the leader as can be: all sides of its quad are joined."""
    mesh = ring()
    for leader in (5, 120, 201):
        cut = opened(mesh, leader)
        quad = mesh.polygon == mesh.polygon[leader]
        assert cut.any()
        assert not cut[quad].any()


def test_only_quads_can_be_straightened():
    """A fan of triangles says why not, and what to do."""
    mesh = soup([(0, 0, 0), (1, 0, 0), (0.3, 1, 0), (-0.8, 0.6, 0.9)], [(0, 1, 2), (0, 2, 3)])
    with pytest.raises(NightmistError, match="four-sided"):
        all_faces(mesh, "grid")


def test_picked_faces_are_unwrapped_beside_the_others():
    """Islands of other faces stay to the bit when there is room, and nothing is shared."""
    mesh = joined(placed(plane(), uv_scale=0.4), placed(sphere(), move=(4, 0, 0)))
    picked = np.flatnonzero(mesh.corners.mean(axis=1)[:, 0] > 2)
    made, _ = unwrap(mesh, picked, np.arange(len(mesh.faces)), 0, SIZE, "auto", 60, 8, None, quietly)
    others = np.setdiff1d(np.arange(len(mesh.faces)), picked)
    assert (made.uvs[0][others] == mesh.uvs[0][others]).all()
    assert report_of(made).overlap == 0


def test_oblong_maps_are_filled_without_distortion():
    """In a map of 1 : 4 faces keep their shape."""
    mesh, _ = all_faces(bare(sphere()), "auto", (256, 1024))
    report = report_of(mesh, (256, 1024))
    assert (report.overlap, report.outside) == (0, 0)
    assert report.stretch[0] < 1.3
    assert report.used > 0.35


def test_unwrapping_can_be_called_off():
    """Progress may refuse to go on; the library's process ends with it."""
    seen = []

    def stop(what: str, share: float) -> None:
        seen.append(share)
        if share > 0:
            raise CancelledError("enough")

    mesh = bare(fine())
    faces = np.arange(len(mesh.faces))
    with pytest.raises(CancelledError):
        unwrap(mesh, faces, faces, 0, SIZE, "auto", 60, 8, None, stop)
    assert seen
    assert mesh.uvs == []


def test_a_solver_that_crashes_is_followed_by_another(monkeypatch):
    """Ended by a signal as it is asked, it is replaced, and the task done."""
    ask, asked = _Solver.ask, []

    def crashing(solver, task, pieces):
        asked.append(solver.process.pid)
        if len(asked) == 1:
            solver.process.kill()
        return ask(solver, task, pieces)

    monkeypatch.setattr(_Solver, "ask", crashing)
    (flat,) = solve("flatten", [(np.eye(3), np.array([[0, 1, 2]]))], "x", quietly)
    assert len(set(asked)) == 2
    # An equilateral triangle of side √2, as it was.
    sides = np.linalg.norm(flat - np.roll(flat, 1, axis=1), axis=2)
    assert sides == pytest.approx(np.sqrt(2))


def test_a_solver_that_fails_says_so_and_the_next_task_gets_another():
    """The first task fails inside the library's process; a triangle after it comes out in its true size."""
    points, faces = np.array([[0, 0, 0], [3, 0, 0], [0, 4, 0]], float), np.array([[0, 1, 2]])
    with pytest.raises(NightmistError, match=r"failed inside the library \(IndexError"):
        solve("flatten", [(points, faces + 7)], "Laying flat", quietly)
    for _ in range(2):
        (corners,) = solve("flatten", [(points, faces)], "Laying flat", quietly)
        sides = np.linalg.norm(np.roll(corners[0], -1, axis=0) - corners[0], axis=1)
        assert sides == pytest.approx([3, 5, 4])


@pytest.mark.parametrize("method", ["sideways", "auto"])
def test_nonsense_is_refused(method):
    """Unknown ways and impossible margins are told in words."""
    mesh = walls()
    with pytest.raises(NightmistError, match=r"no way|margin"):
        all_faces(mesh, method, margin=-1 if method == "auto" else 4)


@pytest.mark.parametrize("body", ROUGH_BODIES)
def test_a_rough_body_comes_apart_into_few_pieces(body):
    """No more pieces than xatlas makes of it alone, half as much again painted, and no paint stretched badly."""
    mesh = ROUGH_BODIES[body](10_000)
    mine, alone = ours(mesh, 2048), xatlas_alone(mesh, 2048)
    assert mine.pieces <= alone.pieces / 4
    assert mine.share >= 1.5 * alone.share
    assert mine.stretch <= 8


def test_a_rough_body_shares_no_texel():
    mesh = ROUGH_BODIES["blocks"](3_000)
    report = report_of(all_faces(mesh, "auto")[0])
    assert (report.missing, report.overlap, report.outside, report.flipped) == (0, 0, 0, 0)


def test_a_margin_that_eats_the_map_is_made_smaller_and_said():
    """Many small shells in a small map: with the margin asked for next to nothing could be painted."""
    shells = bare(joined(*(placed(sphere(6, 3), move=(3.0 * k, 0, 0)) for k in range(64))))
    made, notes = all_faces(shells, "auto", (256, 256), 16)
    assert any("A margin of 16 px" in note and "2 px" in note for note in notes)
    assert report_of(made, (256, 256)).used > 0.05
