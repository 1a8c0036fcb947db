"""Pictures in frames that lie on the surface, flat or along a curve: the kernel that looks them up texel by texel."""

from __future__ import annotations

import numpy as np

from ..kernels import inlined, kernel
from ..texels.facing import angle_share
from ..texels.raster import TILE
from .bending import rolled_out
from .decal_texels import CLAMP, along_frame, composite_over, faded, keep_samples, wrap_of
from .projections import inward_step
from .samples import BLOCKS, add_samples, take_value

#: The share of a frame's depth, at both of its ends, over which paint fades.
DEPTH_FADE = 0.1


@kernel
def _side(away, footprint, soft):  # type: ignore[no-untyped-def]
    """How much of a texel lies within a side of the frame, `away` from its middle; it fades over `soft`."""
    return min(max((0.5 - away) / max(footprint, 1e-12) + 0.5, 0.0), 1.0) * faded(0.5 - away, soft)


@inlined
def _into(inward, m, x, y, q):  # type: ignore[no-untyped-def]
    """Where a texel of a face lies in a frame's own coordinates, into q."""
    for k in range(3):
        q[k] = inward[k, 3]
        for j in range(3):
            q[k] += inward[k, j] * (m[j] * x + m[j + 3] * y + m[j + 6])


@kernel
def _bent(q, size, bend, inward, front):  # type: ignore[no-untyped-def]
    """A place in a frame's own coordinates told along its curve, in place; and which way the curve faces there."""
    x, y, z, a, b, c = rolled_out(q[0] * size[0], q[1] * size[1], q[2] * size[2], bend)
    q[0], q[1], q[2] = x / size[0], y / size[1], z / size[2]
    for k in range(3):
        front[k] = a * inward[0, k] * size[0] + b * inward[1, k] * size[1] + c * inward[2, k] * size[2]


@kernel
def lay_on_surface(  # type: ignore[no-untyped-def]
    tile_start,
    pieces,
    spans,
    matrices,
    normals,
    inward,
    front,
    size,
    bend,
    limits,
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
    """Lay a picture of a flat or bent frame over what is gathered; arguments as `decals.lay_decal` hands them over."""
    zero, unit = np.float32(0.0), np.float32(1.0 / 65535.0)
    # Of each texel: red, green, blue and cover; cover of the relief. Where faces share a texel, the greater one counts.
    found = np.empty((TILE, TILE, 4), np.float32)
    raised = np.empty((TILE, TILE), np.float32)
    q, step, beside = np.empty(3), np.empty((2, 3)), np.empty(3)
    here = front.copy()
    us, vs = np.zeros(TILE), np.zeros(TILE)
    pixels, corners = np.zeros(TILE, np.int32), np.zeros((4, TILE), np.float32)
    weights, levels = np.zeros(TILE, np.float32), np.zeros(BLOCKS, np.float32)
    samples, shares = np.zeros((TILE, 4), np.float32), np.zeros(TILE, np.float32)
    wrap = wrap_of(repeat)
    wide, high = margins[0] / 2, margins[1] / 2
    for i in range(len(tiles)):
        t, row_of = tiles[i], rows[i]
        found[:] = zero
        raised[:] = zero
        for p in range(tile_start[t], tile_start[t + 1]):
            f = pieces[p, 0]
            m = matrices[f]
            line = pieces[p, 4] // 2
            x = pieces[p, 1] + (spans[pieces[p, 5] + line, 0] + spans[pieces[p, 5] + line, 1]) / 2
            y = pieces[p, 2] + pieces[p, 3] + line + 0.5
            inward_step(inward, m, x, y, step, q)
            if bend[0] != 0:
                # What a texel covers is told along the curve, as it is amid the piece.
                for j in range(2):
                    for k in range(3):
                        beside[k] = q[k] + step[j, k]
                    _bent(beside, size, bend, inward, here)
                    for k in range(3):
                        step[j, k] = beside[k]
                _bent(q, size, bend, inward, here)
                for j in range(2):
                    for k in range(3):
                        step[j, k] -= q[k]
            across, down = np.hypot(step[0, 0], step[1, 0]), np.hypot(step[0, 1], step[1, 1])
            ends = max(0.5 + across / 2, wide), max(0.5 + down / 2, high)
            level = np.float32(0.0)
            for k in range(2):
                du, dv = step[k, 0] * repeat[0] * sizes[0, 0], step[k, 1] * repeat[1] * sizes[0, 1]
                level = max(level, np.float32(0.5 * np.log2(max(du * du + dv * dv, 1e-12))))
            levels[:] = level
            relief_level = np.float32(0.0)
            for k in range(2):
                du, dv = step[k, 0] / margins[0] * relief_sizes[0, 0], step[k, 1] / margins[1] * relief_sizes[0, 1]
                relief_level = max(relief_level, np.float32(0.5 * np.log2(max(du * du + dv * dv, 1e-12))))
            for line in range(pieces[p, 4]):
                row = pieces[p, 3] + line
                left, right = spans[pieces[p, 5] + line]
                y = pieces[p, 2] + row + 0.5
                for column in range(left, right):
                    weights[column] = zero
                    x = pieces[p, 1] + column + 0.5
                    _into(inward, m, x, y, q)
                    if bend[0] != 0:
                        _bent(q, size, bend, inward, here)
                    if abs(q[2]) > 0.5 or abs(q[0]) > ends[0] or abs(q[1]) > ends[1]:
                        continue
                    share = angle_share(normals[f], x, y, here, limits[0], limits[1])
                    if share <= 0:
                        continue
                    share *= faded(1 - 2 * abs(q[2]), DEPTH_FADE)
                    if rise != 0:
                        tall = take_value(
                            relief_data, relief_starts, relief_sizes, q[0] / margins[0] + 0.5,
                            0.5 - q[1] / margins[1], relief_level, CLAMP,
                        )  # fmt: skip
                        raised[row, column] = max(raised[row, column], np.float32(share) * tall)
                    share *= _side(abs(q[0]), across, soft[0]) * _side(abs(q[1]), down, soft[1])
                    if share > 0:
                        us[column], vs[column] = along_frame(q[0], repeat[0]), along_frame(-q[1], repeat[1])
                        shares[column], weights[column] = np.float32(share), np.float32(share) * unit
                samples[left:right] = zero
                add_samples(
                    words, starts, sizes, len(starts), 1, us, vs, levels, weights, left, right, wrap, pixels, corners,
                    samples,
                )  # fmt: skip
                keep_samples(samples, shares, row, left, right, by_gray, inverted, color, found)
        composite_over(
            found, raised, closed[i], elsewhere, opacity, colored, values, rise, to_color[row_of], to_values[row_of],
            to_lift[row_of],
        )  # fmt: skip
