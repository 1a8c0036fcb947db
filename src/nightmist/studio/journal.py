"""Keeps changes in the order they were made, beside the painting, and says how far it has got."""

from __future__ import annotations

import logging
import queue
import threading
from collections.abc import Callable
from typing import NamedTuple

from ..store import Entry, NeverStoredError, Store, StoreError

log = logging.getLogger(__name__)

#: Seconds before a refused entry is tried again; the last one repeats.
PATIENCE = (0.1, 0.3, 1.0, 2.0)


#: Bytes that may wait while the database is away; then nothing more is changed until it answers.
MOST_WAITING = 1 << 30


class Word(NamedTuple):
    """What became of an entry: kept, or why not (yet). never: it never can be, and nothing after it was tried."""

    entry: Entry
    why: str | None = None
    never: bool = False


class Journal:
    """A thread that commits one entry after the other and tries again while the database is away.

    Nothing is ever skipped: the entries behind a stuck one wait. One that can never succeed ends the journal.
    """

    def __init__(self, store: Store, project: str, told: Callable[[Word], None]) -> None:
        """told: called from the journal's thread, after each commit and after each refusal."""
        self.store, self.project, self.told = store, project, told
        self.queue: queue.Queue[Entry | None] = queue.Queue()
        # Each counted by one thread.
        self._taken, self._kept = 0, 0
        self.stopping = threading.Event()
        self.thread = threading.Thread(target=self._run, name=f"journal {project}", daemon=True)
        self.thread.start()

    @property
    def bytes(self) -> int:
        """Of the pixels and arrays that wait to be kept."""
        return self._taken - self._kept

    def add(self, entry: Entry) -> None:
        """Keep this as soon as possible."""
        self._taken += _bytes(entry)
        self.queue.put(entry)

    def close(self, patience: float = 20.0) -> None:
        """Keep what is waiting, for so many seconds at most, and end."""
        self.queue.put(None)
        self.thread.join(patience)
        self.stopping.set()
        self.thread.join(5)

    def _run(self) -> None:
        while (entry := self.queue.get()) is not None:
            if not self._keep(entry):
                return
            self._kept += _bytes(entry)
            self.told(Word(entry))

    def _keep(self, entry: Entry) -> bool:
        tries = 0
        while not self.stopping.is_set():
            try:
                self.store.keep(self.project, entry)
                return True
            except NeverStoredError as error:
                log.error("project %s: entry %d can never be kept: %s", self.project, entry.revision, error)
                self.told(Word(entry, str(error), never=True))
                return False
            except StoreError as error:
                log.warning("project %s: entry %d not kept yet: %s", self.project, entry.revision, error)
                self.told(Word(entry, str(error)))
                self.stopping.wait(PATIENCE[min(tries, len(PATIENCE) - 1)])
                tries += 1
        return False


def _bytes(entry: Entry) -> int:
    return sum(len(pixels) for _, pixels in entry.tiles.values()) + sum(len(a.npy) for a in entry.arrays.values())
