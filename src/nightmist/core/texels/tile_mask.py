"""Where paint may go: shares by which coverage is multiplied, worked out tile by tile as tiles are reached."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ..kernels import addresses_in, as_float32, carray, kernel
from .area import TileArea
from .gutter import Gutter
from .ownership import Ownership
from .raster import TILE


class TileMask:
    """Float32 tiles of shares 0-1.

    addresses: (all tiles of the map,) int64; 0 stands for a tile that is one share all over: `elsewhere`.
    """

    def __init__(
        self, count: int, make: Callable[[NDArray[np.int32]], NDArray[np.float32]] | None = None, elsewhere: float = 1
    ) -> None:
        """make: (n,) tile numbers to (n, 64, 64) shares; asked once for each tile."""
        self.make, self.elsewhere = make, elsewhere
        self.addresses = np.zeros(count, np.int64)
        self.known = np.full(count, make is None)
        self.parts: list[NDArray[np.float32]] = []

    @classmethod
    def of(cls, tiles: NDArray[np.int32], parts: NDArray[np.float32], count: int) -> TileMask:
        """Parts (n, 64, 64) of `tiles`, rising, of a map of `count`; closed elsewhere."""
        mask = cls(count, elsewhere=0)
        mask._put(tiles, parts)
        return mask

    def hold(self, tiles: NDArray[np.int32]) -> None:
        """See that these tiles are worked out."""
        new = tiles[~self.known[tiles]]
        if self.make is None or not len(new):
            return
        self.known[new] = True
        shares = self.make(new)
        plain = (shares == self.elsewhere).all(axis=(1, 2))
        self._put(new[~plain], np.ascontiguousarray(shares[~plain]))

    def _put(self, tiles: NDArray[np.int32], parts: NDArray[np.float32]) -> None:
        self.parts.append(parts)
        self.addresses[tiles] = addresses_in(parts)

    @property
    def area(self) -> TileArea:
        """The tiles in which shares differ, whole."""
        return TileArea.of_tiles(np.flatnonzero(self.addresses).astype(np.int32))

    def shares(self, tiles: NDArray[np.int32]) -> NDArray[np.float32]:
        """(n, 64, 64) the shares of some tiles."""
        self.hold(tiles)
        found = np.full((len(tiles), TILE, TILE), self.elsewhere, np.float32)
        _copy(self.addresses[tiles], found)
        return found

    def share_at(self, row: int, column: int, width: int) -> float:
        """The share of one texel of a map so wide."""
        tile = row // TILE * (width // TILE) + column // TILE
        return float(self.shares(np.array([tile], np.int32))[0, row % TILE, column % TILE])

    def times(self, other: TileMask) -> TileMask:
        """Open as far as both are."""
        return TileMask(
            len(self.addresses),
            lambda tiles: self.shares(tiles) * other.shares(tiles),
            self.elsewhere * other.elsewhere,
        )

    def joined(self, other: TileMask) -> TileMask:
        """Open where either is; both closed elsewhere."""
        tiles = np.union1d(self.area.tiles, other.area.tiles).astype(np.int32)
        return TileMask.of(tiles, np.maximum(self.shares(tiles), other.shares(tiles)), len(self.addresses))

    def without(self, other: TileMask) -> TileMask:
        """Closed where the other is open; closed elsewhere."""
        tiles = self.area.tiles
        return TileMask.of(tiles, self.shares(tiles) * (1 - other.shares(tiles)), len(self.addresses))

    def complete(self) -> TileMask:
        """The same, with every tile worked out."""
        self.hold(np.arange(len(self.addresses), dtype=np.int32))
        return self

    @property
    def nbytes(self) -> int:
        """What its tiles take."""
        return self.addresses.nbytes + sum(part.nbytes for part in self.parts)


def shown_texels(own: Ownership, gutter: Gutter, hidden: NDArray[np.uint8]) -> TileMask:
    """Closed for texels that only hidden faces own, and for the gutter that repeats them.

    hidden: (n,) 1 for each face of the table that is hidden.
    """
    state = np.zeros((own.height, own.width), np.uint8)
    _owned(own.tile_start, own.pieces, own.spans, own.columns, hidden, state)
    pairs, _ = gutter.by_target
    flat = state.ravel()
    flat[pairs[:, 0]] = flat[pairs[:, 1]]

    def make(tiles: NDArray[np.int32]) -> NDArray[np.float32]:
        rows, columns = tiles // own.columns * TILE, tiles % own.columns * TILE
        parts = [state[y : y + TILE, x : x + TILE] != 1 for y, x in zip(rows, columns, strict=True)]
        return np.array(parts, np.float32)

    return TileMask(len(own.tile_start) - 1, make)


@kernel
def _copy(addresses, found):  # type: ignore[no-untyped-def]
    for i in range(len(addresses)):
        if addresses[i] != 0:
            found[i] = carray(as_float32(addresses[i]), (TILE, TILE))


@kernel
def _owned(tile_start, pieces, spans, columns, hidden, state):  # type: ignore[no-untyped-def]
    """1 where only hidden faces own a texel, 2 where a shown one does."""
    for t in range(len(tile_start) - 1):
        top, left = t // columns * TILE, t % columns * TILE
        for p in range(tile_start[t], tile_start[t + 1]):
            value = np.uint8(1) if hidden[pieces[p, 0]] != 0 else np.uint8(2)
            for i in range(pieces[p, 4]):
                first, end = spans[pieces[p, 5] + i]
                for x in range(left + first, left + end):
                    state[top + pieces[p, 3] + i, x] = max(state[top + pieces[p, 3] + i, x], value)
