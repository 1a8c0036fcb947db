"""A plain stroke as a band: which vertices of its path become stations, between which it is laid."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel
from ..mapping.camera import pixel_size
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
    """Rows of the table, how each is laid, `joined` of `coverage.Dabs`, and which are only guessed, 1."""

    rows: Rows
    joined: NDArray[np.int8]
    guessed: NDArray[np.uint8]

    def certain(self) -> Stations:
        """Without those that are guessed, which are the last ones."""
        count = len(self.rows) - int(np.count_nonzero(self.guessed))
        return Stations(self.rows[:count], self.joined[:count], self.guessed[:count])


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

    def extend(self, rows: Rows, certain: int, to_the_end: bool = False) -> Stations:
        """The stations among further vertices, all columns but the length given; the first of all is the press.

        certain: how many of them are; of those behind, which are only guessed, nothing is remembered, and the last one
        is a station. to_the_end: so is the last certain one. Where the path leaves the model its last vertex on it is
        one too.
        """
        table = np.concatenate([self.station, self.vertex, rows])
        first = len(table) - len(rows)
        chosen, joined = np.empty(len(table) + 1, np.int64), np.empty(len(table) + 1, np.int8)
        sure, count = _walk_on(
            table, len(self.station), first, first + certain, self.walked, self.longest, to_the_end, chosen, joined
        )
        self.vertex = table[max(first + certain - 1, 0) : first + certain]
        found = table[chosen[:count]]
        if sure:
            self.station = found[sure - 1 : sure]
        guessed = np.zeros(count, np.uint8)
        guessed[sure:] = 1
        return Stations(found, joined[:count], guessed)


@kernel
def _walk_on(table, anchors, first, end, walked, most, to_the_end, chosen, joined):  # type: ignore[no-untyped-def]
    """The table: the station before, if any, the vertex before, if any, further vertices, and from `end` on guessed
    ones. Returns how many certain stations are chosen, and how many in all.
    """
    sure, last, steps = _walk(table, anchors, first, end, 0, anchors - 1, walked[0], most, to_the_end, chosen, joined)
    walked[0] = steps
    count = sure
    if end < len(table):
        count, _, _ = _walk(table, anchors, end, len(table), sure, last, steps, most, True, chosen, joined)
    return sure, count


@kernel
def _walk(  # type: ignore[no-untyped-def]
    table, anchors, first, end, count, last, walked, most, to_the_end, chosen, joined
):
    """Walk along some of the table. last: the station before, -1 where there is none. walked: steps since then."""
    for i in range(first, end):
        due = i == end - 1 and to_the_end
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
            walked += longest / max(min(STEP * radius, most), LEAST_STEP)
            if here[MET] == 0 and before[MET] > 0 and (last < 0 or before[LENGTH] > table[last, LENGTH]):
                count, last = _choose(table, i - 1, last, anchors, count, chosen, joined)
                walked = 0.0
            due = due or walked >= 1.0
            due = due and (last < 0 or here[LENGTH] > table[last, LENGTH])
        if due and table[i, MET] > 0:
            count, last = _choose(table, i, last, anchors, count, chosen, joined)
            walked = 0.0
    return count, last, walked


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


@kernel
def place_rows(  # type: ignore[no-untyped-def]
    vertices, radii, in_pixels, face, points, normals, target, eye, forward, scale, rows
):
    """Fill rows of the table: vertices, and where the model was met there, `face` -1 where it was not.

    radii: of the tip there, in pixels or model units. target, eye, forward, scale: of the camera, as `pixel_size` has
    them; off the model a pixel is as large as at its target.
    """
    for i in range(len(rows)):
        met = face[i] >= 0
        rows[i, X], rows[i, Y], rows[i, PRESSURE], rows[i, LENGTH] = vertices[i, 0], vertices[i, 1], vertices[i, 2], 0.0
        unit = pixel_size(points[i], eye, forward, scale) if met else pixel_size(target, eye, forward, scale)
        rows[i, RADIUS], rows[i, UNIT], rows[i, MET] = radii[i] if in_pixels else radii[i] / unit, unit, met
        for axis in range(3):
            rows[i, 7 + axis], rows[i, 10 + axis] = points[i, axis], normals[i, axis]
