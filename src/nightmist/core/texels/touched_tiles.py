"""Tiles that a stroke touches: they appear, empty, as they are asked for."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..kernels import address_of, kernel
from .raster import TILE

#: Tiles that are made at once: one by one they take longer than what is done with them.
BLOCK = 8


class TouchedTiles:
    """Tiles of a map, by number.

    addresses: (all tiles of the map,) int64 for kernels, 0 where a tile is absent.
    """

    def __init__(self, count: int, kind: type, *channels: int) -> None:
        """count: of the map's tiles. kind, channels: of a texel, which has none when it is a number."""
        self.kind, self.shape = kind, (TILE, TILE, *channels)
        self.addresses = np.zeros(count, np.int64)
        self.blocks: list[NDArray[Any]] = []
        #: Where the tiles lie that nobody has asked for yet, how many they are, and the bytes of each.
        self._free, self._left = 0, 0
        self._step = int(np.prod(self.shape)) * np.dtype(kind).itemsize

    def __bool__(self) -> bool:
        return bool(self.blocks)

    def touch(self, tiles: NDArray[np.int32]) -> None:
        """See that these are there."""
        lacking = self._hand_out(tiles)
        if lacking:
            block: NDArray[Any] = np.zeros((max(lacking, BLOCK), *self.shape), self.kind)
            self.blocks.append(block)
            self._free, self._left = address_of(block), len(block)
            self._hand_out(tiles)

    def _hand_out(self, tiles: NDArray[np.int32]) -> int:
        """Give free tiles to those of these that are absent; returns how many are so still."""
        given, lacking = _hand_out(self.addresses, tiles, self._free, self._left, self._step)
        self._free, self._left = self._free + given * self._step, self._left - given
        return int(lacking)

    def get(self, number: int) -> NDArray[Any] | None:
        """One of them, None where it is absent."""
        address = int(self.addresses[number])
        for block in self.blocks:
            place = (address - address_of(block)) // block.strides[0]
            if 0 <= place < len(block):
                found: NDArray[Any] = block[place]
                return found
        return None

    def items(self) -> Iterator[tuple[int, NDArray[Any]]]:
        """All that are there, with their numbers."""
        for number in np.flatnonzero(self.addresses).tolist():
            tile = self.get(number)
            assert tile is not None
            yield number, tile


@kernel
def _hand_out(addresses, tiles, free, left, step):  # type: ignore[no-untyped-def]
    given, lacking = 0, 0
    for t in tiles:
        if addresses[t] != 0:
            continue
        if given < left:
            addresses[t] = free + given * step
            given += 1
        else:
            lacking += 1
    return given, lacking
