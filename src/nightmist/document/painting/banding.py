"""The path of a plain capped stroke: a band between stations, and a guess of where it goes on."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ...core.brush import Dabs
from ...core.brush.band import (
    COLUMNS,
    LENGTH,
    MET,
    NORMAL,
    POINT,
    PRESSURE,
    RADIUS,
    STEP,
    UNIT,
    Band,
    Rows,
    Stations,
    X,
    Y,
)  # fmt: skip
from ...core.brush.path import FLATTENED, Curve, Sample
from ...core.texels.flat import FLAT_NORMAL
from .touch import Touch

#: Of a taper's length that lies between stations: radii run straight there, and corners of its outline would show.
TAPER_STEP = 1 / 12


class BandPath:
    """Samples in, groups of stations out, one for each mirror image."""

    def __init__(self, touch: Touch) -> None:
        self.touch, self.tip = touch, touch.tip
        self.band = Band(self.tip.taper * TAPER_STEP if self.tip.taper > 0 else math.inf)
        radius = float(touch.radii(np.zeros(1))[0])
        if self.tip.unit == "world":
            radius /= touch.pixel()
        # Between vertices the path cuts corners of the model, so small tips need them nearer.
        self.curve = Curve(min(FLATTENED, max(1.0, STEP * radius)))
        self.laid: list[Stations] = []

    def extend(self, samples: list[Sample]) -> list[Dabs]:
        """Stations that have become certain, and behind them those of a guess, which replaces the one before."""
        pieces, guess = self.curve.extend(samples), self.curve.guess()
        if not pieces:
            return []
        vertices = np.concatenate([*pieces, guess]) if len(guess) else np.concatenate(pieces)
        rows = self._rows(vertices)
        end = len(rows) - len(guess)
        sure, ahead = self.band.extend(rows[:end]), self.band.ahead(rows[end:])
        self.laid.append(sure)
        guessed = np.zeros(len(sure.rows) + len(ahead.rows), np.uint8)
        guessed[len(sure.rows) :] = 1
        both = Stations(np.concatenate([sure.rows, ahead.rows]), np.concatenate([sure.joined, ahead.joined]))
        return self._groups(both, None, guessed)

    def finish(self) -> list[Dabs]:
        """The end of the path, which is certain now."""
        guess = self.curve.guess()
        if not len(guess):
            return []
        self.laid.append(self.band.extend(self._rows(guess), to_the_end=True))
        return self._groups(self.laid[-1], None)

    def again(self) -> Iterator[list[Dabs]]:
        """All of it, now that its length is known."""
        for stations in self.laid:
            yield self._groups(stations, self.band.length)

    def _rows(self, vertices: NDArray[np.float64]) -> Rows:
        touch, camera = self.touch, self.touch.camera
        rows = np.zeros((len(vertices), COLUMNS))
        rows[:, :3] = vertices[:, :3]
        radii = touch.radii(vertices[:, 2])
        if camera is None:
            rows[:, 7:9], rows[:, NORMAL] = vertices[:, :2], FLAT_NORMAL
            rows[:, MET] = rows[:, UNIT] = 1.0
            rows[:, RADIUS] = radii / touch.pixel() if self.tip.unit == "world" else radii
            return rows
        hits = touch.caster.cast(*camera.rays(rows[:, X : Y + 1]))
        met = hits.face >= 0
        rows[:, MET], rows[:, POINT], rows[:, NORMAL] = met, hits.position, touch.caster.facing(hits)
        points = hits.position if met.all() else np.where(met[:, None], hits.position, camera.target)
        unit = rows[:, UNIT] = camera.units_per_pixel(points)
        rows[:, RADIUS] = radii / unit if self.tip.unit == "world" else radii
        return rows

    def _groups(self, stations: Stations, total: float | None, guessed: NDArray[np.uint8] | None = None) -> list[Dabs]:
        rows, touch = stations.rows, self.touch
        if not len(rows):
            return []
        radii = rows[:, RADIUS] * rows[:, UNIT]
        if self.tip.taper > 0:
            radii = radii * touch.tapered(rows[:, LENGTH], total)
        pressure = rows[:, PRESSURE]
        return touch.images(
            Dabs(
                np.ascontiguousarray(rows[:, POINT]), np.ascontiguousarray(rows[:, NORMAL]), radii,
                touch.strengths(pressure), touch.hardness(pressure), self.tip.facing_limit, False, touch.table,
                joined=stations.joined, guessed=guessed,
            )
        )  # fmt: skip
