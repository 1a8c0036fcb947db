"""From pointer samples to places along a stroke: a steadied curve, walked evenly on the screen and the surface."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
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


def curve_piece(
    before: Sample, start: Sample, end: Sample, behind: Sample, longest: float = FLATTENED
) -> NDArray[np.float64]:
    """(n, fields) vertices after `start` up to `end` on the centripetal Catmull-Rom curve through four samples.

    longest: pixels between vertices at most.

    A neighbor that is missing is given by repeating the end next to it. The curve runs through its samples without
    loops or cusps within a piece (Yuksel, Schaefer, Keyser: Parameterization and applications of Catmull-Rom
    curves, 2011); all fields, pressure and tilt too, are blended alike.
    """
    p = np.array([before, start, end, behind], np.float64)
    chord = math.dist(start[:2], end[:2])
    count = min(max(math.ceil(chord / longest), 1), MOST_VERTICES)
    found = np.empty((count, p.shape[1]))
    _catmull_rom(p, found)
    found[-1] = end
    return found


@kernel
def _catmull_rom(p, found):  # type: ignore[no-untyped-def]
    """By the recursion of Barry and Goldman."""
    knots = np.zeros(4)
    # A neighbor at the same place as the end is mirrored: no bend of the curve comes from there.
    if p[0, 0] == p[1, 0] and p[0, 1] == p[1, 1]:
        p[0] = 2 * p[1] - p[2]
    if p[3, 0] == p[2, 0] and p[3, 1] == p[2, 1]:
        p[3] = 2 * p[2] - p[1]
    for i in range(3):
        knots[i + 1] = knots[i] + np.sqrt(np.hypot(p[i + 1, 0] - p[i, 0], p[i + 1, 1] - p[i, 1]))
    t0, t1, t2, t3 = knots
    for j in range(len(found)):
        t = t1 + (t2 - t1) * (j + 1) / len(found)
        for k in range(p.shape[1]):
            a1 = ((t1 - t) * p[0, k] + (t - t0) * p[1, k]) / (t1 - t0)
            a2 = ((t2 - t) * p[1, k] + (t - t1) * p[2, k]) / (t2 - t1)
            a3 = ((t3 - t) * p[2, k] + (t - t2) * p[3, k]) / (t3 - t2)
            b1 = ((t2 - t) * a1 + (t - t0) * a2) / (t2 - t0)
            b2 = ((t3 - t) * a2 + (t - t1) * a3) / (t3 - t1)
            found[j, k] = ((t2 - t) * b1 + (t - t1) * b2) / (t2 - t1)
        found[j, 2] = min(max(found[j, 2], 0.0), 1.0)


class Curve:
    """The curve through samples, piece by piece as they come; the same however they were batched.

    A piece is certain once the sample behind it is known. Until then its end is a guess, to be drawn and taken back.
    """

    def __init__(self, longest: float = FLATTENED) -> None:
        """longest: pixels between vertices at most."""
        self.longest = longest
        self.samples: list[Sample] = []

    def extend(self, samples: Iterable[Sample]) -> list[NDArray[np.float64]]:
        """The pieces that have become certain; the first one is the press alone."""
        pieces = []
        for sample in samples:
            if self.samples and sample[:2] == self.samples[-1][:2]:
                # A pen that rests: no curve, but what is laid there may grow.
                pieces.append(np.array([sample], np.float64))
                continue
            self.samples.append(sample)
            if len(self.samples) == 1:
                pieces.append(np.array([sample], np.float64))
            elif len(self.samples) >= 3:
                pieces.append(self._piece(-3, -2, -1))
            del self.samples[:-4]
        return pieces

    def guess(self) -> NDArray[np.float64]:
        """The piece to the newest sample as it would be if none came; (0, 0) when there is nothing to guess."""
        return self._piece(-2, -1, -1) if len(self.samples) >= 2 else np.zeros((0, 0))

    def _piece(self, start: int, end: int, behind: int) -> NDArray[np.float64]:
        before = start - 1 if len(self.samples) >= -(start - 1) else start
        samples = self.samples
        return curve_piece(samples[before], samples[start], samples[end], samples[behind], self.longest)


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
