"""A stroke while it is drawn: samples in, a preview of working tiles out, one change at the end."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TypedDict

import numpy as np
from numpy.typing import NDArray

from ...core.brush import Coverage, Dabs
from ...core.brush.mirror import Mirror
from ...core.brush.path import Curve, Placed, Sample, Stabilizer, Walker
from ...core.errors import NightmistError
from ...core.mapping import Camera
from ...core.texels import TileArea
from ...core.tools import composite_over, erase
from ...core.tools.apply import NO_PICTURES, ONE_VALUE
from ..change import Change
from ..document import Document
from ..values import EMPTY_PIGMENT, CloneSource, Node, Pigment, StrokeRecord, Tip, Tool
from .cloning import Cloner
from .dabs import DabMaker, Sheet
from .ground import Ground, Target
from .retouching import RETOUCHES, Retoucher

LABELS: dict[Tool, str] = {
    "brush": "Brush", "erase": "Erase", "smear": "Smear", "soften": "Soften", "sharpen": "Sharpen", "clone": "Clone",
}  # fmt: skip


class StrokeOptions(TypedDict, total=False):
    """What a stroke may be told besides, as `Stroke` describes it."""

    in_map: str | None
    mirror: Mirror | None
    seed: int
    source: CloneSource | None


class Stroke:
    """Gathers coverage from samples and keeps the layers showing the stroke so far."""

    def __init__(
        self,
        document: Document,
        layers: Mapping[str, Node],
        camera: Camera | None,
        tip: Tip,
        pigment: Pigment | None,
        tool: Tool,
        in_map: str | None = None,
        mirror: Mirror | None = None,
        seed: int = 0,
        source: CloneSource | None = None,
    ) -> None:
        """layers: which layer receives the stroke on each surface; surfaces not named are left alone.

        camera: what it is seen through; without one it is drawn in the map of surface `in_map`, in texels.
        seed: of everything random. source: where clone takes from. Raises NightmistError when the stroke could
        leave no mark: no layer, a hidden one, an empty pigment.
        """
        if in_map is not None:
            layers = {name: layer for name, layer in layers.items() if name == in_map}
        if not layers:
            raise NightmistError("No layer is chosen to receive the stroke. Add a brushed layer first.")
        for layer in layers.values():
            if not layer.visible:
                raise NightmistError(f"The layer {layer.name} is hidden. Show it to paint on it.")
        self.values = pigment.values() if pigment else {}
        if tool == "brush" and not self.values:
            raise NightmistError(EMPTY_PIGMENT)
        if tool == "clone" and source is None:
            raise NightmistError("Clone needs a source: choose the place to take paint from first.")
        self.document, self.tip, self.tool, self.pigment = document, tip, tool, pigment
        self.record = StrokeRecord(
            tool=tool, tip=tip, pigment=pigment, camera=camera, in_map=in_map, mirror=mirror, seed=seed, source=source,
            samples=[], layers={name: layer.id for name, layer in layers.items()},
        )  # fmt: skip
        surface = document.surface_value(in_map) if in_map else None
        picture = document.tip_picture(tip.picture) if tip.picture else None
        usual = document.layout(surface).ownership.usual_texel if surface else None
        sheet = Sheet(surface.size, usual) if surface and usual is not None else None
        self.maker = DabMaker(tip, document.caster, camera, sheet, mirror or Mirror(), seed, picture)
        self.stabilizer, self.curve = Stabilizer(tip.steady), Curve()
        self.path = Walker(self.maker.measure, rests=tip.build_up, waits=tip.angle_mode == "along",
                           tilts=tip.angle_mode == "lean")  # fmt: skip
        self.placed: list[Placed] = []
        #: What the guessed end of the path covers, by surface, and what lay there before.
        self.guessed: dict[str, tuple[TileArea, list[NDArray[np.float32]]]] = {}
        self.ground = Ground(document, layers, list(self.values), camera, self.maker.matrices, tip.covered_too)
        self.preview, self.layers, self.surfaces = self.ground.preview, self.ground.layers, self.ground.surfaces
        self._fresh_coverage()
        self.retoucher = Retoucher(self.ground, tool) if tool in RETOUCHES else None
        self.cloner = Cloner(self.ground, source) if source and tool == "clone" else None

    def _fresh_coverage(self) -> None:
        self.coverage = {name: self.ground.new_coverage(name) for name in self.layers}
        # Dabs that build up must not add to their own mirror images: each image gathers alone, the most counts.
        images = len(self.maker.matrices) if self.tip.build_up else 1
        self.images = [
            {name: self.ground.new_coverage(name) for name in self.layers} for _ in range(images if images > 1 else 0)
        ]

    def extend(self, samples: Iterable[Sample]) -> None:
        """Take more pointer samples (x, y, pressure and, if known, lean x, y) and bring the layers up to date."""
        batch: list[Sample] = [
            (float(x), float(y), min(max(float(p), 0.0), 1.0), *(lean or (0.0, 0.0))) for x, y, p, *lean in samples
        ]
        self.record.samples.extend(batch)
        self._follow(self.stabilizer.follow(batch))

    def _follow(self, samples: list[Sample]) -> None:
        pieces = self.curve.extend(samples)
        if not pieces:
            return
        redo = self._take_back_guess()
        placed = self.path.extend(np.concatenate(pieces)) if pieces else None
        if placed is not None and len(placed):
            self.placed.append(placed)
        areas = self._gathered(placed, None, redo)
        # What is certain and what is guessed are laid at once: most of their texels are the same.
        for name, area in self._guess().items():
            areas[name] = area.joined(areas[name]) if name in areas else area
        self._apply_all(areas)

    def _guess(self) -> dict[str, TileArea]:
        """Gather the path to where the pointer is, as it would go on if nothing else came; returns where."""
        areas: dict[str, TileArea] = {}
        if not self.maker.band or self.retoucher or self.cloner:
            return areas
        vertices = self.curve.guess()
        if not len(vertices):
            return areas
        marks = self.path.mark(), self.maker.mark()
        placed = self.path.extend(vertices).to_the_end(vertices[-1], self.path)
        groups = self.maker.make(placed, None)
        for name, coverage in self.coverage.items():
            reached = TileArea.empty()
            for dabs in groups:
                if len(dabs):
                    reached = coverage.reach(dabs).joined(reached)
            saved = coverage.save(reached)
            areas[name] = self._gather_all(name, coverage, groups)
            self.guessed[name] = (reached, saved)
        self.path.back(marks[0])
        self.maker.back(marks[1])
        return areas

    def _take_back_guess(self) -> dict[str, TileArea]:
        """Forget the guessed end; returns where each surface has to be laid again."""
        redo = {}
        for name, (area, saved) in self.guessed.items():
            self.coverage[name].restore(area, saved)
            redo[name] = area
        self.guessed.clear()
        return redo

    def _lay(self, placed: Placed | None, total: float | None, redo: dict[str, TileArea]) -> None:
        """Lay what has been placed, and lay again what a guess had covered."""
        self._apply_all(self._gathered(placed, total, redo))

    def _gathered(self, placed: Placed | None, total: float | None, redo: dict[str, TileArea]) -> dict[str, TileArea]:
        """Gather what has been placed; returns where each surface is to be laid."""
        groups = self.maker.make(placed, total) if placed is not None and len(placed) else []
        if self.retoucher:
            self.retoucher.lay(groups)
            return {}
        areas = {}
        for name, coverage in self.coverage.items():
            area = self._gather_all(name, coverage, groups)
            areas[name] = area.joined(redo[name]) if name in redo else area
        return areas

    def _apply_all(self, areas: dict[str, TileArea]) -> None:
        for name, area in areas.items():
            if len(area):
                self._apply(name, self.coverage[name], area)

    def _gather_all(self, name: str, coverage: Coverage, groups: list[Dabs]) -> TileArea:
        area = TileArea.empty()
        for number, dabs in enumerate(groups):
            if len(dabs):
                area = self._gather(name, coverage, number, dabs).joined(area)
        return area

    def _gather(self, name: str, coverage: Coverage, number: int, dabs: Dabs) -> TileArea:
        if not self.images:
            return coverage.add(dabs, self.ground.mask(name, number))
        alone = self.images[number][name]
        area = alone.add(dabs, self.ground.mask(name, number))
        coverage.take_most(alone, area)
        return area

    def _apply(self, name: str, coverage: Coverage, area: TileArea) -> None:
        for target in self.ground.targets[name]:
            raster, part = target.raster, area
            if self.tool == "erase":
                part = area.only(raster.addresses.ravel()[area.tiles] != 0)
            target.prepare(part.tiles)
            after = raster.addresses.ravel()
            if self.tool == "erase":
                erase(part, coverage.addresses, target.before_addresses, after, raster.channels)
            elif self.cloner:
                pictures = self.cloner.pictures(target, coverage, part)
                value = (0.0,) * (raster.channels - 1)
                composite_over(part, coverage.addresses, target.before_addresses, after, value, self.tip.blend,
                         pictures=pictures)  # fmt: skip
            else:
                self._lay_value(target, coverage, part)
            self.document.mark(target.layer, target.name, part)

    def _lay_value(self, target: Target, coverage: Coverage, part: TileArea) -> None:
        strewn = self.tip.jitter_color > 0 and target.name == "base_color" and self.pigment and self.pigment.base_color
        numbers, values = NO_PICTURES, ONE_VALUE
        if strewn:
            assert self.pigment
            assert self.pigment.base_color
            numbers, values = coverage.number_addresses, self.maker.colors(self.pigment.base_color)
        composite_over(part, coverage.addresses, target.before_addresses, target.raster.addresses.ravel(),
                 self.values[target.name], self.tip.blend, numbers, values)  # fmt: skip

    def finish(self) -> Change | None:
        """The stroke as a change, shown already by its preview; None when it left no mark."""
        self._follow(self.stabilizer.catch_up())
        redo = self._take_back_guess()
        vertices = self.curve.guess()
        placed = self.path.extend(vertices) if len(vertices) else self.path.end()
        if self.maker.band and len(vertices):
            placed = placed.to_the_end(vertices[-1], self.path)
        if len(placed):
            self.placed.append(placed)
        self._lay(placed, None, redo)
        if self.tip.taper > 0 and self.placed:
            self._lay_again()
        self._release()
        edits = [edit for target in self._all_targets() for edit in target.edits()]
        return Change(label=LABELS[self.tool], edits=edits, stroke=self.record) if edits else None

    def _lay_again(self) -> None:
        """Now that its length is known, both ends of the stroke are tapered."""
        self._release()
        for target in self._all_targets():
            target.restore()
        self.maker.restart()
        self._fresh_coverage()
        if self.retoucher:
            self.retoucher = Retoucher(self.ground, self.tool)
        if self.cloner:
            self.cloner = Cloner(self.ground, self.cloner.source)
        for placed in self.placed:
            self._lay(placed, self.path.length, {})

    def _all_targets(self) -> list[Target]:
        return [target for targets in self.ground.targets.values() for target in targets]

    def cancel(self) -> None:
        """Everything is as it was before the press."""
        self._release()
        self.preview.drop()

    def _release(self) -> None:
        if self.retoucher:
            self.retoucher.release()
