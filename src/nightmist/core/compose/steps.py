"""The steps of a program, run tile by tile on blocks of rows: all maps together, in float32, rounded once.

Under the whole stack lies an opaque start value, so there Co = Cb + αs · (B(Cb, Cs) - Cb). A group starts transparent:
its lines hold premultiplied colors, co = Cs · αs · (1 - αb) + αs · αb · B(Cb, Cs) + (1 - αs) · cb, and
αo = αs + αb · (1 - αs) (W3C Compositing and Blending Level 1).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..kernels import as_float32, as_uint16, carray, in_two_threads, kernel
from ..texels.area import TileArea
from ..texels.raster import TILE
from .adjust import FINE, from_table, toned
from .blend import HUE, non_separable, separable
from .program import Program

#: Rows of a tile that are worked on at once: few enough to stay near the processor, enough to hide what a step costs.
ROWS = 8
TEXELS = ROWS * TILE
#: Blocks of rows times steps from which another thread is worth calling.
WORTH_A_THREAD = 512
#: Addresses by tile number, of unrounded colors, (64, 64, 4), and values, (3, 64, 64), float32; 0 where there are none.
Tables = tuple[NDArray[np.int64], NDArray[np.int64]]
NO_TABLES: Tables = (np.zeros(0, np.int64), np.zeros(0, np.int64))
NO_PIXELS = np.zeros((0, TILE, TILE, 4), np.uint16)


def run(
    program: Program, under: NDArray[np.float32], area: TileArea, wanted: NDArray[np.bool_], holds: NDArray[np.bool_],
    color: NDArray[np.uint16] = NO_PIXELS, values: NDArray[np.uint16] = NO_PIXELS, begin: Tables = NO_TABLES,
    into: Tables = NO_TABLES,
) -> None:  # fmt: skip
    """Run a program over the tiles of an area.

    under: (6,) what lies there where `begin` has nothing. wanted: (4,) of the maps. holds: (tiles, 2) whether anything
    is to be written of a tile's color and its values. color, values: (all tiles, 64, 64, 4) pixels to write, unless
    there are tables to write `into`.
    """
    addresses = program.addresses(area.tiles)

    def work(a: int, b: int) -> None:
        _run(
            program.kinds, program.partners, program.amounts, program.modes, program.shares, program.mixes,
            program.depth, program.coupled, addresses[a:b], under, wanted, area.tiles[a:b], area.rects[a:b],
            holds[a:b], color, values, *begin, *into,
        )  # fmt: skip

    blocks = int(((area.rects[:, 1] + ROWS - 1) // ROWS - area.rects[:, 0] // ROWS).sum())
    in_two_threads(len(area), work, 2 if blocks * (len(program) + 1) >= WORTH_A_THREAD else len(area) + 1)


def _row_loop(mode: int) -> Callable[..., Any]:
    """A loop over a row for one separable mode, so that none decides anything per number."""

    @kernel
    def blend(source, unit, share, line):  # type: ignore[no-untyped-def]
        for j in range(len(line)):
            line[j] += (separable(mode, line[j], np.float32(source[j]) * unit) - line[j]) * share[j]

    return blend


(_multiply, _screen, _overlay, _darken, _lighten, _dodge, _burn, _hard_light, _soft_light, _difference, _exclusion,
 _add, _subtract) = (_row_loop(mode) for mode in range(1, HUE))  # fmt: skip


@kernel
def _blend_row(mode, source, unit, share, line):  # type: ignore[no-untyped-def]
    """Blend a row of numbers, of which `unit` makes 0-1, over an opaque line; mode 0 over any premultiplied one too."""
    if mode == 0:
        for j in range(len(line)):
            line[j] += (np.float32(source[j]) * unit - line[j]) * share[j]
    elif mode == 1:
        _multiply(source, unit, share, line)
    elif mode == 2:
        _screen(source, unit, share, line)
    elif mode == 3:
        _overlay(source, unit, share, line)
    elif mode == 4:
        _darken(source, unit, share, line)
    elif mode == 5:
        _lighten(source, unit, share, line)
    elif mode == 6:
        _dodge(source, unit, share, line)
    elif mode == 7:
        _burn(source, unit, share, line)
    elif mode == 8:
        _hard_light(source, unit, share, line)
    elif mode == 9:
        _soft_light(source, unit, share, line)
    elif mode == 10:
        _difference(source, unit, share, line)
    elif mode == 11:
        _exclusion(source, unit, share, line)
    elif mode == 12:
        _add(source, unit, share, line)
    elif mode == 13:
        _subtract(source, unit, share, line)


@kernel
def _blend_texels(mode, source, share, line):  # type: ignore[no-untyped-def]
    """Blend a row of RGBA over a premultiplied line that may be transparent, texel by texel."""
    one, tiny = np.float32(1.0), np.float32(1e-12)
    for x in range(len(line) // 4):
        j = 4 * x
        a, below = share[j], line[j + 3]
        if a <= 0:
            continue
        inverse = one / max(below, tiny)
        r, g, b = min(line[j] * inverse, one), min(line[j + 1] * inverse, one), min(line[j + 2] * inverse, one)
        if mode >= 14:
            r, g, b = non_separable(mode, r, g, b, source[j], source[j + 1], source[j + 2])
        else:
            r, g, b = (
                separable(mode, r, source[j]),
                separable(mode, g, source[j + 1]),
                separable(mode, b, source[j + 2]),
            )
        line[j] += a * ((one - below) * source[j] + below * r - line[j])
        line[j + 1] += a * ((one - below) * source[j + 1] + below * g - line[j + 1])
        line[j + 2] += a * ((one - below) * source[j + 2] + below * b - line[j + 2])
        line[j + 3] += a * (one - below)


@kernel
def _blend_values(mode, source, share, line, alpha):  # type: ignore[no-untyped-def]
    """Blend a row of values over a premultiplied line and its alpha."""
    one, tiny = np.float32(1.0), np.float32(1e-12)
    for x in range(len(line)):
        below = alpha[x]
        held = min(line[x] / max(below, tiny), one)
        mixed = (one - below) * source[x] + below * separable(mode, held, source[x])
        line[x] += share[x] * (mixed - line[x])
        alpha[x] += share[x] * (one - below)


@kernel
def _has_any(addresses, modes, wanted, first, last):  # type: ignore[no-untyped-def]
    for step in range(first, last):
        for m in range(4):
            if wanted[m] and addresses[step, m] != 0 and modes[step, m] != -1:
                return True
    return False


@kernel
def _shares(row, scale, with_alpha, share):  # type: ignore[no-untyped-def]
    """For each number of a row of RGBA how much it counts; alpha only where what lies below may be transparent."""
    alpha = np.float32(1.0) if with_alpha else np.float32(0.0)
    for x in range(TEXELS):
        a = np.float32(row[4 * x + 3]) * scale
        share[4 * x], share[4 * x + 1], share[4 * x + 2], share[4 * x + 3] = a, a, a, a * alpha


@kernel
def _colors(row, source):  # type: ignore[no-untyped-def]
    """A row of RGBA as numbers 0-1, opaque."""
    unit = np.float32(1.0 / 65535.0)
    for x in range(TEXELS):
        source[4 * x], source[4 * x + 1] = np.float32(row[4 * x]) * unit, np.float32(row[4 * x + 1]) * unit
        source[4 * x + 2], source[4 * x + 3] = np.float32(row[4 * x + 2]) * unit, np.float32(1.0)


@kernel
def _group_row(inner, amount, source, share):  # type: ignore[no-untyped-def]
    """A group's premultiplied row as straight colors, and how much each counts."""
    one, tiny = np.float32(1.0), np.float32(1e-12)
    for x in range(TEXELS):
        a = inner[4 * x + 3]
        inverse = one / max(a, tiny)
        part = a * amount
        source[4 * x], source[4 * x + 1] = min(inner[4 * x] * inverse, one), min(inner[4 * x + 1] * inverse, one)
        source[4 * x + 2], source[4 * x + 3] = min(inner[4 * x + 2] * inverse, one), one
        share[4 * x], share[4 * x + 1], share[4 * x + 2], share[4 * x + 3] = part, part, part, part


@kernel
def _bend_row(factors, offsets, line):  # type: ignore[no-untyped-def]
    for j in range(len(line)):
        line[j] = line[j] * factors[j] + offsets[j]


@kernel
def _mask_row(address, start, band, mask):  # type: ignore[no-untyped-def]
    """The shares of a mask along a row."""
    unit = np.float32(1.0 / 65535.0)
    for x in range(len(mask)):
        mask[x] = start
    if address != 0:
        row = carray(as_uint16(address), (TILE // ROWS, 2 * TEXELS))[band]
        for x in range(len(mask)):
            mask[x] += (np.float32(row[2 * x]) * unit - start) * (np.float32(row[2 * x + 1]) * unit)


@kernel
def _own_height(group, address, band, line, alpha, height):  # type: ignore[no-untyped-def]
    """A node's own heights along a row; where it has none, that of the untouched surface."""
    half, unit = np.float32(0.5), np.float32(1.0 / 65535.0)
    for x in range(TEXELS):
        height[x] = half
    if group:
        for x in range(TEXELS):
            height[x] = line[x] + half * (np.float32(1.0) - alpha[x])
    elif address != 0:
        row = carray(as_uint16(address), (TILE // ROWS, 2 * TEXELS))[band]
        for x in range(TEXELS):
            height[x] += (np.float32(row[2 * x]) * unit - half) * (np.float32(row[2 * x + 1]) * unit)


@kernel
def _mix_by_height(mix, height, level, line, alpha, mask, raised):  # type: ignore[no-untyped-def]
    """Bend a mask by the relief below: a level rises with the mask and covers what lies lower than it first.

    raised: how far the border stands up: as the level stands over what lies below, at most by the softness, and less
    the more the mask shows, so that where it shows all nothing is raised.
    """
    one, half = np.float32(1.0), np.float32(0.5)
    softness, influence, border = mix[0], mix[1], mix[2]
    for x in range(TEXELS):
        m = mask[x]
        below = line[x]
        if level > 0:
            below += half * (one - alpha[x])
        low, high = -softness - influence * half, one + softness + influence * half
        reached = low + (high - low) * m + influence * (height[x] - half)
        t = min(max((reached - below + softness) / (np.float32(2.0) * softness), np.float32(0.0)), one)
        share = t * t * (np.float32(3.0) - np.float32(2.0) * t)
        mask[x] = share
        raised[x] = border * share * min(max(reached - below, np.float32(0.0)), softness) * (one - m)


@kernel
def _adjust_rows(  # type: ignore[no-untyped-def]
    addresses, amounts, modes, mask, level, with_color, with_values, color, lines, alphas
):
    """Change what lies in a level's rows, by how much an adjustment counts there."""
    one, tiny = np.float32(1.0), np.float32(1e-12)
    luma_r, luma_g, luma_b = np.float32(0.2126), np.float32(0.7152), np.float32(0.0722)
    for m in range(3):
        if not with_values or modes[m + 1] == -1 or addresses[m + 1] == 0:
            continue
        effect = carray(as_float32(addresses[m + 1]), (FINE + 2,))
        line, alpha = lines[m], alphas[m]
        if effect[0] == 1:
            for x in range(TEXELS):
                a = max(color[4 * x + 3], tiny) if level > 0 else one
                gray = (luma_r * color[4 * x] + luma_g * color[4 * x + 1] + luma_b * color[4 * x + 2]) / a
                share = mask[x] * amounts[m + 1] * min(a, one)
                line[x] += (from_table(effect, gray) - line[x]) * share
                if level > 0:
                    alpha[x] += (one - alpha[x]) * share
            continue
        for x in range(TEXELS):
            a = max(alpha[x], tiny) if level > 0 else one
            held = min(line[x] / a, one)
            made = from_table(effect, held) if effect[0] == 0 else min(max(held + effect[3], np.float32(0.0)), one)
            line[x] += (made - held) * a * mask[x] * amounts[m + 1]
    if not with_color or modes[0] == -1 or addresses[0] == 0:
        return
    effect = carray(as_float32(addresses[0]), (FINE + 2,))
    for x in range(TEXELS):
        a = max(color[4 * x + 3], tiny) if level > 0 else one
        r, g, b = min(color[4 * x] / a, one), min(color[4 * x + 1] / a, one), min(color[4 * x + 2] / a, one)
        if effect[0] == 0:
            nr, ng, nb = from_table(effect, r), from_table(effect, g), from_table(effect, b)
        elif effect[0] == 1:
            nr = from_table(effect, luma_r * r + luma_g * g + luma_b * b)
            ng, nb = nr, nr
        else:
            nr, ng, nb = toned(effect, r, g, b)
        share = mask[x] * amounts[0] * a
        color[4 * x] += (nr - r) * share
        color[4 * x + 1] += (ng - g) * share
        color[4 * x + 2] += (nb - b) * share


@kernel
def _replace_rows(  # type: ignore[no-untyped-def]
    addresses, amounts, modes, band, mask, level, with_color, with_values, color, lines, alphas
):
    """Put what a filter made in place of a level's rows, its alpha too, by how much it counts there."""
    unit = np.float32(1.0 / 65535.0)
    if with_color and modes[0] != -1 and addresses[0] != 0:
        row = carray(as_uint16(addresses[0]), (TILE // ROWS, 4 * TEXELS))[band]
        for x in range(TEXELS):
            share, alpha = mask[x] * amounts[0], np.float32(row[4 * x + 3]) * unit
            for c in range(3):
                color[4 * x + c] += (np.float32(row[4 * x + c]) * unit * alpha - color[4 * x + c]) * share
            color[4 * x + 3] += (alpha - color[4 * x + 3]) * share
    for m in range(3):
        if not with_values or modes[m + 1] == -1 or addresses[m + 1] == 0:
            continue
        row = carray(as_uint16(addresses[m + 1]), (TILE // ROWS, 2 * TEXELS))[band]
        line, under = lines[m], alphas[m]
        for x in range(TEXELS):
            share, alpha = mask[x] * amounts[m + 1], np.float32(row[2 * x + 1]) * unit
            line[x] += (np.float32(row[2 * x]) * unit * alpha - line[x]) * share
            if level > 0:
                under[x] += (alpha - under[x]) * share


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
    addresses,
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
):
    """Steps over what `from_` has of a tile, else over `under`; into the pictures or, unrounded, where `to_` says."""
    unit, one, full, half = np.float32(1.0 / 65535.0), np.float32(1.0), np.float32(65535.0), np.float32(0.5)
    colors = np.empty((depth + 1, 4 * TEXELS), np.float32)
    lines = np.empty((depth + 1, 3, TEXELS), np.float32)
    alphas = np.empty((depth + 1, 3, TEXELS), np.float32)
    source, share, mask = (
        np.empty(4 * TEXELS, np.float32),
        np.empty(4 * TEXELS, np.float32),
        np.empty(TEXELS, np.float32),
    )
    height, raised = np.empty(TEXELS, np.float32), np.empty(TEXELS, np.float32)
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
        # Whole rows, whatever is wanted of them: how a compiler rounds in the rest of a loop must not show.
        for band in range(top // ROWS, (bottom + ROWS - 1) // ROWS):
            level = 0
            line = colors[0]
            if len(from_color) > 0 and from_color[t] != 0:
                line[:] = carray(as_float32(from_color[t]), (TILE // ROWS, 4 * TEXELS))[band]
            elif with_color:
                for x in range(TEXELS):
                    for c in range(3):
                        line[4 * x + c] = under[c]
                    line[4 * x + 3] = one
            if len(from_values) > 0 and from_values[t] != 0:
                lines[0] = carray(as_float32(from_values[t]), (3, TILE // ROWS, TEXELS))[:, band]
            elif with_values:
                for m in range(3):
                    lines[0, m] = under[3 + m]
            for k in range(count):
                step = steps[k]
                if kinds[step] == 1:
                    level += 1
                    colors[level] = np.float32(0.0)
                    lines[level] = np.float32(0.0)
                    alphas[level] = np.float32(0.0)
                    continue
                if kinds[step] == 3:
                    if with_color and addresses[i, step, 0] != 0:
                        bent = carray(as_float32(addresses[i, step, 0]), (2, TILE // ROWS, 4 * TEXELS))[:, band]
                        _bend_row(bent[0], bent[1], colors[0])
                    if with_values and addresses[i, step, 1] != 0:
                        slopes = carray(as_float32(addresses[i, step, 1]), (2, 3, TILE // ROWS, TEXELS))[:, :, band]
                        for m in range(3):
                            _bend_row(slopes[0, m], slopes[1, m], lines[0, m])
                    continue
                group = kinds[step] == 2
                if group:
                    level -= 1
                masked = addresses[i, step, 4] != 0 or starts[step] != one
                if masked:
                    _mask_row(addresses[i, step, 4], starts[step], band, mask)
                if kinds[step] == 4:
                    if not masked:
                        for x in range(TEXELS):
                            mask[x] = one
                    _adjust_rows(
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
                    )
                    continue
                if kinds[step] == 5:
                    if not masked:
                        for x in range(TEXELS):
                            mask[x] = one
                    _replace_rows(
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
                    _own_height(
                        group,
                        addresses[i, step, 1],
                        band,
                        lines[min(level + 1, depth), 0],
                        alphas[min(level + 1, depth), 0],
                        height,
                    )
                    _mix_by_height(mixes[step], height, level, lines[level, 0], alphas[level, 0], mask, raised)
                if with_color and modes[step, 0] != -1 and (group or addresses[i, step, 0] != 0):
                    amount, mode = amounts[step, 0], modes[step, 0]
                    line = colors[level]
                    if group:
                        _group_row(colors[level + 1], amount, source, share)
                    else:
                        row = carray(as_uint16(addresses[i, step, 0]), (TILE // ROWS, 4 * TEXELS))[band]
                        _shares(row, amount * unit, level > 0, share)
                    if masked:
                        for x in range(TEXELS):
                            a = mask[x]
                            share[4 * x] *= a
                            share[4 * x + 1] *= a
                            share[4 * x + 2] *= a
                            share[4 * x + 3] *= a
                    if group and level == 0:
                        for x in range(TEXELS):
                            share[4 * x + 3] = np.float32(0.0)
                    if not group and (level > 0 or mode >= 14):
                        _colors(row, source)
                    if mode >= 14 or (level > 0 and mode != 0):
                        _blend_texels(mode, source, share, line)
                    elif group or level > 0:
                        _blend_row(mode, source, one, share, line)
                    else:
                        _blend_row(mode, row, unit, share, line)
                for m in range(3):
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
                        _blend_row(mode, value, one, part, lines[0, m])
                    else:
                        _blend_values(mode, value, part, lines[level, m], alphas[level, m])
                if mixes[step, 2] != 0 and modes[step, 1] != -1 and with_values:
                    for x in range(TEXELS):
                        a = alphas[level, 0, x] if level > 0 else one
                        lifted = lines[level, 0, x] + raised[x] * amounts[step, 1] * a
                        lines[level, 0, x] = min(max(lifted, np.float32(0.0)), a)
            if len(to_color) > 0:
                if to_color[t] != 0:
                    carray(as_float32(to_color[t]), (TILE // ROWS, 4 * TEXELS))[band] = colors[0]
                if to_values[t] != 0:
                    carray(as_float32(to_values[t]), (3, TILE // ROWS, TEXELS))[:, band] = lines[0]
                continue
            for y in range(max(top, band * ROWS), min(bottom, band * ROWS + ROWS)):
                at = (y - band * ROWS) * TILE
                if writes_color:
                    line = colors[0, 4 * (at + left) : 4 * (at + right)]
                    target = color[t, y].reshape(256)[4 * left : 4 * right]
                    for j in range(len(target)):
                        target[j] = np.uint16(line[j] * full + half)
                if writes_values:
                    for m in range(3):
                        if wanted[m + 1]:
                            for x in range(left, right):
                                values[t, y, x, m] = np.uint16(lines[0, m, at + x] * full + half)
