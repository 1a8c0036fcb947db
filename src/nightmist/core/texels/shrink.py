"""Rasters made smaller: means of what is painted, by how much of it there is."""

from __future__ import annotations

import numpy as np

from ..kernels import as_uint16, carray, in_two_threads, kernel
from .raster import TILE, Raster, some_shown


def shrunk(raster: Raster, factor: int) -> Raster:
    """A raster a power of two smaller along each side: its texels the means of factor × factor, weighed by alpha.

    factor: sides stay multiples of a tile.
    """
    small = Raster(raster.width // factor, raster.height // factor, raster.channels)
    columns = small.addresses.shape[1]
    rows, places = np.nonzero(raster.addresses)
    tiles = np.unique(rows // factor * columns + places // factor)
    made = np.zeros((len(tiles), TILE, TILE, raster.channels), np.uint16)
    in_two_threads(len(tiles), lambda a, b: _shrink(raster.addresses, factor, columns, tiles[a:b], made[a:b]), 4)
    small.put_all(tiles, made, some_shown(made))
    return small


@kernel
def _shrink(addresses, factor, columns, tiles, made):  # type: ignore[no-untyped-def]
    side, channels = TILE // factor, made.shape[3]
    alpha, count = channels - 1, np.float32(factor * factor)
    sums = np.empty(channels, np.float32)
    for i in range(len(tiles)):
        for dy in range(factor):
            for dx in range(factor):
                address = addresses[tiles[i] // columns * factor + dy, tiles[i] % columns * factor + dx]
                if address == 0:
                    continue
                tile = carray(as_uint16(address), (TILE, TILE, channels))
                for y in range(side):
                    for x in range(side):
                        sums[:] = np.float32(0.0)
                        for v in range(factor):
                            for u in range(factor):
                                texel = tile[y * factor + v, x * factor + u]
                                cover = np.float32(texel[alpha])
                                sums[alpha] += cover
                                for c in range(alpha):
                                    sums[c] += np.float32(texel[c]) * cover
                        out = made[i, dy * side + y, dx * side + x]
                        for c in range(alpha):
                            out[c] = np.uint16(sums[c] / max(sums[alpha], np.float32(1.0)) + np.float32(0.5))
                        out[alpha] = np.uint16(sums[alpha] / count + np.float32(0.5))
