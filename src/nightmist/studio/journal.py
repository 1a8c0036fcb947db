"""Keeps changes in the order they were made, beside the painting, and says how far it has got."""

from __future__ import annotations

import logging
import queue
import threading
from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

from ..store import Entry, NeverStoredError, Store, StoreError, joined

log = logging.getLogger(__name__)

#: Seconds before a refused entry is tried again; the last one repeats.
PATIENCE = (0.1, 0.3, 1.0, 2.0)


#: Bytes that may wait while the database is away; then nothing more is changed until it answers.
MOST_WAITING = 1 << 30

#: Bytes from which on what waits is not put into one transaction any more.
AT_ONCE = 32 << 20


class Word(NamedTuple):
    """What became of an entry, of one change or of several: kept, or why not (yet).

    never: it never can be, is of one change, and nothing after it was tried.
    """

    entry: Entry
    why: str | None = None
    never: bool = False


class Journal:
    """A thread that commits entries in their order, all that wait as one, and tries again while the database is away.

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
        self._taken += entry.bytes
        self.queue.put(entry)

    def close(self, patience: float = 20.0) -> None:
        """Keep what is waiting, for so many seconds at most, and end."""
        self.queue.put(None)
        self.thread.join(patience)
        self.stopping.set()
        self.thread.join(5)

    def _run(self) -> None:
        while (first := self.queue.get()) is not None:
            if not self._keep([first, *self._behind(first)]):
                return

    def _behind(self, first: Entry) -> Iterator[Entry]:
        """What waits behind an entry and goes into its transaction."""
        size = first.bytes
        while size < AT_ONCE and not self.queue.empty():
            entry = self.queue.get()
            if entry is None:
                self.queue.put(None)
                return
            size += entry.bytes
            yield entry

    def _keep(self, entries: Sequence[Entry]) -> bool:
        """Whether they are kept: in one transaction or, where one of them never can be, one by one up to that."""
        whole = joined(entries)
        tries = 0
        while not self.stopping.is_set():
            try:
                self.store.keep(self.project, whole)
            except NeverStoredError as error:
                if len(entries) > 1:
                    return all(self._keep([entry]) for entry in entries)
                log.error("project %s: entry %d can never be kept: %s", self.project, whole.revision, error)
                self.told(Word(whole, str(error), never=True))
                return False
            except StoreError as error:
                log.warning("project %s: entry %d not kept yet: %s", self.project, whole.revision, error)
                self.told(Word(whole, str(error)))
                self.stopping.wait(PATIENCE[min(tries, len(PATIENCE) - 1)])
                tries += 1
            else:
                self._kept += sum(entry.bytes for entry in entries)
                self.told(Word(whole))
                return True
        return False
