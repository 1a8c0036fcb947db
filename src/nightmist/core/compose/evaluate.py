"""Runs a stack's program into the pictures that are shown: what is stale, and with it as little else as can be."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..kernels import kernel
from ..texels.area import TileArea
from ..texels.composite_picture import Picture, spell_out
from .program import MAP_ORDER, Program, look_up
from .steps import run
from .surroundings import Surroundings

#: What lies under a stack: sRGB-encoded color, height, roughness, metallic, opacity.
Start = tuple[float, float, float, float, float, float, float]


def evaluate(
    program: Program, start: Start, area: TileArea, color: Picture, values: Picture, maps: Sequence[str] = MAP_ORDER,
    around: Surroundings | None = None, roughly: bool = False,
) -> None:  # fmt: skip
    """Composite `maps` into an area of the pictures: color as RGBA; the values as channels of `values`.

    Tiles that come out as one color still hold pixels until the pictures are settled. around: what lies around some
    steps of the program, worked out before; what lies below changes no bit. roughly: what lies above is taken from
    there as well, which rounds otherwise.
    """
    wanted = np.array([program.coupled or name in maps for name in MAP_ORDER], np.bool_)
    under = np.array(start, np.float32)
    holds = np.zeros((len(area), 2), np.bool_)
    _make_ready(
        program.tables, program.modes, wanted, program.lifts, area.tiles, under, color.pixels, color.plain,
        color.colors, values.pixels, values.plain, values.colors, holds,
    )  # fmt: skip
    if around is None:
        run(program, under, area, wanted, holds, color.pixels, values.pixels)
        return
    known = np.empty(len(area), np.bool_)
    unknown, missing = _look_for(around.held, area.tiles, holds, known)
    if roughly and missing:
        around.hold(area.tiles, holds[:, 0] | holds[:, 1])
        unknown, missing = _look_for(around.held, area.tiles, holds, known)
    rest = around.rough if roughly else around.rest
    if not unknown:
        run(rest, under, area, wanted, holds, color.pixels, values.pixels, around.below.tables)
        return
    if unknown < len(area):
        run(rest, under, area.only(known), wanted, holds[known], color.pixels, values.pixels, around.below.tables)
    run(program, under, area.only(~known), wanted, holds[~known], color.pixels, values.pixels)


@kernel
def _look_for(held, tiles, holds, known):  # type: ignore[no-untyped-def]
    """Find which tiles are held; counts those that are not, and those of them of which anything is to be written."""
    unknown, missing = 0, 0
    for i in range(len(tiles)):
        known[i] = held[tiles[i]]
        if not known[i]:
            unknown += 1
            missing += holds[i, 0] or holds[i, 1]
    return unknown, missing


@kernel
def _make_ready(  # type: ignore[no-untyped-def]
    tables, modes, wanted, lifts, tiles, under, color_pixels, color_plain, color_colors, pixels, plain, colors, holds
):
    addresses = np.empty((len(tiles), tables.shape[0], tables.shape[1]), np.int64)
    look_up(tables, tiles, addresses)
    _ready(addresses, modes, wanted, lifts, 0, tiles, under, color_plain, color_colors, color_pixels, holds)
    _ready(addresses, modes, wanted, lifts, 1, tiles, under, plain, colors, pixels, holds)


@kernel
def _ready(  # type: ignore[no-untyped-def]
    addresses, modes, wanted, lifts, column, tiles, under, plain, colors, pixels, holds
):
    """Mark tiles of a picture that have to be written texel by texel, and give them pixels.

    Where nothing lies, and one color lay, one color lies: the maps' values under the stack.
    """
    first, last = (0, 1) if column == 0 else (1, wanted.shape[0])
    any_wanted = False
    for m in range(first, last):
        any_wanted = any_wanted or wanted[m]
    if not any_wanted:
        return
    for i in range(len(tiles)):
        t = tiles[i]
        full = plain[t] == 0
        for step in range(addresses.shape[1]):
            for m in range(0 if lifts else first, last):
                full = full or (wanted[m] and addresses[i, step, m] != 0 and modes[step, m] != -1)
        holds[i, column] = full
        if full:
            spell_out(pixels, plain, colors, t)
            continue
        for c in range(3 if column == 0 else last - first):
            if wanted[0 if column == 0 else c + 1]:
                colors[t, c] = np.uint16(under[3 * column + c] * np.float32(65535.0) + np.float32(0.5))
