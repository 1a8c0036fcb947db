"""From samples to places of dabs: even, steady, and the same however samples are batched."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist.core.brush.path import DabPath, Steady


def test_dabs_are_even_and_do_not_depend_on_batches():
    """Along a broken line every seven pixels, whether samples come at once or one by one."""
    samples = [(0.0, 0.0, 0.2), (30.0, 40.0, 0.8), (30.0, 140.0, 1.0), (31.0, 140.0, 0.5)]
    whole = DabPath(lambda sample: 7.0).extend(samples)
    path = DabPath(lambda sample: 7.0)
    single = np.concatenate([path.extend([sample]) for sample in samples])
    assert np.array_equal(whole, single)
    assert np.allclose(whole[:, 5], np.arange(len(whole)) * 7)
    assert len(whole) == 151 // 7 + 1
    for x, y, pressure, *_, length in whole:
        if length <= 50:
            assert np.allclose((x, y, pressure), (0.6 * length, 0.8 * length, 0.2 + 0.6 * length / 50))
        elif length <= 150:
            assert np.allclose((x, y, pressure), (30, length - 10, 0.8 + 0.2 * (length - 50) / 100))


def test_the_direction_is_where_the_pen_leans():
    """Blended between samples; an upright pen points to the right; without the option leaning changes nothing."""
    samples = [(0.0, 0.0, 1.0, 0.5, 0.0), (10.0, 0.0, 1.0, 0.0, 0.5), (20.0, 0.0, 1.0, 0.0, 0.0)]
    leaning = DabPath(lambda sample: 5.0, leans=True).extend(samples)
    assert np.allclose(leaning[:, 3:5], [[0.5, 0], [0.25, 0.25], [0, 0.5], [0, 0.25], [1, 0]])
    plain = DabPath(lambda sample: 5.0).extend(samples)
    assert np.allclose(plain[:, 3:5], [1, 0])
    assert np.array_equal(plain[:, :3], leaning[:, :3])


@pytest.mark.parametrize("length", [0.0, 12.0])
def test_a_steadied_point_trails_on_a_string(length):
    """Never farther behind than the string, never moved while it hangs loose; pressure and lean come through."""
    rng = np.random.default_rng(3)
    samples = [(*place, 0.5, 0.1, -0.2) for place in np.cumsum(rng.normal(0, 5, (200, 2)), axis=0)]
    steady = Steady(length)
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
    assert len(DabPath(lambda sample: 3.0, rests=True).extend(still)) == 5
    assert len(DabPath(lambda sample: 3.0).extend(still)) == 1
    waiting = DabPath(lambda sample: 3.0, waits=True)
    assert len(waiting.extend(still)) == 0
    assert len(waiting.end()) == 1
