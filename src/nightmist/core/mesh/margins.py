"""Packing with a margin that leaves room for paint."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from .packing import Packed, boxes_of, pack_islands
from .unwrap import flat_areas

#: When paint would get less than this share of the map, a margin of half the width is tried, down to the least.
LEAST_PAINTED, LEAST_MARGIN = 0.3, 2.0
MOST_MARGIN = 256
#: A smaller margin is taken when it makes the painted share so many times larger.
WORTH = 1.25


def pack_with_room(
    corners: NDArray[np.float64], island: NDArray[np.int64], size: tuple[int, int], margin: float, turn: bool = True
) -> tuple[Packed, list[str]]:
    """`pack_islands` into an empty map, with a smaller margin where the one asked for would eat the map.

    Also returns what is to be known: that the margin was made smaller, and what that gained.
    Raises NightmistError for a margin that nobody can mean, and when the islands do not fit even then.
    """
    check_margin(margin)
    best: Packed | None = None
    refused: NightmistError | None = None
    share = asked = 0.0
    taken = now = margin
    while True:
        try:
            packed = pack_islands(corners, island, size, now, turn=turn)
        except NightmistError as error:
            refused = refused or error
        else:
            found = float(np.abs(flat_areas(packed.corners)).sum()) / (size[0] * size[1])
            if best is None or found > WORTH * share:
                best, share, taken = packed, found, now
            if now == margin:
                asked = found
            if share >= LEAST_PAINTED or not _eats(packed, island, now):
                break
        if now <= LEAST_MARGIN:
            break
        now = max(now / 2, LEAST_MARGIN)
    if best is None:
        raise refused or NightmistError("The islands do not fit.")
    if taken == margin:
        return best, []
    if asked:
        why = f"would leave {asked:.0%} of the map to paint on; {taken:g} px leave {share:.0%}"
    else:
        why = f"leaves no room in a map of {size[0]} × {size[1]}; with {taken:g} px {share:.0%} of it remain"
    return best, [f"A margin of {margin:g} px between {int(island.max()) + 1:,} islands {why}, so that was taken."]


def check_margin(margin: float) -> None:
    """Raises NightmistError for a margin that nobody can mean."""
    if not 0 <= margin <= MOST_MARGIN:
        raise NightmistError(f"A margin of {margin:g} texels does not work; give 0 to {MOST_MARGIN}.")


def _eats(packed: Packed, island: NDArray[np.int64], margin: float) -> bool:
    """Whether the margin takes as much as half of what the islands' boxes take."""
    _, spans = boxes_of(packed.corners, island, int(island.max()) + 1)
    return float((spans + margin).prod(axis=1).sum()) > 1.5 * float(spans.prod(axis=1).sum())
