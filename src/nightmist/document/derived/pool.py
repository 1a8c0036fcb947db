"""Arrays by what is in them: history refers to pixels and to the model's arrays by digest; equal ones are held once."""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Callable, Iterable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.kernels import in_two_threads

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
        self.held: dict[str, NDArray[Any]] = {}
        self.pinned: set[str] = set()
        #: Those held that are stored and may go, the one that is longest unused first.
        self.loose: OrderedDict[str, None] = OrderedDict()
        #: By the identity of the arrays held: whoever paints over them need not look through their pixels again.
        self.digests: dict[int, str] = {}
        self.bytes = 0

    def add(self, array: NDArray[Any], pin: bool = True) -> str:
        """Hold an array; returns its digest."""
        return self.add_all([array], pin)[0]

    def add_all(self, arrays: Sequence[NDArray[Any]], pin: bool = True) -> list[str]:
        """Hold arrays; returns their digests, worked out in two threads."""
        digests = [self._digest_held(array) or "" for array in arrays]
        new = [i for i, digest in enumerate(digests) if not digest]

        def work(first: int, last: int) -> None:
            for i in new[first:last]:
                digests[i] = digest_of(arrays[i])

        in_two_threads(len(new), work)
        for i in new:
            digest, array = digests[i], arrays[i]
            if digest not in self.held:
                array.flags.writeable = False
                self.held[digest] = array
                self.digests[id(array)] = digest
                self.bytes += array.nbytes
                if pin:
                    self.pinned.add(digest)
                else:
                    self.loose[digest] = None
        self._shrink()
        return digests

    def _digest_held(self, array: NDArray[Any]) -> str | None:
        """What an array that is held itself, not one like it, is held as."""
        digest = self.digests.get(id(array))
        return digest if digest and self.held.get(digest) is array else None

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
        elif digest in self.loose:
            self.loose.move_to_end(digest)
        return array

    def stored(self, digests: Iterable[str]) -> None:
        """These can be loaded again from now on, so they may go."""
        for digest in digests:
            if digest in self.pinned:
                self.pinned.remove(digest)
                self.loose[digest] = None
        self._shrink()

    def _shrink(self) -> None:
        while self.loader and self.loose and self.bytes > self.limit:
            digest, _ = self.loose.popitem(last=False)
            gone = self.held.pop(digest)
            self.digests.pop(id(gone), None)
            self.bytes -= gone.nbytes
