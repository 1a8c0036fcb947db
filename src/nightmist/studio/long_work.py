"""Work that takes its time: everybody sees how far it is, and the one that asked for it can call it off."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Mapping
from typing import TypeVar

from ..core.progress import CancelledError
from . import messages as say
from .client_updates import Client, ClientUpdates

T = TypeVar("T")

#: Seconds between two words about how far it has got.
TELL_EVERY = 0.15


class LongWork:
    """What is under way in a project's thread, and what its browsers have been told of it."""

    def __init__(self, updates: Mapping[int, ClientUpdates]) -> None:
        """updates: of all browsers that have the project open."""
        self.updates = updates
        self.client: Client | None = None
        self.cancelled = threading.Event()
        self.told = 0.0

    def run(self, run: Callable[[], T], client: Client | None) -> T:
        """Do it for a browser, or for nobody who could call it off."""
        self.cancelled.clear()
        self.client = client
        try:
            return run()
        finally:
            self.client = None
            self.over()

    def call_off(self, client: Client) -> None:
        """From any thread: end it, if it is this browser's."""
        if self.client is client:
            self.cancelled.set()

    def progress(self, label: str, share: float) -> None:
        """Say how far it is, 0-1. Raises CancelledError once it was called off."""
        if self.cancelled.is_set():
            raise CancelledError("Called off; nothing was changed.")
        now = time.monotonic()
        if now - self.told <= TELL_EVERY:
            return
        self.told = now
        share = min(max(share, 0.0), 1.0)
        for updates in self.updates.values():
            client = updates.client
            client.tell(say.WorkState(label=label, share=share, mine=client is self.client))

    def over(self) -> None:
        """Nobody is shown it any more."""
        if self.told:
            self.told = 0.0
            for updates in self.updates.values():
                updates.client.tell(say.WorkState(label="", share=None))
