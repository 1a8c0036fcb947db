"""A stroke while it is drawn: samples in, working tiles out, one command at the end."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..core.brush import Coverage, DabPath, Dabs
from ..core.errors import NightmistError
from ..core.kernels import address_of
from ..core.mapping import Camera
from ..core.texels import TileArea
from ..core.texels.raster import Tile, TileKey
from ..core.tools import lay_over, take_away
from .commands import PaintTiles, StrokeRecord, TileEdit
from .layer import Layer
from .types import MapName, Pigment, Tip, Tool

if TYPE_CHECKING:
    from .document import Document

#: Share of the radius that is left at pressure 0, so that a light touch still marks.
LEAST_RADIUS = 0.1
#: Dabs closer than this many screen pixels cannot be told apart.
LEAST_STEP = 0.5


class _Target:
    """One map of one layer under the stroke: pixels from before it, and the tiles worked on."""

    def __init__(self, layer: Layer, name: MapName) -> None:
        self.layer, self.name, self.raster = layer, name, layer.raster(name)
        self.before: dict[TileKey, Tile | None] = {}
        self.before_addresses = np.zeros(self.raster.addresses.size, np.int64)

    def prepare(self, tiles: NDArray[np.int32]) -> None:
        """Give each tile a working copy the first time the stroke touches it."""
        columns = self.raster.addresses.shape[1]
        for tile in tiles:
            key = (int(tile) // columns, int(tile) % columns)
            if key not in self.before:
                old = self.raster.tiles.get(key)
                self.before[key] = old
                if old is not None:
                    self.before_addresses[tile] = address_of(old)
                # The raster marks its arrays read-only for Python; kernels write through the address.
                self.raster.put(key, np.zeros((64, 64, self.raster.channels), np.uint16) if old is None else old.copy())


class Stroke:
    """Gathers coverage from samples and keeps the layers showing the stroke so far."""

    def __init__(
        self,
        document: Document,
        layers: Mapping[str, Layer],
        camera: Camera,
        tip: Tip,
        pigment: Pigment | None,
        tool: Tool,
    ) -> None:
        """layers: which layer receives the stroke on each surface; surfaces not named are left alone.

        Raises NightmistError when the stroke could leave no mark: no layer, a hidden one, an empty pigment.
        """
        if not layers:
            raise NightmistError("No layer is chosen to receive the stroke. Add a brushed layer first.")
        for layer in layers.values():
            if not layer.visible:
                raise NightmistError(f"The layer {layer.name} is hidden. Show it to paint on it.")
        self.values = pigment.values() if pigment else {}
        if tool == "brush" and not self.values:
            raise NightmistError("The pigment leaves every map alone. Give it a color or another value.")
        self.document, self.camera, self.tip, self.tool = document, camera, tip, tool
        self.record = StrokeRecord(
            tool=tool, tip=tip, pigment=pigment, camera=camera, samples=[],
            layers={name: layer.id for name, layer in layers.items()},
        )  # fmt: skip
        self.path = DabPath(self._step)
        self.coverage = {
            name: Coverage(layer.surface.ownership, layer.surface.hidden_faces()) for name, layer in layers.items()
        }
        self.targets = {name: self._targets(layer) for name, layer in layers.items()}

    def _targets(self, layer: Layer) -> list[_Target]:
        names = list(self.values) if self.values else list(layer.rasters)
        return [_Target(layer, name) for name in names]

    def _pressed_radius(self, pressure: float) -> float:
        share = LEAST_RADIUS + (1 - LEAST_RADIUS) * pressure if self.tip.pressure_radius else 1.0
        return self.tip.radius * share

    def _step(self, sample: tuple[float, float, float]) -> float:
        radius = self._pressed_radius(sample[2])
        if self.tip.unit == "world":
            origins, rays = self.camera.rays(np.array([sample[:2]]))
            hits = self.document.caster.cast(origins, rays)
            seen = hits.position if hits.face[0] >= 0 else np.array([self.camera.target])
            radius /= float(self.camera.units_per_pixel(seen)[0])
        return max(self.tip.spacing * 2 * radius, LEAST_STEP)

    def extend(self, samples: Iterable[tuple[float, float, float]]) -> None:
        """Take more pointer samples (x, y, pressure) and bring the layers up to date."""
        batch = [(float(x), float(y), min(max(float(p), 0.0), 1.0)) for x, y, p in samples]
        self.record.samples.extend(batch)
        placed = self.path.extend(batch)
        if not len(placed):
            return
        dabs = self._dabs(placed)
        if len(dabs.centers):
            for name, coverage in self.coverage.items():
                area = coverage.add(dabs)
                if len(area):
                    self._apply(name, coverage, area)

    def _dabs(self, placed: NDArray[np.float64]) -> Dabs:
        origins, rays = self.camera.rays(placed[:, :2])
        hits = self.document.caster.cast(origins, rays)
        hit = hits.face >= 0
        centers, pressure = hits.position[hit], placed[hit, 2]
        radii = np.array([self._pressed_radius(p) for p in pressure])
        if self.tip.unit == "px":
            radii *= self.camera.units_per_pixel(centers)
        strengths = self.tip.strength * (pressure if self.tip.pressure_strength else np.ones_like(pressure))
        return Dabs(
            centers, hits.normal[hit], radii, strengths, self.tip.hardness, self.tip.facing_limit, self.tip.build_up
        )  # fmt: skip

    def _apply(self, name: str, coverage: Coverage, area: TileArea) -> None:
        for target in self.targets[name]:
            raster, part = target.raster, area
            if self.tool == "erase":
                filled = raster.addresses.ravel()[area.tiles] != 0
                part = TileArea(area.tiles[filled], area.rects[filled])
            target.prepare(part.tiles)
            after = raster.addresses.ravel()
            if self.tool == "erase":
                take_away(part, coverage.addresses, target.before_addresses, after, raster.channels)
            else:
                lay_over(part, coverage.addresses, target.before_addresses, after, self.values[target.name])
            target.layer.surface.mark(target.name, part)

    def finish(self) -> PaintTiles | None:
        """The stroke as a command, already in force; None when it changed nothing."""
        edits = []
        for target in (t for targets in self.targets.values() for t in targets):
            for key, before in target.before.items():
                after: Tile | None = target.raster.tiles[key]
                if after is not None and not after[..., -1].any():
                    after = None
                if (before is None and after is None) or (
                    before is not None and after is not None and np.array_equal(before, after)
                ):
                    target.raster.put(key, before)
                    continue
                target.raster.put(key, after)
                pool = self.document.pool
                edits.append(
                    TileEdit(
                        target.layer.id,
                        target.name,
                        *key,
                        pool.add(before) if before is not None else None,
                        pool.add(after) if after is not None else None,
                    )
                )
        label = "Erase" if self.tool == "erase" else "Brush"
        return PaintTiles(label=label, edits=edits, stroke=self.record) if edits else None

    def cancel(self) -> None:
        """Put everything back as it was before the press."""
        for target in (t for targets in self.targets.values() for t in targets):
            for key, before in target.before.items():
                target.raster.put(key, before)
            columns = target.raster.addresses.shape[1]
            tiles = np.array([row * columns + column for row, column in target.before], np.int32)
            target.layer.surface.mark(target.name, TileArea.of_tiles(tiles))
