"""From pointer samples to places of dabs: a steadied path, walked at even spacing as the painter sees it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

import numpy as np
from numpy.typing import NDArray

#: x, y in pixels of the view, pressure 0-1; then, if known, how far a pen leans to the right and down, -1 to 1.
Sample = tuple[float, ...]


class Steady:
    """A point trailing behind the pointer on a string: it stays until the string is taut, then follows (N55)."""

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


class DabPath:
    """Walks along samples as they come in and says where the next dabs are due.

    The remainder of a step is carried from one batch to the next, so the dabs of a stroke do not depend on
    how its samples were batched.
    """

    def __init__(
        self, step: Callable[[Sample], float], rests: bool = False, waits: bool = False, leans: bool = False
    ) -> None:
        """step(sample): distance in pixels from a dab at that sample to the next one.

        rests: a sample at the place of the last one means that the pen rests, and is a dab of its own.
        waits: the first dab is laid only when the path has a direction, which its tip follows. leans: the
        direction is where the pen leans.
        """
        self.step, self.rests, self.waits, self.leans = step, rests, waits, leans
        self.last: Sample | None = None
        self.due = 0.0  # pixels from the last sample to the next dab
        self.length = 0.0
        self.ahead = (1.0, 0.0)

    def extend(self, samples: Iterable[Sample]) -> NDArray[np.float64]:
        """(N, 6) dabs that became due: x, y, pressure, direction x, y, length so far; the first is at the press."""
        dabs: list[tuple[float, ...]] = []
        for sample in samples:
            if self.last is None:
                if not self.waits:
                    dabs.append(self._dab(sample, 0.0))
                self.due = self.step(sample)
            elif self.rests and sample[:2] == self.last[:2]:
                dabs.append(self._dab(sample, self.length))
            else:
                self._walk(self.last, sample, dabs)
            self.last = sample
        return np.array(dabs, np.float64).reshape(-1, 6)

    def end(self) -> NDArray[np.float64]:
        """The dab of a stroke that never went anywhere, if it is still due."""
        due = [self._dab(self.last, 0.0)] if self.waits and self.last is not None and self.length == 0 else []
        return np.array(due, np.float64).reshape(-1, 6)

    def _walk(self, start: Sample, end: Sample, dabs: list[tuple[float, ...]]) -> None:
        length = math.hypot(end[0] - start[0], end[1] - start[1])
        if length > 0:
            first = self.waits and self.length == 0
            self.ahead = ((end[0] - start[0]) / length, (end[1] - start[1]) / length)
            if first:
                dabs.append(self._dab(start, 0.0))
        at = self.due
        while at <= length and length > 0:
            t = at / length
            sample = tuple(a + (b - a) * t for a, b in zip(start, end, strict=True))
            dabs.append(self._dab(sample, self.length + at))
            at += self.step(sample)
        self.due = at - length
        self.length += length

    def _dab(self, sample: Sample, length: float) -> tuple[float, ...]:
        lean = sample[3:5] if self.leans and any(sample[3:5]) else self.ahead
        return (*sample[:3], *lean, length)
