"""Pictures laid around a body from a frame that holds it: on each side of a box, three ways at once, or as a globe.

Each texel inside the frame takes the picture as `projections` has it, whatever side it looks to.
"""

from __future__ import annotations

import numpy as np

from ..kernels import inlined, kernel
from ..texels.raster import TILE
from .decal_texels import CLAMP, along_frame, composite_over, faded, keep_samples, wrap_of
from .projections import SHAPES, any_counts, inward_step, level_of, looking, place_flat, place_round, weigh_sides
from .samples import BLOCKS, EVERY, add_samples, take_value

#: Shares of a frame's side that a body which fills it may lie outside by rounding.
ROUNDING = 2e-4
SPHERICAL = SHAPES.index("spherical")
#: The shape's own coordinates, as they are.
AS_IT_IS = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])


@inlined
def _inside(q, step, within, left, right):  # type: ignore[no-untyped-def]
    """How much of each texel of a row lies inside the frame; wholly so up to a texel beyond it, where a body ends."""
    for i in range(left, right):
        share = 1.0
        for k in range(3):
            away = abs(q[k] + step[0, k] * (i - left))
            texel = max(np.hypot(step[0, k], step[1, k]), ROUNDING)
            share *= min(max((0.5 - away) / texel + 1.5, 0.0), 1.0)
        within[i] = share


@inlined
def _relief_row(data, starts, sizes, margins, level, us, vs, counted, within, row, left, right, raised):  # type: ignore[no-untyped-def]
    """Add the relief of a row, by a side's shares, to what stands up."""
    for i in range(left, right):
        share = counted[i] * np.float32(within[i])
        if share > 0:
            u, v = (us[i] - 0.5) / margins[0] + 0.5, (vs[i] - 0.5) / margins[1] + 0.5
            raised[row, i] += share * take_value(data, starts, sizes, u, v, level, CLAMP)


@kernel
def lay_around_body(  # type: ignore[no-untyped-def]
    tile_start,
    pieces,
    spans,
    matrices,
    normals,
    inward,
    shape,
    turn,
    sharpness,
    repeat,
    soft,
    opacity,
    colored,
    color,
    inverted,
    by_gray,
    values,
    words,
    starts,
    sizes,
    relief_data,
    relief_starts,
    relief_sizes,
    margins,
    rise,
    tiles,
    rows,
    closed,
    elsewhere,
    to_color,
    to_values,
    to_lift,
):
    """Lay a picture around a body over what is gathered; arguments as `decals.lay_decal` hands them over."""
    zero, one, unit = np.float32(0.0), np.float32(1.0), np.float32(1.0 / 65535.0)
    found, raised = np.empty((TILE, TILE, 4), np.float32), np.empty((TILE, TILE), np.float32)
    lifted = np.empty((TILE, TILE), np.float32)
    q, n, ahead = np.empty(3), np.ones(3), np.empty(3)
    step, slope = np.empty((2, 3)), np.zeros(3)
    counted, within = np.ones((3, TILE), np.float32), np.zeros(TILE)
    us, vs, weights, shares = np.zeros(TILE), np.zeros(TILE), np.zeros(TILE, np.float32), np.zeros(TILE, np.float32)
    pixels, corners = np.zeros(TILE, np.int32), np.zeros((4, TILE), np.float32)
    levels, samples = np.zeros(BLOCKS, np.float32), np.zeros((TILE, 4), np.float32)
    flat_levels = np.zeros(3, np.float32)
    often = np.array([[abs(repeat[0]), 0.0, 0.0], [0.0, abs(repeat[1]), 0.0]])
    widened = np.array([[1 / margins[0], 0.0, 0.0], [0.0, 1 / margins[1], 0.0]])
    wrap = wrap_of(repeat)
    sided = shape != SPHERICAL
    faint, power = np.float32(0.002 ** (1 / sharpness)), np.float32(sharpness)
    for i in range(len(tiles)):
        t, row_of = tiles[i], rows[i]
        found[:] = zero
        raised[:] = zero
        for p in range(tile_start[t], tile_start[t + 1]):
            m, smooth = matrices[pieces[p, 0]], normals[pieces[p, 0]]
            if sided:
                # All over a face one footprint.
                inward_step(inward, m, 0.0, 0.0, step, q)
                for k in range(3):
                    flat_levels[k] = level_of(shape, k, often, sizes, q, step)
            for line in range(pieces[p, 4]):
                row = pieces[p, 3] + line
                left, right = spans[pieces[p, 5] + line]
                x, y = pieces[p, 1] + left + 0.5, pieces[p, 2] + row + 0.5
                inward_step(inward, m, x, y, step, q)
                _inside(q, step, within, left, right)
                if sided:
                    looking(turn, smooth, x, y, n, slope)
                    weigh_sides(shape, power, faint, n, slope, left, right, counted)
                samples[left:right] = zero
                lifted[row, left:right] = zero
                for k in range(0 if sided else 2, 3):
                    if not any_counts(counted[k], left, right):
                        continue
                    if sided:
                        place_flat(k, AS_IT_IS, n, slope, q, step, left, right, us, vs)
                        levels[:] = flat_levels[k]
                    else:
                        place_round(shape, AS_IT_IS, q, step, left, right, us, vs)
                        for block in range((right - left + EVERY - 1) // EVERY):
                            for j in range(3):
                                ahead[j] = q[j] + step[0, j] * (block * EVERY)
                            levels[block] = level_of(shape, k, often, sizes, ahead, step)
                    if rise != 0:
                        level = level_of(shape, k, widened, relief_sizes, q, step)
                        _relief_row(
                            relief_data, relief_starts, relief_sizes, margins, level, us, vs, counted[k], within, row,
                            left, right, lifted,
                        )  # fmt: skip
                    for column in range(left, right):
                        across, down = us[column] - 0.5, vs[column] - 0.5
                        share = within[column] * faded(0.5 - abs(across), soft[0]) * faded(0.5 - abs(down), soft[1])
                        share *= counted[k, column]
                        us[column], vs[column] = along_frame(across, repeat[0]), along_frame(down, repeat[1])
                        shares[column] += np.float32(share)
                        weights[column] = np.float32(share) * unit
                    add_samples(
                        words, starts, sizes, len(starts), 1, us, vs, levels, weights, left, right, wrap, pixels,
                        corners, samples,
                    )  # fmt: skip
                for column in range(left, right):
                    shares[column] = min(shares[column], one)
                    raised[row, column] = max(raised[row, column], lifted[row, column])
                keep_samples(samples, shares, row, left, right, by_gray, inverted, color, found)
        composite_over(
            found, raised, closed[i], elsewhere, opacity, colored, values, rise, to_color[row_of], to_values[row_of],
            to_lift[row_of],
        )  # fmt: skip
