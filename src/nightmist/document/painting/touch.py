"""How a tip touches the model at places of a path: its size and strength there, and its mirror images."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...core.brush.coverage import NO_COLORS, NO_PICTURE, Dabs
from ...core.brush.falloff import falloff_table
from ...core.brush.mirror import Mirror, match_of
from ...core.mapping import Camera
from ...core.mesh import Caster
from ..derived.layouts import Layout
from ..values import PressureCurve, Tip
from .map_mirror import MapMirror


class Sheet(NamedTuple):
    """A map that is drawn in.

    name: of its surface. texel: a texel's usual side there, in model units. layouts: of the surfaces that take paint,
    by name, this one among them.
    """

    name: str
    texel: float
    layouts: Mapping[str, Layout]


class Touch:
    """A tip on a model seen through a camera or, without one, on a sheet, where pixels are texels."""

    def __init__(
        self, tip: Tip, caster: Caster, camera: Camera | None, sheet: Sheet | None, mirror: Mirror,
        picture: NDArray[np.float32] = NO_PICTURE, colors: NDArray[np.float32] = NO_COLORS,
    ) -> None:  # fmt: skip
        """picture, colors: of the tip, as `Dabs` has them."""
        self.tip, self.caster, self.camera, self.sheet = tip, caster, camera, sheet
        self.table = falloff_table(tip.falloff, tip.curve)
        self.picture, self.colors = picture, colors
        self.matrices = mirror.matrices()
        self.in_map = MapMirror(sheet.layouts, caster, self.matrices) if sheet else None

    def pixel(self) -> float:
        """Model units of a pixel at the camera's target; of a texel in a map."""
        if self.camera is None:
            assert self.sheet
            return self.sheet.texel
        return float(self.camera.units_per_pixel(np.array([self.camera.target]))[0])

    def pixels(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Model units of a pixel of the view, where the model lies there (else at the camera's target)."""
        if self.camera is None:
            return np.full(len(places), self.pixel())
        hits = self.caster.cast(*self.camera.rays(places))
        points = np.where((hits.face >= 0)[:, None], hits.position, np.asarray(self.camera.target))
        return self.camera.units_per_pixel(points)

    def radii(self, pressure: NDArray[np.float64]) -> NDArray[np.float64]:
        """The tip's radius by pressure, in its own unit."""
        tip = self.tip
        return _by_pressure(tip.radius, tip.pressure_radius_curve if tip.pressure_radius else None, pressure)

    def strengths(self, pressure: NDArray[np.float64]) -> NDArray[np.float64]:
        """Its strength by pressure."""
        tip = self.tip
        return _by_pressure(tip.strength, tip.pressure_strength_curve if tip.pressure_strength else None, pressure)

    def hardness(self, pressure: NDArray[np.float64]) -> NDArray[np.float64]:
        """Its hardness by pressure."""
        tip = self.tip
        return _by_pressure(tip.hardness, tip.pressure_hardness_curve if tip.pressure_hardness else None, pressure)

    def tapered(self, length: NDArray[np.float64], total: float | None) -> NDArray[np.float64]:
        """Shares of the radius at pixels from the press; the end is tapered too once the whole length is known."""
        if self.tip.taper <= 0:
            return np.ones(len(length))
        near = length if total is None else np.minimum(length, total - length)
        t = np.clip(near / self.tip.taper, 0, 1)
        # A point would leave nothing to see; a twentieth still marks the end.
        return np.asarray(0.05 + 0.95 * t * t * (3 - 2 * t))

    def images(self, dabs: Dabs) -> list[Dabs]:
        """The dabs, and what the mirror and the borders of the map make of them."""
        if self.in_map:
            assert self.sheet
            dabs.sheet = self.sheet.name
            mirrored = self.in_map.images(dabs) if len(self.matrices) > 1 and len(dabs) else ()
            return [copy for image in (dabs, *mirrored) for copy in self._wrapped(image)]
        return [dabs, *(self._mirrored(dabs, number) for number in range(1, len(self.matrices)))]

    def _mirrored(self, dabs: Dabs, number: int) -> Dabs:
        """One image of dabs where the body has a match; others are left out."""
        matrix = self.matrices[number]
        turn = matrix[:, :3]
        hits, good = match_of(self.caster, dabs.centers @ turn.T + matrix[:, 3], dabs.normals @ turn.T)
        tangents = None if dabs.tangents is None else dabs.tangents @ turn.T
        return dabs.image(
            good, np.zeros(len(dabs), np.bool_), bool(np.linalg.det(turn) < 0), centers=hits.position,
            normals=self.caster.facing(hits), tangents=tangents, track=(number,),
        )  # fmt: skip

    def _wrapped(self, dabs: Dabs) -> list[Dabs]:
        """Discs in the map, and again beyond its borders where they cross one."""
        assert self.sheet
        assert dabs.sheet
        if not len(dabs):
            return []
        width, height = self.sheet.layouts[dabs.sheet].size
        low = (dabs.centers[:, :2] - dabs.radii[:, None]).min(axis=0)
        high = (dabs.centers[:, :2] + dabs.radii[:, None]).max(axis=0)
        (left, top), (right, bottom) = np.floor(low / [width, height]), np.floor(high / [width, height])
        return [
            replace(
                dabs, centers=dabs.centers - [across * width, down * height, 0.0], track=(*dabs.track, across, down)
            )
            for across in range(int(left), int(right) + 1)
            for down in range(int(top), int(bottom) + 1)
        ]


def _by_pressure(value: float, curve: PressureCurve | None, pressure: NDArray[np.float64]) -> NDArray[np.float64]:
    """What pressures 0-1 leave of a value; all of it where none counts."""
    if curve is None:
        return np.full(len(pressure), value, np.float64)
    return np.asarray(value * (curve.least + (1 - curve.least) * pressure**curve.gamma))
