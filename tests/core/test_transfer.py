"""Triangles known again against all pairs, and lost places against where two squares lie."""

from __future__ import annotations

from itertools import permutations

import numpy as np
import pytest

from nightmist.core.mesh.same_triangles import same_triangles
from nightmist.core.texels.ownership import own_texels
from nightmist.core.texels.transfer import lost_places, places_of, texels_of_faces

from ..shapes import overlapped, placed, plane, repeating


def brute(old, new, tolerance):
    """For each new triangle all old ones of which it is an order of corners."""
    orders = [list(order) for order in permutations(range(3))]

    def same(here, there):
        return any(np.abs(here - there[order]).max() <= tolerance for order in orders)

    return [{f for f, there in enumerate(old) if same(here, there)} for here in new]


@pytest.mark.parametrize("axes", [2, 3])
def test_triangles_are_known_again_in_any_order_and_rounding(axes):
    rng = np.random.default_rng(axes)
    old = rng.random((60, 3, axes))
    old[7] = np.nan
    old[9] = old[8][[2, 0, 1]]
    new = np.concatenate([old[rng.permutation(60)], rng.random((20, 3, axes))])
    for each in new:
        each[:] = each[rng.permutation(3)]
    new += rng.uniform(-1, 1, new.shape) * 5e-6
    for alone in (False, True):
        face, order = same_triangles(old, new, 1e-5, alone)
        for here, f, o, wanted in zip(new, face, order, brute(old, new, 1e-5), strict=True):
            assert f in (wanted or {-1}) if not alone or len(wanted) < 2 else f == -1
            assert f < 0 or np.abs(here - old[f][o]).max() <= 1e-5
    assert (face >= 0).sum() == 57


def test_a_triangle_whose_middle_another_shares_is_told_from_it():
    old = np.array([[(0, 0), (3, 0), (0, 3)], [(1, -1), (1, 3), (1, 1)]], float)
    assert same_triangles(old, old, 1e-6)[0].tolist() == [0, 1]


@pytest.mark.parametrize("unit", [0.01, 1, 100])
def test_places_are_lost_where_the_new_square_ends(unit):
    """A square 0.3 narrower that lies 0.04 behind: what lies beside it by more than half of the way there is lost."""
    old = placed(plane(4), scale=(unit,) * 3)
    new = placed(plane(5), scale=(0.7 * unit, unit, unit), move=(0, 0, -0.04 * unit))
    rng = np.random.default_rng(5)
    points = np.column_stack([rng.uniform(-1, 1, (500, 2)), np.zeros(500)]) * unit
    beside = np.maximum(np.abs(points[:, 0]) / unit - 0.7, 0)
    apart = np.hypot(beside, 0.04)
    normals = np.tile((0.0, 0.0, 1.0), (500, 1))
    slack = np.full(500, 0.01 * unit)
    lost = lost_places(old, new, points, normals, np.arange(len(new.faces)), slack)
    # The way back from the new square leads to the place of its border, straight in front.
    assert (lost == (beside > np.maximum(apart / 2, 0.01))).all()
    assert 0.2 < lost.mean() < 0.4
    assert lost_places(old, new, points, normals, np.zeros(0, np.int64), slack).all()
    assert lost_places(old, new, points, -normals, np.arange(len(new.faces)), slack).all()


@pytest.mark.parametrize("shape", [overlapped, repeating])
def test_texels_of_faces_are_listed_once_each_with_their_place_in_space(shape):
    """Also where faces share them, and where UVs run over the map's border: as each face's corners say."""
    mesh = shape()
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], 128, 128)
    chosen = np.arange(len(own.faces)) % 3 != 1
    where = texels_of_faces(own, chosen)
    assert len(np.unique(where[:, :2], axis=0)) == len(where)
    listed = np.zeros((128, 128), bool)
    listed[where[:, 0], where[:, 1]] = True
    assert (listed == own.covered_by(chosen)).all()
    face, points = places_of(own, where)
    assert chosen[face].all()
    uv, corners = mesh.uvs[0][own.faces[face]].astype(float), mesh.corners[own.faces[face]].astype(float)
    # The place's shares of the face's corners, found in space, lead to the texel in the map, but for whole turns.
    sides = corners[:, 1:] - corners[:, :1]
    shares = np.array(
        [np.linalg.lstsq(s.T, p, rcond=None)[0] for s, p in zip(sides, points - corners[:, 0], strict=True)]
    )
    texel = (uv[:, 0] + np.einsum("ns,nsk->nk", shares, uv[:, 1:] - uv[:, :1])) * 128 - 0.5
    assert np.abs((texel - where[:, 1::-1] + 64) % 128 - 64).max() < 1e-3
