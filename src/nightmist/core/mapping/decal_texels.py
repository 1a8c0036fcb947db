"""Texels that decals lay, whatever the shape of their frames: kept from samples of a row, then laid over a tile."""

from __future__ import annotations

import numpy as np

from ..kernels import as_float32, carray, inlined, kernel
from ..texels.raster import TILE
from .pyramid import WRAPS

#: How pictures go on, by their number.
REPEAT, CLAMP = WRAPS.index("repeat"), WRAPS.index("clamp")


@kernel
def wrap_of(repeat):  # type: ignore[no-untyped-def]
    """How a picture goes on that lies so often across and down a frame."""
    return REPEAT if abs(repeat[0]) > 1 or abs(repeat[1]) > 1 else CLAMP


@kernel
def along_frame(q, repeat):  # type: ignore[no-untyped-def]
    """Where -0.5 to 0.5 across a frame lies in a picture that is repeated in it; from the other side if negative.

    Beyond the sides, where half a texel reaches in, the rim's own pixels go on.
    """
    q = min(max(q, -0.5), 0.5)
    return (q + 0.5) * repeat if repeat > 0 else (q - 0.5) * repeat


@kernel
def faded(inside, width):  # type: ignore[no-untyped-def]
    """How much counts so far inside a border over whose width it fades."""
    if width <= 0:
        return 1.0
    t = min(max(inside / width, 0.0), 1.0)
    return t * t * (3 - 2 * t)


@inlined
def keep_samples(samples, shares, row, left, right, by_gray, inverted, color, found):  # type: ignore[no-untyped-def]
    """Keep samples of a row's texels where they cover more than what was found: faces share texels, one counts.

    samples: (n, 4) times the texels' shares; these are 0 again afterwards. color: in place of the picture's, unless
    below 0. found: (TILE, TILE, 4) red, green, blue and cover.
    """
    one, zero = np.float32(1.0), np.float32(0.0)
    for column in range(left, right):
        share, a = shares[column], samples[column, 3]
        cover = min(samples[column, 0] if by_gray else a, share)
        if inverted:
            cover = share - cover
        shares[column] = zero
        if cover > found[row, column, 3]:
            found[row, column, 3] = cover
            scale = one / max(a, np.float32(1e-6))
            for c in range(3):
                found[row, column, c] = color[c] if color[0] >= 0 else min(samples[column, c] * scale, one)


@inlined
def composite_over(  # type: ignore[no-untyped-def]
    found, raised, closed, elsewhere, opacity, colored, values, rise, to_color, to_values, to_lift
):
    """Lay what was found over a tile. raised: (TILE, TILE) cover of the relief. closed: a region's tile, or 0."""
    one = np.float32(1.0)
    for row in range(TILE):
        for column in range(TILE):
            let = elsewhere * opacity
            if closed != 0:
                let = carray(as_float32(closed), (TILE, TILE))[row, column] * opacity
            a = found[row, column, 3] * let
            if a > 0:
                if colored:
                    for c in range(3):
                        line = to_color[row, column, c]
                        to_color[row, column, c] = line + a * (found[row, column, c] - line)
                    line = to_color[row, column, 3]
                    to_color[row, column, 3] = line + a * (one - line)
                for k in range(2):
                    if not np.isnan(values[k]):
                        line = to_values[row, column, 2 * k]
                        to_values[row, column, 2 * k] = line + a * (values[k] - line)
                        line = to_values[row, column, 2 * k + 1]
                        to_values[row, column, 2 * k + 1] = line + a * (one - line)
            if rise != 0:
                a = min(raised[row, column], one) * let
                if a > 0:
                    to_lift[row, column, 0] += a * rise
                    line = to_lift[row, column, 1]
                    to_lift[row, column, 1] = line + a * (one - line)
