"""Clone within a stroke: for each texel covered, what lay at its source before the press."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...core.brush import Coverage
from ...core.kernels import address_of
from ...core.texels import TILE, TileArea
from ...core.tools.clone import new_texels, sampled, turn_between
from ..values import CloneSource
from .ground import Ground, Target


class Cloner:
    """Finds sources by rays along the source's normal, each texel once, and samples the layers as they were."""

    def __init__(self, ground: Ground, source: CloneSource) -> None:
        self.ground, self.source = ground, source
        self.before: dict[tuple[str, str], NDArray[np.uint16]] = {}
        self.tiles: dict[tuple[str, str, int], NDArray[np.uint16]] = {}
        self.tables: dict[tuple[str, str], NDArray[np.int64]] = {}
        self.seen: dict[tuple[str, str, int], NDArray[np.bool_]] = {}
        self.seen_tables: dict[tuple[str, str], NDArray[np.int64]] = {}
        self.turn = np.eye(3)
        if not ground.flat:
            self.turn = turn_between(_unit(source.anchor_normal), _unit(source.normal))
        low, high = ground.document.mesh.bounds
        self.reach = 0.05 * float(np.linalg.norm(high - low))

    def pictures(self, target: Target, coverage: Coverage, area: TileArea) -> NDArray[np.int64]:
        """The table of tiles with what is to be laid on, brought up to date for an area."""
        surface = target.surface.name
        key = (surface, target.name)
        table = self.tables.setdefault(key, np.zeros(len(coverage.tiles.addresses), np.int64))
        seen = self.seen_tables.setdefault(key, np.zeros(len(coverage.tiles.addresses), np.int64))
        for tile in area.tiles:
            if not table[tile]:
                picture = self.tiles[surface, target.name, int(tile)] = np.zeros(
                    (TILE, TILE, target.raster.channels), np.uint16
                )
                known = self.seen[surface, target.name, int(tile)] = np.zeros((TILE, TILE), np.bool_)
                table[tile], seen[tile] = address_of(picture), address_of(known)
        where, places = new_texels(coverage.ownership, area, coverage.tiles.addresses, seen)
        if len(where):
            values = self._values(target, places)
            columns = coverage.ownership.columns
            tile = where[:, 0] // TILE * columns + where[:, 1] // TILE
            for number in np.unique(tile):
                mine = tile == number
                picture = self.tiles[surface, target.name, int(number)]
                picture[where[mine, 0] % TILE, where[mine, 1] % TILE] = values[mine]
        return table

    def _values(self, target: Target, places: NDArray[np.float64]) -> NDArray[np.uint16]:
        source = self.source
        at = np.asarray(source.point) + (places - np.asarray(source.anchor)) @ self.turn.T
        if self.ground.flat:
            return sampled(self._picture(target.surface.name, target), at[:, :2])
        normal = np.tile(_unit(source.normal), (len(at), 1))
        caster = self.ground.document.caster
        hits = caster.cast(at + normal * self.reach, -normal)
        good = np.flatnonzero((hits.face >= 0) & (hits.distance <= 2 * self.reach))
        values = np.zeros((len(at), target.raster.channels), np.uint16)
        weights, _ = caster.attributes(hits, good)
        faces = hits.face[good]
        owner = self.ground.document.mesh.face_surface[faces]
        for surface in self.ground.document.surface_values():
            here = owner == surface.number
            if not here.any() or surface.name not in self.ground.layers:
                continue
            uv = (self.ground.document.layout(surface).uvs[faces[here]] * weights[here][:, :, None]).sum(
                axis=1
            ) * surface.size
            values[good[here]] = sampled(self._picture(surface.name, target), uv)
        return values

    def _picture(self, surface: str, target: Target) -> NDArray[np.uint16]:
        """A layer's map as it was before the press."""
        key = (surface, target.name)
        if key not in self.before:
            layer = self.ground.layers[surface]
            self.before[key] = self.ground.document.raster(layer.id, target.name).read()
        return self.before[key]


def _unit(vector: tuple[float, float, float]) -> NDArray[np.float64]:
    array = np.asarray(vector, np.float64)
    length = float(np.linalg.norm(array))
    return array / length if length > 0 else np.array([0.0, 0, 1])
