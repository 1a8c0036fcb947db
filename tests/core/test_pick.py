"""What rays find on faces, against places that were mixed from the corners."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist.core.mesh import Caster
from nightmist.core.mesh.pick import barycentric

from ..shapes import plane, sphere


@pytest.mark.parametrize("unit", [0.01, 1.0, 100.0])
def test_weights_are_those_a_place_was_mixed_with(unit):
    rng = np.random.default_rng(3)
    corners = rng.normal(size=(200, 3, 3)) * unit
    weights = rng.dirichlet([1, 1, 1], 200)
    places = np.einsum("nck,nc->nk", corners, weights)
    assert np.abs(barycentric(corners, places) - weights).max() < 1e-9


def test_hits_are_shaded_as_their_corners_say():
    """Rays from within a ball towards random places of its faces: each finds that face, and its normals there."""
    rng = np.random.default_rng(4)
    mesh = sphere(24, 12)
    face = rng.choice(np.flatnonzero(mesh.face_normals.any(axis=1)), 300)
    weights = rng.dirichlet([4, 4, 4], len(face))
    places = np.einsum("nck,nc->nk", mesh.corners[face], weights)
    ways = places / np.linalg.norm(places, axis=1, keepdims=True)
    caster = Caster(mesh)
    hits = caster.cast(np.zeros_like(ways), ways)
    np.testing.assert_array_equal(hits.face, face)
    found, normals = caster.attributes(hits, np.arange(len(face)))
    assert np.abs(found - weights).max() < 1e-6
    wanted = np.einsum("nck,nc->nk", mesh.normals[face].astype(np.float64), weights)
    wanted /= np.linalg.norm(wanted, axis=1, keepdims=True)
    assert np.abs(normals - wanted).max() < 1e-6
    assert np.abs(caster.facing(hits) - wanted).max() < 1e-6


def test_where_normals_only_soften_an_edge_a_face_faces_what_it_does():
    """Corners turned by 20 degrees count; turned by 30 they do not."""
    mesh = plane(2)
    turned = np.radians([20, 30])[np.arange(len(mesh.faces)) % 2]
    normals = mesh.normals.copy()
    normals[:, 0] = np.stack([np.sin(turned), 0 * turned, np.cos(turned)], 1)
    caster = Caster(mesh.changed(normals=normals))
    middles = mesh.corners.mean(axis=1)
    hits = caster.cast(middles + [0, 0, 1.0], np.tile([0, 0, -1.0], (len(middles), 1)))
    wanted = normals.astype(np.float64).mean(axis=1)
    wanted /= np.linalg.norm(wanted, axis=1, keepdims=True)
    wanted[1::2] = 0, 0, 1
    assert np.abs(caster.facing(hits) - wanted).max() < 1e-6
