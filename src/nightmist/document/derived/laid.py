"""Rasters whose tiles are worked out when they are asked for, and can be let go."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable, Mapping
from typing import Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

from ...core.texels import TILE, Raster
from ..values import CHANNELS, PlaneName

Name = TypeVar("Name", bound=PlaneName)


class LaidTiles(ABC, Generic[Name]):
    """What something lays on planes of a surface."""

    def __init__(self, size: tuple[int, int], names: Iterable[Name]) -> None:
        self.rasters: dict[Name, Raster] = {name: Raster(*size, CHANNELS[name]) for name in names}
        #: Which tiles are as they are to be.
        self.known = np.zeros(size[0] // TILE * (size[1] // TILE), np.bool_)

    @property
    def nbytes(self) -> int:
        """What its tiles take."""
        return sum(len(raster.tiles) * TILE * TILE * raster.channels * 2 for raster in self.rasters.values())

    def hold(self, tiles: NDArray[np.int32]) -> None:
        """See that these tiles are worked out."""
        new = tiles[~self.known[tiles]]
        if len(new):
            self.known[new] = True
            self._work_out(new)

    def let_go(self) -> None:
        """Forget all tiles; they are worked out again when they are asked for."""
        for raster in self.rasters.values():
            for key in list(raster.tiles):
                raster.put(key, None)
        self.known[:] = False

    @abstractmethod
    def _work_out(self, tiles: NDArray[np.int32]) -> None:
        """Put these tiles into the rasters, in place of what is there."""


def owners(laid: Iterable[LaidTiles[Name]], rasters: Iterable[Raster]) -> list[LaidTiles[Name]]:
    """Those of some to whom rasters belong."""
    known = {id(raster): one for one in laid for raster in one.rasters.values()}
    return list({id(one): one for raster in rasters if (one := known.get(id(raster)))}.values())


def within(most: int, laid: Mapping[str, LaidTiles[Name]]) -> None:
    """Let all tiles go where they take more than so many bytes."""
    if sum(one.nbytes for one in laid.values()) > most:
        for one in laid.values():
            one.let_go()
