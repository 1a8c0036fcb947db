"""From pointer samples to places along a stroke: a steadied curve, walked evenly on the screen and the surface."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel

#: x, y in pixels of the view, pressure 0-1; then, if known, how far a pen is tilted to the right and down, -1 to 1.
Sample = tuple[float, ...]
#: Pixels of the view between the vertices that a curve is flattened to, at most.
FLATTENED = 4.0
#: A tilt below this is none: the pen stands upright.
UPRIGHT = 1e-6
#: Vertices between two samples at most, for hands that are faster than any screen.
MOST_VERTICES = 200


class Stabilizer:
    """A point trailing behind the pointer on a string: it stays until the string is taut, then follows."""

    def __init__(self, length: float) -> None:
        """length: of the string, in pixels; 0 follows exactly."""
        self.length = length
        self.at: tuple[float, ...] | None = None
        self.last: Sample | None = None

    def follow(self, samples: Iterable[Sample]) -> list[Sample]:
        """The trailing point for each sample."""
        found = []
        for x, y, *pen in samples:
            self.last = (x, y, *pen)
            if self.at is None or self.length <= 0:
                self.at = (x, y)
            else:
                away = math.dist(self.at, (x, y))
                if away > self.length:
                    share = 1 - self.length / away
                    self.at = (self.at[0] + (x - self.at[0]) * share, self.at[1] + (y - self.at[1]) * share)
            found.append((*self.at, *pen))
        return found

    def catch_up(self) -> list[Sample]:
        """At the release the point comes to where the pointer is."""
        if self.last is None or self.at == self.last[:2]:
            return []
        self.at = self.last[:2]
        return [self.last]


class Curve:
    """The curve through samples as they come, piece by piece; the same however they were batched.

    A piece is certain once the sample behind it is known. Until then its end is a guess, to be drawn and taken back.
    Pieces are centripetal Catmull-Rom curves, which run through their samples without loops or cusps (Yuksel, Schaefer,
    Keyser: Parameterization and applications of Catmull-Rom curves, 2011); all fields, pressure and tilt too, are
    blended alike. A neighbor that is missing is given by repeating the end next to it.
    """

    def __init__(self, longest: float = FLATTENED) -> None:
        """longest: pixels between vertices at most."""
        self.longest = longest
        #: (n, fields) the newest samples, three at most; a pen that rests gives one.
        self.newest: NDArray[np.float64] | None = None

    def extend(self, samples: Sequence[Sample]) -> NDArray[np.float64]:
        """(n, fields) vertices of the pieces that have become certain; the first of all is the press."""
        if not samples:
            return np.zeros((0, 3))
        fresh = np.array(samples, np.float64)
        known = 0 if self.newest is None else len(self.newest)
        chain = fresh if self.newest is None else np.concatenate([self.newest, fresh])
        found = np.empty((MOST_VERTICES * len(fresh), chain.shape[1]))
        count, held = _pieces(chain, known, self.longest, found)
        self.newest = chain[max(held - 3, 0) : held]
        return found[:count]

    def guess(self) -> NDArray[np.float64]:
        """The piece to the newest sample as it would be if none came; none of it when there is nothing to guess."""
        if self.newest is None:
            return np.zeros((0, 3))
        if len(self.newest) < 2:
            return self.newest[:0]
        found = np.empty((MOST_VERTICES, self.newest.shape[1]))
        return found[: _last_piece(self.newest, self.longest, found)]


@kernel
def _pieces(chain, known, longest, found):  # type: ignore[no-untyped-def]
    """The pieces that further samples of a chain make certain. Returns how many vertices are found, and how many
    samples are left, at the beginning of the chain, of which no two that follow one another lie at one place.
    """
    count, held = 0, known
    for i in range(known, len(chain)):
        if held > 0 and chain[i, 0] == chain[held - 1, 0] and chain[i, 1] == chain[held - 1, 1]:
            # A pen that rests: no curve, but what is laid there may grow.
            found[count] = chain[i]
            count += 1
            continue
        chain[held] = chain[i]
        held += 1
        if held == 1:
            found[0] = chain[0]
            count = 1
        elif held >= 3:
            count += _piece(chain[max(held - 4, 0)], chain[held - 3], chain[held - 2], chain[held - 1], longest,
                            found[count:])  # fmt: skip
    return count, held


@kernel
def _last_piece(newest, longest, found):  # type: ignore[no-untyped-def]
    count = len(newest)
    return _piece(newest[max(count - 3, 0)], newest[count - 2], newest[count - 1], newest[count - 1], longest, found)


@kernel
def _piece(before, start, end, behind, longest, found):  # type: ignore[no-untyped-def]
    """Vertices after `start` up to `end` on the curve through four samples, by the recursion of Barry and Goldman."""
    p = np.empty((4, len(start)))
    p[0], p[1], p[2], p[3] = before, start, end, behind
    count = int(min(max(np.ceil(np.hypot(end[0] - start[0], end[1] - start[1]) / longest), 1.0), float(MOST_VERTICES)))
    knots = np.zeros(4)
    # A neighbor at the same place as the end is mirrored: no bend of the curve comes from there.
    if p[0, 0] == p[1, 0] and p[0, 1] == p[1, 1]:
        p[0] = 2 * p[1] - p[2]
    if p[3, 0] == p[2, 0] and p[3, 1] == p[2, 1]:
        p[3] = 2 * p[2] - p[1]
    for i in range(3):
        knots[i + 1] = knots[i] + np.sqrt(np.hypot(p[i + 1, 0] - p[i, 0], p[i + 1, 1] - p[i, 1]))
    t0, t1, t2, t3 = knots
    for j in range(count):
        t = t1 + (t2 - t1) * (j + 1) / count
        for k in range(p.shape[1]):
            a1 = ((t1 - t) * p[0, k] + (t - t0) * p[1, k]) / (t1 - t0)
            a2 = ((t2 - t) * p[1, k] + (t - t1) * p[2, k]) / (t2 - t1)
            a3 = ((t3 - t) * p[2, k] + (t - t2) * p[3, k]) / (t3 - t2)
            b1 = ((t2 - t) * a1 + (t - t0) * a2) / (t2 - t0)
            b2 = ((t3 - t) * a2 + (t - t1) * a3) / (t3 - t1)
            found[j, k] = ((t2 - t) * b1 + (t - t1) * b2) / (t2 - t1)
        found[j, 2] = min(max(found[j, 2], 0.0), 1.0)
    found[count - 1] = end
    return count


class Placed(NamedTuple):
    """Places along a stroke. Each array has a row for each: x, y; pressure; direction x, y; pixels so far."""

    places: NDArray[np.float64]
    pressure: NDArray[np.float64]
    ahead: NDArray[np.float64]
    length: NDArray[np.float64]

    def __len__(self) -> int:
        return len(self.places)


class Walker:
    """Walks along vertices as they come in and says where the next places are due.

    The remainder of a step is carried from one batch to the next, so the places do not depend on how the vertices
    were batched. Steps are counted by a measure of the path that need not be pixels: see `extend`.
    """

    def __init__(
        self, measure: Callable[[NDArray[np.float64]], NDArray[np.float64]], rests: bool = False, waits: bool = False,
        tilts: bool = False,
    ) -> None:  # fmt: skip
        """measure((n + 1, fields) vertices): (n,) steps that each stretch between two of them is worth.

        rests: a vertex at the place of the last one means that the pen rests, and is a place of its own. waits: the
        first place is due only when the path has a direction, which its tip follows. tilts: the direction is where
        the pen is tilted.
        """
        self.measure, self.rests, self.waits, self.tilts = measure, rests, waits, tilts
        self.last: NDArray[np.float64] | None = None
        self.walked = 0.0  # steps since the last place
        self.length = 0.0
        self.ahead = (1.0, 0.0)
        self.began = False

    def extend(self, vertices: NDArray[np.float64]) -> Placed:
        """The places that became due along further vertices; the first vertex of all is the press."""
        found: list[tuple[NDArray[np.float64], float]] = []
        aheads: list[tuple[float, float]] = []
        if self.last is None:
            if not len(vertices):
                return self._placed(found, aheads)
            self.last, vertices = vertices[0], vertices[1:]
            if not self.waits:
                self._add(found, aheads, self.last, 0.0)
        if not len(vertices):
            return self._placed(found, aheads)
        chain = np.concatenate([self.last[None], vertices])
        lengths = np.hypot(*np.diff(chain[:, :2], axis=0).T)
        steps = self.measure(chain)
        for i, (length, step) in enumerate(zip(lengths, steps, strict=True)):
            self._stretch(chain[i], chain[i + 1], float(length), float(step), found, aheads)
        self.last = chain[-1]
        return self._placed(found, aheads)

    def end(self) -> Placed:
        """The place of a stroke that never went anywhere, if it is still due."""
        found: list[tuple[NDArray[np.float64], float]] = []
        aheads: list[tuple[float, float]] = []
        if self.waits and not self.began and self.last is not None:
            self._add(found, aheads, self.last, 0.0)
        return self._placed(found, aheads)

    def _stretch(
        self, start: NDArray[np.float64], end: NDArray[np.float64], length: float, steps: float,
        found: list[tuple[NDArray[np.float64], float]], aheads: list[tuple[float, float]],
    ) -> None:  # fmt: skip
        if length == 0:
            if self.rests:
                self._add(found, aheads, end, self.length)
            return
        self.ahead = ((end[0] - start[0]) / length, (end[1] - start[1]) / length)
        if self.waits and not self.began:
            self._add(found, aheads, start, 0.0)
        at = 1.0 - self.walked
        while at <= steps:
            share = at / steps
            self._add(found, aheads, start + (end - start) * share, self.length + length * share)
            at += 1.0
        self.walked = steps - at + 1.0
        self.length += length

    def _add(
        self, found: list[tuple[NDArray[np.float64], float]], aheads: list[tuple[float, float]],
        vertex: NDArray[np.float64], length: float,
    ) -> None:  # fmt: skip
        tilt = vertex[3:5]
        found.append((vertex, length))
        aheads.append(
            (float(tilt[0]), float(tilt[1])) if self.tilts and np.abs(tilt).max(initial=0) > UPRIGHT else self.ahead
        )
        self.began = True

    def _placed(self, found: list[tuple[NDArray[np.float64], float]], aheads: list[tuple[float, float]]) -> Placed:
        vertices = np.array([vertex for vertex, _ in found], np.float64) if found else np.zeros((0, 3))
        places, pressure = vertices[:, :2], vertices[:, 2]
        return Placed(places, pressure, np.array(aheads, np.float64).reshape(-1, 2), np.array([at for _, at in found]))
