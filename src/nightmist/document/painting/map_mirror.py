"""Dabs drawn in a map, and their images under symmetry: by way of the place on the model that a texel stands for."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...core.brush.coverage import Dabs
from ...core.brush.mirror import match_of
from ...core.mesh import Caster
from ...core.mesh.pick import Hits, barycentric
from ...core.texels.ownership import Ownership
from ..derived.layouts import Layout

Rows = NDArray[np.float64]
#: A segment whose ends come to lie this many times farther apart than they were has crossed from island to island.
JUMP = 4.0


class MapMirror:
    """The images of dabs in a map, in it and in those of other surfaces."""

    def __init__(self, layouts: Mapping[str, Layout], caster: Caster, matrices: Rows) -> None:
        """layouts: of the surfaces that take paint, by name."""
        self.layouts, self.caster, self.matrices = layouts, caster, matrices

    def images(self, dabs: Dabs) -> Iterator[Dabs]:
        """All but the dabs themselves, where the body has a match on one of the surfaces."""
        own = self.layouts[dabs.sheet or ""].ownership
        if not len(own.faces):
            return
        placed = [own.place_at(x, y) for x, y in dabs.centers[:, :2]]
        on = np.array([place is not None for place in placed], np.bool_)
        owner, x, y = (np.array([place[i] if place else 0 for place in placed]) for i in range(3))
        sides = own.matrices[owner]
        points = sides[:, :3] * x[:, None] + sides[:, 3:6] * y[:, None] + sides[:, 6:]
        for number, matrix in enumerate(self.matrices[1:], 1):
            turn = matrix[:, :3]
            hits, good = match_of(self.caster, points @ turn.T + matrix[:, 3], own.normals[owner] @ turn.T)
            where = _Where(own, owner, turn, hits, good & on)
            for place, name in enumerate(self.layouts):
                yield from self._images_in(name, dabs, where, (number, place))

    def _images_in(self, name: str, dabs: Dabs, where: _Where, track: tuple[int, ...]) -> Iterator[Dabs]:
        """Those in one surface's map; what is turned over there apart."""
        layout, (before, owner, turn, hits, good) = self.layouts[name], where
        own = layout.ownership
        if not len(own.faces):
            return
        at = np.minimum(np.searchsorted(own.faces, hits.face), len(own.faces) - 1)
        here, there = before.texel_size[owner], own.texel_size[at]
        good = good & (own.faces[at] == hits.face) & (here > 0) & (there > 0)
        if not good.any():
            return
        face = np.where(good, hits.face, own.faces[0])
        weights = barycentric(self.caster.mesh.corners[face], hits.position)
        centers = np.zeros((len(dabs), 3))
        centers[:, :2] = (layout.uvs[face] * weights[:, :, None]).sum(axis=1) * layout.size
        scale = np.divide(here, there, out=np.ones(len(dabs)), where=good)
        sides = before.matrices[owner]
        over = _turned_over(sides, before.normals[owner]) * np.sign(np.linalg.det(turn))
        over = over * _turned_over(own.matrices[at], own.normals[at]) < 0
        for flip in (False, True):
            kept = good & (over == flip)
            if kept.any():
                ways = _along(sides, own.matrices[at], turn, dabs.tangents)
                yield dabs.image(
                    kept, _jumped(dabs.centers, centers, scale), flip, centers=centers, radii=dabs.radii * scale,
                    tangents=ways, track=(*track, int(flip)), sheet=name,
                )  # fmt: skip


class _Where(NamedTuple):
    """Of dabs in a map: the faces below them, the turn of an image, and where that meets the model, if it does."""

    own: Ownership
    owner: NDArray[np.int64]
    turn: Rows
    hits: Hits
    good: NDArray[np.bool_]


def _jumped(before: Rows, after: Rows, scale: Rows) -> NDArray[np.bool_]:
    """(n,) whether an image lies far from the one before it, where the dabs themselves did not."""
    went, gone = (np.linalg.norm(np.diff(at, axis=0, prepend=at[:1]), axis=1) for at in (before, after))
    return np.asarray(gone > JUMP * went * scale + 1)


def _turned_over(sides: Rows, normals: Rows) -> Rows:
    """(n,) -1 where a face is seen from behind in the map, else 1."""
    return np.asarray(np.sign((np.cross(sides[:, :3], sides[:, 3:6]) * normals).sum(axis=1)))


def _along(before: Rows, after: Rows, turn: Rows, tangents: Rows | None) -> Rows | None:
    """(n, 3) unit directions in the map that show on the model what `tangents` do, turned."""
    if tangents is None:
        return None
    space = (before[:, :3] * tangents[:, :1] + before[:, 3:6] * tangents[:, 1:2]) @ turn.T
    a, b = after[:, :3], after[:, 3:6]
    aa, ab, bb = (a * a).sum(axis=1), (a * b).sum(axis=1), (b * b).sum(axis=1)
    pa, pb = (a * space).sum(axis=1), (b * space).sum(axis=1)
    # Least squares in the face's plane.
    found = np.stack([pa * bb - pb * ab, pb * aa - pa * ab, np.zeros(len(pa))], axis=1)
    return np.asarray(found / np.maximum(np.linalg.norm(found, axis=1, keepdims=True), 1e-30))
