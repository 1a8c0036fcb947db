"""Rasters that a filter makes, tile by tile as tiles are composited, and makes again where something has changed."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...core.filters.run import Filter
from ...core.texels import TileArea
from ..values import PlaneName, Surface
from .laid import LaidTiles

#: Tiles that are made at once: rows of them, so that few are looked at twice.
AT_ONCE = 128


class Filtered(LaidTiles[PlaneName]):
    """What a filter lays of a node: rasters whose tiles come when they are asked for."""

    def __init__(self, node: str, run: Filter, names: Iterable[PlaneName], surface: Surface, key: Any) -> None:
        """node: whose id it is. names: the planes that it lays. key: all that it follows from but pixels."""
        super().__init__(surface.size, names)
        self.node, self.run, self.key = node, run, key
        #: Nodes whose pixels it looks at.
        self.nodes: frozenset[str] = frozenset()

    def _work_out(self, tiles: NDArray[np.int32]) -> None:
        # Over what lies on no map there is nothing to filter.
        for first in range(0, len(tiles) if self.rasters else 0, AT_ONCE):
            some = tiles[first : first + AT_ONCE]
            self._write(some, self.run.make(some, self._below))

    def felt(self, changed: TileArea) -> TileArea:
        """What it looks at has changed in an area: where that is felt, and has to be worked out again."""
        self.run.forget(changed.tiles)
        area = self.run.reach(changed)
        self.known[area.tiles] = False
        return area

    @abstractmethod
    def _below(self, tiles: NDArray[np.int32]) -> NDArray[np.float32]:
        """(n, 64, 64, p) what is to be filtered."""

    @abstractmethod
    def _write(self, tiles: NDArray[np.int32], planes: NDArray[np.float32]) -> None:
        """Put what the filter has made of some tiles."""


def felt(filters: Sequence[Filtered], pixels: Mapping[str, TileArea], rest: TileArea) -> TileArea:
    """Where changes show that filters carry on. filters: of a stack, bottom first, those inside others before them.

    pixels: where, by node, pixels have changed. rest: where anything else has; that may lie anywhere in the stack.
    """
    changed = dict(pixels)
    for laid in filters:
        below = [area for node, area in changed.items() if node in laid.nodes]
        if below:
            # What lies above this one looks at what it makes.
            area = laid.felt(TileArea.union(below))
            changed[laid.node] = area.joined(changed.get(laid.node, TileArea.empty()))
        if len(rest):
            rest = laid.run.reach(rest)
    return TileArea.union([rest, *changed.values()])
