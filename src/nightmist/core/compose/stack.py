"""Layers, bottom to top, composited into a surface's maps (F5), a rectangle of a tile at a time.

A surface has a start value under all layers, so the backdrop is opaque and F5 comes down to
Co = Cb + αs · (B(Cb, Cs) - Cb). Sums stay in float32 and are rounded once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import as_uint16, carray, in_two_threads, kernel
from ..texels.area import TileArea
from ..texels.raster import Raster
from .blend import BLEND_MODES, HUE, BlendMode, non_separable, separable


@dataclass
class Sheet:
    """One layer as compositing sees it."""

    raster: Raster
    opacity: float = 1.0
    blend: BlendMode = "normal"


def compose_color(
    sheets: Sequence[Sheet], start: tuple[float, float, float], area: TileArea, out: NDArray[np.uint16]
) -> None:
    """Composite 4-channel sheets over an sRGB-encoded start color into `area` of out, (H, W, 4)."""
    addresses, opacities, modes = _table(sheets, area)
    backdrop = np.asarray(start, np.float32)
    in_two_threads(
        len(area),
        lambda a, b: _color(addresses[a:b], opacities, modes, backdrop, area.tiles[a:b], area.rects[a:b], out),
    )


def compose_value(sheets: Sequence[Sheet], start: float, area: TileArea, out: NDArray[np.uint16], channel: int) -> None:
    """Composite 2-channel sheets (value, alpha) over a start value into one channel of out, (H, W, 4).

    Hue, saturation, color and luminosity mean nothing for one channel and count as normal.
    """
    addresses, opacities, modes = _table(sheets, area)
    modes[modes >= HUE] = 0
    in_two_threads(
        len(area),
        lambda a, b: _value(
            addresses[a:b],
            opacities,
            modes,
            np.float32(start),
            area.tiles[a:b],
            area.rects[a:b],
            out,
            channel,
        ),
    )


def _table(sheets: Sequence[Sheet], area: TileArea) -> tuple[NDArray[np.int64], NDArray[np.float32], NDArray[np.int32]]:
    addresses = np.zeros((len(area), len(sheets)), np.int64)
    for i, sheet in enumerate(sheets):
        addresses[:, i] = sheet.raster.addresses.ravel()[area.tiles]
    opacities = np.array([sheet.opacity for sheet in sheets], np.float32)
    modes = np.array([BLEND_MODES.index(sheet.blend) for sheet in sheets], np.int32)
    return addresses, opacities, modes


# In these loops arrays are cut to their part first and counted from 0: only then does the compiler know that
# no index is negative, and vectorizes. A row of a tile is a line of numbers, alpha's place included.


@kernel
def _color(addresses, opacities, modes, start, tiles, rects, out):  # type: ignore[no-untyped-def]
    columns = out.shape[1] // 64
    flat = out.reshape(out.shape[0], -1)
    whole_line = np.empty(256, np.float32)
    whole_share = np.empty(256, np.float32)
    for i in range(len(tiles)):
        top, bottom, left, right = rects[i]
        row0, column0 = (tiles[i] // columns) * 64, (tiles[i] % columns) * 64
        line = whole_line[: 4 * (right - left)]
        share = whole_share[: 4 * (right - left)]
        for y in range(top, bottom):
            for x in range(len(line) // 4):
                line[4 * x] = start[0]
                line[4 * x + 1] = start[1]
                line[4 * x + 2] = start[2]
                line[4 * x + 3] = np.float32(1.0)
            for k in range(addresses.shape[1]):
                if addresses[i, k] != 0:
                    row = carray(as_uint16(addresses[i, k]), (64, 256))[y, 4 * left : 4 * right]
                    if modes[k] < 14:
                        _blend_row(modes[k], opacities[k], row, share, line)
                    else:
                        _blend_pixels(modes[k], opacities[k], row, line)
            target = flat[row0 + y, 4 * (column0 + left) : 4 * (column0 + right)]
            for j in range(len(line)):
                target[j] = np.uint16(line[j] * np.float32(65535.0) + np.float32(0.5))


@kernel
def _blend_row(mode, opacity, row, share, line):  # type: ignore[no-untyped-def]
    """Blend one row of a layer into `line`: a loop for each mode, so that none decides anything per number."""
    unit = np.float32(1.0 / 65535.0)
    scale = opacity * unit
    for x in range(len(line) // 4):
        a = np.float32(row[4 * x + 3]) * scale
        share[4 * x] = a
        share[4 * x + 1] = a
        share[4 * x + 2] = a
        share[4 * x + 3] = np.float32(0.0)
    if mode == 0:
        for j in range(len(line)):
            line[j] += (np.float32(row[j]) * unit - line[j]) * share[j]
    elif mode == 1:
        for j in range(len(line)):
            line[j] += (separable(1, line[j], np.float32(row[j]) * unit) - line[j]) * share[j]
    elif mode == 2:
        for j in range(len(line)):
            line[j] += (separable(2, line[j], np.float32(row[j]) * unit) - line[j]) * share[j]
    elif mode == 3:
        for j in range(len(line)):
            line[j] += (separable(3, line[j], np.float32(row[j]) * unit) - line[j]) * share[j]
    elif mode == 4:
        for j in range(len(line)):
            line[j] += (separable(4, line[j], np.float32(row[j]) * unit) - line[j]) * share[j]
    elif mode == 5:
        for j in range(len(line)):
            line[j] += (separable(5, line[j], np.float32(row[j]) * unit) - line[j]) * share[j]
    elif mode == 6:
        for j in range(len(line)):
            line[j] += (separable(6, line[j], np.float32(row[j]) * unit) - line[j]) * share[j]
    elif mode == 7:
        for j in range(len(line)):
            line[j] += (separable(7, line[j], np.float32(row[j]) * unit) - line[j]) * share[j]
    elif mode == 8:
        for j in range(len(line)):
            line[j] += (separable(8, line[j], np.float32(row[j]) * unit) - line[j]) * share[j]
    elif mode == 9:
        for j in range(len(line)):
            line[j] += (separable(9, line[j], np.float32(row[j]) * unit) - line[j]) * share[j]
    elif mode == 10:
        for j in range(len(line)):
            line[j] += (separable(10, line[j], np.float32(row[j]) * unit) - line[j]) * share[j]
    elif mode == 11:
        for j in range(len(line)):
            line[j] += (separable(11, line[j], np.float32(row[j]) * unit) - line[j]) * share[j]
    elif mode == 12:
        for j in range(len(line)):
            line[j] += (separable(12, line[j], np.float32(row[j]) * unit) - line[j]) * share[j]
    elif mode == 13:
        for j in range(len(line)):
            line[j] += (separable(13, line[j], np.float32(row[j]) * unit) - line[j]) * share[j]


@kernel
def _blend_pixels(mode, opacity, row, line):  # type: ignore[no-untyped-def]
    """Blend one row in a mode that takes the three channels together."""
    unit = np.float32(1.0 / 65535.0)
    for x in range(len(line) // 4):
        j = 4 * x
        a = np.float32(row[j + 3]) * opacity * unit
        r, g, b = np.float32(row[j]) * unit, np.float32(row[j + 1]) * unit, np.float32(row[j + 2]) * unit
        r, g, b = non_separable(mode, line[j], line[j + 1], line[j + 2], r, g, b)
        line[j] += (r - line[j]) * a
        line[j + 1] += (g - line[j + 1]) * a
        line[j + 2] += (b - line[j + 2]) * a


@kernel
def _value(addresses, opacities, modes, start, tiles, rects, out, channel):  # type: ignore[no-untyped-def]
    columns = out.shape[1] // 64
    unit = np.float32(1.0 / 65535.0)
    line = np.empty(64, np.float32)
    for i in range(len(tiles)):
        top, bottom, left, right = rects[i]
        row0, column0 = (tiles[i] // columns) * 64, (tiles[i] % columns) * 64
        for y in range(top, bottom):
            line[:] = start
            for k in range(addresses.shape[1]):
                if addresses[i, k] == 0:
                    continue
                row = carray(as_uint16(addresses[i, k]), (64, 64, 2))[y]
                for x in range(left, right):
                    value = separable(modes[k], line[x], np.float32(row[x, 0]) * unit)
                    line[x] += (value - line[x]) * (np.float32(row[x, 1]) * unit * opacities[k])
            for x in range(left, right):
                out[row0 + y, column0 + x, channel] = np.uint16(line[x] * np.float32(65535.0) + np.float32(0.5))
