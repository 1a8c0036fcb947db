"""Bent frames against lengths measured along their curves, and what rays tell of surfaces of known curvature."""

from __future__ import annotations

import math

import numpy as np
import pytest

from nightmist.core.kernels import kernel
from nightmist.core.mapping.bending import bend_about_axis, bend_about_point, bounds_of, rolled_out, rolled_up
from nightmist.core.mapping.curving import curve_of
from nightmist.core.mesh import Caster

from ..shapes import drum, fin, placed, plane, ring, sphere

BENDS = [bend_about_axis(0.7, 0), bend_about_axis(-0.4, 30), bend_about_point(0.9), bend_about_point(-0.5)]


@kernel
def back(places, bend, found, normals):
    for i in range(len(places)):
        x, y, z, a, b, c = rolled_out(places[i, 0], places[i, 1], places[i, 2], bend)
        found[i, 0], found[i, 1], found[i, 2] = x, y, z
        normals[i, 0], normals[i, 1], normals[i, 2] = a, b, c


@pytest.mark.parametrize("bend", BENDS)
def test_a_place_is_as_far_along_the_curve_as_its_frame_says_and_comes_back(bend):
    rng = np.random.default_rng(1)
    radius = 1 / abs(bend[0])
    places = rng.uniform(-1, 1, (200, 3)) * (1.1 * radius, 1.1 * radius, 0.3 * radius)
    space, normals = rolled_up(places, bend)
    found, fronts = np.empty_like(places), np.empty_like(places)
    back(space, bend, found, fronts)
    assert found == pytest.approx(places, abs=1e-9 * radius)
    assert fronts == pytest.approx(normals, abs=1e-9)
    for place, normal in zip(places, normals, strict=True):
        # The way from the middle, in small steps on the curve itself.
        way, _ = rolled_up(np.linspace(0, 1, 4001)[:, None] * (place * (1, 1, 0)), bend)
        assert np.linalg.norm(np.diff(way, axis=0), axis=1).sum() == pytest.approx(np.hypot(*place[:2]), rel=1e-5)
        foot, _ = rolled_up(place[None] * (1, 1, 0), bend)
        over, _ = rolled_up(place[None], bend)
        assert over[0] - foot[0] == pytest.approx(place[2] * normal, abs=1e-9)


@pytest.mark.parametrize("bend", BENDS)
def test_the_curve_is_a_cylinder_or_a_ball_that_touches_the_frame_in_its_middle(bend):
    rng = np.random.default_rng(2)
    radius = 1 / bend[0]
    space, _ = rolled_up(np.column_stack([rng.uniform(-1, 1, (100, 2)) * abs(radius), np.zeros(100)]), bend)
    if bend[3]:
        away = np.linalg.norm(space + (0, 0, radius), axis=1)
    else:
        away = np.hypot(space[:, :2] @ bend[1:3], space[:, 2] + radius)
    assert away == pytest.approx(abs(radius))


@pytest.mark.parametrize("bend", BENDS)
@pytest.mark.parametrize("size", [(0.3, 0.2, 0.1), (9.0, 0.5, 0.2), (2.0, 7.0, 0.3)])
def test_bounds_hold_all_of_a_bent_box_and_little_more(bend, size):
    rng = np.random.default_rng(3)
    places = rng.uniform(-0.5, 0.5, (40000, 3)) * size
    arc = np.hypot(places[:, 0], places[:, 1]) if bend[3] else np.abs(places[:, :2] @ bend[1:3])
    space, _ = rolled_up(places[arc <= math.pi / abs(bend[0])], bend)
    low, high = bounds_of(np.array(size), bend)
    assert (space >= low).all()
    assert (space <= high).all()
    assert (high - low <= 1.5 * np.ptp(space, axis=0) + 0.1 * np.ptp(space, axis=0).max()).all()


@pytest.mark.parametrize(("mesh", "place", "wanted", "shape"), [
    (drum(1.0, 48), (0, 0, 1), 1.0, "cylindrical"),
    (placed(drum(1.0, 48), scale=(100,) * 3), (0, 0, 100), 0.01, "cylindrical"),
    (placed(drum(1.0, 48), scale=(0.001,) * 3), (0, 0, 0.001), 1000, "cylindrical"),
    (placed(sphere(96, 48), scale=(0.01,) * 3), (0, 0, 0.01), 100, "wrap"),
    (placed(sphere(96, 48), scale=(500,) * 3), (0, 0, 500), 0.002, "wrap"),
    (drum(1.0, 48, lean=40), (0, 0, 1), 1.0, "cylindrical"),
    (drum(1.0, 48, hollow=True), (0, 0, -1), -1.0, "cylindrical"),
    (sphere(96, 48), (0, 0, 1), 1.0, "wrap"),
    (plane(4), (0.1, 0.1, 0), 0.0, "planar"),
    (ring(0.3, 1.0), (0, 0, 1.3), 1 / 0.3, "cylindrical"),
])  # fmt: skip
def test_curvatures_of_known_bodies_are_found(mesh, place, wanted, shape):
    unit = 1 / abs(wanted) if wanted else 1.0
    place = np.array(place, float)
    hit = Caster(mesh).cast((place + (0, 0, 0.1 * unit))[None], np.array([[0.0, 0, -1]]))
    found = curve_of(Caster(mesh), hit.position[0], np.array([0.0, 0, 1]), 0.9 * unit, 0.5 * unit)
    assert found.shape == shape
    curvature = found.about_point if shape == "wrap" else found.about_axis
    assert curvature == pytest.approx(wanted, rel=0.02, abs=1e-9)


def test_the_axis_of_a_leaning_drum_is_found_and_edges_are_no_curves():
    caster = Caster(drum(1.0, 48, lean=40))
    found = curve_of(caster, np.array([0.0, 0, 1]), np.array([0.0, 0, 1]), 0.8, 0.8)
    assert found.lean == pytest.approx(40, abs=0.5)
    edge = drum(1.0, 4)
    assert curve_of(Caster(edge), np.array([0.0, 0, 1]), np.array([0.0, 0, 1]), 0.4, 0.4).shape == "planar"
    assert curve_of(Caster(fin()), np.array([50.0, 0, 0]), np.array([0.0, 0, 1]), 0.4, 0.4).shape == "planar"
