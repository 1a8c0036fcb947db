"""What an open project is asked to do, in order; what a newer request makes needless is passed over."""

from __future__ import annotations

import contextlib
import queue
from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from ..core.brush.path import Sample
from . import messages as say
from .client_updates import Client


@dataclass
class Samples:
    """Pointer samples of a stroke: x, y, pressure, tilt x, y; and when the browser took the newest (its own clock)."""

    stroke: int
    points: list[Sample]
    stamp: float = 0.0


Request = say.ClientMessage | Samples


@dataclass
class Ask:
    """What one browser asks."""

    client: Client
    request: Request


@dataclass
class Edit:
    """A change that is asked for from outside the sockets; it waits its turn as theirs do."""

    run: Callable[[], None]


#: What the project's thread does next; None ends it.
Work = Callable[[], None] | Ask | Edit | None


class Inbox:
    """Filled from any thread, emptied by one."""

    def __init__(self) -> None:
        self._queue: queue.Queue[Work] = queue.Queue()
        self._ahead: deque[Work] = deque()

    @property
    def empty(self) -> bool:
        """Whether nothing waits."""
        return not self._ahead and self._queue.empty()

    def put(self, work: Work) -> None:
        """Behind everything else. From any thread."""
        self._queue.put(work)

    def put_first(self, works: Iterable[Work]) -> None:
        """Before everything else, in this order."""
        self._ahead.extendleft(reversed(list(works)))

    def next(self, timeout: float | None = None) -> Work:
        """The next piece of work; samples of one stroke become one, of edits shown in a row only the last counts.

        Words that pixels have come overtake everything.
        timeout: seconds. Raises TimeoutError when nothing came meanwhile.
        """
        with contextlib.suppress(queue.Empty):
            while True:
                self._ahead.append(self._queue.get_nowait())
        if not self._ahead:
            try:
                self._ahead.append(self._queue.get(timeout=timeout))
            except queue.Empty:
                raise TimeoutError from None
        # What makes room for pixels does not wait behind what makes more of them.
        at = next((at for at, item in enumerate(self._ahead) if _is_word_of_pixels(item)), 0)
        item = self._ahead[at]
        del self._ahead[at]
        while isinstance(item, Ask) and self._ahead and (joined := _joined(item, self._ahead[0])):
            self._ahead.popleft()
            item = joined
        return item


def _is_word_of_pixels(work: Work) -> bool:
    return isinstance(work, Ask) and isinstance(work.request, say.Acknowledge)


def _joined(one: Ask, other: Work) -> Ask | None:
    """Two requests of a browser as one; None where each counts for itself."""
    if not isinstance(other, Ask) or one.client is not other.client:
        return None
    first, then = one.request, other.request
    if isinstance(first, say.ShowEdit) and isinstance(then, say.ShowEdit):
        return other
    if isinstance(first, Samples) and isinstance(then, Samples) and first.stroke == then.stroke:
        return Ask(one.client, Samples(first.stroke, first.points + then.points, then.stamp))
    return None
