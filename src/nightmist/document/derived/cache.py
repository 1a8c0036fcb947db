"""What follows from values and rasters, found by what it was made from, within a bound of bytes."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar

T = TypeVar("T")

#: Bytes of things nobody has asked for lately that are kept in case they are wanted again, as after an undo.
MOST_BYTES = 512 << 20


class Cache:
    """Nothing in it is ever wrong, since a key says all that its value depends on; so nothing is invalidated."""

    def __init__(self, most: int = MOST_BYTES) -> None:
        self.most, self.turn = most, 0
        self.held: OrderedDict[Hashable, tuple[Any, Callable[[], int]]] = OrderedDict()
        self.used: dict[Hashable, int] = {}
        #: Bytes of each as last measured, and of all together.
        self.bytes: dict[Hashable, int] = {}
        self.total = 0

    def get(self, key: Hashable, make: Callable[[], T], size: Callable[[T], int] = lambda made: 0) -> T:
        """The value of a key, made when it is not there; `size` tells its bytes now, which may grow with use."""
        if key not in self.held:
            made = make()
            self.held[key] = (made, lambda: size(made))
        self.held.move_to_end(key)
        self.used[key] = self.turn
        found: T = self.held[key][0]
        return found

    def next_turn(self) -> None:
        """The document changed: what was not asked for since the last change may go, the oldest first."""
        for key in reversed(self.held):
            # Only what was used since can have grown; that stands last.
            if self.used[key] < self.turn:
                break
            size = self.held[key][1]()
            self.total += size - self.bytes.get(key, 0)
            self.bytes[key] = size
        while self.total > self.most and self.used[key := next(iter(self.held))] < self.turn:
            del self.held[key], self.used[key]
            self.total -= self.bytes.pop(key)
        self.turn += 1
