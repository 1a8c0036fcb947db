"""Keeps changes in the order they were made, beside the painting, and says how far it has got."""

from __future__ import annotations

import logging
import queue
import threading
from collections.abc import Callable

from ..store import Change, Store, StoreError

log = logging.getLogger(__name__)

#: Seconds before a refused change is tried again; the last one repeats.
PATIENCE = (0.1, 0.3, 1.0, 2.0)


class Journal:
    """A thread that commits one change after the other and tries again while the database is away.

    Nothing is ever skipped: the changes behind a stuck one wait.
    """

    def __init__(self, store: Store, project: str, told: Callable[[Change | None, str | None], None]) -> None:
        """From the journal's thread: told(change, None) after each commit, told(None, why) while it is refused."""
        self.store, self.project, self.told = store, project, told
        self.queue: queue.Queue[Change | None] = queue.Queue()
        self.stopping = threading.Event()
        self.thread = threading.Thread(target=self._run, name=f"journal {project}", daemon=True)
        self.thread.start()

    def add(self, change: Change) -> None:
        """Keep this change as soon as possible."""
        self.queue.put(change)

    def close(self, patience: float = 20.0) -> None:
        """Keep what is waiting, for so many seconds at most, and end."""
        self.queue.put(None)
        self.thread.join(patience)
        self.stopping.set()
        self.thread.join(5)

    def _run(self) -> None:
        while (change := self.queue.get()) is not None:
            tries = 0
            while not self.stopping.is_set():
                try:
                    self.store.keep(self.project, change)
                    break
                except StoreError as error:
                    log.warning("project %s: change %d not kept yet: %s", self.project, change.revision, error)
                    self.told(None, str(error))
                    self.stopping.wait(PATIENCE[min(tries, len(PATIENCE) - 1)])
                    tries += 1
            else:
                return
            self.told(change, None)
