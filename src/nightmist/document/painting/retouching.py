"""Tools that filter what lies there: smear, soften, sharpen, dab by dab on dense pictures, loaded as reached."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...core.brush import Coverage, Dabs
from ...core.texels import TileArea
from ...core.tools.apply import put_alpha_back
from ...core.tools.retouch import Reworked, load_around, sharpen, smear, soften
from ..stale import mark_node
from ..values import MASK, PlaneName, Tool
from .ground import Coverages, Ground, Target

RETOUCHES: tuple[Tool, ...] = ("smear", "soften", "sharpen")
#: Shares of the radius, dab after dab, at which neighbors are mixed: changing them leaves no pattern.
STEPS = (0.10, 0.04, 0.07)
#: Beyond this many texels the gutter has nothing to show.
MOST_STEP = 8


class Retoucher:
    """Keeps a dense picture of each map that the stroke reaches, with what lies beyond island borders in its gutter."""

    def __init__(self, ground: Ground, tool: Tool) -> None:
        self.ground, self.tool = ground, tool
        self.pictures: dict[tuple[str, PlaneName], NDArray[np.uint16]] = {}
        self.loaded: dict[tuple[str, PlaneName], NDArray[np.bool_]] = {}
        self.weights = Coverages(ground)
        self.last: dict[tuple[int, ...], NDArray[np.float64]] = {}
        self.count = 0
        for target in (target for targets in ground.targets.values() for target in targets):
            if target.name == MASK:
                target.spell_out()

    def lay(self, groups: list[Dabs]) -> None:
        """Work through the dabs in order; mirror images side by side."""
        for i in range(max((len(dabs) for dabs in groups), default=0)):
            for dabs in groups:
                if i < len(dabs):
                    self._dab(_one(dabs, i))
            self.count += 1

    def release(self) -> None:
        """Nothing more will be laid: the pictures are free for the next stroke."""
        for picture in self.pictures.values():
            self.ground.document.dense.give_back(picture)
        self.pictures.clear()
        self.loaded.clear()

    def _dab(self, dab: Dabs) -> None:
        before = self.last.get(dab.track)
        self.last[dab.track] = dab.centers[0]
        move = dab.centers[0] - before if before is not None else np.zeros(3)
        if self.tool == "smear" and not move.any():
            return
        for name in self.ground.reached(dab):
            weights = self.weights[name]
            area = weights.add(dab, self.ground.mask(name, dab.track[0]))
            if not len(area):
                continue
            for target in self.ground.targets[name]:
                self._work(target, weights, area, move, dab)
            weights.clear(area)

    def _work(
        self, target: Target, weights: Coverage, area: TileArea, move: NDArray[np.float64], dab: Dabs
    ) -> None:  # fmt: skip
        own = weights.ownership
        picture = self._picture(target, area)
        target.prepare(area.tiles)
        work = Reworked(picture, own, area, weights.tiles.addresses, target.after_addresses)
        if self.tool == "smear":
            smear(work, move)
        else:
            tool = soften if self.tool == "soften" else sharpen
            share = STEPS[self.count % len(STEPS)]
            step = int(np.clip(round(float(dab.radii[0]) / own.usual_texel * share), 1, MOST_STEP))
            tool(work, step)
        if target.keeps_alpha:
            put_alpha_back(area, target.before_addresses, target.after_addresses, target.raster.channels)
        mark_node(self.ground.document, target.layer, target.name, area)
        if not self.ground.flat:
            self._spread(target, area)

    def _picture(self, target: Target, area: TileArea) -> NDArray[np.uint16]:
        """The dense picture, loaded in the area's tiles and as far around as tools look."""
        key = (target.surface.name, target.name)
        raster = target.raster
        if key not in self.pictures:
            self.pictures[key] = self.ground.document.dense.take((raster.height, raster.width, raster.channels))
            self.loaded[key] = np.zeros(raster.addresses.shape, bool)
        picture, loaded = self.pictures[key], self.loaded[key]
        fresh = load_around(picture, loaded, raster.addresses, area)
        if len(fresh) and not self.ground.flat:
            self._fill_gutter(key, fresh)
        return picture

    def _fill_gutter(self, key: tuple[str, PlaneName], tiles: NDArray[np.int32]) -> None:
        document = self.ground.document
        surface = self.ground.surfaces[key[0]]
        links = document.links(surface)
        flat = self.pictures[key].reshape(-1, self.pictures[key].shape[2])
        which = links.targets_in(*surface.size, tiles)
        for other in self.ground.surfaces.values():
            mine = which[links.surface[which] == other.number]
            # Rasters hold what this stroke has done so far; a picture may not be loaded there.
            raster = document.shown_raster(self.ground.layers[other.name].id, key[1])
            if len(mine) and raster is not None:
                flat[links.target[mine]] = raster.texels(links.source[mine])

    def _spread(self, target: Target, area: TileArea) -> None:
        """Gutters that show the changed texels follow, in this map and in those of surfaces next door."""
        surface = target.surface
        source = self.pictures[surface.name, target.name]
        for (name, map_name), picture in self.pictures.items():
            if map_name != target.name:
                continue
            links = self.ground.document.links(self.ground.surfaces[name])
            which = links.sources_in(surface.number, *surface.size, area)
            links.show(which, source, self.loaded[name, map_name], picture)


def _one(dabs: Dabs, i: int) -> Dabs:
    pick = slice(i, i + 1)
    return Dabs(
        dabs.centers[pick], dabs.normals[pick], dabs.radii[pick], dabs.strengths[pick],
        np.broadcast_to(np.asarray(dabs.hardness), (len(dabs),))[pick], dabs.facing_limit, False, dabs.table,
        dabs.picture, tangents=dabs.tangents[pick] if dabs.tangents is not None else None,
        track=dabs.track, sheet=dabs.sheet,
    )  # fmt: skip
