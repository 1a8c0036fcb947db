"""Rows of a tile as the steps of a program work on them: blocks of ROWS lines, colors and values as float32."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from ..kernels import as_float32, as_uint16, carray, floats_at, kernel, shorts_at
from ..texels.raster import TILE
from .adjust import FINE, GRAY, TABLE, from_table, toned
from .blend import HUE, non_separable, separable

#: Rows of a tile that are worked on at once: few enough to stay near the processor, enough to hide what a step costs.
ROWS = 8
TEXELS = ROWS * TILE


def _row_loop(mode: int) -> Callable[..., Any]:
    """A loop over a row for one separable mode, so that none decides anything per number."""

    @kernel
    def blend(source, below, blended):  # type: ignore[no-untyped-def]
        for j in range(len(below)):
            blended[j] = separable(mode, below[j], source[j])

    return blend


(_multiply, _screen, _overlay, _darken, _lighten, _dodge, _burn, _hard_light, _soft_light, _difference, _exclusion,
 _add, _subtract, _raise) = (_row_loop(mode) for mode in range(1, HUE))  # fmt: skip


@kernel
def apply_mode(mode, source, below, blended):  # type: ignore[no-untyped-def]
    """B(Cb, Cs) along a row, of a separable mode other than normal."""
    if mode == 1:
        _multiply(source, below, blended)
    elif mode == 2:
        _screen(source, below, blended)
    elif mode == 3:
        _overlay(source, below, blended)
    elif mode == 4:
        _darken(source, below, blended)
    elif mode == 5:
        _lighten(source, below, blended)
    elif mode == 6:
        _dodge(source, below, blended)
    elif mode == 7:
        _burn(source, below, blended)
    elif mode == 8:
        _hard_light(source, below, blended)
    elif mode == 9:
        _soft_light(source, below, blended)
    elif mode == 10:
        _difference(source, below, blended)
    elif mode == 11:
        _exclusion(source, below, blended)
    elif mode == 12:
        _add(source, below, blended)
    elif mode == 13:
        _subtract(source, below, blended)
    elif mode == 14:
        _raise(source, below, blended)


@kernel
def blend_row(mode, source, share, line, blended):  # type: ignore[no-untyped-def]
    """Blend a row of numbers over an opaque line; mode 0 over any premultiplied one too. blended: for its use."""
    if mode == 0:
        for j in range(len(line)):
            line[j] += (source[j] - line[j]) * share[j]
        return
    apply_mode(mode, source, line, blended)
    for j in range(len(line)):
        line[j] += (blended[j] - line[j]) * share[j]


@kernel
def blend_texels(mode, source, share, line, blended, held, under):  # type: ignore[no-untyped-def]
    """Blend a row of RGBA over a premultiplied line that may be transparent; the last three rows are for its use."""
    one, tiny = np.float32(1.0), np.float32(1e-12)
    for x in range(TEXELS):
        j = 4 * x
        below = line[j + 3]
        inverse = one / max(below, tiny)
        held[j], held[j + 1] = min(line[j] * inverse, one), min(line[j + 1] * inverse, one)
        held[j + 2], held[j + 3] = min(line[j + 2] * inverse, one), one
        under[j], under[j + 1], under[j + 2], under[j + 3] = below, below, below, below
    if mode >= HUE:
        for x in range(TEXELS):
            j = 4 * x
            blended[j], blended[j + 1], blended[j + 2] = non_separable(
                mode, held[j], held[j + 1], held[j + 2], source[j], source[j + 1], source[j + 2]
            )
    else:
        apply_mode(mode, source, held, blended)
    for x in range(TEXELS):
        blended[4 * x + 3] = one
    for j in range(4 * TEXELS):
        line[j] += share[j] * ((one - under[j]) * source[j] + under[j] * blended[j] - line[j])


@kernel
def blend_values(mode, source, share, line, alpha, blended, held):  # type: ignore[no-untyped-def]
    """Blend a row of values over a premultiplied line and its alpha; the last two rows are for its use."""
    one, tiny = np.float32(1.0), np.float32(1e-12)
    if mode == 0:
        for x in range(TEXELS):
            line[x] += share[x] * (source[x] - line[x])
            alpha[x] += share[x] * (one - alpha[x])
        return
    for x in range(TEXELS):
        held[x] = min(line[x] / max(alpha[x], tiny), one)
    apply_mode(mode, source, held[:TEXELS], blended)
    for x in range(TEXELS):
        below = alpha[x]
        line[x] += share[x] * ((one - below) * source[x] + below * blended[x] - line[x])
        alpha[x] += share[x] * (one - below)


@kernel
def shares_along(row, scale, with_alpha, share):  # type: ignore[no-untyped-def]
    """For each number of a row of RGBA how much it counts; alpha only where what lies below may be transparent."""
    alpha = np.float32(1.0) if with_alpha else np.float32(0.0)
    for x in range(TEXELS):
        a = np.float32(row[4 * x + 3]) * scale
        share[4 * x], share[4 * x + 1], share[4 * x + 2], share[4 * x + 3] = a, a, a, a * alpha


@kernel
def colors_along(row, source):  # type: ignore[no-untyped-def]
    """A row of RGBA as numbers 0-1, opaque."""
    unit = np.float32(1.0 / 65535.0)
    for x in range(TEXELS):
        source[4 * x], source[4 * x + 1] = np.float32(row[4 * x]) * unit, np.float32(row[4 * x + 1]) * unit
        source[4 * x + 2], source[4 * x + 3] = np.float32(row[4 * x + 2]) * unit, np.float32(1.0)


@kernel
def group_along(inner, amount, source, share):  # type: ignore[no-untyped-def]
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
def blend_colors(  # type: ignore[no-untyped-def]
    group, address, band, inner, amount, mode, level, masked, mask, source, share, line, blended, held, under
):
    """Blend a row of a node, or what a group holds, over a line of colors; rows from `source` on are for its use."""
    unit = np.float32(1.0 / 65535.0)
    if group:
        group_along(inner, amount, source, share)
    else:
        row = carray(as_uint16(address), (TILE // ROWS, 4 * TEXELS))[band]
        colors_along(row, source)
        shares_along(row, amount * unit, level > 0, share)
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
    if mode >= HUE or (level > 0 and mode != 0):
        blend_texels(mode, source, share, line, blended, held, under)
    else:
        blend_row(mode, source, share, line, blended)


@kernel
def copy_part(source, left, right, each, line):  # type: ignore[no-untyped-def]
    """Copy some columns of a block of rows of `each` numbers a texel. source, line: addresses of float32."""
    for y in range(ROWS):
        at = 4 * each * (y * TILE + left)
        part, onto = floats_at(source + at, each * (right - left)), floats_at(line + at, each * (right - left))
        for j in range(len(onto)):
            onto[j] = part[j]


@kernel
def bend_colors(ends, left, right, line):  # type: ignore[no-untyped-def]
    """Bring colors to between what black and white become, in some columns of a block of rows.

    ends: the address of black's block in a tile of uint16, behind which lies white's tile. line: of float32.
    """
    unit = np.float32(1.0 / 65535.0)
    for y in range(ROWS):
        at, count = 4 * (y * TILE + left), 4 * (right - left)
        black, white = shorts_at(ends + 2 * at, count), shorts_at(ends + 2 * at + 8 * TILE * TILE, count)
        part = floats_at(line + 4 * at, count)
        for j in range(len(part)):
            low = np.float32(black[j]) * unit
            part[j] = part[j] * (np.float32(white[j]) * unit - low) + low


@kernel
def bend_values(ends, channel, left, right, line):  # type: ignore[no-untyped-def]
    """The same of values, which lie as one channel of texels."""
    unit = np.float32(1.0 / 65535.0)
    for y in range(ROWS):
        at, count = y * TILE + left, right - left
        black = shorts_at(ends + 8 * at + 2 * channel, 4 * count)
        white = shorts_at(ends + 8 * (at + TILE * TILE) + 2 * channel, 4 * count)
        part = floats_at(line + 4 * at, count)
        for x in range(len(part)):
            low = np.float32(black[4 * x]) * unit
            part[x] = part[x] * (np.float32(white[4 * x]) * unit - low) + low


@kernel
def mask_along(address, start, band, mask):  # type: ignore[no-untyped-def]
    """The shares of a mask along a row."""
    unit = np.float32(1.0 / 65535.0)
    for x in range(len(mask)):
        mask[x] = start
    if address != 0:
        row = carray(as_uint16(address), (TILE // ROWS, 2 * TEXELS))[band]
        for x in range(len(mask)):
            mask[x] += (np.float32(row[2 * x]) * unit - start) * (np.float32(row[2 * x + 1]) * unit)


@kernel
def own_height(group, address, band, line, alpha, height):  # type: ignore[no-untyped-def]
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
def own_cover(group, addresses, modes, band, color, alphas, cover):  # type: ignore[no-untyped-def]
    """How much of a node lies along a row: the most that any of its maps covers."""
    unit = np.float32(1.0 / 65535.0)
    cover[:] = np.float32(0.0)
    if group:
        for m in range(len(alphas) + 1):
            if modes[m] != -1:
                for x in range(TEXELS):
                    cover[x] = max(cover[x], color[4 * x + 3] if m == 0 else alphas[m - 1, x])
        return
    for m in range(len(modes)):
        if addresses[m] != 0 and modes[m] != -1:
            # Two loops: where steps are known, loops become vectors.
            if m == 0:
                row = carray(as_uint16(addresses[m]), (TILE // ROWS, 4 * TEXELS))[band]
                for x in range(TEXELS):
                    cover[x] = max(cover[x], np.float32(row[4 * x + 3]) * unit)
            else:
                row = carray(as_uint16(addresses[m]), (TILE // ROWS, 2 * TEXELS))[band]
                for x in range(TEXELS):
                    cover[x] = max(cover[x], np.float32(row[2 * x + 1]) * unit)


@kernel
def mix_by_height(mix, height, cover, level, line, alpha, mask, raised):  # type: ignore[no-untyped-def]
    """Bend a mask by the relief below: a level rises with the mask and covers what lies lower than it first.

    raised: how far the border stands up: as the level stands over what lies below, at most by the softness, and less
    the more the mask shows, so that where it shows all nothing is raised. It stands up where the node covers anything.
    """
    one, half = np.float32(1.0), np.float32(0.5)
    softness, influence, border = mix[0], mix[1], mix[2]
    reach = softness + abs(influence) * half
    for x in range(TEXELS):
        m = mask[x]
        below = line[x]
        if level > 0:
            below += half * (one - alpha[x])
        low, high = -reach, one + reach
        reached = low + (high - low) * m + influence * (height[x] - half)
        t = min(max((reached - below + softness) / (np.float32(2.0) * softness), np.float32(0.0)), one)
        share = t * t * (np.float32(3.0) - np.float32(2.0) * t)
        mask[x] = share
        raised[x] = border * cover[x] * share * min(max(reached - below, np.float32(0.0)), softness) * (one - m)


@kernel
def adjust_rows(  # type: ignore[no-untyped-def]
    addresses, amounts, modes, mask, level, with_color, with_values, color, lines, alphas, held, made
):
    """Change what lies in a level's rows, by how much an adjustment counts there; the last two are for its use."""
    one, tiny = np.float32(1.0), np.float32(1e-12)
    luma_r, luma_g, luma_b = np.float32(0.2126), np.float32(0.7152), np.float32(0.0722)
    for m in range(len(alphas)):
        if not with_values or modes[m + 1] == -1 or addresses[m + 1] == 0:
            continue
        effect = carray(as_float32(addresses[m + 1]), (FINE + 2,))
        line, alpha = lines[m], alphas[m]
        if effect[0] == GRAY:
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
            old = min(line[x] / a, one)
            new = from_table(effect, old) if effect[0] == TABLE else min(max(old + effect[3], np.float32(0.0)), one)
            line[x] += (new - old) * a * mask[x] * amounts[m + 1]
    if not with_color or modes[0] == -1 or addresses[0] == 0:
        return
    effect = carray(as_float32(addresses[0]), (FINE + 2,))
    # Channel by channel in two rows: texels side by side are vectors.
    for x in range(TEXELS):
        inverse = one / max(color[4 * x + 3], tiny) if level > 0 else one
        held[x] = min(color[4 * x] * inverse, one)
        held[TEXELS + x] = min(color[4 * x + 1] * inverse, one)
        held[2 * TEXELS + x] = min(color[4 * x + 2] * inverse, one)
    if effect[0] == TABLE:
        for j in range(3 * TEXELS):
            made[j] = from_table(effect, held[j])
    elif effect[0] == GRAY:
        for x in range(TEXELS):
            gray = luma_r * held[x] + luma_g * held[TEXELS + x] + luma_b * held[2 * TEXELS + x]
            made[x] = made[TEXELS + x] = made[2 * TEXELS + x] = from_table(effect, gray)
    else:
        turn, dulls, lift = effect[1], effect[2], effect[3]
        for x in range(TEXELS):
            made[x], made[TEXELS + x], made[2 * TEXELS + x] = toned(
                turn, dulls, lift, held[x], held[TEXELS + x], held[2 * TEXELS + x]
            )
    for x in range(TEXELS):
        share = mask[x] * amounts[0] * (color[4 * x + 3] if level > 0 else one)
        color[4 * x] += (made[x] - held[x]) * share
        color[4 * x + 1] += (made[TEXELS + x] - held[TEXELS + x]) * share
        color[4 * x + 2] += (made[2 * TEXELS + x] - held[2 * TEXELS + x]) * share


@kernel
def replace_rows(  # type: ignore[no-untyped-def]
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
    for m in range(len(alphas)):
        if not with_values or modes[m + 1] == -1 or addresses[m + 1] == 0:
            continue
        row = carray(as_uint16(addresses[m + 1]), (TILE // ROWS, 2 * TEXELS))[band]
        line, under = lines[m], alphas[m]
        for x in range(TEXELS):
            share, alpha = mask[x] * amounts[m + 1], np.float32(row[2 * x + 1]) * unit
            line[x] += (np.float32(row[2 * x]) * unit * alpha - line[x]) * share
            if level > 0:
                under[x] += (alpha - under[x]) * share
