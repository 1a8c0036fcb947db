"""What is connected, what is a polygon, where a loop runs."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist.core.mesh.bodies import BODIES, practice_body
from nightmist.core.mesh.polygons import cut_polygon, guessed_polygons
from nightmist.core.mesh.seams import border_of, edges_at, sides_of, with_seams
from nightmist.core.mesh.select import faces_with
from nightmist.core.mesh.topology import islands_everywhere, islands_of

from ..shapes import fin, joined, placed, plane, sphere, uv_report


def test_neighbors_are_those_that_share_an_edge():
    """Against a brute search over all pairs of faces of a closed ball."""
    mesh = sphere(8, 4)
    topology = mesh.topology
    places = [[tuple(p) for p in mesh.positions[face].tolist()] for face in mesh.faces]
    for f, corners in enumerate(places):
        for side in range(3):
            edge = {corners[side], corners[(side + 1) % 3]}
            others = [g for g, c in enumerate(places) if g != f and edge <= set(c)]
            wanted = others[0] if len(others) == 1 else -1
            assert topology.neighbor[f, side] == wanted
            if wanted >= 0:
                back = topology.neighbor_side[f, side]
                assert topology.neighbor[wanted, back] == f


def test_three_walls_at_one_edge_are_not_neighbors():
    """Where more than two faces meet, or two disagree about the outside, nothing is connected."""
    mesh = fin()
    across = {frozenset((f, n)) for f in range(6) for n in mesh.topology.neighbor[f] if n >= 0}
    assert across == {frozenset((0, 1)), frozenset((2, 3)), frozenset((4, 5))}
    twisted = joined(plane(1), placed(plane(1), move=(2, 0, 0), flip=True))
    assert {frozenset((f, n)) for f in range(4) for n in twisted.topology.neighbor[f] if n >= 0} == {
        frozenset((0, 1)),
        frozenset((2, 3)),
    }


def test_islands_end_where_uvs_part():
    """A ball by longitude and latitude is one island; two bodies are two; a cut in the map makes one more."""
    ball = sphere()
    assert islands_of(ball.topology, ball.uvs[0], np.arange(len(ball.faces))).max() == 0
    both = joined(plane(), placed(plane(), move=(3, 0, 0)))
    assert set(islands_of(both.topology, both.uvs[0], np.arange(len(both.faces)))) == {0, 1}
    uv = ball.uvs[0].copy()
    uv[: len(uv) // 2] *= 0.5
    assert islands_of(ball.topology, uv, np.arange(len(ball.faces))).max() == 1


def test_islands_of_all_surfaces_at_once_end_where_surfaces_do():
    """Against each surface by itself: the ball’s UVs run on over borders of surfaces, a cut parts one of them."""
    mesh = joined(sphere(), plane(5))
    uv = np.concatenate([sphere().uvs[0], plane(5).uvs[0]])
    uv[10:40] *= 0.5
    group = np.arange(len(mesh.faces)) // 50
    found = islands_everywhere(mesh.topology, uv, group)
    alone = [islands_of(mesh.topology, uv, np.flatnonzero(group == number)) for number in range(group.max() + 1)]
    one = np.concatenate([number * 1000 + labels for number, labels in enumerate(alone)])
    assert (found[:, None] == found).tolist() == (one[:, None] == one).tolist()
    assert len(np.unique(one)) > len(alone)


def test_guessed_polygons_are_the_quads_that_were_cut():
    """Triangles written two by two for each quad come together again; others stay alone."""
    mesh = plane(5)
    assert (np.bincount(mesh.polygon) == 2).all()
    bent = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    ridge = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0.9, 0.1, 1]], float)
    assert len(set(guessed_polygons(bent, ridge[bent]))) == 2
    arrow = np.array([[0, 0, 0], [2, 0, 0], [0.4, 0.4, 0], [0, 2, 0]], float)
    assert len(set(guessed_polygons(bent, arrow[[[0, 1, 2], [0, 2, 3]]]))) == 2


@pytest.mark.parametrize("points", [
    [(0, 0), (4, 0), (4, 3), (0, 3)],
    [(0, 0), (4, 0), (1, 1), (0, 4)],
    [(0, 0), (4, 0), (4, 4), (2, 1), (0, 4)],
    [(0, 0), (5, 0), (5, 5), (3, 5), (3, 2), (2, 2), (2, 5), (0, 5)],
])  # fmt: skip
def test_polygons_are_cut_without_overlap(points):
    """The triangles' areas, all turned the same way, add up to the polygon's (the shoelace formula)."""
    flat = np.array(points, float)
    triangles = cut_polygon(np.column_stack([flat, flat @ [0.3, 0.2]]))
    signed = [np.cross(flat[b] - flat[a], flat[c] - flat[a]) / 2 for a, b, c in triangles]
    following = np.roll(flat, -1, axis=0)
    whole = (flat[:, 0] * following[:, 1] - flat[:, 1] * following[:, 0]).sum() / 2
    assert min(signed) > 0
    assert sum(signed) == pytest.approx(whole)
    assert len(triangles) == len(points) - 2


def test_a_loop_runs_around_and_closes():
    """On a ring of quads both ways around are loops of the right number of edges; triangulation does not matter."""
    ring = practice_body("ring")
    topology = ring.topology
    lengths = set()
    for side in range(3):
        if not topology.inner[0, side]:
            lengths.add(len(edges_at(ring, 0, side, "loop")))
    assert lengths == {64, 24}
    marked = with_seams(ring, edges_at(ring, 0, int(np.argmin(topology.inner[0])), "loop"), True)
    assert len(marked.seams) in lengths
    assert len(with_seams(marked, edges_at(ring, 0, int(np.argmin(topology.inner[0])), "loop"), False).seams) == 0


def test_a_loop_follows_an_open_border():
    """Around a plane of 6 x 6 quads the rim is one loop of 24 edges, each at the side of one face only."""
    mesh = plane(6)
    face, side = np.argwhere(mesh.topology.neighbor < 0)[0]
    rim = edges_at(mesh, int(face), int(side), "loop")
    assert len(rim) == len(set(rim)) == 24
    places = mesh.positions[mesh.topology.pairs_of(rim)]
    assert (np.abs(places[..., :2]).max(axis=2) == 1).all()
    assert len(sides_of(mesh, rim)) == 24
    assert len(sides_of(mesh, edges_at(mesh, 0, int(np.argmax(mesh.topology.neighbor[0] >= 0)), "edge"))) == 2


def test_the_border_of_faces():
    """A square of 2 × 2 quads inside a plane has a border of 8 edges."""
    mesh = plane(6)
    middle = mesh.corners.mean(axis=1)
    inner = np.flatnonzero((np.abs(middle[:, :2]) < 0.33).all(axis=1))
    assert len(inner) == 8
    assert len(border_of(mesh, inner)) == 8


def test_faces_that_belong_together():
    """A box: a face is a quad, a patch one of its sides, an island too, a part everything."""
    box = practice_body("box")
    sizes = {by: len(faces_with(box, 5, by, box.uvs[0])) for by in ("face", "patch", "island", "part", "surface")}
    assert sizes == {"face": 2, "patch": 128, "island": 128, "part": 768, "surface": 768}


@pytest.mark.parametrize("angle", [0.0, 5.0, 40.0, 120.0])
def test_faces_that_face_the_same_way_lie_within_the_angle(angle):
    """A ball, polygon by polygon against Newell's normal; none of another part is left out."""
    mesh = practice_body("sphere")
    normals = {}
    for number in np.unique(mesh.polygon):
        mean = sum(np.cross(b - a, c - a) for a, b, c in mesh.corners[mesh.polygon == number].astype(float))
        normals[number] = mean / np.linalg.norm(mean)
    middle = normals[mesh.polygon[40]]
    turned = np.array([np.degrees(np.arccos(np.clip(normals[number] @ middle, -1, 1))) for number in mesh.polygon])
    found = np.isin(np.arange(len(mesh.faces)), faces_with(mesh, 40, "facing", mesh.uvs[0], angle))
    near = np.abs(turned - angle) < 0.1
    assert (found == (turned <= angle))[~near].all()
    assert found[mesh.polygon == mesh.polygon[40]].all()


@pytest.mark.parametrize("body", BODIES)
def test_practice_bodies_are_sound(body):
    """No finding at all, closed where they should be, of the size asked for."""
    mesh = practice_body(body, 2.0)
    islands = islands_of(mesh.topology, mesh.uvs[0], np.arange(len(mesh.faces)))
    report = uv_report(mesh, (1024, 1024), islands)
    assert report.findings() == []
    assert report.used > 0.85 or body != "ring"
    low, high = mesh.bounds
    assert (high - low).max() == pytest.approx(2.0, rel=1e-5)
    assert (mesh.topology.neighbor >= 0).all() == (body != "plane")
    assert np.linalg.det(mesh.corners).sum() / 6 > 0.1 or body == "plane"  # its volume: faces look outwards
