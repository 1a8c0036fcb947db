"""How long work says how far it has got, and learns that it is no longer wanted."""

from __future__ import annotations

from collections.abc import Callable

from .errors import NightmistError

#: Called with what is being done and the share of it that is done, 0-1; may raise CancelledError.
Progress = Callable[[str, float], None]


class CancelledError(NightmistError):
    """The painter has called the work off; nothing was changed."""


def quietly(what: str, share: float) -> None:
    """For work that nobody watches."""


def part(progress: Progress, first: float, last: float) -> Progress:
    """Progress of one step, which takes the whole from share `first` to share `last`."""
    return lambda what, share: progress(what, first + (last - first) * share)
