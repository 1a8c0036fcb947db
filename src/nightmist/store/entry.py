"""What one transaction keeps: of one change, or of several that were made one after the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

Place = tuple[str, str, int, int]  # layer, map, row, column


class ArrayData(NamedTuple):
    """An array as .npy and, of a table of tiles, the digests that it names, 16 bytes each."""

    npy: bytes
    tiles: bytes | None


@dataclass
class Entry:
    """New pixels, where tiles lie now, the structure, and the history."""

    revision: int
    cursor: int
    tiles: dict[str, tuple[int, bytes]] = field(default_factory=dict)  # digest -> channels, pixels
    arrays: dict[str, ArrayData] = field(default_factory=dict)
    placed: dict[Place, str | None] = field(default_factory=dict)  # None: the tile is gone
    state: dict[str, Any] | None = None
    name: str | None = None
    steps: dict[int, dict[str, Any]] = field(default_factory=dict)  # by place; whatever stood behind the first is gone
    emptied: set[tuple[str, str]] = field(default_factory=set)  # layer, map: tiles go before `placed` puts any

    @property
    def bytes(self) -> int:
        """Of its pixels and arrays."""
        return sum(len(pixels) for _, pixels in self.tiles.values()) + sum(len(a.npy) for a in self.arrays.values())


def joined(entries: Sequence[Entry]) -> Entry:
    """One entry that leaves what these leave one after the other. At least one; the first is older."""
    whole = Entry(entries[-1].revision, entries[-1].cursor)
    for entry in entries:
        whole.tiles |= entry.tiles
        whole.arrays |= entry.arrays
        if entry.emptied:
            whole.emptied |= entry.emptied
            whole.placed = {place: tile for place, tile in whole.placed.items() if place[:2] not in entry.emptied}
        whole.placed |= entry.placed
        whole.state = whole.state if entry.state is None else entry.state
        whole.name = whole.name if entry.name is None else entry.name
        if entry.steps:
            whole.steps = {place: step for place, step in whole.steps.items() if place < min(entry.steps)} | entry.steps
    return whole
