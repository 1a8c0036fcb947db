"""From samples to places of dabs: even, steady, and the same however samples are batched."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from nightmist.core.brush.path import Curve, Stabilizer, Walker


def every(step):
    """A measure that makes a place every so many pixels."""
    return lambda chain: np.hypot(*np.diff(chain[:, :2], axis=0).T) / step


def walked(samples, step=7.0, batch=None, **options):
    """Places along the curve through samples, all at once or so many at a time: x, y, pressure, ahead x, y, length."""
    curve, walker = Curve(), Walker(every(step), **options)
    cut = batch or len(samples)
    found = [walker.extend(curve.extend(samples[first : first + cut])) for first in range(0, len(samples), cut)]
    vertices = curve.guess()
    found.append(walker.extend(vertices) if len(vertices) else walker.end())
    rows = [np.column_stack([p.places, p.pressure, p.ahead, p.length]) for p in found if len(p)]
    return np.concatenate(rows) if rows else np.zeros((0, 6))


def test_places_are_even_and_do_not_depend_on_batches():
    """Along a broken line every seven pixels, whether samples come at once, one by one or by threes."""
    samples = [(0.0, 0.0, 0.2), (30.0, 40.0, 0.8), (30.0, 140.0, 1.0), (31.0, 140.0, 0.5), (90.0, 20.0, 0.1)]
    whole = walked(samples)
    for batch in (1, 2, 3):
        assert np.array_equal(whole, walked(samples, batch=batch))
    assert np.allclose(whole[:, 5], np.arange(len(whole)) * 7)
    assert (whole[:, 2] >= 0).all()
    assert (whole[:, 2] <= 1).all()


def test_a_straight_line_stays_straight():
    """Samples on a line, unevenly far apart: the curve is the line, and pressure runs along it."""
    samples = [(10.0 * x, 20.0 * x, x / 9) for x in (0, 1, 4, 5, 9)]
    found = walked(samples, step=3.0)
    assert np.allclose(found[:, 1], 2 * found[:, 0])
    assert np.allclose(np.diff(found[:, 5]), 3)


def test_the_curve_runs_through_its_samples_as_the_formula_says():
    """One piece against the recursion of Barry and Goldman, written out for a single point."""
    samples = [(0.0, 0.0, 1.0), (40.0, 10.0, 0.5), (60.0, 50.0, 0.2), (50.0, 90.0, 0.9)]
    vertices = Curve().extend(samples)
    ends = [int(np.flatnonzero((vertices == sample).all(axis=1))[0]) for sample in samples[:3]]
    assert ends == [0, 11, len(vertices) - 1]
    second = vertices[ends[1] + 1 :]
    p = [np.array(sample) for sample in samples]
    t = [0.0]
    for a, b in pairwise(p):
        t.append(t[-1] + np.hypot(*(b - a)[:2]) ** 0.5)
    at = t[1] + (t[2] - t[1]) * 3 / len(second)

    def mix(a, b, start, end):
        return a + (b - a) * (at - start) / (end - start)

    once = [mix(p[i], p[i + 1], t[i], t[i + 1]) for i in range(3)]
    twice = [mix(once[i], once[i + 1], t[i], t[i + 2]) for i in range(2)]
    assert np.allclose(second[2], mix(twice[0], twice[1], t[1], t[2]))


def test_a_circle_from_few_samples_is_round():
    """Fourteen samples: off by less than a hundredth of the radius, where the polygon is off by a fortieth."""
    angle = np.linspace(0, 2 * np.pi, 15)
    samples = [(200 + 100 * np.cos(a), 200 + 100 * np.sin(a), 1.0) for a in angle]
    # The two ends have a neighbor on one side only.
    vertices = Curve().extend(samples)
    first, last = (int(np.flatnonzero((vertices == sample).all(axis=1))[-1]) for sample in (samples[1], samples[-3]))
    away = np.hypot(*(vertices[first + 1 : last + 1, :2] - 200).T)
    assert np.abs(away - 100).max() < 1
    polygon = 100 * (1 - np.cos(np.pi / 14))
    assert polygon > 2.4


def test_the_direction_is_where_the_pen_is_tilted():
    """Blended between samples; an upright pen points along the path; without the option tilt changes nothing."""
    samples = [(0.0, 0.0, 1.0, 0.5, 0.0), (10.0, 0.0, 1.0, 0.0, 0.5), (20.0, 0.0, 1.0, 0.0, 0.0)]
    tilted = walked(samples, step=5.0, tilts=True)
    assert np.allclose(tilted[[0, 2, 4], 3:5], [[0.5, 0], [0, 0.5], [1, 0]])
    plain = walked(samples, step=5.0)
    assert np.allclose(plain[:, 3:5], [1, 0])
    assert np.array_equal(plain[:, :3], tilted[:, :3])


@pytest.mark.parametrize("length", [0.0, 12.0])
def test_a_steadied_point_trails_on_a_string(length):
    """Never farther behind than the string, never moved while it hangs loose; pressure and lean come through."""
    rng = np.random.default_rng(3)
    samples = [(*place, 0.5, 0.1, -0.2) for place in np.cumsum(rng.normal(0, 5, (200, 2)), axis=0)]
    steady = Stabilizer(length)
    found = steady.follow(samples)
    before = np.array(found[0][:2])
    for sample, point in zip(samples, found, strict=True):
        at, pointer = np.array(point[:2]), np.array(sample[:2])
        assert point[2:] == sample[2:]
        assert np.linalg.norm(pointer - at) <= length + 1e-9
        if np.linalg.norm(pointer - before) <= length:
            assert (at == before).all()
        before = at
    caught = steady.catch_up()
    assert caught == ([samples[-1]] if length else [])


def test_a_resting_pen_lays_dab_on_dab():
    """Only when asked to; and a path that waits for a direction ends with its one dab."""
    still = [(4.0, 4.0, 1.0)] * 5
    assert len(walked(still, rests=True)) == 5
    assert len(walked(still)) == 1
    assert len(walked(still, waits=True)) == 1
