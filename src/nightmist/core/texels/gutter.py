"""The gutter: texels just outside the islands repeat the nearest one inside."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..kernels import in_two_threads, kernel
from .area import TileArea
from .composite_picture import Picture, spell_out
from .raster import TILE

#: Texels that the gutter is wide on maps of up to 2048, if nothing else is wanted.
USUAL_REACH = 16


def reach_for(width: int, height: int) -> int:
    """How wide in texels a gutter should be on a map of this size.

    A map shown small is read from its smaller levels, where a texel stands for many: with 1/128 of the map
    around them islands keep their color down to levels of 128 texels.
    """
    return max(USUAL_REACH, max(width, height) // 128)


class Gutter:
    """Pairs of (gutter texel, nearest inside texel), grouped by the tile of the inside texel.

    The map wraps: an island at the right border has its gutter continue at the left one, as a
    repeating texture is filtered.
    """

    def __init__(self, covered: NDArray[np.bool_], reach: int | None = None) -> None:
        """covered: (H, W), True inside islands. reach: in texels, at most 126; None: as `reach_for` has it."""
        height, width = covered.shape
        reach = min(reach_for(width, height) if reach is None else reach, width, height)
        self.width, self.height, self.reach = width, height, reach
        source = np.full((height, width), -1, np.int64)
        above = np.full((height, width), 127, np.int8)
        in_two_threads(width, lambda a, b: _nearest_in_column(covered, reach, above, a, b))
        in_two_threads(height, lambda a, b: _nearest_in_rows(covered, above, reach, source, a, b))
        target = np.flatnonzero(source.ravel() >= 0)
        inside = source.ravel()[target]
        # Two orders of the same pairs: paint spreads out from its tile, and a recomposited tile needs its
        # own gutter texels again, whose paint may come from next door.
        self.by_source = self._grouped(target, inside, inside)
        self.by_target = self._grouped(target, inside, target)

    def _grouped(
        self, target: NDArray[np.int64], source: NDArray[np.int64], key: NDArray[np.int64]
    ) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
        """Pairs (n, 2) of target and source sorted by the tile of `key`, and where each tile's begin."""
        columns = self.width // TILE
        tile = (key // self.width) // TILE * columns + (key % self.width) // TILE
        # 16 bits are enough for every tile of the largest map, and sort by counting.
        order = np.argsort(tile.astype(np.uint16), kind="stable")
        pairs = np.column_stack([target[order], source[order]]).astype(np.int32)
        starts = np.searchsorted(tile[order], np.arange(columns * (self.height // TILE) + 1)).astype(np.int64)
        return pairs, starts

    def spread(self, picture: Picture, area: TileArea) -> TileArea:
        """Bring a picture's gutter up to date after `area` changed; returns all that changed."""
        count = len(picture.plain)
        bounds, ends = np.empty((count, 4), np.int32), np.empty(count, np.uint8)
        changed = np.empty(count, np.int32)
        found = _spread(picture.pixels, picture.plain, picture.colors, *self.by_target, *self.by_source, area.tiles,
                        area.rects, self.width, ends, bounds, changed)  # fmt: skip
        tiles = changed[:found]
        return TileArea(tiles, bounds[tiles])

    def filled(self, image: NDArray[np.uint16]) -> NDArray[np.uint16]:
        """A copy of an (H, W, channels) image whose gutter repeats what is inside."""
        pairs, _ = self.by_source
        texels = image.reshape(-1, image.shape[2]).copy()
        texels[pairs[:, 0]] = texels[pairs[:, 1]]
        return texels.reshape(image.shape)


@kernel
def _nearest_in_column(covered, reach, offset, first, last):  # type: ignore[no-untyped-def]
    """offset[y, x]: rows to the nearest covered texel of the column (127: none in reach), wrapping.

    One sweep down and one up, row by row as memory lies, with the distance of each column carried along.
    """
    height = covered.shape[0]
    since = np.full(last - first, 1000, np.int32)
    for step in range(-reach, height):
        y = step % height
        for x in range(first, last):
            since[x - first] = 0 if covered[y, x] else since[x - first] + 1
            if step >= 0 and since[x - first] <= reach:
                offset[y, x] = -since[x - first]
    since[:] = 1000
    for step in range(height + reach - 1, -1, -1):
        y = step % height
        for x in range(first, last):
            since[x - first] = 0 if covered[y, x] else since[x - first] + 1
            if step < height and since[x - first] <= reach and since[x - first] < abs(offset[y, x]):
                offset[y, x] = since[x - first]


@kernel
def _nearest_in_rows(covered, offset, reach, source, first, last):  # type: ignore[no-untyped-def]
    """source[y, x]: the nearest covered texel within `reach`, found among the columns' nearest (exact)."""
    height, width = covered.shape
    for y in range(first, last):
        # Columns in the window around x that have anything within reach; far from islands there are none.
        near = 0
        for dx in range(-reach, reach):
            near += offset[y, dx % width] != 127
        for x in range(width):
            near += offset[y, (x + reach) % width] != 127
            if near > 0 and not covered[y, x]:
                best = reach * reach + 1
                for d in range(reach + 1):
                    if d * d >= best:
                        break
                    for dx in (-d, d):
                        column = x + dx
                        # A division each time would take longer than all the rest.
                        if column < 0:
                            column += width
                        elif column >= width:
                            column -= width
                        dy = int(offset[y, column])
                        if dy != 127 and d * d + dy * dy < best:
                            best = d * d + dy * dy
                            source[y, x] = ((y + dy) % height) * width + column
            near -= offset[y, (x - reach) % width] != 127


@kernel
def _spread(  # type: ignore[no-untyped-def]
    pixels, plain, colors, to_pairs, to_starts, from_pairs, from_starts, tiles, rects, width, ends, bounds, changed
):
    """Bring what lies in rectangles of some tiles where it belongs, first into them, then out of them.

    Returns how many tiles have changed; `changed` lists them, `bounds` tells where, by the tile.
    """
    all_of_it = len(tiles) == len(plain)
    for t in range(len(plain)):
        bounds[t, 0] = bounds[t, 2] = TILE
        bounds[t, 1] = bounds[t, 3] = 0
    for i in range(len(tiles)):
        bounds[tiles[i]] = rects[i]
        all_of_it = all_of_it and _is_whole(rects[i])
    ends[:] = 0
    _find_ends(to_pairs, to_starts, tiles, width, plain, colors, ends)
    _spell_out(pixels, plain, colors, ends)
    _bring(pixels, plain, colors, to_pairs, 0, to_starts, tiles, rects, width, bounds)
    # What goes out of all of a map has come into it just now.
    if not all_of_it:
        _find_ends(from_pairs, from_starts, tiles, width, plain, colors, ends)
        _spell_out(pixels, plain, colors, ends)
        _bring(pixels, plain, colors, from_pairs, 1, from_starts, tiles, rects, width, bounds)
    count = 0
    for t in range(len(plain)):
        if bounds[t, 1] > 0:
            changed[count] = t
            count += 1
    return count


@kernel
def _is_whole(rect):  # type: ignore[no-untyped-def]
    top, bottom, left, right = rect
    return bottom - top == TILE and right - left == TILE


@kernel
def _spell_out(pixels, plain, colors, ends):  # type: ignore[no-untyped-def]
    for t in range(len(ends)):
        if ends[t] != 0:
            spell_out(pixels, plain, colors, t)


@kernel
def _find_ends(pairs, starts, tiles, width, plain, colors, ends):  # type: ignore[no-untyped-def]
    """Mark tiles of one color into which a tile of these, or one that they reach into, brings another."""
    columns = width // TILE
    for t in tiles:
        for k in range(starts[t], starts[t + 1]):
            target, source = pairs[k, 0], pairs[k, 1]
            y, v = target // width, source // width
            to, of = (
                y // TILE * columns + (target - y * width) // TILE,
                v // TILE * columns + (source - v * width) // TILE,
            )
            if plain[to] != 0 and ends[to] == 0:
                same = plain[of] != 0
                for c in range(4):
                    same = same and colors[to, c] == colors[of, c]
                ends[to] = 0 if same else 1


@kernel
def _bring(pixels, plain, colors, pairs, side, starts, tiles, rects, width, bounds):  # type: ignore[no-untyped-def]
    """Copy the pairs of each tile whose target (side 0) or source (side 1) lies in the tile's rectangle."""
    columns = width // TILE
    for i in range(len(tiles)):
        top, bottom, left, right = rects[i]
        whole = _is_whole(rects[i])
        for k in range(starts[tiles[i]], starts[tiles[i] + 1]):
            target, source = pairs[k, 0], pairs[k, 1]
            y, v = target // width, source // width
            x, u = target - y * width, source - v * width
            inside = whole
            if side == 0 and not whole:
                inside = top <= y % TILE < bottom and left <= x % TILE < right
            elif not whole:
                inside = top <= v % TILE < bottom and left <= u % TILE < right
            to, of = y // TILE * columns + x // TILE, v // TILE * columns + u // TILE
            # Between tiles of one color there is nothing to bring.
            if not inside or plain[to] != 0:
                continue
            for c in range(4):
                pixels[to, y % TILE, x % TILE, c] = (
                    colors[of, c] if plain[of] != 0 else pixels[of, v % TILE, u % TILE, c]
                )
            bound = bounds[to]
            bound[0], bound[1] = min(bound[0], y % TILE), max(bound[1], y % TILE + 1)
            bound[2], bound[3] = min(bound[2], x % TILE), max(bound[3], x % TILE + 1)
