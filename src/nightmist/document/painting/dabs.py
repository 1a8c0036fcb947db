"""From a stroke's samples to its dabs in space: radius, strength, turn and color of each, and their mirror images."""

from __future__ import annotations

import colorsys
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...core.brush.coverage import ALONE, ANCHOR, JOINED, NO_PICTURE, Dabs
from ...core.brush.falloff import falloff_table
from ...core.brush.mirror import AGREE, NEAR, Mirror
from ...core.brush.path import Placed
from ...core.mapping import Camera
from ...core.mesh import Caster
from ..values import PressureCurve, Tip, hex_channels

#: Dabs closer than this many pixels cannot be told apart.
LEAST_STEP = 0.5
#: Radii between the stations of a band: chords shorter than that lie close to any surface a brush fits on.
BAND_STEP = 0.5
#: Beyond this share of the diameter dabs are meant to be seen as such.
BAND_SPACING = 0.25
#: Where the surface goes on farther than this many times the step on the screen, the path has jumped to another place.
JUMP = 16.0
#: Random numbers drawn for each dab, whether used or not, so that every option can be switched alone.
DICE = 6


class Sheet(NamedTuple):
    """A map that is drawn in: its size in texels, and a texel's usual side in model units."""

    size: tuple[int, int]
    texel: float


class DabMaker:
    """Makes dabs of places along the path; the same seed gives the same dabs."""

    def __init__(
        self, tip: Tip, caster: Caster, camera: Camera | None, sheet: Sheet | None, mirror: Mirror, seed: int,
        picture: NDArray[np.float32] | None,
    ) -> None:  # fmt: skip
        """camera: what the stroke is seen through; without one it is drawn in `sheet`, in texels."""
        self.tip, self.caster, self.camera, self.sheet, self.seed = tip, caster, camera, sheet, seed
        self.table = falloff_table(tip.falloff, tip.curve)
        self.picture = picture if picture is not None else NO_PICTURE
        self.matrices = mirror.matrices() if camera else np.eye(3)[None]
        low, high = caster.mesh.bounds
        self.reach = NEAR * float(np.linalg.norm(high - low))
        plain = tip.picture is None and not (tip.jitter_place or tip.jitter_radius or tip.jitter_color)
        #: A plain capped stroke is a band: what is near its path, not near its dabs.
        self.band = plain and not tip.build_up and tip.spacing < BAND_SPACING
        self.restart()

    def restart(self) -> None:
        """Begin the stroke anew, with the same dice."""
        self.dice = np.random.default_rng(self.seed)
        self.count = 0
        self.last: Dabs | None = None
        self.last_length = 0.0

    def mark(self) -> tuple[object, ...]:
        """Where it stands, to go back to."""
        return self.dice.bit_generator.state, self.count, self.last, self.last_length

    def back(self, mark: tuple[object, ...]) -> None:
        """Stand where it stood."""
        self.dice.bit_generator.state, self.count, self.last, self.last_length = mark  # type: ignore[assignment]

    def measure(self, chain: NDArray[np.float64]) -> NDArray[np.float64]:
        """(n,) steps from dab to dab that stretches between (n + 1, fields) vertices are worth.

        Dabs are spaced evenly on the screen or on the surface, whichever is denser.
        """
        tip = self.tip
        step = BAND_STEP if self.band else 2 * tip.spacing
        radius = np.full(len(chain), tip.radius)
        if tip.pressure_radius:
            radius *= _pressed(tip.pressure_radius_curve, chain[:, 2])
        radius = (radius[1:] + radius[:-1]) / 2
        length = np.hypot(*np.diff(chain[:, :2], axis=0).T)
        if self.camera is None:
            if tip.unit == "world":
                radius = radius / self._unit(chain[1:, :2])
            return np.asarray(length / np.maximum(step * radius, LEAST_STEP))
        hits = self.caster.cast(*self.camera.rays(chain[:, :2]))
        hit = hits.face >= 0
        unit = self.camera.units_per_pixel(np.where(hit[:, None], hits.position, np.asarray(self.camera.target)))
        unit = (unit[1:] + unit[:-1]) / 2
        if tip.unit == "world":
            radius = radius / unit
        away = np.linalg.norm(np.diff(hits.position, axis=0), axis=1) / unit
        walks = hit[1:] & hit[:-1] & (away < JUMP * length)
        longest = np.maximum(length, np.where(walks, away, 0.0))
        return np.asarray(longest / np.maximum(step * radius, LEAST_STEP))

    def _unit(self, pixels: NDArray[np.float64]) -> NDArray[np.float64]:
        """Model units of a pixel of the view, where the model lies there (else at the camera's target)."""
        if self.camera is None:
            assert self.sheet
            return np.full(len(pixels), self.sheet.texel)
        hits = self.caster.cast(*self.camera.rays(pixels))
        points = np.where((hits.face >= 0)[:, None], hits.position, np.asarray(self.camera.target))
        return self.camera.units_per_pixel(points)

    def make(self, placed: Placed, total: float | None) -> list[Dabs]:
        """Dabs for places of a path, one group for each mirror image; total: the whole length when known."""
        dice = self.dice.random((len(placed), DICE))
        numbers = np.arange(self.count, self.count + len(placed), dtype=np.int32) + 1
        self.count += len(placed)
        tip = self.tip
        pressure, full = placed.pressure, np.ones(len(placed))
        share = _pressed(tip.pressure_radius_curve, pressure) if tip.pressure_radius else full
        share = share * (1 - tip.jitter_radius * dice[:, 2]) * self._taper(placed.length, total)
        places = placed.places
        unit = self._unit(places) if tip.unit == "world" and (tip.jitter_place or self.camera is None) else None
        radius = tip.radius * share
        if tip.jitter_place:
            pixels = radius / unit if unit is not None else radius
            far = tip.jitter_place * pixels * np.sqrt(dice[:, 1])
            turn = 2 * np.pi * dice[:, 0]
            places = places + np.column_stack([far * np.cos(turn), far * np.sin(turn)])
        angle = np.radians(tip.angle + 180 * tip.jitter_angle * (2 * dice[:, 3] - 1))
        if tip.angle_mode == "random":
            angle = angle + 2 * np.pi * dice[:, 4]
        ahead = placed.ahead if tip.angle_mode in ("along", "lean") else np.tile([1.0, 0.0], (len(placed), 1))
        strengths = tip.strength * (_pressed(tip.pressure_strength_curve, pressure) if tip.pressure_strength else full)
        hardness = tip.hardness * (_pressed(tip.pressure_hardness_curve, pressure) if tip.pressure_hardness else full)
        if self.camera is None:
            return self._in_map(
                places, radius / unit if unit is not None else radius, ahead, angle, strengths, hardness, numbers,
                placed.length,
            )  # fmt: skip
        hits = self.caster.cast(*self.camera.rays(places))
        hit = hits.face >= 0
        centers, normals = hits.position[hit], hits.normal[hit]
        radius = radius[hit] * (self.camera.units_per_pixel(centers) if tip.unit == "px" else 1.0)
        right, up, _ = self.camera.axes
        tangents = _turned(ahead[hit, :1] * right - ahead[hit, 1:] * up, normals, angle[hit])
        first = self._dabs(
            centers, normals, radius, strengths[hit], hardness[hit], tangents, numbers[hit], self.picture
        )
        if self.band:
            first = self._joined(first, placed.length[hit])
        return [first, *(self._mirrored(first, matrix) for matrix in self.matrices[1:])]

    def _joined(self, dabs: Dabs, length: NDArray[np.float64]) -> Dabs:
        """Stations of a band, with the last one of before in front; a path that jumps begins a new one."""
        if not len(dabs):
            return dabs
        last, last_length = self.last, self.last_length
        self.last, self.last_length = _rows(dabs, slice(-1, None)), float(length[-1])
        joined = np.full(len(dabs), JOINED, np.int8)
        if last is None:
            joined[0] = ALONE
            before = np.concatenate([dabs.centers[:1], dabs.centers[:-1]])
            steps = np.diff(length, prepend=length[0])
        else:
            before = np.concatenate([last.centers, dabs.centers[:-1]])
            steps = np.diff(length, prepend=last_length)
        unit = np.ones(len(dabs)) if self.camera is None else self.camera.units_per_pixel(dabs.centers)
        joined[np.linalg.norm(dabs.centers - before, axis=1) > JUMP * steps * unit + 1e-12] = ALONE
        if last is None:
            return replace(dabs, joined=joined)
        both = _together(last, dabs)
        return replace(both, joined=np.concatenate([np.full(1, ANCHOR, np.int8), joined]))

    def colors(self, color: str) -> NDArray[np.float32]:
        """(dabs + 1, 3) colors by a dab's number, strewn around one (N54)."""
        dice = np.random.default_rng([self.seed, 1]).random((self.count + 1, 3)) * 2 - 1
        hue, light, dull = colorsys.rgb_to_hls(*hex_channels(color))
        amount = self.tip.jitter_color
        shifted = [
            colorsys.hls_to_rgb((hue + 0.12 * amount * a) % 1, min(max(light + 0.3 * amount * b, 0), 1),
                                min(max(dull * (1 + 0.5 * amount * c), 0), 1))
            for a, b, c in dice
        ]  # fmt: skip
        return np.array(shifted, np.float32)

    def _taper(self, length: NDArray[np.float64], total: float | None) -> NDArray[np.float64]:
        if self.tip.taper <= 0:
            return np.ones(len(length))
        near = length if total is None else np.minimum(length, total - length)
        t = np.clip(near / self.tip.taper, 0, 1)
        # A point would leave nothing to see; a twentieth still marks the end.
        return 0.05 + 0.95 * t * t * (3 - 2 * t)

    def _dabs(
        self, centers: NDArray[np.float64], normals: NDArray[np.float64], radii: NDArray[np.float64],
        strengths: NDArray[np.float64], hardness: NDArray[np.float64], tangents: NDArray[np.float64],
        numbers: NDArray[np.int32], picture: NDArray[np.float32], joined: NDArray[np.int8] | None = None,
    ) -> Dabs:  # fmt: skip
        return Dabs(
            centers, normals, radii, strengths, hardness, self.tip.facing_limit, self.tip.build_up, self.table, picture,
            tangents, numbers if self.tip.jitter_color > 0 else None, joined,
        )  # fmt: skip

    def _mirrored(self, dabs: Dabs, matrix: NDArray[np.float64]) -> Dabs:
        """The image of dabs where the body has a match; others are left out."""
        assert dabs.tangents is not None
        centers, normals = dabs.centers @ matrix.T, dabs.normals @ matrix.T
        hits = self.caster.cast(centers + normals * self.reach, -normals)
        good = (hits.face >= 0) & (hits.distance <= 2 * self.reach)
        good &= (hits.normal * normals).sum(axis=1) > AGREE
        joined = None
        if dabs.joined is not None:
            # Where the body has no match on the way, the band is broken.
            broken = ~np.concatenate([good[:1], good[:-1]])
            joined = np.where((dabs.joined == JOINED) & broken, ALONE, dabs.joined)[good].astype(np.int8)
        # A reflection turns the tip's picture over as well.
        picture = self.picture[::-1].copy() if np.linalg.det(matrix) < 0 and self.picture.size else self.picture
        numbers = dabs.numbers if dabs.numbers is not None else np.zeros(len(dabs), np.int32)
        hardness = np.asarray(dabs.hardness)
        return self._dabs(
            hits.position[good], hits.normal[good], dabs.radii[good], dabs.strengths[good], hardness[good],
            (dabs.tangents @ matrix.T)[good], numbers[good], picture, joined,
        )  # fmt: skip

    def _in_map(
        self, places: NDArray[np.float64], radii: NDArray[np.float64], ahead: NDArray[np.float64],
        angle: NDArray[np.float64], strengths: NDArray[np.float64], hardness: NDArray[np.float64],
        numbers: NDArray[np.int32], length: NDArray[np.float64],
    ) -> list[Dabs]:  # fmt: skip
        """Dabs as discs in the map, and again beyond its borders where they cross one: it wraps."""
        assert self.sheet
        width, height = self.sheet.size
        normals = np.tile([0.0, 0.0, 1.0], (len(places), 1))
        flat = np.column_stack([ahead, np.zeros(len(places))])
        # y points down in the map, so the turn runs the other way round the normal.
        tangents = _turned(flat, normals, -angle)
        flat_dabs = self._dabs(
            np.column_stack([places, np.zeros(len(places))]), normals, radii, strengths, hardness, tangents, numbers,
            self.picture,
        )  # fmt: skip
        if self.band:
            flat_dabs = self._joined(flat_dabs, length)
        if not len(flat_dabs):
            return []
        low = (flat_dabs.centers[:, :2] - flat_dabs.radii[:, None]).min(axis=0)
        high = (flat_dabs.centers[:, :2] + flat_dabs.radii[:, None]).max(axis=0)
        (left, top), (right, bottom) = np.floor(low / [width, height]), np.floor(high / [width, height])
        return [
            replace(flat_dabs, centers=flat_dabs.centers - [column * width, row * height, 0.0])
            for column in np.arange(left, right + 1)
            for row in np.arange(top, bottom + 1)
        ]


def _rows(dabs: Dabs, pick: slice) -> Dabs:
    """Some of the dabs."""
    return replace(
        dabs, centers=dabs.centers[pick], normals=dabs.normals[pick], radii=dabs.radii[pick],
        strengths=dabs.strengths[pick], hardness=np.asarray(dabs.hardness)[pick],
        tangents=dabs.tangents[pick] if dabs.tangents is not None else None,
        numbers=dabs.numbers[pick] if dabs.numbers is not None else None,
        joined=dabs.joined[pick] if dabs.joined is not None else None,
    )  # fmt: skip


def _together(one: Dabs, other: Dabs) -> Dabs:
    """The dabs of both, without their stations' joints."""
    join = np.concatenate
    assert one.tangents is not None
    assert other.tangents is not None
    return replace(
        other, centers=join([one.centers, other.centers]), normals=join([one.normals, other.normals]),
        radii=join([one.radii, other.radii]), strengths=join([one.strengths, other.strengths]),
        hardness=join([np.asarray(one.hardness), np.asarray(other.hardness)]),
        tangents=join([one.tangents, other.tangents]),
    )  # fmt: skip


def _pressed(curve: PressureCurve, pressure: NDArray[np.float64]) -> NDArray[np.float64]:
    """Shares of a value that pressures 0-1 leave (N53)."""
    return np.asarray(curve.least + (1 - curve.least) * pressure**curve.gamma)


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
