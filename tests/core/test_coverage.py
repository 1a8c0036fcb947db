"""Dabs against brute force: each texel inside radius and facing limit, none outside, with the right weight."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from nightmist.core.brush import Coverage, Dabs
from nightmist.core.brush.reach import ALONE, ANCHOR, JOINED
from nightmist.core.mesh import Caster
from nightmist.core.texels import TILE
from nightmist.core.texels.facing import facing_of
from nightmist.core.texels.ownership import own_texels

from ..shapes import SHAPES, drum, places_at, plane, plate, sphere
from .brute import by_angle, dab, segment

SIZE = (256, 256)


def dense(coverage: Coverage) -> np.ndarray:
    own = coverage.ownership
    image = np.zeros((own.height, own.width))
    for tile, values in coverage.tiles.items():
        y, x = tile // own.columns * TILE, tile % own.columns * TILE
        image[y : y + TILE, x : x + TILE] = values
    return image


def covered_by(mesh, dabs: Dabs) -> np.ndarray:
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], *SIZE)
    coverage = Coverage(own, facing=facing_of(mesh, mesh.uvs[0], own))
    coverage.add(dabs)
    return dense(coverage)


def one(center, normal, radius, strength=1.0, **more) -> Dabs:
    return Dabs(np.array([center], float), np.array([normal], float), np.array([radius]), np.array([strength]), **more)


@pytest.mark.parametrize("hardness", [0.0, 0.6, 1.0])
@pytest.mark.parametrize("shape", SHAPES)
def test_a_dab_is_the_formula_texel_by_texel(shape, hardness):
    """Several meshes, seams, thin walls, overlaps and repeats: the same as every texel against every face."""
    mesh = SHAPES[shape]()
    hits = Caster(mesh).cast(np.array([[0.31, 0.22, 5.0]]), np.array([[0, 0, -1.0]]))
    center, normal = hits.position[0], hits.normal[0]
    found = covered_by(mesh, one(center, normal, 0.37, hardness=hardness, facing_limit=70))
    wanted, doubt = dab(mesh, *SIZE, center, normal, 0.37, hardness, 70)
    sure = doubt > 1e-5
    assert np.abs(found - wanted)[sure].max() < 2e-4
    assert ((found > 0) == (wanted > 0))[sure & ((wanted == 0) | (wanted > 1e-6))].all()
    assert (wanted > 0).sum() > 100


def test_the_far_side_of_a_thin_plate_stays_clean():
    """The back lies well within the radius and takes nothing; the front does."""
    found = covered_by(plate(), one((0, 0, 0), (0, 0, 1), 0.5, hardness=0.5))
    assert found[:128, :128].max() == 1
    assert found[128:, 128:].max() == 0


@pytest.mark.parametrize(("limit", "joined"), [(45, None), (90, None), (120, None), (60, JOINED), (110, JOINED)])
def test_the_limit_runs_around_a_ball_in_a_line(limit, joined):
    """Of a dab, or of a segment with one normal at both ends, each texel takes what the ball's own angle there says."""
    mesh = sphere(32, 16)
    way = np.array([0.36, 0.48, 0.8])
    dabs = one(way, way, 5.0, hardness=1.0, facing_limit=limit)
    if joined is not None:
        dabs = Dabs(
            np.array([way, way + (0.1, 0, 0)]), np.tile(way, (2, 1)), np.full(2, 5.0), np.ones(2), np.ones(2), limit,
            joined=np.array([ALONE, joined], np.int8),
        )  # fmt: skip
    found = covered_by(mesh, dabs)
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], *SIZE)
    y, x = np.nonzero(own.owner() >= 0)
    # Around the poles it is open, and its faces are slivers.
    away = np.abs(places_at(own, y, x)[:, 1]) < 0.8
    y, x = y[away], x[away]
    places = places_at(own, y, x)
    cosines = places @ way / np.linalg.norm(places, axis=1)
    flat = by_angle(np.einsum("nk,nk->n", own.normals[own.owner()[y, x]], np.tile(way, (len(y), 1))), limit)
    wanted = by_angle(cosines, limit)
    off = np.sqrt(np.mean((found[y, x] - wanted) ** 2))
    assert off < np.sqrt(np.mean((flat - wanted) ** 2)) / 8


def test_a_segment_goes_from_one_limit_to_the_other():
    """Where its normals differ, a texel takes of each by how near it lies to that end."""
    mesh = drum(1.0, 96, 2.0)
    ends = np.array([[0.0, 0.6, 1.0], [0.0, -0.6, 1.0]])
    ways = np.array([[0.0, 0, 1], [1.0, 0, 0]])
    found = covered_by(mesh, Dabs(
        ends, ways, np.full(2, 9.0), np.ones(2), np.ones(2), 60, joined=np.array([ANCHOR, JOINED], np.int8),
    ))  # fmt: skip
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], *SIZE)
    y, x = np.nonzero(own.owner() >= 0)
    places = places_at(own, y, x)
    round_about = places * (1, 0, 1) / np.linalg.norm(places * (1, 0, 1), axis=1)[:, None]
    part = (0.6 - places[:, 1]) / 1.2
    wanted = (1 - part) * by_angle(round_about @ ways[0], 60) + part * by_angle(round_about @ ways[1], 60)
    between = (part > 0.01) & (part < 0.99)
    assert between.sum() > 10_000
    assert np.abs(found[y, x] - wanted)[between].max() < 0.02


@pytest.mark.parametrize("limit", [40, 75, 120])
@pytest.mark.parametrize("shape", [lambda: drum(1.0, 40, 2.0), lambda: sphere(24, 12)])
def test_a_segment_is_the_formula_texel_by_texel(shape, limit):
    """Over round bodies: falloff times the share by angle, of both ends, as float64 has it."""
    mesh = shape()
    ends, ways = np.array([[-0.2, 0.3, 1.0], [0.3, -0.2, 0.9]]), np.array([[-0.2, 0.1, 1.0], [0.6, -0.1, 0.8]])
    ways /= np.linalg.norm(ways, axis=1)[:, None]
    found = covered_by(mesh, Dabs(
        ends, ways, np.full(2, 1.1), np.ones(2), np.zeros(2), limit, joined=np.array([ANCHOR, JOINED], np.int8),
    ))  # fmt: skip
    wanted, doubt = segment(mesh, *SIZE, ends, ways, 1.1, limit)
    sure = doubt > 1e-5
    assert np.abs(found - wanted)[sure].max() < 2e-4
    assert (wanted[sure] > 0.05).sum() > 1000


def test_the_widest_limit_takes_the_back_of_a_plate():
    found = covered_by(plate(), one((0, 0, 0), (0, 0, 1), 0.5, hardness=0.5, facing_limit=180))
    assert found[:128, :128].max() == 1
    assert found[128:, 128:].max() > 0.9


def test_capped_and_built_up_strokes():
    """Dabs on one place: the greatest weight when capped, 1 - (1 - s)^n when building up."""
    center = [(0, 0, 0)] * 5
    same = {"centers": np.array(center, float), "normals": np.tile([0, 0, 1.0], (5, 1)), "radii": np.full(5, 0.3)}
    capped = covered_by(plane(), Dabs(**same, strengths=np.full(5, 0.2), hardness=0.9))
    built = covered_by(plane(), Dabs(**same, strengths=np.full(5, 0.2), hardness=0.9, build_up=True))
    assert capped.max() == pytest.approx(0.2, abs=1e-6)
    assert built.max() == pytest.approx(1 - 0.8**5, abs=1e-6)


def test_changed_rectangles_hold_every_change():
    """Whatever differs after a dab lies in the returned area, so nothing is forgotten on the screen."""
    mesh = plane()
    coverage = Coverage(own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], *SIZE))
    rng = np.random.default_rng(2)
    for _ in range(20):
        before = dense(coverage)
        area = coverage.add(one((*rng.uniform(-1, 1, 2), 0), (0, 0, 1), rng.uniform(0.02, 0.5), hardness=0.3))
        inside = np.zeros_like(before, bool)
        for tile, (top, bottom, left, right) in zip(area.tiles, area.rects, strict=True):
            y, x = tile // 4 * TILE, tile % 4 * TILE
            inside[y + top : y + bottom, x + left : x + right] = True
        assert (dense(coverage) == before)[~inside].all()


def stations(points, radii, joined, hardness=0.4) -> Dabs:
    count = len(points)
    normals = np.tile([0.0, 0.0, 1.0], (count, 1))
    return Dabs(
        np.array(points, float), normals, np.array(radii, float), np.ones(count), np.full(count, hardness),
        joined=np.array(joined, np.int8),
    )  # fmt: skip


def disc_weights(mesh, points, radii, hardness, discs=800):
    """Each texel of a plane map against so many discs on each segment, radius running along: the greatest falloff."""
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], *SIZE)
    owner = own.owner()
    y, x = np.nonzero(owner >= 0)
    places, size = places_at(own, y, x), own.texel_size[owner[y, x]]
    best, square = np.zeros(len(y)), (places**2).sum(axis=1)
    for (a, b), (ra, rb) in zip(pairwise(points), pairwise(radii), strict=True):
        a, b = np.array(a, float), np.array(b, float)
        # Nearer each other towards the ends, where the least radii are.
        for t in (1 - np.cos(np.linspace(0, np.pi, discs))) / 2:
            middle, r = a + t * (b - a), max(ra + (rb - ra) * t, 1e-9)
            near = np.flatnonzero(square - 2 * places @ middle + middle @ middle < r * r)
            away, h = np.linalg.norm(places[near] - middle, axis=1), np.clip(1 - size[near] / r, 0, hardness)
            s = np.clip((away / r - h) / (1 - h), 0, 1)
            best[near] = np.maximum(best[near], 1 - s * s * (3 - 2 * s))
    image = np.zeros((256, 256))
    image[y, x] = best
    return image


@pytest.mark.parametrize("points", [
    [(-0.6, -0.5, 0), (0.1, 0.4, 0), (0.5, -0.3, 0)], [(-0.1, 0, 0), (0, 0.05, 0), (0, 0.05, 0)],
    [(-0.5, 0.1, 0), (0.3, 0.1, 0), (0.3, -0.4, 0)],
])  # fmt: skip
@pytest.mark.parametrize("radii", [(0.3, 0.3, 0.3), (0.1, 0.35, 0.2), (0.4, 0.05, 0.3), (0.02, 0.5, 0.5)])
def test_a_band_is_all_discs_on_its_segments(points, radii):
    """A bent path, even and changing radius, one that hardly moves and rests, one along rows and columns: by texels.

    On faces larger than it, and on faces of six texels, of which most lie wholly within it or wholly behind it.
    """
    wanted = disc_weights(plane(), points, radii, 0.4)
    for cells in (6, 40):
        found = covered_by(plane(cells), stations(points, radii, (ALONE, JOINED, JOINED)))
        assert np.abs(found - wanted).max() < 1e-3


def test_a_band_may_grow_out_of_nothing_and_end_in_a_point():
    """Near its ends, where it is as narrow as a few texels, which disc counts depends on how soft each is."""
    points, radii = [(-0.6, -0.5, 0), (0.1, 0.4, 0), (0.5, -0.3, 0)], (0, 0.3, 0)
    off = np.abs(
        covered_by(plane(), stations(points, radii, (ALONE, JOINED, JOINED)))
        - disc_weights(plane(), points, radii, 0.4)
    )
    assert off.max() < 0.03
    ends = (0.05 + 0.45 * (1 + np.array([points[0], points[2]])[:, :2] * [1, -1])) * 256 - 0.5
    differ = np.argwhere(off > 2e-3)[:, ::-1]
    assert np.linalg.norm(differ[:, None] - ends, axis=2).min(axis=1).max() < 16


def test_an_anchor_lays_nothing_but_what_follows():
    """In two batches a band is what it is in one."""
    points, radii = [(-0.6, -0.5, 0), (0.1, 0.4, 0), (0.5, -0.3, 0)], (0.3, 0.3, 0.3)
    whole = covered_by(plane(), stations(points, radii, (ALONE, JOINED, JOINED)))
    mesh = plane()
    coverage = Coverage(own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], *SIZE))
    coverage.add(stations(points[1:], radii[1:], (ANCHOR, JOINED)))
    assert dense(coverage)[60:80, 60:80].max() == 0
    coverage.add(stations(points[:2], radii[:2], (ALONE, JOINED)))
    assert np.array_equal(dense(coverage), whole)


def test_a_guess_holds_what_exceeds_the_rest_and_is_forgotten():
    """The greater of both is what one coverage of all would hold; cleared, nothing is left of it."""
    mesh = plane()
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], *SIZE)
    coverage, ahead, both = Coverage(own), Coverage(own), Coverage(own)
    points = [(-0.6, -0.5, 0), (0.1, 0.4, 0), (0.1, 0.4, 0), (0.5, -0.3, 0)]
    path = stations(points, (0.3,) * 4, (ALONE, JOINED, ANCHOR, JOINED))
    path.guessed = np.array([0, 0, 1, 1], np.uint8)
    sure, guessed = coverage.add_band(path, ahead)
    both.add(stations(points, (0.3,) * 4, (ALONE, JOINED, ANCHOR, JOINED)))
    assert np.array_equal(np.maximum(dense(coverage), dense(ahead)), dense(both))
    assert ((dense(ahead) == 0) | (dense(ahead) > dense(coverage))).all()
    for held, area in ((coverage, sure), (ahead, guessed)):
        outside = dense(held)
        for tile, (top, bottom, left, right) in zip(area.tiles, area.rects, strict=True):
            y, x = tile // 4 * 64, tile % 4 * 64
            outside[y + top : y + bottom, x + left : x + right] = 0
        assert not outside.any()
    ahead.clear(guessed)
    assert not dense(ahead).any()
