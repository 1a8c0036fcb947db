"""The turn, scale and shift that take one set of points to another (Umeyama 1991)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

#: How far points may lie off, as a share of their extent, and still count as moved all alike.
EXACT = 1e-3
#: The same below which nothing has moved.
STILL = 1e-6


@dataclass(frozen=True)
class Similarity:
    """x goes to scale · turn · x + shift. turn: (3, 3), no reflection. shift: (3,)."""

    turn: NDArray[np.float64]
    scale: float
    shift: NDArray[np.float64]

    def of(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """(…, 3) points where they have gone."""
        moved: NDArray[np.float64] = self.scale * points @ self.turn.T + self.shift
        return moved

    def back(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """(…, 3) points where they came from."""
        before: NDArray[np.float64] = (points - self.shift) @ self.turn / self.scale
        return before


def similarity_between(old: NDArray[np.float64], new: NDArray[np.float64]) -> Similarity | None:
    """How (n, 3) points became others; None where they stayed, or did not all go the same way."""
    extent = float(np.ptp(old, axis=0).max())
    if extent <= 0 or np.abs(new - old).max() <= STILL * extent:
        return None
    from_middle, to_middle = old - old.mean(axis=0), new - new.mean(axis=0)
    u, sizes, v = np.linalg.svd(to_middle.T @ from_middle / len(old))
    signs = np.array([1.0, 1.0, np.sign(np.linalg.det(u) * np.linalg.det(v))])
    turn = (u * signs) @ v
    scale = float((sizes * signs).sum() / (from_middle**2).sum(axis=1).mean())
    found = Similarity(turn, scale, new.mean(axis=0) - scale * turn @ old.mean(axis=0))
    return found if np.abs(found.of(old) - new).max() <= EXACT * extent * max(scale, 1e-9) else None
