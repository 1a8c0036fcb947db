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
    place_rows,
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
        vertices, guess = self.curve.extend(samples), self.curve.guess()
        if not len(vertices):
            return []
        return self._go(np.concatenate([vertices, guess]), len(vertices))

    def finish(self) -> list[Dabs]:
        """The end of the path, which is certain now."""
        guess = self.curve.guess()
        return self._go(guess, len(guess), to_the_end=True) if len(guess) else []

    def _go(self, vertices: NDArray[np.float64], certain: int, to_the_end: bool = False) -> list[Dabs]:
        """As `Band.extend` has it."""
        stations = self.band.extend(self._rows(vertices), certain, to_the_end)
        if self.tip.taper > 0:
            self.laid.append(stations.certain())
        return self._groups(stations, None)

    def again(self) -> Iterator[list[Dabs]]:
        """All of it, now that its length is known."""
        for stations in self.laid:
            yield self._groups(stations, self.band.length)

    def _rows(self, vertices: NDArray[np.float64]) -> Rows:
        touch, camera, in_pixels = self.touch, self.touch.camera, self.tip.unit == "px"
        radii = touch.radii(vertices[:, 2])
        if camera is None:
            rows = np.zeros((len(vertices), COLUMNS))
            rows[:, :3] = vertices[:, :3]
            rows[:, 7:9], rows[:, NORMAL] = vertices[:, :2], FLAT_NORMAL
            rows[:, MET] = rows[:, UNIT] = 1.0
            rows[:, RADIUS] = radii if in_pixels else radii / touch.pixel()
            return rows
        rows = np.empty((len(vertices), COLUMNS))
        hits = touch.caster.cast(*camera.rays(vertices))
        place_rows(vertices, radii, in_pixels, hits.face, hits.position, touch.caster.facing(hits), camera.target,
                   *camera.lens, rows)  # fmt: skip
        return rows

    def _groups(self, stations: Stations, total: float | None) -> list[Dabs]:
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
                joined=stations.joined, guessed=stations.guessed,
            )
        )  # fmt: skip
