"""A stroke while it is drawn: samples in, a preview of working tiles out, one change at the end."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TypedDict

import numpy as np

from ...core.brush import Dabs
from ...core.brush.coverage import NO_COLORS, NO_PICTURE
from ...core.brush.mirror import Mirror
from ...core.brush.path import Sample, Stabilizer
from ...core.brush.tips import as_fine_as, let_through
from ...core.errors import NightmistError
from ...core.mapping import Camera
from ...core.texels import TileArea
from ..change import Change
from ..document import Document
from ..stale import mark_node
from ..values import (
    EMPTY_PIGMENT,
    MASK,
    CloneSource,
    Fence,
    Node,
    Pigment,
    PlaneName,
    Stencil,
    StrokeRecord,
    Tip,
    Tool,
    load_of,
)
from .banding import BandPath
from .cloning import Cloner
from .dabs import DabPath, is_band
from .gate import Gate
from .ground import Coverages, Ground, Target
from .laying import EraseTool, LaysOn, PictureTool, PigmentTool
from .receivers import why_not
from .retouching import RETOUCHES, Retoucher
from .stencils import StencilTexels
from .touch import Sheet, Touch

LABELS: dict[Tool, str] = {
    "brush": "Brush", "erase": "Erase", "smear": "Smear", "soften": "Soften", "sharpen": "Sharpen", "clone": "Clone",
}  # fmt: skip


class StrokeOptions(TypedDict, total=False):
    """What a stroke may be told besides, as `Stroke` describes it."""

    in_map: str | None
    mirror: Mirror | None
    seed: int
    source: CloneSource | None
    mask_value: float | None
    fence: Fence | None
    stencil: Stencil | None


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
        mask_value: float | None = None,
        fence: Fence | None = None,
        stencil: Stencil | None = None,
    ) -> None:
        """layers: which layer receives the stroke on each surface; surfaces not named are left alone.

        camera: what it is seen through; without one it is drawn in the map of surface `in_map`, in texels.
        seed: of everything random. source: where clone takes from. mask_value: it works on the layers' masks, and
        this is what a brush lays there. fence: what it is kept inside. stencil: what a brush paints, or the eraser
        takes away, through. Raises NightmistError when the stroke could leave no mark: no layer, a hidden one, an
        empty pigment.
        """
        self.stencil = stencil if tool in ("brush", "erase") else None
        if self.stencil:
            # Only what the camera sees takes a picture from the screen: there is no other side to mirror it to.
            mirror = None
            tip = tip.but(covered_too=self.stencil.through)
        if in_map is not None and not (in_map in layers and mirror and len(mirror.matrices()) > 1):
            layers = {name: layer for name, layer in layers.items() if name == in_map}
        if not layers:
            raise NightmistError("No layer is chosen to receive the stroke. Add a brushed layer first.")
        #: Surfaces that take no paint, with the reason.
        self.held_back = {
            name: why
            for name, layer in layers.items()
            if (why := why_not(document, layer, mask_value is not None, tool == "erase"))
        }
        if in_map in self.held_back:
            raise NightmistError(self.held_back[in_map])
        if len(self.held_back) == len(layers):
            raise NightmistError(next(iter(self.held_back.values())))
        layers = {name: layer for name, layer in layers.items() if name not in self.held_back}
        self.values = load_of(pigment, mask_value)
        if tool == "brush" and not self.values and not self.stencil:
            raise NightmistError(EMPTY_PIGMENT)
        if tool == "clone" and source is None:
            raise NightmistError("Clone needs a source: choose the place to take paint from first.")
        self.document, self.tip, self.tool = document, tip, tool
        self.record = StrokeRecord(
            tool=tool, tip=tip, pigment=pigment, camera=camera, in_map=in_map, mirror=mirror, seed=seed, source=source,
            mask_value=mask_value, fence=fence or None, stencil=self.stencil, samples=[],
            layers={name: layer.id for name, layer in layers.items()},
        )  # fmt: skip
        shape = let_through(document.tip_picture(tip.picture), tip.tint) if tip.picture else (NO_PICTURE, NO_COLORS)
        sheet = self._sheet(in_map, layers) if in_map else None
        unit = camera.units_per_pixel(np.array([camera.target]))[0] if camera else (sheet.texel if sheet else 1.0)
        picture, colors = (as_fine_as(part, tip.radius if tip.unit == "px" else tip.radius / unit) for part in shape)
        self.touch = Touch(tip, document.caster, camera, sheet, mirror or Mirror(), picture, colors)
        self.stabilizer = Stabilizer(tip.stabilizer)
        # Retouching tools work dab by dab on what the dab before has left.
        banded = is_band(tip) and tool not in RETOUCHES
        self.path = BandPath(self.touch) if banded else DabPath(self.touch, seed)
        self.gate = Gate(document, camera, self.touch.matrices, tip.covered_too, fence)
        laid = self.values if tool == "brush" else None
        self.texels = StencilTexels(document, self.stencil, camera, laid) if self.stencil else None
        planes: list[PlaneName] = [MASK] if mask_value is not None else list(self.values)
        if self.texels and tool == "brush":
            planes = self.texels.planes()
        self.ground = Ground(document, layers, planes, self.gate)
        self.preview, self.layers, self.surfaces = self.ground.preview, self.ground.layers, self.ground.surfaces
        #: What the guessed end of the path adds to the coverage, and where.
        self.ahead = Coverages(self.ground)
        self.guessed: dict[str, TileArea] = {}
        self._begin()

    def _sheet(self, name: str, layers: Mapping[str, Node]) -> Sheet:
        """What a stroke in the map of a surface is drawn on."""
        layouts = {each: self.document.layout(self.document.surface_of(layer)) for each, layer in layers.items()}
        return Sheet(name, layouts[name].ownership.usual_texel, layouts)

    def _begin(self) -> None:
        """Nothing is gathered yet, nothing laid."""
        self.coverage = Coverages(self.ground)
        # Dabs that build up must not add to their own mirror images: each image gathers alone, the most counts.
        images = len(self.touch.matrices) if self.tip.build_up else 1
        self.images = [Coverages(self.ground) for _ in range(images if images > 1 else 0)]
        self.filter = Retoucher(self.ground, self.tool) if self.tool in RETOUCHES else None
        self.laying = self._laying()

    def _laying(self) -> LaysOn:
        if self.tool == "erase":
            return EraseTool(self.texels)
        if self.texels:
            return PictureTool(self.texels, self.tip)
        if self.tool == "clone" and self.record.source:
            return PictureTool(Cloner(self.ground, self.record.source), self.tip)
        return PigmentTool(self.values, self.tip, self.path)

    def extend(self, samples: Iterable[Sample]) -> None:
        """Take more pointer samples (x, y, pressure and, if known, tilt x, y) and bring the layers up to date."""
        batch: list[Sample] = [
            (float(x), float(y), min(max(float(p), 0.0), 1.0), *(tilt or (0.0, 0.0))) for x, y, p, *tilt in samples
        ]
        self.record.samples.extend(batch)
        self.gate.touched(batch, self.record.in_map)
        self._follow(self.stabilizer.follow(batch))

    def _follow(self, samples: list[Sample]) -> None:
        groups = self.path.extend(samples)
        if groups or self.guessed:
            self._lay(groups)

    def _take_back_guess(self) -> dict[str, TileArea]:
        """Forget the guessed end; returns where each surface has to be laid again."""
        areas, self.guessed = self.guessed, {}
        for name, area in areas.items():
            self.ahead[name].clear(area)
        return areas

    def _lay(self, groups: list[Dabs]) -> None:
        """Lay groups of dabs, one for each mirror image, and lay again what a guess had covered."""
        if self.filter:
            self.filter.lay(groups)
            return
        areas = self._take_back_guess()
        for dabs in groups:
            for name in self.ground.reached(dabs) if len(dabs) else ():
                for area in self._gather(name, dabs):
                    self._join(areas, name, area)
        for name, area in areas.items():
            if len(area):
                self._apply(name, area)

    @staticmethod
    def _join(areas: dict[str, TileArea], name: str, area: TileArea) -> None:
        areas[name] = areas[name].joined(area) if name in areas else area

    def _gather(self, name: str, dabs: Dabs) -> list[TileArea]:
        """Gather dabs on a surface; returns where."""
        image = dabs.track[0]
        coverage, mask = self.coverage[name], self.ground.mask(name, image)
        if dabs.joined is not None:
            sure, ahead = coverage.add_band(dabs, self.ahead[name], mask)
            if len(ahead):
                self._join(self.guessed, name, ahead)
            return [sure, ahead]
        if not self.images:
            return [coverage.add(dabs, mask)]
        alone = self.images[image][name]
        area = alone.add(dabs, mask)
        coverage.take_most(alone, area)
        return [area]

    def _apply(self, name: str, area: TileArea) -> None:
        for target in self.ground.targets[name]:
            changed = self.laying.lay(target, self.coverage[name], self.ahead[name], area)
            mark_node(self.document, target.layer, target.name, changed)

    def finish(self) -> Change | None:
        """The stroke as a change, shown already by its preview; None when it left no mark."""
        self._follow(self.stabilizer.catch_up())
        self._lay(self.path.finish())
        if self.tip.taper > 0:
            self._lay_again()
        self._release()
        edits = [edit for target in self._all_targets() for edit in target.edits()]
        return Change(label=LABELS[self.tool], edits=edits, stroke=self.record) if edits else None

    def _lay_again(self) -> None:
        """Now that its length is known, both ends of the stroke are tapered."""
        self._release()
        for target in self._all_targets():
            target.restore()
        self._begin()
        for groups in self.path.again():
            self._lay(groups)

    def _all_targets(self) -> list[Target]:
        return [target for targets in self.ground.targets.values() for target in targets]

    def cancel(self) -> None:
        """Everything is as it was before the press."""
        self._release()
        self.preview.drop()

    def _release(self) -> None:
        if self.filter:
            self.filter.release()
