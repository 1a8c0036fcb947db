"""How many texels the maps of a project may have on this machine."""

from __future__ import annotations

import math
import os
from collections.abc import Iterable

from ..core.errors import NightmistError

#: Bytes that a texel takes once it is painted: three composited pictures of four channels.
TEXEL = 3 * 4 * 2


def memory() -> int:
    """Bytes of memory that this machine has."""
    return os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")


def check_room(after: Iterable[tuple[int, int]], before: Iterable[tuple[int, int]] = ()) -> None:
    """Raises NightmistError when maps of these sizes, painted all over, would not fit into memory.

    before: the sizes of the maps there are, which may be too large already, as on a machine that was larger.
    """
    sizes = list(after)
    texels, had = (sum(width * height for width, height in some) for some in (sizes, before))
    if texels <= max(had, memory() // TEXEL):
        return
    width, height = max(sizes, key=math.prod)
    wanted, there = texels * TEXEL / 2**30, memory() / 2**30
    maps = "A map" if len(sizes) == 1 else f"{len(sizes)} maps"
    raise NightmistError(
        f"{maps} of up to {width} × {height} would take {wanted:,.0f} GB once all is painted; this machine has"
        f" {there:,.0f} GB of memory. Choose smaller maps."
    )
