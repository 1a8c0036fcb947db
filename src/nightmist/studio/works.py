"""Long work outside open projects, such as bringing in a model: how far it is, and calling it off."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

from ..core.progress import CancelledError, Progress


@dataclass
class _Work:
    label: str = ""
    share: float = 0.0
    unwanted: threading.Event = field(default_factory=threading.Event)


class Works:
    """Work by the name that the page gave it."""

    def __init__(self) -> None:
        self._works: dict[str, _Work] = {}

    @contextmanager
    def watched(self, name: str) -> Iterator[Progress]:
        """Progress for a piece of work that can be asked about while the block runs."""
        work = self._works[name] = _Work()

        def progress(label: str, share: float) -> None:
            if work.unwanted.is_set():
                raise CancelledError("Called off; nothing was changed.")
            work.label, work.share = label, share

        try:
            yield progress
        finally:
            self._works.pop(name, None)

    def state(self, name: str) -> tuple[str, float] | None:
        """What is being done, and its share; None when there is no such work (any more)."""
        work = self._works.get(name)
        return (work.label, work.share) if work else None

    def call_off(self, name: str) -> None:
        """That work is not wanted any more."""
        if work := self._works.get(name):
            work.unwanted.set()
