"""Pictures in frames on the surface: each texel inside a frame's box, and turned towards its front, takes them.

In the frame's own coordinates q, -0.5 to 0.5 and y up, the picture lies at u = qx + 0.5, v = 0.5 - qy; those of a bent
frame are told along its curve. It counts as its own alpha, times the cover of the frame's sides, a fade before the box
ends in depth, and one before the angle from which on nothing is laid. What several of them come to is gathered with
alpha, in float32.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from ..kernels import as_float32, carray, in_two_threads, inlined, kernel
from ..texels.ownership import Ownership
from ..texels.raster import TILE
from ..texels.tile_mask import TileMask
from .angles import ANY_ANGLE
from .bending import FLAT, rolled_out
from .pyramid import WRAPS, Pyramid, pyramid_of
from .samples import BLOCKS, add_samples, take_value

#: The share of a frame's depth, at both of its ends, over which paint fades.
DEPTH_FADE = 0.1
#: The longest side of a picture of relief.
LONGEST_RELIEF = 1024
#: Standard deviations beyond which a softened edge is flat.
REACH = 3.0
#: How pictures go on, by their number.
REPEAT, CLAMP = WRAPS.index("repeat"), WRAPS.index("clamp")


@dataclass(frozen=True)
class Relief:
    """How a picture stands up: its softened alpha as one value, and by which share of the height's range.

    margins: how much wider and higher than the frame it is.
    """

    picture: Pyramid
    margins: tuple[float, float]
    rise: float


@dataclass(frozen=True)
class Placed:
    """A picture in a frame.

    inward: (3, 4) float64 into the frame's own coordinates. front: (3,) unit, from the surface to the viewer. limits:
    cosines from which on paint begins, and is whole. repeat: how often the picture lies across and down; negative:
    mirrored. soft: the share of the shorter side's half over which it fades at its sides. color: 0-1, in place of the
    picture's own. inverted: it shows where its alpha does not. by_gray: its gray counts as alpha. values: roughness and
    metallic, nan: left alone. size: width, height and depth. bend: as `bending` has it.
    """

    inward: NDArray[np.float64]
    front: NDArray[np.float64]
    picture: Pyramid
    limits: tuple[float, float] = ANY_ANGLE
    repeat: tuple[float, float] = (1.0, 1.0)
    soft: float = 0.0
    opacity: float = 1.0
    colored: bool = True
    color: tuple[float, float, float] | None = None
    inverted: bool = False
    by_gray: bool = False
    values: tuple[float, float] = (math.nan, math.nan)
    size: NDArray[np.float64] = field(default_factory=lambda: np.ones(3))
    bend: NDArray[np.float64] = field(default_factory=lambda: FLAT)
    relief: Relief | None = None


@dataclass
class Gathered:
    """What is laid on some tiles, number by number in a row of their own.

    color: (n, 64, 64, 4) float32, times alpha. values: (n, 64, 64, 4) roughness times alpha, alpha, metallic times
    alpha, alpha. lift: (n, 64, 64, 2) how far the height is raised, and alpha.
    """

    tiles: NDArray[np.int32]
    color: NDArray[np.float32]
    values: NDArray[np.float32]
    lift: NDArray[np.float32]

    @classmethod
    def of(cls, tiles: NDArray[np.int32]) -> Gathered:
        """Nothing yet."""
        color, values = (np.zeros((len(tiles), TILE, TILE, 4), np.float32) for _ in range(2))
        return cls(tiles, color, values, np.zeros((len(tiles), TILE, TILE, 2), np.float32))


def lay_decal(
    own: Ownership, normals: NDArray[np.float64], placed: Placed, into: Gathered, rows: NDArray[np.int64],
    region: TileMask | None = None,
) -> None:  # fmt: skip
    """Lay a picture over what is gathered. normals: (faces, 9) as of `normals_over`. rows: which tiles of `into`."""
    tiles = into.tiles[rows]
    if region is not None:
        region.hold(tiles)
    closed = np.zeros(len(tiles), np.int64) if region is None else region.addresses[tiles]
    elsewhere = 1.0 if region is None else float(region.elsewhere)
    relief = placed.relief or Relief(placed.picture, (1.0, 1.0), 0.0)
    color = np.array(placed.color if placed.color else (-1.0, 0.0, 0.0), np.float32)
    soft = _softness(placed)
    picture, lifted = placed.picture, relief.picture
    in_two_threads(
        len(tiles),
        lambda a, b: _lay(
            own.tile_start, own.pieces, own.spans, own.matrices, own.normals, normals, placed.inward, placed.front,
            placed.size, placed.bend, placed.limits, np.array(placed.repeat), soft, np.float32(placed.opacity),
            placed.colored, color, placed.inverted, placed.by_gray, np.array(placed.values, np.float32), *picture.words,
            picture.sizes, lifted.data, lifted.starts, lifted.sizes, np.array(relief.margins),
            np.float32(relief.rise), tiles[a:b], rows[a:b], closed[a:b], np.float32(elsewhere), into.color,
            into.values, into.lift,
        ),
        2,
    )  # fmt: skip


def relief_of(
    picture: NDArray[np.uint16], placed: Placed, size: tuple[float, float], bevel: float, rise: float
) -> Relief:
    """A picture's alpha as relief: (h, w, 4) as it lies in a frame of a size, softened by a Gaussian.

    bevel: its standard deviation, in the frame's units. rise: as a share of the height's range.
    """
    alpha = picture[..., 3].astype(np.float32)
    if placed.by_gray:
        alpha *= picture[..., :3].mean(axis=2) / 65535
    if placed.inverted:
        alpha = 65535 - alpha
    width, height = size
    scale = LONGEST_RELIEF / (max(width, height) + 2 * REACH * bevel)
    times = np.abs(placed.repeat)
    # As many pixels as the pictures have that lie in the frame, but no more than are of use.
    across = min(picture.shape[1] * times[0], max(width * scale, 1))
    down = min(picture.shape[0] * times[1], max(height * scale, 1))
    # What is narrower than a pixel fills less of it.
    filled = min(width * scale, 1) * min(height * scale, 1)
    across, down = max(round(across), 1), max(round(down), 1)
    one = max(round(across / times[0]), 1), max(round(down / times[1]), 1)
    small = cv2.resize(alpha, one, interpolation=cv2.INTER_AREA).reshape(one[::-1])
    columns, rows = _pixels(across, placed.repeat[0], one[0]), _pixels(down, placed.repeat[1], one[1])
    whole = small[rows[:, None], columns]
    soft = _softness(placed)
    whole = whole * np.outer(_faded(down, soft[1]), _faded(across, soft[0])).astype(np.float32) * np.float32(filled)
    pitch = across / max(width, 1 / scale), down / max(height, 1 / scale)
    spread = bevel * pitch[0], bevel * pitch[1]
    pad = math.ceil(REACH * spread[0]) + 1, math.ceil(REACH * spread[1]) + 1
    whole = cv2.copyMakeBorder(whole, pad[1], pad[1], pad[0], pad[0], cv2.BORDER_CONSTANT, value=0)
    if bevel > 0:
        whole = cv2.GaussianBlur(whole, (2 * pad[0] + 1, 2 * pad[1] + 1), sigmaX=spread[0], sigmaY=spread[1])
    levels = np.repeat(np.rint(whole).astype(np.uint16)[..., None], 4, axis=2)
    levels[..., 3] = 65535
    margins = whole.shape[1] / (pitch[0] * width), whole.shape[0] / (pitch[1] * height)
    return Relief(pyramid_of(levels, gray=True), margins, rise)


def _pixels(count: int, repeat: float, pixels: int) -> NDArray[np.int64]:
    """(count,) which pixel of a repeated picture lies at each of the places along a side of a frame."""
    along = (np.arange(count) + 0.5) / count * abs(repeat)
    found = np.floor((along if repeat > 0 else 1 - along) % 1 * pixels).astype(np.int64)
    return found.clip(0, pixels - 1)


def _softness(placed: Placed) -> NDArray[np.float64]:
    """(2,) over which share of the frame's width and height it fades at its sides."""
    sides = placed.size[0] / placed.size[1]
    return np.array([placed.soft * min(1 / sides, 1.0), placed.soft * min(sides, 1.0)]) / 2


def _faded(count: int, soft: float) -> NDArray[np.float64]:
    """(count,) how much counts along a side of a frame that fades at both ends."""
    away = 0.5 - np.abs((np.arange(count) + 0.5) / count - 0.5)
    t = np.clip(away / max(soft, 1e-12), 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


def to_tile(name: str, into: Gathered, row: int) -> NDArray[np.uint16] | None:
    """A gathered tile of a map as texels with straight alpha; None when nothing lies there."""
    if name == "base_color":
        colors, alpha = into.color[row, ..., :3], into.color[row, ..., 3:]
    elif name == "height":
        alpha = into.lift[row, ..., 1:]
        colors = into.lift[row, ..., :1] + np.float32(0.5) * alpha
    else:
        at = 0 if name == "roughness" else 2
        colors, alpha = into.values[row, ..., at : at + 1], into.values[row, ..., at + 1 : at + 2]
    if not alpha.any():
        return None
    straight = np.where(alpha > 0, colors / np.maximum(alpha, np.float32(1e-9)), np.float32(0))
    both = np.concatenate([straight, alpha], axis=-1).clip(0, 1)
    return np.ascontiguousarray((both * np.float32(65535) + np.float32(0.5)).astype(np.uint16))


@kernel
def _along(q, repeat):  # type: ignore[no-untyped-def]
    """Where -0.5 to 0.5 across a frame lies in a picture that is repeated in it; from the other side if negative."""
    return (q + 0.5) * repeat if repeat > 0 else (q - 0.5) * repeat


@kernel
def _side(away, footprint, soft):  # type: ignore[no-untyped-def]
    """How much of a texel lies within a side of the frame, `away` from its middle; it fades over `soft`."""
    cover = min(max((0.5 - away) / max(footprint, 1e-12) + 0.5, 0.0), 1.0)
    if soft > 0:
        t = min(max((0.5 - away) / soft, 0.0), 1.0)
        cover *= t * t * (3 - 2 * t)
    return cover


@kernel
def _facing(front, low, high, n, smooth, x, y):  # type: ignore[no-untyped-def]
    """How much a texel takes for the angle at which it lies: of the face, or of its smooth normal, the greater one."""
    if high <= -2.0:
        return 1.0
    flat = n[0] * front[0] + n[1] * front[1] + n[2] * front[2]
    length, bent = 1e-30, 0.0
    for k in range(3):
        along = smooth[k] * x + smooth[k + 3] * y + smooth[k + 6]
        length += along * along
        bent += along * front[k]
    cosine = min(flat, bent / np.sqrt(length))
    t = min(max((cosine - low) / max(high - low, 1e-9), 0.0), 1.0)
    return t * t * (3 - 2 * t)


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
def _lay(  # type: ignore[no-untyped-def]
    tile_start,
    pieces,
    spans,
    matrices,
    flats,
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
    one, zero, unit = np.float32(1.0), np.float32(0.0), np.float32(1.0 / 65535.0)
    # Of each texel: red, green, blue and cover; cover of the relief. Where faces share a texel, the greater one counts.
    found = np.empty((TILE, TILE, 4), np.float32)
    raised = np.empty((TILE, TILE), np.float32)
    q, step, beside = np.empty(3), np.empty((2, 3)), np.empty(3)
    here = front.copy()
    us, vs = np.zeros(TILE), np.zeros(TILE)
    pixels, corners = np.zeros(TILE, np.int32), np.zeros((4, TILE), np.float32)
    weights, levels = np.zeros(TILE, np.float32), np.zeros(BLOCKS, np.float32)
    samples, shares = np.zeros((TILE, 4), np.float32), np.zeros(TILE, np.float32)
    wrap = REPEAT if abs(repeat[0]) > 1 or abs(repeat[1]) > 1 else CLAMP
    wide, high = margins[0] / 2, margins[1] / 2
    for i in range(len(tiles)):
        t, row_of = tiles[i], rows[i]
        found[:] = zero
        raised[:] = zero
        for p in range(tile_start[t], tile_start[t + 1]):
            f = pieces[p, 0]
            m = matrices[f]
            for k in range(3):
                step[0, k], step[1, k] = 0.0, 0.0
                for j in range(3):
                    step[0, k] += inward[k, j] * m[j]
                    step[1, k] += inward[k, j] * m[j + 3]
            if bend[0] != 0:
                # What a texel covers is told along the curve, as it is amid the piece.
                line = pieces[p, 4] // 2
                x = pieces[p, 1] + (spans[pieces[p, 5] + line, 0] + spans[pieces[p, 5] + line, 1]) / 2
                y = pieces[p, 2] + pieces[p, 3] + line + 0.5
                _into(inward, m, x, y, q)
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
                    share = _facing(here, limits[0], limits[1], flats[f], normals[f], x, y)
                    if share <= 0:
                        continue
                    z = (2 * abs(q[2]) - (1 - DEPTH_FADE)) / DEPTH_FADE
                    if z > 0:
                        share *= 1 - z * z * (3 - 2 * z)
                    if rise != 0:
                        tall = take_value(
                            relief_data, relief_starts, relief_sizes, q[0] / margins[0] + 0.5,
                            0.5 - q[1] / margins[1], relief_level, CLAMP,
                        )  # fmt: skip
                        raised[row, column] = max(raised[row, column], np.float32(share) * tall)
                    share *= _side(abs(q[0]), across, soft[0]) * _side(abs(q[1]), down, soft[1])
                    if share > 0:
                        # Beyond the sides, where half a texel reaches in, the rim's own pixels go on.
                        us[column] = _along(min(max(q[0], -0.5), 0.5), repeat[0])
                        vs[column] = _along(-min(max(q[1], -0.5), 0.5), repeat[1])
                        shares[column], weights[column] = np.float32(share), unit
                samples[left:right] = zero
                add_samples(
                    words, starts, sizes, len(starts), 1, us, vs, levels, weights, left, right, wrap, pixels, corners,
                    samples,
                )  # fmt: skip
                for column in range(left, right):
                    a = min(samples[column, 3], one)
                    cover = min(samples[column, 0], one) if by_gray else a
                    if inverted:
                        cover = one - cover
                    cover *= shares[column]
                    shares[column] = zero
                    if cover > found[row, column, 3]:
                        found[row, column, 3] = cover
                        scale = one / max(a, np.float32(1e-6))
                        for c in range(3):
                            found[row, column, c] = color[c] if color[0] >= 0 else min(samples[column, c] * scale, one)
        for row in range(TILE):
            for column in range(TILE):
                let = elsewhere * opacity
                if closed[i] != 0:
                    let = carray(as_float32(closed[i]), (TILE, TILE))[row, column] * opacity
                a = found[row, column, 3] * let
                if a > 0:
                    if colored:
                        for c in range(3):
                            line = to_color[row_of, row, column, c]
                            to_color[row_of, row, column, c] = line + a * (found[row, column, c] - line)
                        line = to_color[row_of, row, column, 3]
                        to_color[row_of, row, column, 3] = line + a * (one - line)
                    for k in range(2):
                        if not np.isnan(values[k]):
                            line = to_values[row_of, row, column, 2 * k]
                            to_values[row_of, row, column, 2 * k] = line + a * (values[k] - line)
                            line = to_values[row_of, row, column, 2 * k + 1]
                            to_values[row_of, row, column, 2 * k + 1] = line + a * (one - line)
                if rise != 0:
                    a = min(raised[row, column], one) * let
                    if a > 0:
                        to_lift[row_of, row, column, 0] += a * rise
                        line = to_lift[row_of, row, column, 1]
                        to_lift[row_of, row, column, 1] = line + a * (one - line)
