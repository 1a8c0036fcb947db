"""Rows of a tile as the steps of a program work on them: blocks of ROWS lines, colors and values as float32."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from ..kernels import as_float32, as_uint16, carray, kernel
from ..texels.raster import TILE
from .adjust import FINE, from_table, toned
from .blend import HUE, non_separable, separable

#: Rows of a tile that are worked on at once: few enough to stay near the processor, enough to hide what a step costs.
ROWS = 8
TEXELS = ROWS * TILE


def _row_loop(mode: int) -> Callable[..., Any]:
    """A loop over a row for one separable mode, so that none decides anything per number."""

    @kernel
    def blend(source, unit, share, line):  # type: ignore[no-untyped-def]
        for j in range(len(line)):
            line[j] += (separable(mode, line[j], np.float32(source[j]) * unit) - line[j]) * share[j]

    return blend


(_multiply, _screen, _overlay, _darken, _lighten, _dodge, _burn, _hard_light, _soft_light, _difference, _exclusion,
 _add, _subtract, _raise) = (_row_loop(mode) for mode in range(1, HUE))  # fmt: skip


@kernel
def blend_row(mode, source, unit, share, line):  # type: ignore[no-untyped-def]
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
    elif mode == 14:
        _raise(source, unit, share, line)


@kernel
def blend_texels(mode, source, share, line):  # type: ignore[no-untyped-def]
    """Blend a row of RGBA over a premultiplied line that may be transparent, texel by texel."""
    one, tiny = np.float32(1.0), np.float32(1e-12)
    for x in range(len(line) // 4):
        j = 4 * x
        a, below = share[j], line[j + 3]
        if a <= 0:
            continue
        inverse = one / max(below, tiny)
        r, g, b = min(line[j] * inverse, one), min(line[j + 1] * inverse, one), min(line[j + 2] * inverse, one)
        if mode >= HUE:
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
def blend_values(mode, source, share, line, alpha):  # type: ignore[no-untyped-def]
    """Blend a row of values over a premultiplied line and its alpha."""
    one, tiny = np.float32(1.0), np.float32(1e-12)
    for x in range(len(line)):
        below = alpha[x]
        held = min(line[x] / max(below, tiny), one)
        mixed = (one - below) * source[x] + below * separable(mode, held, source[x])
        line[x] += share[x] * (mixed - line[x])
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
    group, address, band, inner, amount, mode, level, masked, mask, source, share, line
):
    """Blend a row of a node, or what a group holds, over a line of colors."""
    unit, one = np.float32(1.0 / 65535.0), np.float32(1.0)
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
        blend_texels(mode, source, share, line)
    else:
        blend_row(mode, source, one, share, line)


@kernel
def bend_row(factors, offsets, line):  # type: ignore[no-untyped-def]
    for j in range(len(line)):
        line[j] = line[j] * factors[j] + offsets[j]


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
            wide = 4 if m == 0 else 2
            row = carray(as_uint16(addresses[m]), (TILE // ROWS, wide * TEXELS))[band]
            for x in range(TEXELS):
                cover[x] = max(cover[x], np.float32(row[wide * x + wide - 1]) * unit)


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
    addresses, amounts, modes, mask, level, with_color, with_values, color, lines, alphas
):
    """Change what lies in a level's rows, by how much an adjustment counts there."""
    one, tiny = np.float32(1.0), np.float32(1e-12)
    luma_r, luma_g, luma_b = np.float32(0.2126), np.float32(0.7152), np.float32(0.0722)
    for m in range(len(alphas)):
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
