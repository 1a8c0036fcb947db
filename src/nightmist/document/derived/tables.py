"""A raster as a table of its tiles' digests, which is an array of the pool itself and so has a digest of its own."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...core.texels import Raster
from .pool import Pool

#: (n + 1, 4) int64: width, height, channels, 0; then for each tile its row, column and digest in two halves.
Table = NDArray[np.int64]


def table_of(raster: Raster, tiles: Pool, tables: Pool) -> str | None:
    """Hold a raster's tiles and their table; its digest, or None for an empty raster."""
    if not raster.tiles:
        return None
    rows = empty_table(raster).tolist()
    placed = sorted(raster.tiles.items())
    digests = tiles.add_all([tile for _, tile in placed])
    for ((row, column), _), digest in zip(placed, digests, strict=True):
        rows.append((row, column, _signed(digest[:16]), _signed(digest[16:])))
    return tables.add(np.array(rows, np.int64))


def empty_table(raster: Raster) -> Table:
    """The table of a raster of this size without tiles."""
    return np.array([(raster.width, raster.height, raster.channels, 0)], np.int64)


def raster_of(table: Table, tiles: Pool) -> Raster:
    """The raster that a table describes."""
    width, height, channels = (int(n) for n in table[0, :3])
    raster = Raster(width, height, channels)
    for key, digest in tiles_in(table).items():
        raster.put(key, tiles.get(digest))
    return raster


def tiles_in(table: Table) -> dict[tuple[int, int], str]:
    """Row and column of each tile, and its digest."""
    digests = np.ascontiguousarray(table[1:, 2:]).astype(">i8").tobytes().hex()
    return {(int(row), int(column)): digests[32 * i : 32 * i + 32] for i, (row, column) in enumerate(table[1:, :2])}


def is_table(array: NDArray[Any]) -> bool:
    """Whether an array of the pool is a table of tiles: the only one of this shape and type."""
    return array.dtype == np.int64 and array.ndim == 2 and array.shape[1] == 4


def _signed(half: str) -> int:
    return int.from_bytes(bytes.fromhex(half), "big", signed=True)
