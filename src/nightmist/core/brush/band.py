"""A plain stroke as a band: which vertices of its path become stations, between which it is laid."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel
from .reach import ALONE, ANCHOR, JOINED

Rows = NDArray[np.float64]

#: Radii between stations: chords shorter than that lie close to any surface a brush fits on.
STEP = 0.5
#: Pixels between stations at least.
LEAST_STEP = 0.5
#: Where the surface goes on farther than this many times the step on the screen, the path has jumped to another place.
JUMP = 16.0
#: Columns of the table of vertices: where in the view, with what pressure, pixels from the press; the radius of the tip
#: and model units of a pixel there; 1 where the model was met, at which point, and its normal.
X, Y, PRESSURE, LENGTH, RADIUS, UNIT, MET = range(7)
POINT, NORMAL = slice(7, 10), slice(10, 13)
COLUMNS = 13


class Stations(NamedTuple):
    """Rows of the table, and how each is laid: `joined` of `coverage.Dabs`."""

    rows: Rows
    joined: NDArray[np.int8]


class Band:
    """Walks along vertices as they come and makes some of them stations; the same however they were batched."""

    def __init__(self, longest: float = math.inf) -> None:
        """longest: pixels between stations at most, where radii change that fast."""
        self.longest = longest
        #: The newest vertex and the newest station, as tables of one row or none.
        self.vertex, self.station = np.zeros((0, COLUMNS)), np.zeros((0, COLUMNS))
        #: Steps since that station.
        self.walked = np.zeros(1)

    @property
    def length(self) -> float:
        """Pixels from the press."""
        return float(self.vertex[0, LENGTH]) if len(self.vertex) else 0.0

    def extend(self, rows: Rows, to_the_end: bool = False) -> Stations:
        """The stations among further vertices, all columns but the length given; the first of all is the press.

        to_the_end: the last vertex is one. Where the path leaves the model its last vertex on it is one too.
        """
        if not len(rows):
            return Stations(rows, np.zeros(0, np.int8))
        table = np.concatenate([self.station, self.vertex, rows])
        anchors, vertices = len(self.station), len(self.vertex)
        chosen, joined = np.empty(len(table), np.int64), np.empty(len(table), np.int8)
        count = _walk(table, anchors, vertices, self.walked, self.longest, to_the_end, chosen, joined)
        self.vertex = table[-1:]
        found = Stations(table[chosen[:count]], joined[:count])
        if count and joined[count - 1] != ANCHOR:
            self.station = found.rows[-1:]
        return found

    def ahead(self, rows: Rows) -> Stations:
        """The stations to the end of vertices that are only guessed: nothing is remembered of them."""
        held = self.vertex, self.station, self.walked.copy()
        found = self.extend(rows, to_the_end=True)
        self.vertex, self.station, self.walked = held
        return found


@kernel
def _walk(table, anchors, vertices, walked, most, to_the_end, chosen, joined):  # type: ignore[no-untyped-def]
    """The table: the station before, if any, the vertex before, if any, and further vertices."""
    count, last = 0, 0 if anchors else -1
    first = anchors + vertices
    for i in range(first, len(table)):
        due = i == len(table) - 1 and to_the_end
        if i == 0:
            due = True
        else:
            before, here = table[i - 1], table[i]
            length = np.hypot(here[X] - before[X], here[Y] - before[Y])
            here[LENGTH] = before[LENGTH] + length
            unit, radius = (here[UNIT] + before[UNIT]) / 2, (here[RADIUS] + before[RADIUS]) / 2
            longest = length
            if here[MET] > 0 and before[MET] > 0:
                away = _apart(before, here) / unit
                if away < JUMP * length:
                    longest = max(length, away)
            walked[0] += longest / max(min(STEP * radius, most), LEAST_STEP)
            if here[MET] == 0 and before[MET] > 0 and (last < 0 or before[LENGTH] > table[last, LENGTH]):
                count, last = _choose(table, i - 1, last, anchors, count, chosen, joined)
                walked[0] = 0.0
            due = due or walked[0] >= 1.0
            due = due and (last < 0 or here[LENGTH] > table[last, LENGTH])
        if due and table[i, MET] > 0:
            count, last = _choose(table, i, last, anchors, count, chosen, joined)
            walked[0] = 0.0
    return count


@kernel
def _choose(table, i, last, anchors, count, chosen, joined):  # type: ignore[no-untyped-def]
    """Make row i a station, with the one of before in front where it is joined to that."""
    near = False
    if last >= 0:
        step = (table[i, LENGTH] - table[last, LENGTH]) * table[i, UNIT]
        near = _apart(table[last], table[i]) <= JUMP * step + 1e-12
    if near and count == 0 and anchors:
        chosen[0], joined[0] = last, ANCHOR
        count = 1
    chosen[count], joined[count] = i, JOINED if near else ALONE
    return count + 1, i


@kernel
def _apart(one, other):  # type: ignore[no-untyped-def]
    return np.sqrt((one[7] - other[7]) ** 2 + (one[8] - other[8]) ** 2 + (one[9] - other[9]) ** 2)
