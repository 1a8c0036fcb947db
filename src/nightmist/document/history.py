"""What was done, in order, and how far of it is in force."""

from __future__ import annotations

from collections.abc import Sequence

from ..core.errors import NightmistError
from .commands import Command

DEPTH = 1000


class History:
    """Commands [0, cursor) are done, [cursor, end) are undone and can be redone."""

    def __init__(self, commands: Sequence[Command] = (), cursor: int | None = None) -> None:
        self.commands: list[Command] = list(commands)
        self.cursor = len(self.commands) if cursor is None else cursor
        self.forgotten = 0  # commands that fell out at the old end

    @property
    def place(self) -> int:
        """The cursor counted from the very first command."""
        return self.forgotten + self.cursor

    def push(self, command: Command) -> None:
        """A new command in force; what was undone is gone, and the oldest fall out beyond DEPTH."""
        del self.commands[self.cursor :]
        self.commands.append(command)
        self.forgotten += max(len(self.commands) - DEPTH, 0)
        del self.commands[:-DEPTH]
        self.cursor = len(self.commands)

    def to_undo(self) -> Command:
        """The command that undo takes back. Raises NightmistError when there is none."""
        if self.cursor == 0:
            raise NightmistError("There is nothing to undo.")
        return self.commands[self.cursor - 1]

    def to_redo(self) -> Command:
        """The command that redo brings back. Raises NightmistError when there is none."""
        if self.cursor == len(self.commands):
            raise NightmistError("There is nothing to redo.")
        return self.commands[self.cursor]
