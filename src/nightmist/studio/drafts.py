"""Drafts of a project's document for its browsers, as many and as fine as they keep pace with."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Collection
from time import monotonic

from ..document import Document
from ..document.draft import Draft, factor_of, waiting
from ..document.values import Surface
from .client_updates import ClientUpdates

#: Seconds that a draft may take to be seen; when they take longer they are made coarser.
SLOW = 0.1
#: Seconds within which they have to be seen to be made finer again, with four times as many texels.
FAST = 0.03
#: Drafts whose mean counts.
COUNTED = 3


class Drafts:
    """Shows coarsely what takes long to be worked out."""

    def __init__(self, clock: Callable[[], float] = monotonic) -> None:
        self.clock = clock
        #: Whether one is wanted for which no browser had room.
        self.due = False
        self.coarser = False
        #: By whether they are the coarser ones.
        self._drafts: dict[bool, Draft] = {}
        #: When the last one was done, and how long each took since its pace could be told.
        self._done = 0.0
        self._took: deque[float] = deque(maxlen=COUNTED)

    def prepare(self, document: Document) -> None:
        """See that the first draft is as fast as the next."""
        if any(factor_of(surface) > 1 for surface in document.surface_values()):
            for coarser in (False, True):
                self._fitting(document, coarser).prepare()

    def show(self, document: Document, browsers: Collection[ClientUpdates]) -> bool:
        """Send a draft of what will take long to be worked out; whether there is any."""
        wanted = waiting(document) if browsers else {}
        waited, self.due = self.due, bool(wanted) and all(updates.drafts for updates in browsers)
        # What no browser has room for yet would be out of date when it is sent.
        if not wanted or self.due:
            return bool(wanted)
        began = self.clock()
        found = self._fitting(document, self.coarser).show(wanted)
        for (key, picture), pixels in found.items():
            surface = document.values[key]
            assert isinstance(surface, Surface)
            for updates in browsers:
                updates.add_draft(surface, picture, pixels)
        for updates in browsers:
            updates.pump(document)
        # Browsers told the pace where this one had to wait for them.
        self._keep_pace(self.clock() - (self._done if waited else began))
        self._done = self.clock()
        return True

    def _keep_pace(self, took: float) -> None:
        self._took.append(took)
        mean = sum(self._took) / COUNTED
        if len(self._took) == COUNTED and (mean < FAST if self.coarser else mean > SLOW):
            self.coarser = not self.coarser
            self._took.clear()

    def _fitting(self, document: Document, coarser: bool) -> Draft:
        draft = self._drafts.get(coarser)
        if draft is None or draft.document is not document or not draft.fits():
            self._drafts[coarser] = draft = Draft(document, coarser)
        return draft
