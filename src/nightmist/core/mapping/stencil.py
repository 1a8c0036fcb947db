"""A picture fixed to the screen, seen on the surface that a camera shows, or lying in the map.

A texel's place is projected to the screen, and from there into the picture: e = R(-θ)(p - c), u = ex / width + 0.5,
v = ey / height + 0.5, degrees with the clock. Outside 0-1 there is nothing.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import as_uint16, carray, in_two_threads, kernel
from ..texels.ownership import Ownership
from ..texels.raster import TILE
from .camera import Camera
from .pyramid import LUMA, Pyramid, take_sample

#: What is made of a picture's sample: its color, a value as far as it covers, a value by its gray.
COLOR, VALUE, GRAY = 0, 1, 2
#: How often the footprint is looked at along a row of texels.
EVERY = 8
#: Degrees over which paint fades before the limit of what faces the eye.
FADE = 8.0


@dataclass(frozen=True)
class Projector:
    """Where texels lie in a picture on the screen.

    eye, axes: of the camera, axes right, up, forward as rows. focal: pixels for a step of one at depth one. middle: of
    the viewport. placing: (2, 3) from pixels to u, v. flat: places are pixels already, as in the map. limits: cosines
    of the angle to the eye from which on paint begins and is whole; below -1 everything takes it.
    """

    eye: NDArray[np.float64]
    axes: NDArray[np.float64]
    focal: float
    middle: tuple[float, float]
    placing: NDArray[np.float64]
    flat: bool
    limits: tuple[float, float]


def projector(
    camera: Camera | None, center: tuple[float, float], size: tuple[float, float], rotation: float, mirrored: bool,
    limit: float | None,
) -> Projector:  # fmt: skip
    """camera: None in the map, where pixels are texels. limit: degrees from the line of sight; None: any."""
    angle = np.radians(rotation)
    c, s = np.cos(angle), np.sin(angle)
    turn = np.diag([-1.0 if mirrored else 1.0, 1.0]) @ np.array([[c, s], [-s, c]])
    inward = turn / np.asarray(size, np.float64)[:, None]
    placing = np.column_stack([inward, 0.5 - inward @ np.asarray(center, np.float64)])
    if limit is None or camera is None:
        limits = (-3.0, -2.0)
    else:
        limits = math.cos(math.radians(limit)), math.cos(math.radians(max(limit - FADE, 0.0)))
    if camera is None:
        return Projector(np.zeros(3), np.eye(3), 1.0, (0.0, 0.0), placing, True, limits)
    width, height = camera.viewport
    focal = height / 2 / math.tan(math.radians(camera.fov_y) / 2)
    eye, axes = np.asarray(camera.eye, np.float64), np.array(camera.axes)
    return Projector(eye, axes, focal, (width / 2, height / 2), placing, False, limits)


def lay_stencil(
    own: Ownership, hidden: NDArray[np.uint8], pyramid: Pyramid, where: Projector, tiles: NDArray[np.int32],
    addresses: NDArray[np.int64], channels: int, kind: int, value: tuple[float, ...], by_gray: bool = False,
) -> None:  # fmt: skip
    """Write what a stencil shows on the texels of some tiles: uint16, straight alpha in the last of `channels`.

    addresses: by tile number, tiles empty so far. hidden: (n,) 1 for faces that take nothing. kind: COLOR; VALUE, with
    `value` 0-1 a channel; GRAY, where `value` is what black and what white become. by_gray: alpha counts times gray.
    """
    numbers = np.zeros(3, np.float32)
    numbers[: len(value)] = value
    luma = LUMA.astype(np.float32)
    in_two_threads(
        len(tiles),
        lambda a, b: _lay(
            own.tile_start, own.pieces, own.spans, own.matrices, own.normals, hidden, pyramid.data, pyramid.starts,
            pyramid.sizes, where.eye, where.axes, where.focal, where.middle[0], where.middle[1], where.placing,
            where.flat, where.limits[0], where.limits[1], tiles[a:b], addresses, channels, kind, numbers, by_gray, luma,
        ),
        least=2,
    )  # fmt: skip


@kernel
def _on_screen(m, x, y, eye, axes, focal, middle_x, middle_y, flat):  # type: ignore[no-untyped-def]
    """A texel's pixel, and its depth; none in front of the eye has depth 0."""
    px, py, pz = m[0] * x + m[3] * y + m[6], m[1] * x + m[4] * y + m[7], m[2] * x + m[5] * y + m[8]
    if flat:
        return px, py, 1.0
    px, py, pz = px - eye[0], py - eye[1], pz - eye[2]
    z = axes[2, 0] * px + axes[2, 1] * py + axes[2, 2] * pz
    if z <= 1e-12:
        return 0.0, 0.0, 0.0
    right = axes[0, 0] * px + axes[0, 1] * py + axes[0, 2] * pz
    up = axes[1, 0] * px + axes[1, 1] * py + axes[1, 2] * pz
    return middle_x + focal * right / z, middle_y - focal * up / z, z


@kernel
def _facing(m, n, x, y, eye, low, high):  # type: ignore[no-untyped-def]
    """How much a texel takes for the angle at which it is seen."""
    if high <= -2.0:
        return np.float32(1.0)
    px, py, pz = (
        m[0] * x + m[3] * y + m[6] - eye[0],
        m[1] * x + m[4] * y + m[7] - eye[1],
        m[2] * x + m[5] * y + m[8] - eye[2],
    )
    cosine = -(n[0] * px + n[1] * py + n[2] * pz) / max(np.sqrt(px * px + py * py + pz * pz), 1e-30)
    t = min(max((cosine - low) / max(high - low, 1e-9), 0.0), 1.0)
    return np.float32(t * t * (3 - 2 * t))


@kernel
def _lay(  # type: ignore[no-untyped-def]
    tile_start,
    pieces,
    spans,
    matrices,
    normals,
    hidden,
    data,
    starts,
    sizes,
    eye,
    axes,
    focal,
    middle_x,
    middle_y,
    placing,
    flat,
    low,
    high,
    tiles,
    addresses,
    channels,
    kind,
    value,
    by_gray,
    luma,
):
    one, full, half = np.float32(1.0), np.float32(65535.0), np.float32(0.5)
    level = np.float32(0.0)
    for i in range(len(tiles)):
        t = tiles[i]
        tile = carray(as_uint16(addresses[t]), (TILE, TILE, channels))
        for p in range(tile_start[t], tile_start[t + 1]):
            f = pieces[p, 0]
            if hidden[f] != 0:
                continue
            m, n = matrices[f], normals[f]
            for line in range(pieces[p, 4]):
                row = pieces[p, 3] + line
                y = pieces[p, 2] + row + 0.5
                first, end = spans[pieces[p, 5] + line]
                for column in range(first, end):
                    x = pieces[p, 1] + column + 0.5
                    sx, sy, z = _on_screen(m, x, y, eye, axes, focal, middle_x, middle_y, flat)
                    if z <= 0:
                        continue
                    u = placing[0, 0] * sx + placing[0, 1] * sy + placing[0, 2]
                    v = placing[1, 0] * sx + placing[1, 1] * sy + placing[1, 2]
                    if (column - first) % EVERY == 0:
                        longest = 1e-12
                        for k in range(2):
                            ax, ay, az = _on_screen(
                                m, x + (1 - k), y + k, eye, axes, focal, middle_x, middle_y, flat
                            )  # fmt: skip
                            if az > 0:
                                du = (placing[0, 0] * (ax - sx) + placing[0, 1] * (ay - sy)) * sizes[0, 0]
                                dv = (placing[1, 0] * (ax - sx) + placing[1, 1] * (ay - sy)) * sizes[0, 1]
                                longest = max(longest, du * du + dv * dv)
                        level = np.float32(0.5 * np.log2(longest))
                    # Half a pixel of its smallest level is all that a picture reaches beyond its edge.
                    if u < -1 or v < -1 or u > 2 or v > 2:
                        continue
                    share = _facing(m, n, x, y, eye, low, high)
                    if share <= 0:
                        continue
                    r, g, b, a = take_sample(data, starts, sizes, 4, u, v, level, 3)
                    if a <= 0:
                        continue
                    a = min(a, one)
                    r, g, b = min(r / a, one), min(g / a, one), min(b / a, one)
                    gray = luma[0] * r + luma[1] * g + luma[2] * b
                    alpha = a * share
                    if by_gray:
                        alpha *= gray
                    if alpha * full < tile[row, column, channels - 1]:
                        continue
                    if kind == 0:
                        tile[row, column, 0] = np.uint16(r * full + half)
                        if channels == 4:
                            tile[row, column, 1] = np.uint16(g * full + half)
                            tile[row, column, 2] = np.uint16(b * full + half)
                    elif kind == 1:
                        for c in range(channels - 1):
                            tile[row, column, c] = np.uint16(value[c] * full + half)
                    else:
                        tile[row, column, 0] = np.uint16((value[0] + (value[1] - value[0]) * gray) * full + half)
                    tile[row, column, channels - 1] = np.uint16(alpha * full + half)
