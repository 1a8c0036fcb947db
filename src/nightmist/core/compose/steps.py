"""The steps of a program, run tile by tile on blocks of rows: all maps together, in float32, rounded once.

Under the whole stack lies an opaque start value, so there Co = Cb + αs · (B(Cb, Cs) - Cb). A group starts transparent:
its lines hold premultiplied colors, co = Cs · αs · (1 - αb) + αs · αb · B(Cb, Cs) + (1 - αs) · cb, and
αo = αs + αb · (1 - αs) (W3C Compositing and Blending Level 1).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..kernels import (
    as_float32,
    as_uint16,
    borrowed,
    carray,
    copy_line,
    floats_at,
    in_two_threads,
    kernel,
    shorts_at,
)
from ..texels.area import TileArea
from ..texels.raster import TILE
from .lanes import LANES, lay_along, lays_along
from .program import MAP_COUNT, Program, look_up
from .rows import (
    ROWS,
    TEXELS,
    adjust_rows,
    bend_colors,
    bend_values,
    blend_colors,
    blend_row,
    blend_values,
    copy_part,
    mask_along,
    mix_by_height,
    own_cover,
    own_height,
    replace_rows,
)

#: Addresses by tile number, of colors and of values; 0 where there are none. Unrounded ones are (64, 64, 4) and
#: (planes, 64, 64) float32, rounded ones (64, 64, 4) uint16 like those of pictures.
Tables = tuple[NDArray[np.int64], NDArray[np.int64]]
NO_TABLES: Tables = (np.zeros(0, np.int64), np.zeros(0, np.int64))
#: Texels that are laid at once.
TOGETHER = LANES // 4
NO_PIXELS = np.zeros((0, TILE, TILE, 4), np.uint16)


def run(
    program: Program, under: NDArray[np.float32], area: TileArea, wanted: NDArray[np.bool_], holds: NDArray[np.bool_],
    color: NDArray[np.uint16] = NO_PIXELS, values: NDArray[np.uint16] = NO_PIXELS, begin: Tables = NO_TABLES,
    into: Tables = NO_TABLES, rounded: bool = False,
) -> None:  # fmt: skip
    """Run a program over the tiles of an area.

    under: (UNDER,) what lies there where `begin` has nothing. wanted: (MAP_COUNT,) of the maps. holds: (tiles, 2)
    whether anything is to be written of a tile's color and its values. color, values: (all tiles, 64, 64, 4) pixels to
    write, unless there are tables to write `into`, rounded or not. begin: unrounded.
    """

    def work(a: int, b: int) -> None:
        _run(
            program.kinds, program.partners, program.amounts, program.modes, program.shares, program.mixes,
            program.depth, program.coupled, program.planes, program.tables, under, wanted, area.tiles[a:b],
            area.rects[a:b], holds[a:b], color, values, *begin, *into, rounded,
        )  # fmt: skip

    in_two_threads(len(area), work, 2)


@kernel
def _has_any(addresses, modes, wanted, first, last):  # type: ignore[no-untyped-def]
    for step in range(first, last):
        for m in range(MAP_COUNT):
            if wanted[m] and addresses[step, m] != 0 and modes[step, m] != -1:
                return True
    return False


@kernel
def _run(  # type: ignore[no-untyped-def]
    kinds,
    partners,
    amounts,
    modes,
    starts,
    mixes,
    depth,
    coupled,
    planes,
    tables,
    under,
    wanted,
    tiles,
    rects,
    holds,
    color,
    values,
    from_color,
    from_values,
    to_color,
    to_values,
    rounded,
):
    """Steps over what `from_` has of a tile, else over `under`; into the pictures or where `to_` says."""
    addresses = np.empty((len(tiles), len(kinds), MAP_COUNT + 1), np.int64)
    look_up(tables, tiles, addresses)
    amounts, modes, mixes = borrowed(amounts), borrowed(modes), borrowed(mixes)
    rects, wanted, color = borrowed(rects), borrowed(wanted), borrowed(color)
    unit, one, full, half = np.float32(1.0 / 65535.0), np.float32(1.0), np.float32(65535.0), np.float32(0.5)
    # Columns that are not asked for are worked out of what lies on the lines: of numbers, if any.
    colors = np.zeros((depth + 1, 4 * TEXELS), np.float32)
    lines = np.zeros((depth + 1, MAP_COUNT - 1, TEXELS), np.float32)
    alphas = np.empty((depth + 1, planes, TEXELS), np.float32)
    source, share, mask = (
        np.empty(4 * TEXELS, np.float32),
        np.empty(4 * TEXELS, np.float32),
        np.empty(TEXELS, np.float32),
    )
    blended, held, below = (
        np.empty(4 * TEXELS, np.float32),
        np.empty(4 * TEXELS, np.float32),
        np.empty(4 * TEXELS, np.float32),
    )
    height, cover, raised = np.empty(TEXELS, np.float32), np.zeros(TEXELS, np.float32), np.empty(TEXELS, np.float32)
    steps = np.empty(len(kinds), np.int64)
    for i in range(len(tiles)):
        t = tiles[i]
        top, bottom, left, right = rects[i]
        with_color, with_values = wanted[0] and holds[i, 0], holds[i, 1]
        if not with_color and not with_values:
            continue
        writes_color, writes_values = with_color, with_values
        if coupled:
            with_color, with_values = True, True
        color_at = to_color[t] if rounded else color.ctypes.data + 8 * TILE * TILE * t
        values_at = to_values[t] if rounded else values.ctypes.data + 8 * TILE * TILE * t
        # Steps that have something here; a group without is passed over.
        count, step = 0, 0
        while step < len(kinds):
            if kinds[step] == 3:
                if (with_color and addresses[i, step, 0] != 0) or (with_values and addresses[i, step, 1] != 0):
                    steps[count] = step
                    count += 1
            elif kinds[step] == 1 and not _has_any(addresses[i], modes, wanted, step, partners[step]):
                step = partners[step]
            elif kinds[step] != 0 or _has_any(addresses[i], modes, wanted, step, step + 1):
                steps[count] = step
                count += 1
            step += 1
        # What is laid along takes whole vectors, the rest whole rows: how a compiler rounds at a loop's end must not
        # show.
        near, far = left // TOGETHER * TOGETHER, (right + TOGETHER - 1) // TOGETHER * TOGETHER
        parts, count_along = (1, 4 * TEXELS) if far - near == TILE else (ROWS, 4 * (far - near))
        for band in range(top // ROWS, (bottom + ROWS - 1) // ROWS):
            level = 0
            line = colors[0]
            if len(from_color) > 0 and from_color[t] != 0:
                copy_part(from_color[t] + 16 * TEXELS * band, left, right, 4, line.ctypes.data)
            elif with_color:
                for y in range(ROWS):
                    part = floats_at(line.ctypes.data + 16 * (TILE * y + left), 4 * (right - left))
                    for x in range(len(part) // 4):
                        for c in range(3):
                            part[4 * x + c] = under[c]
                        part[4 * x + 3] = one
            known = 0
            if len(from_values) > 0 and from_values[t] != 0:
                known = planes
                for m in range(planes):
                    lies = from_values[t] + 4 * (m * TILE * TILE + TEXELS * band)
                    copy_part(lies, left, right, 1, lines[0, m].ctypes.data)
            if with_values:
                for m in range(known, MAP_COUNT - 1):
                    lines[0, m] = under[3 + m]
            for k in range(count):
                step = steps[k]
                if kinds[step] == 1:
                    level += 1
                    colors[level] = np.float32(0.0)
                    lines[level, :planes] = np.float32(0.0)
                    alphas[level] = np.float32(0.0)
                    continue
                if kinds[step] == 3:
                    if with_color and addresses[i, step, 0] != 0:
                        ends = addresses[i, step, 0] + 8 * TEXELS * band
                        bend_colors(ends, left, right, colors[0].ctypes.data)
                    if with_values and addresses[i, step, 1] != 0:
                        ends = addresses[i, step, 1] + 8 * TEXELS * band
                        for m in range(planes):
                            bend_values(ends, m, left, right, lines[0, m].ctypes.data)
                    continue
                group = kinds[step] == 2
                if group:
                    level -= 1
                masked = addresses[i, step, MAP_COUNT] != 0 or starts[step] != one
                if masked:
                    mask_along(addresses[i, step, MAP_COUNT], starts[step], band, mask)
                elif kinds[step] == 4 or kinds[step] == 5:
                    mask[:] = one
                if kinds[step] == 4:
                    adjust_rows(
                        addresses[i, step],
                        amounts[step],
                        modes[step],
                        mask,
                        level,
                        with_color,
                        with_values,
                        colors[level],
                        lines[level],
                        alphas[level],
                        held,
                        blended,
                    )
                    continue
                if kinds[step] == 5:
                    replace_rows(
                        addresses[i, step],
                        amounts[step],
                        modes[step],
                        band,
                        mask,
                        level,
                        with_color,
                        with_values,
                        colors[level],
                        lines[level],
                        alphas[level],
                    )
                    continue
                if mixes[step, 0] > 0:
                    own_height(
                        group,
                        addresses[i, step, 1],
                        band,
                        lines[min(level + 1, depth), 0],
                        alphas[min(level + 1, depth), 0],
                        height,
                    )
                    if mixes[step, 2] != 0:
                        inner = min(level + 1, depth)
                        own_cover(group, addresses[i, step], modes[step], band, colors[inner], alphas[inner], cover)
                    mix_by_height(mixes[step], height, cover, level, lines[level, 0], alphas[level, 0], mask, raised)
                if with_color and modes[step, 0] != -1 and (group or addresses[i, step, 0] != 0):
                    amount, mode = amounts[step, 0], modes[step, 0]
                    line = colors[level]
                    if not group and lays_along(mode, level == 0):
                        for y in range(parts):
                            at = TILE * y + near
                            lay_along(
                                mode,
                                level == 0,
                                masked,
                                addresses[i, step, 0] + 8 * (TEXELS * band + at),
                                mask.ctypes.data + 4 * at,
                                amount * unit,
                                line.ctypes.data + 16 * at,
                                count_along,
                            )
                    else:
                        blend_colors(
                            group,
                            addresses[i, step, 0],
                            band,
                            colors[min(level + 1, depth)],
                            amount,
                            mode,
                            level,
                            masked,
                            mask,
                            source,
                            share,
                            line,
                            blended,
                            held,
                            below,
                        )
                for m in range(planes):
                    if not ((wanted[m + 1] or coupled) and with_values) or modes[step, m + 1] == -1:
                        continue
                    if not group and addresses[i, step, m + 1] == 0:
                        continue
                    amount, mode = amounts[step, m + 1], modes[step, m + 1]
                    value, part = source[:TEXELS], share[:TEXELS]
                    if group:
                        for x in range(TEXELS):
                            a = alphas[level + 1, m, x]
                            value[x] = min(lines[level + 1, m, x] / max(a, np.float32(1e-12)), one)
                            part[x] = a * amount
                    else:
                        row = carray(as_uint16(addresses[i, step, m + 1]), (TILE // ROWS, 2 * TEXELS))[band]
                        scale = amount * unit
                        for x in range(TEXELS):
                            value[x], part[x] = np.float32(row[2 * x]) * unit, np.float32(row[2 * x + 1]) * scale
                    if masked:
                        for x in range(TEXELS):
                            part[x] *= mask[x]
                    if level == 0:
                        blend_row(mode, value, part, lines[0, m], blended)
                    else:
                        blend_values(mode, value, part, lines[level, m], alphas[level, m], blended, held)
                if mixes[step, 2] != 0 and modes[step, 1] != -1 and with_values:
                    for x in range(TEXELS):
                        a = alphas[level, 0, x] if level > 0 else one
                        lifted = lines[level, 0, x] + raised[x] * amounts[step, 1] * a
                        lines[level, 0, x] = min(max(lifted, np.float32(0.0)), a)
            if len(to_color) > 0 and not rounded:
                if to_color[t] != 0:
                    copy_line(colors[0], carray(as_float32(to_color[t]), (TILE // ROWS, 4 * TEXELS))[band])
                if to_values[t] != 0:
                    for m in range(planes):
                        copy_line(
                            lines[0, m], carray(as_float32(to_values[t]), (planes, TILE // ROWS, TEXELS))[m, band]
                        )
                continue
            wide = right - left
            for y in range(max(top, band * ROWS), min(bottom, band * ROWS + ROWS)):
                at, place = (y - band * ROWS) * TILE + left, 8 * (y * TILE + left)
                if writes_color:
                    line = floats_at(colors.ctypes.data + 16 * at, 4 * wide)
                    target = shorts_at(color_at + place, 4 * wide)
                    for j in range(len(target)):
                        target[j] = np.uint16(line[j] * full + half)
                if writes_values:
                    target = shorts_at(values_at + place, 4 * wide)
                    for m in range(MAP_COUNT - 1):
                        if wanted[m + 1]:
                            for x in range(wide):
                                target[4 * x + m] = np.uint16(lines[0, m, at + x] * full + half)
