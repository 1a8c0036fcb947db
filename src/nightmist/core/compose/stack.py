"""Layers, bottom to top, composited into a surface's maps (F5), a rectangle of a tile at a time.

A surface has a start value under all layers, so the backdrop is opaque and F5 comes down to
Co = Cb + αs · (B(Cb, Cs) - Cb). Sums stay in float32 and are rounded once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import carray
from numpy.typing import NDArray

from ..kernels import as_uint16, in_two_threads, kernel
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


def compose_value(
    sheets: Sequence[Sheet], start: float, area: TileArea, out: NDArray[np.uint16], channel: int
) -> None:
    """Composite 2-channel sheets (value, alpha) over a start value into one channel of out, (H, W, 4).

    Hue, saturation, color and luminosity mean nothing for one channel and count as normal.
    """
    addresses, opacities, modes = _table(sheets, area)
    modes[modes >= HUE] = 0
    in_two_threads(
        len(area),
        lambda a, b: _value(
            addresses[a:b], opacities, modes, np.float32(start), area.tiles[a:b], area.rects[a:b], out, channel
        ),
    )


def _table(
    sheets: Sequence[Sheet], area: TileArea
) -> tuple[NDArray[np.int64], NDArray[np.float32], NDArray[np.int32]]:
    addresses = np.zeros((len(area), len(sheets)), np.int64)
    for i, sheet in enumerate(sheets):
        addresses[:, i] = sheet.raster.addresses.ravel()[area.tiles]
    opacities = np.array([sheet.opacity for sheet in sheets], np.float32)
    modes = np.array([BLEND_MODES.index(sheet.blend) for sheet in sheets], np.int32)
    return addresses, opacities, modes


@kernel
def _color(addresses, opacities, modes, start, tiles, rects, out):  # type: ignore[no-untyped-def]
    columns = out.shape[1] // 64
    red = np.empty(64, np.float32)
    green = np.empty(64, np.float32)
    blue = np.empty(64, np.float32)
    full, half = np.float32(65535.0), np.float32(0.5)
    for i in range(len(tiles)):
        top, bottom, left, right = rects[i]
        row0, column0 = (tiles[i] // columns) * 64, (tiles[i] % columns) * 64
        for y in range(top, bottom):
            red[:] = start[0]
            green[:] = start[1]
            blue[:] = start[2]
            for k in range(addresses.shape[1]):
                if addresses[i, k] != 0:
                    row = carray(as_uint16(addresses[i, k]), (64, 64, 4))[y]
                    _blend_row(modes[k], opacities[k], row, left, right, red, green, blue)
            target = out[row0 + y]
            for x in range(left, right):
                target[column0 + x, 0] = np.uint16(red[x] * full + half)
                target[column0 + x, 1] = np.uint16(green[x] * full + half)
                target[column0 + x, 2] = np.uint16(blue[x] * full + half)
                target[column0 + x, 3] = 65535


@kernel
def _blend_row(mode, opacity, row, left, right, red, green, blue):  # type: ignore[no-untyped-def]
    """Blend one row of a layer; the common modes have loops of their own, which vectorize."""
    unit = np.float32(1.0 / 65535.0)
    scale = opacity * unit
    if mode == 0:
        for x in range(left, right):
            a = np.float32(row[x, 3]) * scale
            red[x] += (np.float32(row[x, 0]) * unit - red[x]) * a
            green[x] += (np.float32(row[x, 1]) * unit - green[x]) * a
            blue[x] += (np.float32(row[x, 2]) * unit - blue[x]) * a
    elif mode == 1:
        for x in range(left, right):
            a = np.float32(row[x, 3]) * scale
            red[x] += (np.float32(row[x, 0]) * unit * red[x] - red[x]) * a
            green[x] += (np.float32(row[x, 1]) * unit * green[x] - green[x]) * a
            blue[x] += (np.float32(row[x, 2]) * unit * blue[x] - blue[x]) * a
    elif mode == 2:
        for x in range(left, right):
            a = np.float32(row[x, 3]) * scale
            r, g, b = np.float32(row[x, 0]) * unit, np.float32(row[x, 1]) * unit, np.float32(row[x, 2]) * unit
            red[x] += (r - red[x] * r) * a
            green[x] += (g - green[x] * g) * a
            blue[x] += (b - blue[x] * b) * a
    elif mode == 3:
        for x in range(left, right):
            a = np.float32(row[x, 3]) * scale
            red[x] += (separable(3, red[x], np.float32(row[x, 0]) * unit) - red[x]) * a
            green[x] += (separable(3, green[x], np.float32(row[x, 1]) * unit) - green[x]) * a
            blue[x] += (separable(3, blue[x], np.float32(row[x, 2]) * unit) - blue[x]) * a
    elif mode < 14:
        for x in range(left, right):
            a = np.float32(row[x, 3]) * scale
            red[x] += (separable(mode, red[x], np.float32(row[x, 0]) * unit) - red[x]) * a
            green[x] += (separable(mode, green[x], np.float32(row[x, 1]) * unit) - green[x]) * a
            blue[x] += (separable(mode, blue[x], np.float32(row[x, 2]) * unit) - blue[x]) * a
    else:
        for x in range(left, right):
            a = np.float32(row[x, 3]) * scale
            r, g, b = np.float32(row[x, 0]) * unit, np.float32(row[x, 1]) * unit, np.float32(row[x, 2]) * unit
            r, g, b = non_separable(mode, red[x], green[x], blue[x], r, g, b)
            red[x] += (r - red[x]) * a
            green[x] += (g - green[x]) * a
            blue[x] += (b - blue[x]) * a


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
