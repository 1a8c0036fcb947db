"""What of a file's materials is not painted or shown here, but handed off as it came."""

from __future__ import annotations

from collections import defaultdict

from ..names import listed


class HandedThrough:
    """Remembers it, to be said in few words."""

    def __init__(self) -> None:
        self._of: defaultdict[str, list[str]] = defaultdict(list)

    def add(self, what: str, surface: str) -> None:
        """what: in the plural, as one says it of several surfaces."""
        if what not in self._of[surface]:
            self._of[surface].append(what)

    def said(self) -> list[str]:
        """A sentence for all surfaces of which the same is handed off."""
        alike: defaultdict[tuple[str, ...], list[str]] = defaultdict(list)
        for surface, what in self._of.items():
            alike[tuple(what)].append(surface)
        return [
            f"Not painted or shown here, but handed off as it came: {listed(what)} of {listed(surfaces)}."
            for what, surfaces in alike.items()
        ]
