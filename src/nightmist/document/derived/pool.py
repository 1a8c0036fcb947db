"""Arrays by what is in them: history refers to pixels and to the model's arrays by digest; equal ones are held once."""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Callable, Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError

Loader = Callable[[str], NDArray[Any] | None]


def digest_of(array: NDArray[Any]) -> str:
    """32 hex digits that stand for an array's content, type and shape."""
    digest = hashlib.blake2b(f"{array.dtype.str}{array.shape}".encode(), digest_size=16)
    digest.update(np.ascontiguousarray(array).data)
    return digest.hexdigest()


class Pool:
    """Holds what history may need again, bounded in bytes where a loader can bring it back.

    An array that is not stored yet is pinned: it is never dropped before `stored` has been told about it.
    """

    def __init__(self, loader: Loader | None = None, limit: int = 1 << 29) -> None:
        self.loader, self.limit = loader, limit
        self.held: OrderedDict[str, NDArray[Any]] = OrderedDict()
        self.pinned: set[str] = set()
        self.bytes = 0

    def add(self, array: NDArray[Any], pin: bool = True) -> str:
        """Hold an array; returns its digest."""
        digest = digest_of(array)
        if digest not in self.held:
            array.flags.writeable = False
            self.held[digest] = array
            self.bytes += array.nbytes
            if pin:
                self.pinned.add(digest)
            self._shrink()
        return digest

    def get(self, digest: str | None) -> Any:
        """The array behind a digest; None for None, which stands for an absent tile."""
        if digest is None:
            return None
        array = self.held.get(digest)
        if array is None:
            array = self.loader(digest) if self.loader else None
            if array is None:
                raise NightmistError(
                    f"A part of an earlier state ({digest[:8]}) is missing; this step cannot be taken back."
                )
            self.add(array, pin=False)
        else:
            self.held.move_to_end(digest)
        return array

    def stored(self, digests: Iterable[str]) -> None:
        """These can be loaded again from now on, so they may go."""
        self.pinned.difference_update(digests)
        self._shrink()

    def _shrink(self) -> None:
        if self.loader is None:
            return
        for digest in list(self.held):
            if self.bytes <= self.limit:
                break
            if digest not in self.pinned:
                self.bytes -= self.held.pop(digest).nbytes
