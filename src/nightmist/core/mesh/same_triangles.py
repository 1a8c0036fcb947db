"""Which triangles are the same in two lists, whatever their order and whichever corner comes first."""

from __future__ import annotations

from itertools import permutations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

#: New corners as old ones: turned orders first, then those seen from behind.
ORDERS = sorted(permutations(range(3)), key=lambda order: (order[1] - order[0]) % 3 != 1)


def same_triangles(
    old: NDArray[np.float64], new: NDArray[np.float64], tolerance: float, alone: bool = False
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """(G,) for each of (G, 3, k) new triangles one of (F, 3, k) old ones with the same corners, -1 when there is none.

    Also (G, 3): which old corner each new one is. tolerance: how far each coordinate may lie off. alone: only where no
    second old triangle has its middle there. What is not finite is the same as nothing.
    """
    face = np.full(len(new), -1, np.int64)
    order = np.tile(np.arange(3), (len(new), 1))
    usable = np.flatnonzero(np.isfinite(old).all(axis=(1, 2)))
    asking = np.flatnonzero(np.isfinite(new).all(axis=(1, 2)))
    if not len(usable) or not len(asking):
        return face, order
    reach = tolerance * np.sqrt(old.shape[2])
    tree = cKDTree(old[usable].mean(axis=1))
    answer = tree.query(new[asking].mean(axis=1), k=2, distance_upper_bound=reach)
    apart, near = np.asarray(answer[0]), np.asarray(answer[1])
    there = np.isfinite(apart)
    there &= ~(there.all(axis=1, keepdims=True) & alone)
    for choice in range(2):
        open_ = there[:, choice] & (face[asking] < 0)
        here, found = asking[open_], usable[near[open_, choice]]
        for turned in ORDERS:
            fits = (np.abs(new[here] - old[found][:, turned]) <= tolerance).all(axis=(1, 2)) & (face[here] < 0)
            face[here[fits]], order[here[fits]] = found[fits], turned
    return face, order
