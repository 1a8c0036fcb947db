"""Long work outside open projects, such as bringing in a model: how far it is, and cancelling it."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

from ..core.progress import CancelledError, Progress


@dataclass
class _Job:
    label: str = ""
    share: float = 0.0
    cancelled: threading.Event = field(default_factory=threading.Event)


class Jobs:
    """Work by the name that the page gave it."""

    def __init__(self) -> None:
        self._jobs: dict[str, _Job] = {}

    @contextmanager
    def watched(self, name: str) -> Iterator[Progress]:
        """Progress for a piece of work that can be asked about while the block runs."""
        job = self._jobs[name] = _Job()

        def progress(label: str, share: float) -> None:
            if job.cancelled.is_set():
                raise CancelledError("Called off; nothing was changed.")
            job.label, job.share = label, share

        try:
            yield progress
        finally:
            self._jobs.pop(name, None)

    def state(self, name: str) -> tuple[str, float] | None:
        """What is being done, and its share; None when there is no such work (any more)."""
        job = self._jobs.get(name)
        return (job.label, job.share) if job else None

    def cancel(self, name: str) -> None:
        """That work is not wanted any more."""
        if job := self._jobs.get(name):
            job.cancelled.set()
