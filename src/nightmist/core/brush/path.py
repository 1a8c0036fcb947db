"""Places dabs along the pointer's path at even spacing, as the painter sees it on the screen."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

import numpy as np
from numpy.typing import NDArray

Sample = tuple[float, float, float]  # x, y in screen pixels, pressure 0-1


class DabPath:
    """Walks along samples as they come in and says where the next dabs are due.

    The remainder of a step is carried from one batch to the next, so the dabs of a stroke do not depend on
    how its samples were batched.
    """

    def __init__(self, step: Callable[[Sample], float]) -> None:
        """step(sample): distance in screen pixels from a dab at that sample to the next one."""
        self.step = step
        self.last: Sample | None = None
        self.due = 0.0  # pixels from the last sample to the next dab

    def extend(self, samples: Iterable[Sample]) -> NDArray[np.float64]:
        """(N, 3) dabs x, y, pressure that became due with these samples; the very first is at the press."""
        dabs: list[Sample] = []
        for sample in samples:
            if self.last is None:
                dabs.append(sample)
                self.due = self.step(sample)
            else:
                self._walk(self.last, sample, dabs)
            self.last = sample
        return np.array(dabs, np.float64).reshape(-1, 3)

    def _walk(self, start: Sample, end: Sample, dabs: list[Sample]) -> None:
        length = math.hypot(end[0] - start[0], end[1] - start[1])
        at = self.due
        while at <= length and length > 0:
            t = at / length
            dab = tuple(a + (b - a) * t for a, b in zip(start, end, strict=True))
            dabs.append(dab)  # type: ignore[arg-type]
            at += self.step(dab)  # type: ignore[arg-type]
        self.due = at - length
