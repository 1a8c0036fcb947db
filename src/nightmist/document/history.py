"""What was done, in order, and how far of it is in force."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence

from ..core.errors import NightmistError
from .change import Change

DEPTH = 1000
#: Changes with the same merge key this many seconds apart at most become one step.
MOMENT = 1.0


class History:
    """Changes [0, cursor) are done, [cursor, end) are undone and can be redone."""

    def __init__(
        self, changes: Sequence[Change] = (), cursor: int | None = None, clock: Callable[[], float] = time.monotonic
    ) -> None:
        self.changes: list[Change] = list(changes)
        self.cursor = len(self.changes) if cursor is None else cursor
        self.forgotten = 0  # changes that fell out at the old end
        self.clock, self.pushed = clock, -MOMENT

    @property
    def place(self) -> int:
        """The cursor counted from the very first change."""
        return self.forgotten + self.cursor

    def push(self, change: Change) -> None:
        """A new change in force; what was undone is gone, and the oldest fall out beyond DEPTH."""
        del self.changes[self.cursor :]
        now = self.clock()
        last = self.changes[-1] if self.changes else None
        if last and change.merge and change.merge == last.merge and now - self.pushed <= MOMENT:
            self.changes[-1] = last.followed_by(change)
        else:
            self.changes.append(change)
        self.pushed = now
        self.forgotten += max(len(self.changes) - DEPTH, 0)
        del self.changes[:-DEPTH]
        self.cursor = len(self.changes)

    def to_undo(self) -> Change:
        """The change that undo takes back. Raises NightmistError when there is none."""
        if self.cursor == 0:
            raise NightmistError("There is nothing to undo.")
        return self.changes[self.cursor - 1]

    def to_redo(self) -> Change:
        """The change that redo brings back. Raises NightmistError when there is none."""
        if self.cursor == len(self.changes):
            raise NightmistError("There is nothing to redo.")
        return self.changes[self.cursor]
