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

#: Enough to name the islands of any overlap that a painter can act on.
MAX_PAIRS = 1 << 21


@dataclass
class Shared:
    """Faces that share texels, counted as the table's `faces` lists them.

    first, second: (n,) int64, one pair for each owner of a texel beyond its first; at most MAX_PAIRS are told
    apart. texels: how many texels have several owners. covered: how many have any.
    """

    first: NDArray[np.int64]
    second: NDArray[np.int64]
    texels: int
    covered: int


def shared_texels(own: Ownership) -> Shared:
    """Where faces of a surface lie over each other in the map."""
    first = np.full((own.height, own.width), -1, np.int32)
    many = np.zeros(first.shape, np.bool_)
    empty = np.zeros((0, 2), np.int32)
    count = _shared(own.tile_start, own.pieces, own.spans, own.columns, first, many, empty)
    covered = int((first >= 0).sum())
    pairs = np.zeros((min(count, MAX_PAIRS), 2), np.int32)
    if count:
        first[:] = -1
        _shared(own.tile_start, own.pieces, own.spans, own.columns, first, many, pairs)
    return Shared(pairs[:, 0].astype(np.int64), pairs[:, 1].astype(np.int64), int(many.sum()), covered)


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

    island: label of each face of the table. Gaps beyond twice the gutter's reach count as that. The map wraps.
    """
    label = np.full((own.height, own.width), -1, np.int32)
    owner = own.owner()
    label[owner >= 0] = island[owner[owner >= 0]]
    pairs, _ = gutter.by_target
    source = np.arange(own.height * own.width, dtype=np.int32)
    source[pairs[:, 0]] = pairs[:, 1]
    label.ravel()[pairs[:, 0]] = label.ravel()[pairs[:, 1]]
    best, near = 2.0 * gutter.reach, np.zeros(0, np.int64)
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
def _shared(tile_start, pieces, spans, columns, first, many, pairs):  # type: ignore[no-untyped-def]
    """Count owners beyond the first, and write (first, other) where `pairs` has room (call twice)."""
    count = 0
    for t in range(len(tile_start) - 1):
        top, left = (t // columns) * TILE, (t % columns) * TILE
        for p in range(tile_start[t], tile_start[t + 1]):
            for i in range(pieces[p, 4]):
                start, end = spans[pieces[p, 5] + i]
                y = top + pieces[p, 3] + i
                for x in range(left + start, left + end):
                    if first[y, x] < 0:
                        first[y, x] = pieces[p, 0]
                    else:
                        if count < len(pairs):
                            pairs[count, 0], pairs[count, 1] = first[y, x], pieces[p, 0]
                        many[y, x] = True
                        count += 1
    return count
