"""Brush, erase and clone: one stroke's coverage composited onto the pixels from before the stroke."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..brush.coverage import NO_TILE
from ..compose.blend import BLEND_MODES, HUE, BlendMode, non_separable, separable
from ..compose.lanes import LANES, lay_value
from ..kernels import as_float32, as_int32, as_uint16, carray, floats_at, held_or, in_two_threads, kernel, shorts_at
from ..texels.area import TileArea
from ..texels.raster import TILE

#: No table of colors: all of the stroke has one value.
ONE_VALUE = np.zeros((0, 0), np.float32)
#: Nothing is guessed of the stroke's end.
NO_GUESS = np.zeros(0, np.int64)
#: No pictures: the stroke's own value is laid on.
NO_PICTURES = np.zeros(0, np.int64)


def composite_over(
    area: TileArea,
    coverage: NDArray[np.int64],
    before: NDArray[np.int64],
    after: NDArray[np.int64],
    value: tuple[float, ...],
    blend: BlendMode = "normal",
    numbers: NDArray[np.int64] = NO_PICTURES,
    values: NDArray[np.float32] = ONE_VALUE,
    pictures: NDArray[np.int64] = NO_PICTURES,
    ahead: NDArray[np.int64] = NO_GUESS,
    keep_alpha: bool = False,
) -> None:
    """Write `after` = `before` with a value laid over it by coverage, inside `area`.

    coverage, before, after: tables of tile addresses by tile number; coverage tiles are float32, the others
    uint16 with len(value) + 1 channels, alpha last; 0 is transparent, nothing covered. ahead: more coverage, of
    what is only guessed of a stroke; the greater of both counts. value: 0-1 per channel.
    blend: how the value meets what the layer held. values: (dabs + 1, channels) float32 by a dab's number, which
    `numbers` (a table of int32 tiles) tells for each texel. pictures: a table of tiles like `after`, whose
    texels are laid on instead of a value, thinned by their alpha. keep_alpha: what is transparent stays so, and as much
    (source-atop, W3C Compositing and Blending Level 1).
    """
    paint = np.asarray(value, np.float32)
    channels = len(paint) + 1
    mode = BLEND_MODES.index(blend)
    if mode >= HUE and channels != 4:
        mode = 0
    if mode == 0 and not len(numbers) and not len(pictures) and not keep_alpha:
        over = _over_colors if channels == 4 else _over_values
        in_two_threads(
            len(area),
            lambda a, b: over(area.tiles[a:b], area.rects[a:b], coverage, ahead, NO_TILE, before, after, paint),
        )
    else:
        in_two_threads(
            len(area),
            lambda a, b: _over_blended(
                area.tiles[a:b], area.rects[a:b], coverage, ahead, NO_TILE, before, after, paint, channels, mode,
                numbers, values, pictures, keep_alpha,
            ),
        )  # fmt: skip


def erase(
    area: TileArea,
    coverage: NDArray[np.int64],
    before: NDArray[np.int64],
    after: NDArray[np.int64],
    channels: int,
    ahead: NDArray[np.int64] = NO_GUESS,
    pictures: NDArray[np.int64] = NO_PICTURES,
) -> None:
    """Write `after` = `before` with alpha · (1 - coverage), which the alpha of pictures thins; tables as in
    `composite_over`.
    """
    in_two_threads(
        len(area),
        lambda a, b: _erase(
            area.tiles[a:b], area.rects[a:b], coverage, ahead, NO_TILE, before, after, channels, pictures
        ),
    )


def put_alpha_back(
    area: TileArea, before: NDArray[np.int64], after: NDArray[np.int64], channels: int
) -> None:  # fmt: skip
    """Give `after` the alpha of `before`, and no color where that is nothing; tables as in `composite_over`."""
    _put_alpha_back(area.tiles, area.rects, before, after, channels)


@kernel
def _put_alpha_back(tiles, rects, before, after, channels):  # type: ignore[no-untyped-def]
    alpha = channels - 1
    for i in range(len(tiles)):
        t = tiles[i]
        top, bottom, left, right = rects[i]
        target = carray(as_uint16(after[t]), (TILE, TILE, channels))
        source = carray(as_uint16(before[t] if before[t] != 0 else after[t]), (TILE, TILE, channels))
        for y in range(top, bottom):
            for x in range(left, right):
                held = source[y, x, alpha] if before[t] != 0 else np.uint16(0)
                # Where the filter took all of it away there is no color any more to be kept.
                if held > 0 and target[y, x, alpha] == 0:
                    for c in range(alpha):
                        target[y, x, c] = source[y, x, c]
                if held == 0:
                    for c in range(alpha):
                        target[y, x, c] = np.uint16(0)
                target[y, x, alpha] = held


@kernel
def _coverage(table, t, nothing):  # type: ignore[no-untyped-def]
    return carray(as_float32(held_or(table, t, nothing)), (TILE, TILE))


@kernel
def _over_colors(tiles, rects, coverage, ahead, nothing, before, after, value):  # type: ignore[no-untyped-def]
    """Whole groups of texels, what lies beside a rectangle too: where nothing is covered, what was there before comes
    out to the bit.
    """
    blank, paint = np.zeros(TILE * 4, np.uint16), np.full(LANES, 65535, np.float32)
    for j in range(LANES):
        if j % 4 < 3:
            paint[j] *= value[j % 4]
    for i in range(len(tiles)):
        t = tiles[i]
        top, bottom, left, right = rects[i]
        begin = left & ~3
        count = ((right + 3) & ~3) - begin
        cover, guess = held_or(coverage, t, nothing), held_or(ahead, t, nothing)
        for y in range(top, bottom):
            at = TILE * y + begin
            # An absent tile is transparent.
            row = before[t] + 8 * at if before[t] != 0 else blank.ctypes.data
            lay_value(row, after[t] + 8 * at, cover + 4 * at, guess + 4 * at, paint.ctypes.data, 4 * count)


@kernel
def _over_values(tiles, rects, coverage, ahead, nothing, before, after, value):  # type: ignore[no-untyped-def]
    """Row by row, without a branch a texel; alpha moves towards full by its share."""
    full, one, half, tiny = np.float32(65535.0), np.float32(1.0), np.float32(0.5), np.float32(1e-30)
    unit, blank, share = np.float32(1.0 / 65535.0), np.zeros(TILE * 2, np.uint16), np.empty(TILE * 2, np.float32)
    paint = np.empty(TILE * 2, np.float32)
    paint[::2], paint[1::2] = value[0] * full, full
    for i in range(len(tiles)):
        t = tiles[i]
        top, bottom, left, right = rects[i]
        wide = right - left
        cover, guess = held_or(coverage, t, nothing), held_or(ahead, t, nothing)
        for y in range(top, bottom):
            at = TILE * y + left
            covered, guessed = floats_at(cover + 4 * at, wide), floats_at(guess + 4 * at, wide)
            made = shorts_at(after[t] + 4 * at, 2 * wide)
            # Reading a blank line keeps source and target apart, which lets loops be vectors.
            line = shorts_at(before[t] + 4 * at if before[t] != 0 else blank.ctypes.data, 2 * wide)
            for x in range(wide):
                a = max(covered[x], guessed[x])
                below = np.float32(line[2 * x + 1]) * unit
                share[2 * x], share[2 * x + 1] = a / max(a + below * (one - a), tiny), a
            for j in range(2 * wide):
                old = np.float32(line[j])
                made[j] = np.uint16(old + (paint[j] - old) * share[j] + half)


@kernel
def _over_blended(  # type: ignore[no-untyped-def]
    tiles,
    rects,
    coverage,
    ahead,
    nothing,
    before,
    after,
    value,
    channels,
    mode,
    numbers,
    values,
    pictures,
    keep_alpha,
):
    full, one, half, unit = np.float32(65535.0), np.float32(1.0), np.float32(0.5), np.float32(1.0 / 65535.0)
    tiny = np.float32(1e-12)
    alpha = channels - 1
    cs = value.copy()
    blended = value.copy()
    for i in range(len(tiles)):
        t = tiles[i]
        top, bottom, left, right = rects[i]
        cover, guess = _coverage(coverage, t, nothing), _coverage(ahead, t, nothing)
        target = carray(as_uint16(after[t]), (TILE, TILE, channels))
        source = carray(as_uint16(before[t] if before[t] != 0 else after[t]), (TILE, TILE, channels))
        present = unit if before[t] != 0 else np.float32(0.0)
        for y in range(top, bottom):
            for x in range(left, right):
                a = max(cover[y, x], guess[y, x])
                if len(pictures) > 0:
                    if pictures[t] == 0:
                        continue
                    picture = carray(as_uint16(pictures[t]), (TILE, TILE, channels))
                    a *= picture[y, x, alpha] * unit
                    for c in range(alpha):
                        cs[c] = picture[y, x, c] * unit
                if a <= 0:
                    for c in range(channels):
                        target[y, x, c] = source[y, x, c] if before[t] != 0 else np.uint16(0)
                    continue
                if len(numbers) > 0:
                    number = carray(as_int32(numbers[t]), (TILE, TILE))[y, x]
                    for c in range(alpha):
                        cs[c] = values[number, c]
                below = source[y, x, alpha] * present
                if mode >= HUE:
                    r, g, b = source[y, x, 0] * unit, source[y, x, 1] * unit, source[y, x, 2] * unit
                    blended[0], blended[1], blended[2] = non_separable(mode, r, g, b, cs[0], cs[1], cs[2])
                else:
                    for c in range(alpha):
                        blended[c] = separable(mode, np.float32(source[y, x, c] * unit), cs[c])
                out = a + below * (one - a)
                if keep_alpha:
                    out = below
                for c in range(alpha):
                    # Where the layer holds nothing yet there is nothing to blend with.
                    mixed = (one - below) * cs[c] + below * blended[c]
                    held = np.float32(source[y, x, c]) * unit
                    result = (a * mixed + (one - a) * below * held) / max(out, tiny)
                    if keep_alpha:
                        result = a * mixed + (one - a) * held if below > 0 else np.float32(0.0)
                    target[y, x, c] = np.uint16(min(max(result, np.float32(0.0)), one) * full + half)
                target[y, x, alpha] = np.uint16(out * full + half)


@kernel
def _erase(tiles, rects, coverage, ahead, nothing, before, after, channels, pictures):  # type: ignore[no-untyped-def]
    alpha, one, unit = channels - 1, np.float32(1.0), np.float32(1.0 / 65535.0)
    for i in range(len(tiles)):
        t = tiles[i]
        top, bottom, left, right = rects[i]
        cover, guess = _coverage(coverage, t, nothing), _coverage(ahead, t, nothing)
        target = carray(as_uint16(after[t]), (TILE, TILE, channels))
        source = carray(as_uint16(before[t]), (TILE, TILE, channels))
        # What thins it; where there is none, tiles that are there anyway and are not looked at.
        thinned = len(pictures) > 0
        picture = carray(as_uint16(pictures[t] if thinned else before[t]), (TILE, TILE, channels))
        for y in range(top, bottom):
            for x in range(left, right):
                share = max(cover[y, x], guess[y, x])
                if thinned:
                    share *= np.float32(picture[y, x, alpha]) * unit
                left_over = np.float32(source[y, x, alpha]) * (one - share)
                target[y, x, alpha] = np.uint16(left_over + np.float32(0.5))
                for c in range(alpha):
                    target[y, x, c] = source[y, x, c] if target[y, x, alpha] > 0 else 0
