"""Brush and erase: one stroke's coverage composited onto the pixels from before the stroke (F4, F5)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..kernels import as_float32, as_uint16, carray, in_two_threads, kernel
from ..texels.area import TileArea


def lay_over(
    area: TileArea,
    coverage: NDArray[np.int64],
    before: NDArray[np.int64],
    after: NDArray[np.int64],
    value: tuple[float, ...],
) -> None:
    """Write `after` = `before` with `value` laid over it by coverage, inside `area`.

    coverage, before, after: tables of tile addresses by tile number; coverage tiles are float32, the others
    uint16 with len(value) + 1 channels, alpha last; a `before` of 0 is transparent. value: 0-1 per channel.
    """
    paint = np.asarray(value, np.float32)
    in_two_threads(
        len(area),
        lambda a, b: _lay_over(area.tiles[a:b], area.rects[a:b], coverage, before, after, paint, len(paint) + 1),
    )


def take_away(
    area: TileArea,
    coverage: NDArray[np.int64],
    before: NDArray[np.int64],
    after: NDArray[np.int64],
    channels: int,
) -> None:
    """Write `after` = `before` with alpha · (1 - coverage); tables as in `lay_over`."""
    in_two_threads(
        len(area),
        lambda a, b: _take_away(area.tiles[a:b], area.rects[a:b], coverage, before, after, channels),
    )


@kernel
def _lay_over(tiles, rects, coverage, before, after, value, channels):  # type: ignore[no-untyped-def]
    full, one, half = np.float32(65535.0), np.float32(1.0), np.float32(0.5)
    alpha = channels - 1
    paint = value * full
    for i in range(len(tiles)):
        t = tiles[i]
        top, bottom, left, right = rects[i]
        cover = carray(as_float32(coverage[t]), (64, 64))
        target = carray(as_uint16(after[t]), (64, 64, channels))
        # An absent tile is transparent, so what is read in its stead must not matter: alpha counts as 0.
        source = carray(as_uint16(before[t] if before[t] != 0 else after[t]), (64, 64, channels))
        present = np.float32(1.0 / 65535.0) if before[t] != 0 else np.float32(0.0)
        for y in range(top, bottom):
            for x in range(left, right):
                a = cover[y, x]
                if a <= 0:
                    continue
                below = source[y, x, alpha] * present
                out = a + below * (one - a)
                share = a / out
                for c in range(alpha):
                    old = np.float32(source[y, x, c])
                    target[y, x, c] = np.uint16(old + (paint[c] - old) * share + half)
                target[y, x, alpha] = np.uint16(out * full + half)


@kernel
def _take_away(tiles, rects, coverage, before, after, channels):  # type: ignore[no-untyped-def]
    alpha = channels - 1
    for i in range(len(tiles)):
        t = tiles[i]
        top, bottom, left, right = rects[i]
        cover = carray(as_float32(coverage[t]), (64, 64))
        target = carray(as_uint16(after[t]), (64, 64, channels))
        source = carray(as_uint16(before[t]), (64, 64, channels))
        for y in range(top, bottom):
            for x in range(left, right):
                left_over = np.float32(source[y, x, alpha]) * (np.float32(1.0) - cover[y, x])
                target[y, x, alpha] = np.uint16(left_over + np.float32(0.5))
                for c in range(alpha):
                    target[y, x, c] = source[y, x, c] if target[y, x, alpha] > 0 else 0
