"""The gutter: texels just outside the islands repeat the nearest one inside."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..kernels import as_int64, borrowed, in_two_threads, kernel
from .area import TileArea, by_tile, forget_bounds, in_tiles, list_bounded
from .composite_picture import Picture, spell_out
from .raster import TILE, TILE_TEXELS

#: Tiles below which another thread is not worth calling.
FEW = 16
#: Texels that the gutter is wide on maps of up to 2048, if nothing else is wanted.
USUAL_REACH = 16


def reach_for(width: int, height: int) -> int:
    """How wide in texels a gutter should be on a map of this size.

    A map shown small is read from its smaller levels, where a texel stands for many: with 1/128 of the map
    around them islands keep their color down to levels of 128 texels.
    """
    return max(USUAL_REACH, max(width, height) // 128)


#: Pairs (n, 2) of target and source, and where those of each tile begin.
Pairs = tuple[NDArray[np.integer], NDArray[np.int64]]


class Gutter:
    """Pairs of (gutter texel, nearest inside texel), grouped by tiles.

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
        to, of = in_tiles(target, width), in_tiles(inside, width)
        count = width * height // TILE_TEXELS
        self.by_target = _grouped(target, inside, to, count)
        # Paint spreads out from its tile, and a recomposited tile needs its own gutter texels again, whose paint may
        # come from next door. Most pairs lie within one tile: they are told by their places there.
        within = to // TILE_TEXELS == of // TILE_TEXELS
        pairs, starts = _grouped(to[within], of[within], to[within], count)
        self._within: Pairs = (pairs % TILE_TEXELS).astype(np.uint16), starts
        to, of = to[~within], of[~within]
        self._into, self._out_of = _grouped(to, of, to, count), _grouped(to, of, of, count)

    def beyond(self, tiles: NDArray[np.int32]) -> NDArray[np.int32]:
        """Other tiles, any of them several times, into which what lies in some tiles is spread."""
        pairs, starts = self._out_of
        found = [pairs[starts[tile] : starts[tile + 1], 0] // TILE_TEXELS for tile in tiles]
        return np.concatenate([np.zeros(0, np.int32), *found])

    def spread(self, picture: Picture, area: TileArea) -> TileArea:
        """Bring a picture's gutter up to date after `area` changed; returns all that changed."""
        count = len(picture.plain)
        bounds, changed = np.empty((count, 4), np.int32), np.empty(count, np.int32)
        tiles, rects, pixels = area.tiles, area.rects, picture.addresses[0]
        # Where a few tiles changed, as under a brush, more time goes into asking than into doing it.
        if len(area) < FEW:
            found = _spread(
                picture.pixels, pixels, picture.plain, picture.colors, *self._within, *self._into, *self._out_of,
                tiles, rects, bounds, changed,
            )  # fmt: skip
        else:
            _spell_out_into(picture.pixels, picture.plain, picture.colors, *self._into, tiles, rects, bounds)
            in_two_threads(
                len(area),
                lambda a, b: _bring_into(
                    pixels, picture.plain, picture.colors, *self._within, *self._into, tiles[a:b], rects[a:b], bounds
                ),
            )
            found = _bring_out(
                picture.pixels, pixels, picture.plain, picture.colors, *self._out_of, tiles, rects, bounds, changed
            )
        tiles = changed[:found]
        return TileArea(tiles, bounds[tiles])

    def filled(self, image: NDArray[np.uint16]) -> NDArray[np.uint16]:
        """A copy of an (H, W, channels) image whose gutter repeats what is inside."""
        pairs, _ = self.by_target
        texels = image.reshape(-1, image.shape[2]).copy()
        texels[pairs[:, 0]] = texels[pairs[:, 1]]
        return texels.reshape(image.shape)


def _grouped(
    target: NDArray[np.integer], source: NDArray[np.integer], key: NDArray[np.int32], count: int
) -> Pairs:  # fmt: skip
    """Pairs of target and source by the tile of `key`, one of the two as `in_tiles` numbers it. count: of tiles."""
    order, starts = by_tile(key, count)
    return np.column_stack([target[order], source[order]]).astype(np.int32), starts


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
def _is_whole(rect):  # type: ignore[no-untyped-def]
    top, bottom, left, right = rect
    return bottom - top == TILE and right - left == TILE


@kernel
def _holds(rect, place):  # type: ignore[no-untyped-def]
    """Whether a rectangle of a tile holds a place there."""
    return rect[0] <= place // TILE < rect[1] and rect[2] <= place % TILE < rect[3]


@kernel
def _differ(plain, colors, to, of):  # type: ignore[no-untyped-def]
    """Whether anything lies in one tile that is not in another, which is of one color."""
    same = plain[of] != 0
    for c in range(4):
        same = same and colors[to, c] == colors[of, c]
    return not same


@kernel
def _bring(pixels, colors, plain, to, of):  # type: ignore[no-untyped-def]
    """Four channels of a texel at once, numbered over all tiles."""
    tile = of // TILE_TEXELS
    source = as_int64(pixels + 8 * of) if plain[tile] == 0 else as_int64(colors + 8 * tile)
    as_int64(pixels + 8 * to)[0] = source[0]


@kernel
def _spread(  # type: ignore[no-untyped-def]
    pixels, address, plain, colors, within, within_starts, into, into_starts, out, out_starts, tiles, rects, bounds,
    changed,
):  # fmt: skip
    """All that it takes, one thing after the other."""
    _spell_out_into(pixels, plain, colors, into, into_starts, tiles, rects, bounds)
    _bring_into(address, plain, colors, within, within_starts, into, into_starts, tiles, rects, bounds)
    return _bring_out(pixels, address, plain, colors, out, out_starts, tiles, rects, bounds, changed)


@kernel
def _spell_out_into(pixels, plain, colors, pairs, starts, tiles, rects, bounds):  # type: ignore[no-untyped-def]
    """Give pixels to tiles of one color into which others bring another, and begin the bounds of what changed."""
    forget_bounds(bounds)
    for i in range(len(tiles)):
        t = tiles[i]
        bounds[t] = rects[i]
        for k in range(starts[t], starts[t + 1] if plain[t] != 0 else starts[t]):
            if _differ(plain, colors, t, pairs[k, 1] // TILE_TEXELS):
                spell_out(pixels, plain, colors, t)
                break


@kernel
def _bring_into(  # type: ignore[no-untyped-def]
    pixels, plain, colors, within, within_starts, pairs, starts, tiles, rects, bounds
):
    """Bring into tiles what belongs in their rectangles, and within them what lies there. pixels: where they lie."""
    plain, rects = borrowed(plain), borrowed(rects)
    colored = colors.ctypes.data
    for i in range(len(tiles)):
        t, rect = tiles[i], rects[i]
        if plain[t] != 0:
            continue
        whole, first = _is_whole(rect), t * TILE_TEXELS
        top, bottom, left, right = rect
        for k in range(within_starts[t], within_starts[t + 1]):
            to, of = int(within[k, 0]), int(within[k, 1])
            if whole or _holds(rect, to) or _holds(rect, of):
                as_int64(pixels + 8 * (first + to))[0] = as_int64(pixels + 8 * (first + of))[0]
                top, bottom = min(top, to // TILE), max(bottom, to // TILE + 1)
                left, right = min(left, to % TILE), max(right, to % TILE + 1)
        for k in range(starts[t], starts[t + 1]):
            if whole or _holds(rect, pairs[k, 0] - first):
                _bring(pixels, colored, plain, pairs[k, 0], pairs[k, 1])
        bounds[t, 0], bounds[t, 1], bounds[t, 2], bounds[t, 3] = top, bottom, left, right


@kernel
def _bring_out(  # type: ignore[no-untyped-def]
    pixels, address, plain, colors, pairs, starts, tiles, rects, bounds, changed
):
    """Bring what lies in rectangles of tiles to other tiles. Returns how many tiles have changed in all; `changed`
    lists them, `bounds` tells where, by the tile.
    """
    plain, colors, rects, bounds = borrowed(plain), borrowed(colors), borrowed(rects), borrowed(bounds)
    colored = colors.ctypes.data
    all_of_it = len(tiles) == len(plain)
    for i in range(len(tiles)):
        all_of_it = all_of_it and _is_whole(rects[i])
    # What goes out of all of a map has come into it just now.
    for i in range(0 if all_of_it else len(tiles)):
        t, rect = tiles[i], rects[i]
        whole = _is_whole(rect)
        for k in range(starts[t], starts[t + 1]):
            to, of = pairs[k, 0], pairs[k, 1]
            tile, place = to // TILE_TEXELS, to % TILE_TEXELS
            if plain[tile] != 0 and _differ(plain, colors, tile, t):
                spell_out(pixels, plain, colors, tile)
            # Between tiles of one color there is nothing to bring.
            if plain[tile] != 0 or not (whole or _holds(rect, of - t * TILE_TEXELS)):
                continue
            _bring(address, colored, plain, to, of)
            bound = bounds[tile]
            bound[0], bound[1] = min(bound[0], place // TILE), max(bound[1], place // TILE + 1)
            bound[2], bound[3] = min(bound[2], place % TILE), max(bound[3], place % TILE + 1)
    return list_bounded(bounds, changed)
