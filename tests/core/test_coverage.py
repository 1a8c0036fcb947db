"""Dabs against brute force: each texel inside radius and facing limit, none outside, with the right weight."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist.core.brush import Coverage, DabPath, Dabs
from nightmist.core.mesh import Caster
from nightmist.core.texels import TILE
from nightmist.core.texels.ownership import own_texels

from ..shapes import SHAPES, plane, plate
from .brute import dab

SIZE = (256, 256)


def dense(coverage: Coverage) -> np.ndarray:
    own = coverage.ownership
    image = np.zeros((own.height, own.width))
    for tile, values in coverage.tiles.items():
        y, x = tile // own.columns * TILE, tile % own.columns * TILE
        image[y : y + TILE, x : x + TILE] = values
    return image


def covered_by(mesh, dabs: Dabs) -> np.ndarray:
    coverage = Coverage(own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], *SIZE))
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


def test_dabs_are_evenly_spaced_however_samples_are_batched():
    """A straight path of 100 px with a step of 7 has dabs at 0, 7, 14 …, in one batch or in many."""
    path = [(x, 0.0, 1.0) for x in np.linspace(0, 100, 23)]
    whole = DabPath(lambda sample: 7.0).extend(path)
    walker = DabPath(lambda sample: 7.0)
    parts = np.concatenate([walker.extend([sample]) for sample in path])
    assert np.allclose(whole[:, 0], np.arange(0, 100, 7))
    assert np.allclose(parts, whole)


def test_pressure_runs_evenly_between_samples():
    """Pressure of a dab is interpolated along the path."""
    dabs = DabPath(lambda sample: 10.0).extend([(0, 0, 0.0), (100, 0, 1.0)])
    assert np.allclose(dabs[:, 2], dabs[:, 0] / 100)
