"""What a camera sees is drawn as texels are asked about: the same as if all of it had been drawn before."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist.core.mapping import Camera
from nightmist.core.mapping.sight import Sight
from nightmist.core.texels.ownership import own_texels

from ..shapes import joined, placed, ring, sphere

MIRRORED = np.array([[-1.0, 0, 0, 0], [0, 1, 0, 0], [0, 0, 1, 0]])


@pytest.mark.parametrize("matrix", [np.eye(3, 4), MIRRORED], ids=["plain", "mirrored"])
@pytest.mark.parametrize("eye", [(0.4, 0.3, 4.0), (1.5, 0.2, 0.6), (0.1, 0.9, 0.05), (-3, 9, 2)])
def test_drawn_as_it_is_asked_for_or_all_at_once_it_is_the_same(eye, matrix):
    """From afar, from close by, from inside, mirrored: tiles in any order, few of which need all of the view."""
    mesh = joined(placed(sphere(), uv_scale=0.5), placed(ring(0.2, 1.2), uv_scale=0.5, uv_move=(0.5, 0.5)))
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], 512, 512)
    hidden = np.zeros(len(own.faces), np.uint8)
    camera = Camera.look_at(eye, (0.1, 0, 0), 35, (900, 700))
    whole = Sight(camera, mesh)
    whole.draw(np.ones_like(whole.drawn))
    assert whole.drawn.all()
    wanted = whole.mask(own, hidden, matrix)
    tiles = np.random.default_rng(8).permutation(len(own.tile_start) - 1).astype(np.int32)
    drawn = []
    for tile in tiles[:, None]:
        sight = Sight(camera, mesh)
        np.testing.assert_array_equal(sight.mask(own, hidden, matrix).shares(tile), wanted.shares(tile))
        drawn.append(sight.drawn.mean())
    assert min(drawn) == 0
    one = Sight(camera, mesh)
    mask = one.mask(own, hidden, matrix)
    for part in np.array_split(tiles, 7):
        np.testing.assert_array_equal(mask.shares(part), wanted.shares(part))
    # Nothing covers anything for an eye inside the ball.
    assert (wanted.shares(tiles) == 0).any() == (np.linalg.norm(eye) > 1)
