"""The gallery's light, against the sums written out for each ray."""

from __future__ import annotations

import numpy as np

from nightmist.core.mapping.lighting import LIGHT, Seen
from nightmist.core.mesh import Caster
from nightmist.core.mesh.bodies import practice_body
from nightmist.core.texels.composite_picture import Picture


def test_rays_show_what_they_meet():
    """Two passes over a ball through random texels, some tiles of one color, some rays beside it."""
    ball = practice_body("sphere", 1.0)
    caster, rng = Caster(ball), np.random.default_rng(3)
    color, opacity = Picture(128, 64, (9000, 30000, 60000, 65535)), Picture(128, 64, (0, 40000, 0, 0))
    for picture in (color, opacity):
        picture.hold(np.array([1], np.int32))
        picture.pixels[1] = rng.integers(0, 65536, picture.pixels[1].shape)
    ways = rng.normal([0, 0, -1], 0.05, (500, 3))
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    origins = np.array([0, 0, 6]) + rng.uniform(-0.7, 0.7, (500, 3))
    hits = caster.cast(origins, ways)
    met, going = np.flatnonzero(hits.face >= 0), rng.permutation(500)
    assert 100 < len(met) < 500
    uvs, seen = ball.uvs[0], Seen(500)
    for _ in range(2):
        seen.add(ball, hits, met, ways, going, uvs, color, opacity, 1)

    weights, normals = caster.attributes(hits, met)
    at = np.floor((uvs[hits.face[met]] * weights[..., None]).sum(axis=1) * [128, 64]).astype(int) % [128, 64]
    shade = 0.42 + 0.4 * np.maximum(normals @ LIGHT, 0) + 0.22 * np.abs((normals * ways[met]).sum(axis=1))
    lit = np.minimum(color.read()[at[:, 1], at[:, 0], :3] / 65535 * shade[:, None], 1)
    there = opacity.read()[at[:, 1], at[:, 0], 1] / 65535
    image, through = np.zeros((500, 3)), np.ones(500)
    image[going[met]] = lit * (there * (2 - there))[:, None]
    through[going[met]] = (1 - there) ** 2
    assert len(np.unique(there)) > 20
    assert np.abs(seen.image - image).max() < 1e-5
    assert np.abs(seen.through - through).max() < 1e-5
