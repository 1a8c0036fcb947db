"""The path of a stroke whose dabs are meant to be seen: pictures, jitter, build-up, wide spacing, retouching."""

from __future__ import annotations

import colorsys
from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from ...core.brush import Dabs
from ...core.brush.band import JUMP, LEAST_STEP
from ...core.brush.path import Curve, Placed, Sample, Walker
from ...core.texels.flat import FLAT_NORMAL
from ..values import Tip
from .touch import Touch

#: Beyond this share of the diameter dabs are meant to be seen as such.
BAND_SPACING = 0.25
#: Random numbers drawn for each dab, whether used or not, so that every option can be switched alone.
DICE = 6


def is_band(tip: Tip) -> bool:
    """A plain capped stroke is a band: what is near its path, not near its dabs."""
    plain = tip.picture is None and not (tip.jitter_place or tip.jitter_radius or tip.jitter_color)
    return plain and not tip.build_up and tip.spacing < BAND_SPACING


class DabPath:
    """Samples in, groups of dabs out, one for each mirror image; the same seed gives the same dabs."""

    def __init__(self, touch: Touch, seed: int) -> None:
        self.touch, self.tip, self.seed = touch, touch.tip, seed
        self.curve = Curve()
        self.walker = Walker(
            self._measure, rests=self.tip.build_up, waits=self.tip.angle_mode == "along",
            tilts=self.tip.angle_mode == "tilt",
        )  # fmt: skip
        self.placed: list[Placed] = []
        self._restart()

    def _restart(self) -> None:
        self.dice = np.random.default_rng(self.seed)
        self.count = 0

    def extend(self, samples: list[Sample]) -> list[Dabs]:
        """What has become certain; nothing is guessed of dabs."""
        vertices = self.curve.extend(samples)
        return self._go(self.walker.extend(vertices)) if len(vertices) else []

    def finish(self) -> list[Dabs]:
        """The end of the path, which is certain now."""
        guess = self.curve.guess()
        return self._go(self.walker.extend(guess) if len(guess) else self.walker.end())

    def again(self) -> Iterator[list[Dabs]]:
        """All of it with the same dice, now that its length is known."""
        self._restart()
        for placed in self.placed:
            yield self._make(placed, self.walker.length)

    def _go(self, placed: Placed) -> list[Dabs]:
        if not len(placed):
            return []
        self.placed.append(placed)
        return self._make(placed, None)

    def _measure(self, chain: NDArray[np.float64]) -> NDArray[np.float64]:
        """(n,) steps from dab to dab that stretches between (n + 1, fields) vertices are worth.

        Dabs are spaced evenly on the screen or on the surface, whichever is denser.
        """
        touch, camera = self.touch, self.touch.camera
        world, step = self.tip.unit == "world", 2 * self.tip.spacing
        radii = touch.radii(chain[:, 2])
        radius = (radii[1:] + radii[:-1]) / 2
        length = np.hypot(*np.diff(chain[:, :2], axis=0).T)
        if camera is None:
            radius = radius / touch.pixel() if world else radius
            return np.asarray(length / np.maximum(step * radius, LEAST_STEP))
        hits = touch.caster.cast(*camera.rays(chain[:, :2]))
        hit = hits.face >= 0
        unit = camera.units_per_pixel(np.where(hit[:, None], hits.position, np.asarray(camera.target)))
        unit = (unit[1:] + unit[:-1]) / 2
        radius = radius / unit if world else radius
        away = np.linalg.norm(np.diff(hits.position, axis=0), axis=1) / unit
        walks = hit[1:] & hit[:-1] & (away < JUMP * length)
        longest = np.maximum(length, np.where(walks, away, 0.0))
        return np.asarray(longest / np.maximum(step * radius, LEAST_STEP))

    def _make(self, placed: Placed, total: float | None) -> list[Dabs]:
        """Dabs for places of a path; total: the whole length when known."""
        touch, tip, camera = self.touch, self.tip, self.touch.camera
        dice = self.dice.random((len(placed), DICE))
        numbers = np.arange(self.count, self.count + len(placed), dtype=np.int32) + 1
        self.count += len(placed)
        radii = touch.radii(placed.pressure) * (1 - tip.jitter_radius * dice[:, 2])
        radii = radii * touch.tapered(placed.length, total)
        places = placed.places
        unit = touch.pixels(places) if tip.unit == "world" and (tip.jitter_place or camera is None) else None
        if tip.jitter_place:
            pixels = radii / unit if unit is not None else radii
            far = tip.jitter_place * pixels * np.sqrt(dice[:, 1])
            turn = 2 * np.pi * dice[:, 0]
            places = places + np.column_stack([far * np.cos(turn), far * np.sin(turn)])
        angle = np.radians(tip.angle + 180 * tip.jitter_angle * (2 * dice[:, 3] - 1))
        if tip.angle_mode == "random":
            angle = angle + 2 * np.pi * dice[:, 4]
        ahead = placed.ahead if tip.angle_mode in ("along", "tilt") else np.tile([1.0, 0.0], (len(placed), 1))
        if camera is None:
            hit = np.ones(len(placed), np.bool_)
            centers = np.column_stack([places, np.zeros(len(places))])
            normals = np.tile(FLAT_NORMAL, (len(places), 1))
            radii = radii / unit if unit is not None else radii
            ways = np.column_stack([ahead, np.zeros(len(places))])
        else:
            hits = touch.caster.cast(*camera.rays(places))
            hit = hits.face >= 0
            centers, normals = hits.position[hit], touch.caster.facing(hits)[hit]
            radii = radii[hit] * (camera.units_per_pixel(centers) if tip.unit == "px" else 1.0)
            right, up, _ = camera.axes
            ways = ahead[hit, :1] * right - ahead[hit, 1:] * up
        pressure = placed.pressure[hit]
        return touch.images(
            Dabs(
                centers, normals, radii, touch.strengths(pressure), touch.hardness(pressure), tip.facing_limit,
                tip.build_up, touch.table, touch.picture, touch.colors, _turned(ways, normals, angle[hit]),
                numbers[hit] if tip.jitter_color > 0 else None,
            )
        )  # fmt: skip

    def colors(self, color: Sequence[float]) -> NDArray[np.float32]:
        """(dabs + 1, 3) colors by a dab's number, strewn around one."""
        dice = np.random.default_rng([self.seed, 1]).random((self.count + 1, 3)) * 2 - 1
        hue, light, dull = colorsys.rgb_to_hls(color[0], color[1], color[2])
        amount = self.tip.jitter_color
        shifted = [
            colorsys.hls_to_rgb((hue + 0.12 * amount * a) % 1, min(max(light + 0.3 * amount * b, 0), 1),
                                min(max(dull * (1 + 0.5 * amount * c), 0), 1))
            for a, b, c in dice
        ]  # fmt: skip
        return np.array(shifted, np.float32)


def _turned(
    ahead: NDArray[np.float64], normals: NDArray[np.float64], angle: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Unit vectors in the planes of normals, nearest to `ahead`, turned with the clock as seen from outside."""
    flat = ahead - (ahead * normals).sum(axis=1, keepdims=True) * normals
    length = np.linalg.norm(flat, axis=1, keepdims=True)
    unit = np.divide(flat, length, out=np.zeros_like(flat), where=length > 1e-9)
    # Seen edge-on nothing is nearest; any direction in the plane will do.
    lost = length[:, 0] <= 1e-9
    if lost.any():
        other = np.cross(normals[lost], [0.0, 0, 1])
        other[np.linalg.norm(other, axis=1) < 1e-6] = [1.0, 0, 0]
        unit[lost] = other / np.linalg.norm(other, axis=1, keepdims=True)
    side = np.cross(unit, normals)
    turned: NDArray[np.float64] = np.cos(angle)[:, None] * unit + np.sin(angle)[:, None] * side
    return turned
