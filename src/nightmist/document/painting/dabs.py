"""From a stroke's samples to its dabs in space: radius, strength, turn and color of each, and their mirror images."""

from __future__ import annotations

import colorsys
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...core.brush.coverage import NO_PICTURE, Dabs
from ...core.brush.falloff import falloff_table
from ...core.brush.mirror import AGREE, NEAR, Mirror
from ...core.brush.path import Sample
from ...core.mapping import Camera
from ...core.mesh import Caster
from ..values import PressureCurve, Tip, hex_channels

#: Dabs closer than this many pixels cannot be told apart.
LEAST_STEP = 0.5
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
        self.restart()

    def restart(self) -> None:
        """Begin the stroke anew, with the same dice."""
        self.dice = np.random.default_rng(self.seed)
        self.count = 0

    def step(self, sample: Sample) -> float:
        """Pixels from a dab to the next."""
        radius = self.tip.radius
        if self.tip.pressure_radius:
            radius *= float(_pressed(self.tip.pressure_radius_curve, np.array(sample[2])))
        if self.tip.unit == "world":
            radius /= self._unit(np.array([sample[:2]]))[0]
        return max(self.tip.spacing * 2 * radius, LEAST_STEP)

    def _unit(self, pixels: NDArray[np.float64]) -> NDArray[np.float64]:
        """Model units of a pixel of the view, where the model lies there (else at the camera's target)."""
        if self.camera is None:
            assert self.sheet
            return np.full(len(pixels), self.sheet.texel)
        hits = self.caster.cast(*self.camera.rays(pixels))
        points = np.where((hits.face >= 0)[:, None], hits.position, np.asarray(self.camera.target))
        return self.camera.units_per_pixel(points)

    def make(self, placed: NDArray[np.float64], total: float | None) -> list[Dabs]:
        """Dabs for (N, 6) places of a path, one group for each mirror image; total: the whole length when known."""
        dice = self.dice.random((len(placed), DICE))
        numbers = np.arange(self.count, self.count + len(placed), dtype=np.int32) + 1
        self.count += len(placed)
        tip = self.tip
        pressure, full = placed[:, 2], np.ones(len(placed))
        share = _pressed(tip.pressure_radius_curve, pressure) if tip.pressure_radius else full
        share = share * (1 - tip.jitter_radius * dice[:, 2]) * self._taper(placed[:, 5], total)
        places = placed[:, :2]
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
        ahead = placed[:, 3:5] if tip.angle_mode in ("along", "lean") else np.tile([1.0, 0.0], (len(placed), 1))
        strengths = tip.strength * (_pressed(tip.pressure_strength_curve, pressure) if tip.pressure_strength else full)
        hardness = tip.hardness * (_pressed(tip.pressure_hardness_curve, pressure) if tip.pressure_hardness else full)
        if self.camera is None:
            return self._in_map(
                places, radius / unit if unit is not None else radius, ahead, angle, strengths, hardness, numbers
            )
        hits = self.caster.cast(*self.camera.rays(places))
        hit = hits.face >= 0
        centers, normals = hits.position[hit], hits.normal[hit]
        radius = radius[hit] * (self.camera.units_per_pixel(centers) if tip.unit == "px" else 1.0)
        right, up, _ = self.camera.axes
        tangents = _turned(ahead[hit, :1] * right - ahead[hit, 1:] * up, normals, angle[hit])
        first = self._dabs(
            centers, normals, radius, strengths[hit], hardness[hit], tangents, numbers[hit], self.picture
        )
        return [first, *(self._mirrored(first, matrix) for matrix in self.matrices[1:])]

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
        numbers: NDArray[np.int32], picture: NDArray[np.float32],
    ) -> Dabs:  # fmt: skip
        return Dabs(
            centers, normals, radii, strengths, hardness, self.tip.facing_limit, self.tip.build_up, self.table, picture,
            tangents, numbers if self.tip.jitter_color > 0 else None,
        )  # fmt: skip

    def _mirrored(self, dabs: Dabs, matrix: NDArray[np.float64]) -> Dabs:
        """The image of dabs where the body has a match; others are left out."""
        assert dabs.tangents is not None
        centers, normals = dabs.centers @ matrix.T, dabs.normals @ matrix.T
        hits = self.caster.cast(centers + normals * self.reach, -normals)
        good = (hits.face >= 0) & (hits.distance <= 2 * self.reach)
        good &= (hits.normal * normals).sum(axis=1) > AGREE
        # A reflection turns the tip's picture over as well.
        picture = self.picture[::-1].copy() if np.linalg.det(matrix) < 0 and self.picture.size else self.picture
        numbers = dabs.numbers if dabs.numbers is not None else np.zeros(len(dabs), np.int32)
        hardness = np.asarray(dabs.hardness)
        return self._dabs(
            hits.position[good], hits.normal[good], dabs.radii[good], dabs.strengths[good], hardness[good],
            (dabs.tangents @ matrix.T)[good], numbers[good], picture,
        )  # fmt: skip

    def _in_map(
        self, places: NDArray[np.float64], radii: NDArray[np.float64], ahead: NDArray[np.float64],
        angle: NDArray[np.float64], strengths: NDArray[np.float64], hardness: NDArray[np.float64],
        numbers: NDArray[np.int32],
    ) -> list[Dabs]:  # fmt: skip
        """Dabs as discs in the map, and again beyond its borders where they cross one: it wraps."""
        assert self.sheet
        width, height = self.sheet.size
        normals = np.tile([0.0, 0.0, 1.0], (len(places), 1))
        flat = np.column_stack([ahead, np.zeros(len(places))])
        # y points down in the map, so the turn runs the other way round the normal.
        tangents = _turned(flat, normals, -angle)
        groups = []
        base = places - np.floor(places / [width, height]) * [width, height]
        for dx in (0, -width, width):
            for dy in (0, -height, height):
                at = base + [dx, dy]
                meets = (at + radii[:, None] > 0).all(axis=1) & (at - radii[:, None] < [width, height]).all(axis=1)
                if meets.any():
                    centers = np.column_stack([at[meets], np.zeros(int(meets.sum()))])
                    groups.append(
                        self._dabs(centers, normals[meets], radii[meets], strengths[meets], hardness[meets],
                                   tangents[meets], numbers[meets], self.picture)
                    )  # fmt: skip
        return groups


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
