"""Texels that more than one face owns, and how near islands come to each other."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel
from ..texels.gutter import Gutter
from ..texels.ownership import Ownership
from ..texels.raster import TILE
from .topology import connected

#: Pairs are counted in parts of so many findings; a piece of a tile can make TILE * TILE of them.
PART = 1 << 20


@dataclass
class Shared:
    """Pairs of faces that share texels, counted as the table's `faces` lists them.

    first, second: (n,) int64, each pair once; the first is the one that owns the texel first. common: (n,) int64, in
    how many texels. texels: how many texels have several owners. covered: how many have any.
    """

    first: NDArray[np.int64]
    second: NDArray[np.int64]
    common: NDArray[np.int64]
    texels: int
    covered: int


def shared_texels(own: Ownership) -> Shared:
    """Where faces of a surface lie over each other in the map."""
    first = np.full((own.height, own.width), -1, np.int32)
    many = np.zeros(first.shape, np.bool_)
    found = np.empty((PART, 3), np.int32)
    pairs, common = np.zeros(0, np.int64), np.zeros(0, np.int64)
    piece, faces = 0, len(own.faces)
    while piece < len(own.pieces):
        piece, count = _shared(own.tile_start, own.pieces, own.spans, own.columns, first, many, found, piece)
        part = found[:count].astype(np.int64)
        pairs, place = np.unique(np.concatenate([pairs, part[:, 0] * faces + part[:, 1]]), return_inverse=True)
        common = np.bincount(place, np.concatenate([common, part[:, 2]]), len(pairs)).astype(np.int64)
    covered = int((first >= 0).sum())
    return Shared(pairs // max(faces, 1), pairs % max(faces, 1), common, int(many.sum()), covered)


def pairs_within(
    faces: NDArray[np.int64], labels: NDArray[np.int64], shared: Shared, groups: Iterable[Sequence[int]]
) -> NDArray[np.bool_]:
    """(n,) whether both faces of a pair belong to islands of one group, each island given by one of its faces.

    faces: (m,) of the mesh, as the pairs count them; labels: (m,) their islands.
    """
    one, other = labels[shared.first], labels[shared.second]
    within = np.zeros(len(one), np.bool_)
    order = np.argsort(faces)
    for group in groups:
        wanted = np.asarray(group, np.int64)
        at = order[np.minimum(np.searchsorted(faces[order], wanted), len(faces) - 1)]
        member = np.zeros(int(labels.max()) + 1, np.bool_)
        member[labels[at[faces[at] == wanted]]] = True
        within |= member[one] & member[other]
    return within


def sharing_groups(
    faces: NDArray[np.int64], labels: NDArray[np.int64], shared: Shared, chosen: NDArray[np.bool_]
) -> tuple[tuple[int, ...], ...]:
    """Groups of islands that the chosen pairs connect, each island by its lowest face."""
    one, other = labels[shared.first[chosen]], labels[shared.second[chosen]]
    if not len(one):
        return ()
    count = int(labels.max()) + 1
    lowest = np.full(count, np.iinfo(np.int64).max)
    np.minimum.at(lowest, labels, faces)
    group = connected(count, one, other)
    members = np.unique(np.concatenate([one, other]))
    order = members[np.argsort(group[members], kind="stable")]
    borders = np.flatnonzero(np.diff(group[order])) + 1
    return tuple(tuple(lowest[part].tolist()) for part in np.split(order, borders))


def nearest_islands(own: Ownership, gutter: Gutter, island: NDArray[np.int64]) -> tuple[float, NDArray[np.int64]]:
    """The smallest gap in texels between two islands, and the islands that come that close (within half a texel).

    island: label of each face of the table, below 0 for one that does not count. Gaps beyond twice the gutter's reach
    are infinite. The map wraps.
    """
    label = np.full((own.height, own.width), -1, np.int32)
    owner = own.owner()
    label[owner >= 0] = island[owner[owner >= 0]]
    pairs, _ = gutter.by_target
    source = np.arange(own.height * own.width, dtype=np.int32)
    source[pairs[:, 0]] = pairs[:, 1]
    label.ravel()[pairs[:, 0]] = label.ravel()[pairs[:, 1]]
    best, near = np.inf, np.zeros(0, np.int64)
    found = []
    index = np.arange(own.height * own.width).reshape(own.height, own.width)
    for axis in (0, 1):
        one, other = index, np.roll(index, -1, axis=axis)
        a, b = label.ravel()[one], label.ravel()[other]
        meets = (a >= 0) & (b >= 0) & (a != b)
        one, other = source[one[meets]], source[other[meets]]
        dy = np.abs(one // own.width - other // own.width)
        dx = np.abs(one % own.width - other % own.width)
        dy, dx = np.minimum(dy, own.height - dy), np.minimum(dx, own.width - dx)
        # Free texels between two texels that are d apart: d - 1.
        found.append((np.hypot(dx, dy) - 1, a[meets], b[meets]))
    gaps = np.concatenate([f[0] for f in found])
    if len(gaps):
        best = min(best, float(gaps.min()))
        close = gaps <= best + 0.5
        near = np.unique(np.concatenate([np.concatenate([f[1] for f in found])[close],
                                         np.concatenate([f[2] for f in found])[close]]))  # fmt: skip
    return max(best, 0.0), near.astype(np.int64)


@kernel
def _shared(tile_start, pieces, spans, columns, first, many, found, piece):  # type: ignore[no-untyped-def]
    """From a piece on, write (first, other, texels) for owners beyond the first while there is room.

    Returns the piece to go on with, and how many were written. A pair may be written several times.
    """
    count, t = 0, 0
    while piece < len(pieces) and len(found) - count >= TILE * TILE:
        while tile_start[t + 1] <= piece:
            t += 1
        top, left = (t // columns) * TILE, (t % columns) * TILE
        began = count
        for i in range(pieces[piece, 4]):
            start, end = spans[pieces[piece, 5] + i]
            y = top + pieces[piece, 3] + i
            for x in range(left + start, left + end):
                one = first[y, x]
                if one < 0:
                    first[y, x] = pieces[piece, 0]
                    continue
                many[y, x] = True
                if count > began and found[count - 1, 0] == one:
                    found[count - 1, 2] += 1
                else:
                    found[count, 0], found[count, 1], found[count, 2] = one, pieces[piece, 0], 1
                    count += 1
        piece += 1
    return piece, count
