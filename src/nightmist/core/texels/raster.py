"""Sparse 16-bit rasters in tiles that are never changed in place once shared."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..kernels import address_of, as_uint16, carray, copy_line, kernel, shorts_at

TILE = 64
#: Texels of a tile.
TILE_TEXELS = TILE * TILE

Tile = NDArray[np.uint16]
TileKey = tuple[int, int]


def tile_key(tile: int, columns: int) -> TileKey:
    """Row and column of a tile by its number."""
    return int(tile) // columns, int(tile) % columns


class Raster:
    """W × H texels of `channels` uint16, the last one alpha; a tile that is absent is transparent.

    tiles: (row, column) -> (TILE, TILE, channels) uint16, read-only.
    addresses: (rows, columns) int64 for kernels, 0 where a tile is absent.
    """

    def __init__(self, width: int, height: int, channels: int) -> None:
        self.width, self.height, self.channels = width, height, channels
        self.tiles: dict[TileKey, Tile] = {}
        self.addresses = np.zeros((height // TILE, width // TILE), np.int64)
        #: Grows with each tile that is put.
        self.edition = 0

    def copy(self) -> Raster:
        """The same tiles in a raster of its own: what is put into it leaves this one alone."""
        copy = Raster(self.width, self.height, self.channels)
        copy.tiles, copy.addresses = dict(self.tiles), self.addresses.copy()
        return copy

    def copy_of(self, key: TileKey) -> Tile:
        """A tile to work on, with what lies there."""
        tile = self.tiles.get(key)
        return np.zeros((TILE, TILE, self.channels), np.uint16) if tile is None else tile.copy()

    def put(self, key: TileKey, tile: Tile | None) -> None:
        """Set or clear one tile; the array belongs to the raster from now on."""
        self.edition += 1
        if tile is None:
            self.tiles.pop(key, None)
            self.addresses[key] = 0
        else:
            tile.flags.writeable = False
            self.tiles[key] = tile
            self.addresses[key] = address_of(tile)

    def put_all(
        self, numbers: NDArray[np.int32], tiles: NDArray[np.uint16], which: NDArray[np.bool_] | None = None
    ) -> None:
        """Set tiles by their numbers, (n,): (n, TILE, TILE, channels), which belongs to the raster from now on.

        which: (n,), those that are set, or all of them. None is copied.
        """
        self.edition += 1
        tiles.flags.writeable = False
        flat, columns = self.addresses.ravel(), self.addresses.shape[1]
        first, step = address_of(tiles), tiles.strides[0]
        places = range(len(tiles)) if which is None else np.flatnonzero(which).tolist()
        for place in places:
            number = int(numbers[place])
            flat[number] = first + place * step
            self.tiles[divmod(number, columns)] = tiles[place]

    def part_from(self, other: Raster, tiles: NDArray[np.int32]) -> None:
        """Of these tiles, give those that are still another raster's own copies of what lies there."""
        shared = np.empty_like(tiles)
        shared = shared[: _shared(self.addresses.ravel(), other.addresses.ravel(), tiles, shared)]
        if len(shared):
            copies = np.empty((len(shared), TILE, TILE, self.channels), np.uint16)
            _copy(self.addresses.ravel(), shared, copies)
            self.put_all(shared, copies)

    def read(self) -> NDArray[np.uint16]:
        """The whole raster, (H, W, channels)."""
        image = np.zeros((self.height, self.width, self.channels), np.uint16)
        for (row, column), tile in self.tiles.items():
            image[row * TILE : (row + 1) * TILE, column * TILE : (column + 1) * TILE] = tile
        return image

    def texels(self, places: NDArray[np.int32]) -> NDArray[np.uint16]:
        """The texels at places (y · width + x), (n, channels)."""
        found = np.zeros((len(places), self.channels), np.uint16)
        _texels(self.addresses, self.width, places, found)
        return found

    def take(self, image: NDArray[np.uint16]) -> None:
        """Become an (H, W, channels) picture; wholly transparent tiles stay absent."""
        for row in range(self.height // TILE):
            for column in range(self.width // TILE):
                part = image[row * TILE : (row + 1) * TILE, column * TILE : (column + 1) * TILE]
                self.put((row, column), np.ascontiguousarray(part) if part[..., -1].any() else None)


def some_shown(tiles: NDArray[np.uint16]) -> NDArray[np.bool_]:
    """(n,) which of (n, TILE, TILE, channels) tiles are not transparent all over."""
    found = np.zeros(len(tiles), np.bool_)
    _some_shown(tiles.reshape(len(tiles), TILE * TILE, tiles.shape[-1]), found)
    return found


#: A share of 0 to 1 everywhere, or of each texel of a tile, (64, 64).
Start = float | NDArray[np.float64]


def shares_of(tile: Tile | None, start: Start) -> Tile:
    """A mask's tile (share, alpha), None where there is none, as it counts over what lies under it; alpha full."""
    if tile is None:
        if isinstance(start, float | int):
            return _plain(round(65535 * start))
        tile = np.zeros((TILE, TILE, 2), np.uint16)
    spelled = np.full_like(tile, 65535)
    share, alpha = tile[..., 0].astype(np.float64), tile[..., 1] / 65535
    spelled[..., 0] = np.rint(65535 * start + (share - 65535 * start) * alpha)
    return spelled


@lru_cache(8)
def _plain(share: int) -> Tile:
    """One tile for all places where a mask has one share."""
    tile = np.empty((TILE, TILE, 2), np.uint16)
    tile[...] = share, 65535
    tile.flags.writeable = False
    return tile


@kernel
def _shared(addresses, others, tiles, shared):  # type: ignore[no-untyped-def]
    count = 0
    for t in tiles:
        if addresses[t] == others[t]:
            shared[count] = t
            count += 1
    return count


@kernel
def _copy(addresses, tiles, copies):  # type: ignore[no-untyped-def]
    for i in range(len(tiles)):
        copy, address = copies[i].reshape(-1), addresses[tiles[i]]
        if address == 0:
            copy[:] = 0
        else:
            copy_line(shorts_at(address, len(copy)), copy)


@kernel
def _some_shown(tiles, found):  # type: ignore[no-untyped-def]
    alpha = tiles.shape[2] - 1
    for i in range(len(tiles)):
        for k in range(tiles.shape[1]):
            if tiles[i, k, alpha] != 0:
                found[i] = True
                break


@kernel
def _texels(addresses, width, places, found):  # type: ignore[no-untyped-def]
    channels = found.shape[1]
    for i in range(len(places)):
        y, x = places[i] // width, places[i] % width
        address = addresses[y // 64, x // 64]
        if address:
            tile = carray(as_uint16(address), (64, 64, channels))
            for c in range(channels):
                found[i, c] = tile[y % 64, x % 64, c]
