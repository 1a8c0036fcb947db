"""Tiles by what is in them: history refers to pixels by digest, and equal tiles are held once."""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Callable, Iterable

import numpy as np

from ..core.errors import NightmistError
from ..core.texels.raster import Tile

Loader = Callable[[str], Tile | None]


def digest_of(tile: Tile) -> str:
    """32 hex digits that stand for a tile's content and shape."""
    digest = hashlib.blake2b(digest_size=16, person=str(tile.shape[-1]).encode())
    digest.update(np.ascontiguousarray(tile).data)
    return digest.hexdigest()


class TilePool:
    """Holds the tiles that history may need again, bounded in bytes where a loader can bring them back.

    A tile that is not stored yet is pinned: it is never dropped before `stored` has been told about it.
    """

    def __init__(self, loader: Loader | None = None, limit: int = 1 << 29) -> None:
        self.loader, self.limit = loader, limit
        self.tiles: OrderedDict[str, Tile] = OrderedDict()
        self.pinned: set[str] = set()
        self.bytes = 0

    def add(self, tile: Tile, pin: bool = True) -> str:
        """Hold a tile; returns its digest."""
        digest = digest_of(tile)
        if digest not in self.tiles:
            tile.flags.writeable = False
            self.tiles[digest] = tile
            self.bytes += tile.nbytes
            if pin:
                self.pinned.add(digest)
            self._shrink()
        return digest

    def get(self, digest: str | None) -> Tile | None:
        """The tile behind a digest; None for None, which stands for an absent tile."""
        if digest is None:
            return None
        tile = self.tiles.get(digest)
        if tile is None:
            tile = self.loader(digest) if self.loader else None
            if tile is None:
                raise NightmistError(
                    f"The pixels {digest[:8]} of an earlier state are missing; this step cannot be taken back."
                )
            self.add(tile, pin=False)
        else:
            self.tiles.move_to_end(digest)
        return tile

    def stored(self, digests: Iterable[str]) -> None:
        """These can be loaded again from now on. May be called from another thread."""
        self.pinned.difference_update(digests)

    def _shrink(self) -> None:
        if self.loader is None:
            return
        for digest in list(self.tiles):
            if self.bytes <= self.limit:
                break
            if digest not in self.pinned:
                self.bytes -= self.tiles.pop(digest).nbytes
