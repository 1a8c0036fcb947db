"""Rasters of another size: what lies at the same share of the map, larger ones bilinear, smaller ones by means.

Drafts, which follow every move of a slider, have `shrink.py` for whole factors, in a third of the time.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..kernels import as_uint16, carray, in_two_threads, kernel
from .raster import TILE, Raster, some_shown

#: Where along a side each new texel looks: (n,) int32 its first old texel, (n, taps) float32 how much of each counts.
Taps = tuple[NDArray[np.int32], NDArray[np.float32]]


def rescaled(raster: Raster, width: int, height: int, covered: NDArray[np.bool_]) -> Raster:
    """A raster in so many texels, weighed by alpha as paint is.

    covered: (h, w) of the raster's own size, which texels some face owns. Those that none does and that hold nothing
    do not count, so that islands have no edge that fades. Along a side that grows, texels are bilinear between the
    middles of old ones; along one that shrinks, the mean of all that they cover.
    """
    made = Raster(width, height, raster.channels)
    down, across = _taps(raster.height, height), _taps(raster.width, width)
    tiles = _meeting(raster, down, across)
    pixels = np.zeros((len(tiles), TILE, TILE, raster.channels), np.uint16)
    given = raster.addresses, covered, *down, *across, width // TILE
    in_two_threads(len(tiles), lambda a, b: _rescale(*given, tiles[a:b], pixels[a:b]), 4)
    made.put_all(tiles, pixels, some_shown(pixels))
    return made


def _taps(before: int, after: int) -> Taps:
    """What each of `after` texels along a side takes from `before`."""
    step = before / after
    places = np.arange(after)
    if step <= 1:
        at = np.clip((places + 0.5) * step - 0.5, 0, before - 1)
        first = np.minimum(np.floor(at), max(before - 2, 0)).astype(np.int32)
        share = at - first
        return first, np.stack([1 - share, share], axis=1).astype(np.float32)
    low, high = places * step, (places + 1) * step
    first = np.floor(low).astype(np.int32)
    old = first[:, None] + np.arange(int(np.ceil(step)) + 1)
    shares = np.clip(np.minimum(old + 1, high[:, None]) - np.maximum(old, low[:, None]), 0, None)
    return first, (shares / step).astype(np.float32)


def _meeting(raster: Raster, down: Taps, across: Taps) -> NDArray[np.int32]:
    """The numbers of the new tiles that look at a tile that there is, rising."""
    there = raster.addresses != 0
    rows, columns = (_first_and_last_tiles(taps) for taps in (down, across))
    # How many old tiles there are above and left of a place: four of these numbers tell those in a rectangle.
    count = np.zeros((there.shape[0] + 1, there.shape[1] + 1), np.int64)
    count[1:, 1:] = there.cumsum(axis=0).cumsum(axis=1)
    (top, bottom), (left, right) = rows, columns
    within = count[bottom][:, right] - count[top][:, right] - count[bottom][:, left] + count[top][:, left]
    return np.flatnonzero(within).astype(np.int32)


def _first_and_last_tiles(taps: Taps) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """For each new tile along a side, the old tiles that it looks at: the first, and the one behind the last."""
    first, shares = taps
    last = (first + shares.shape[1] - 1 - (shares[:, ::-1] > 0).argmax(axis=1)).astype(np.int32)
    return first[::TILE] // TILE, last[TILE - 1 :: TILE] // TILE + 1


@kernel
def _rescale(addresses, covered, row_first, row_shares, first, shares, columns, tiles, made):  # type: ignore[no-untyped-def]
    channels = made.shape[3]
    alpha, taps, row_taps = channels - 1, shares.shape[1], row_shares.shape[1]
    height, width = covered.shape
    longest = 0
    for t in range(0, len(first), TILE):
        longest = max(longest, first[t + TILE - 1] - first[t] + taps)
    # Of one old row: each texel's values times its alpha, its alpha, and whether it counts.
    line = np.empty((channels + 1, longest), np.float32)
    # The same of one old row as the new columns see it, and of the new rows.
    seen = np.empty((channels + 1, TILE), np.float32)
    total = np.empty((TILE, channels + 1, TILE), np.float32)
    for i in range(len(tiles)):
        top, left = tiles[i] // columns * TILE, tiles[i] % columns * TILE
        total[:] = np.float32(0.0)
        begin, end = first[left], min(first[left + TILE - 1] + taps, width)
        low, high = top, top
        for y in range(row_first[top], min(row_first[top + TILE - 1] + row_taps, height)):
            _unpack(addresses, covered, y, begin, end, line)
            for c in range(channels + 1):
                for x in range(TILE):
                    at = first[left + x] - begin
                    value = np.float32(0.0)
                    for k in range(min(taps, end - begin - at)):
                        value += shares[left + x, k] * line[c, at + k]
                    seen[c, x] = value
            while low < top + TILE and row_first[low] + row_taps <= y:
                low += 1
            while high < top + TILE and row_first[high] <= y:
                high += 1
            for row in range(low, high):
                share = row_shares[row, y - row_first[row]]
                for c in range(channels + 1):
                    for x in range(TILE):
                        total[row - top, c, x] += share * seen[c, x]
        for row in range(TILE):
            for x in range(TILE):
                weight, cover = total[row, channels, x], total[row, alpha, x]
                if weight > np.float32(0.0) and cover >= np.float32(0.5) * weight:
                    made[i, row, x, alpha] = np.uint16(cover / weight + np.float32(0.5))
                    for c in range(alpha):
                        made[i, row, x, c] = np.uint16(
                            min(total[row, c, x] / cover, np.float32(65535.0)) + np.float32(0.5)
                        )


@kernel
def _unpack(addresses, covered, y, begin, end, line):  # type: ignore[no-untyped-def]
    """Columns of an old row: values times alpha, alpha, and whether it counts."""
    channels = len(line) - 1
    alpha = channels - 1
    for x in range(begin, end):
        line[channels, x - begin] = np.float32(1.0) if covered[y, x] else np.float32(0.0)
    x = begin
    while x < end:
        stop = min((x // TILE + 1) * TILE, end)
        address = addresses[y // TILE, x // TILE]
        if address == 0:
            for c in range(channels):
                for at in range(x - begin, stop - begin):
                    line[c, at] = np.float32(0.0)
        else:
            tile = carray(as_uint16(address), (TILE, TILE, channels))
            for at in range(x, stop):
                texel = tile[y % TILE, at % TILE]
                cover = np.float32(texel[alpha])
                if cover > np.float32(0.0):
                    line[channels, at - begin] = np.float32(1.0)
                line[alpha, at - begin] = cover
                for c in range(alpha):
                    line[c, at - begin] = np.float32(texel[c]) * cover
        x = stop
