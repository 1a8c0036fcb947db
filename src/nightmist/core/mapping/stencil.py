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
from ..texels.facing import ANY_ANGLE, limits_of
from ..texels.ownership import Ownership
from ..texels.raster import TILE
from .camera import Camera
from .pyramid import LUMA, Pyramid
from .samples import BLOCKS, EVERY, add_samples

#: What is made of a picture's sample: its color, a value as far as it covers, a value by its gray.
COLOR, VALUE, GRAY = 0, 1, 2


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
    limits = ANY_ANGLE if limit is None or camera is None else limits_of(limit)
    if camera is None:
        return Projector(np.zeros(3), np.eye(3), 1.0, (0.0, 0.0), placing, True, limits)
    width, height = camera.viewport
    focal = height / 2 / math.tan(math.radians(camera.fov_y) / 2)
    eye, axes = np.asarray(camera.eye, np.float64), np.array(camera.axes)
    return Projector(eye, axes, focal, (width / 2, height / 2), placing, False, limits)


def lay_stencil(
    own: Ownership, normals: NDArray[np.float64], hidden: NDArray[np.uint8], pyramid: Pyramid, where: Projector,
    tiles: NDArray[np.int32], addresses: NDArray[np.int64], channels: int, kind: int, value: tuple[float, ...],
    by_gray: bool = False,
) -> None:  # fmt: skip
    """Write what a stencil shows on the texels of some tiles: uint16, straight alpha in the last of `channels`.

    normals: (faces, 9) as of `Facing.normals`. addresses: by tile number, tiles empty so far. hidden: (n,) 1 for faces
    that take nothing. kind: COLOR; VALUE, with `value` 0-1 a channel; GRAY, where `value` is what black and what white
    become. by_gray: alpha counts times gray.
    """
    numbers = np.zeros(3, np.float32)
    numbers[: len(value)] = value
    luma = LUMA.astype(np.float32)
    in_two_threads(
        len(tiles),
        lambda a, b: _lay(
            own.tile_start, own.pieces, own.spans, own.matrices, own.normals, normals, hidden, *pyramid.words,
            pyramid.sizes, where.eye, where.axes, where.focal, where.middle[0], where.middle[1], where.placing,
            where.flat, where.limits[0], where.limits[1], tiles[a:b], addresses, channels, kind, numbers, by_gray, luma,
        ),
        least=2,
    )  # fmt: skip


@kernel
def _linear(m, eye, axes, focal, middle_x, middle_y, placing, flat, line):  # type: ignore[no-untyped-def]
    """How a face's texels lie in the picture: line (3, 3) of the numerators of u and v and of the depth, by x, y, 1.

    A texel's place, and so its way right, up and forward from the eye, is affine in x and y; u is what is left of
    that when it is divided by the depth. In the map the depth is one.
    """
    if flat:
        for k in range(2):
            for j in range(3):
                line[k, j] = placing[k, 0] * m[3 * j] + placing[k, 1] * m[3 * j + 1]
            line[k, 2] += placing[k, 2]
        line[2, 0], line[2, 1], line[2, 2] = 0.0, 0.0, 1.0
        return
    for j in range(3):
        right, up, ahead = 0.0, 0.0, 0.0
        for axis in range(3):
            way = m[3 * j + axis] - (eye[axis] if j == 2 else 0.0)
            right += axes[0, axis] * way
            up += axes[1, axis] * way
            ahead += axes[2, axis] * way
        for k in range(2):
            line[k, j] = (
                focal * (placing[k, 0] * right - placing[k, 1] * up)
                + (placing[k, 0] * middle_x + placing[k, 1] * middle_y + placing[k, 2]) * ahead
            )
        line[2, j] = ahead


@kernel
def _level(line, x, y, u, v, width, height):  # type: ignore[no-untyped-def]
    """The pyramid's level for a texel: from how far its neighbors lie off in the picture."""
    longest = 1e-12
    for k in range(2):
        ax, ay = x + (1 - k), y + k
        z = line[2, 0] * ax + line[2, 1] * ay + line[2, 2]
        if z > 1e-12:
            du = ((line[0, 0] * ax + line[0, 1] * ay + line[0, 2]) / z - u) * width
            dv = ((line[1, 0] * ax + line[1, 1] * ay + line[1, 2]) / z - v) * height
            longest = max(longest, du * du + dv * dv)
    return np.float32(0.5 * np.log2(longest))


@kernel
def _facing(m, n, smooth, x, y, eye, low, high):  # type: ignore[no-untyped-def]
    """How much a texel takes for the angle at which it is seen; on what is averted, nothing."""
    if high <= -2.0:
        return np.float32(1.0)
    px, py, pz = (
        m[0] * x + m[3] * y + m[6] - eye[0],
        m[1] * x + m[4] * y + m[7] - eye[1],
        m[2] * x + m[5] * y + m[8] - eye[2],
    )
    if n[0] * px + n[1] * py + n[2] * pz >= 0:
        return np.float32(0.0)
    a, b, c = (
        smooth[0] * x + smooth[3] * y + smooth[6],
        smooth[1] * x + smooth[4] * y + smooth[7],
        smooth[2] * x + smooth[5] * y + smooth[8],
    )
    lengths = np.sqrt((px * px + py * py + pz * pz) * (a * a + b * b + c * c))
    cosine = -(a * px + b * py + c * pz) / max(lengths, 1e-30)
    t = min(max((cosine - low) / max(high - low, 1e-9), 0.0), 1.0)
    return np.float32(t * t * (3 - 2 * t))


@kernel
def _lay(  # type: ignore[no-untyped-def]
    tile_start,
    pieces,
    spans,
    matrices,
    flats,
    normals,
    hidden,
    words,
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
    one, unit = np.float32(1.0), np.float32(1.0 / 65535.0)
    line = np.empty((3, 3))
    found, shares = np.zeros((TILE, 4), np.float32), np.ones(TILE, np.float32)
    us, vs = np.zeros(TILE), np.zeros(TILE)
    pixels, corners = np.zeros(TILE, np.int32), np.zeros((4, TILE), np.float32)
    weights, levels = np.zeros(TILE, np.float32), np.zeros(BLOCKS, np.float32)
    flat_found, scales, kept = found.ravel(), np.zeros(4 * TILE, np.float32), np.zeros(4 * TILE, np.uint16)
    for i in range(len(tiles)):
        t = tiles[i]
        tile = carray(as_uint16(addresses[t]), (TILE, TILE, channels))
        colors = carray(as_uint16(addresses[t]), (TILE, TILE * channels))
        for p in range(tile_start[t], tile_start[t + 1]):
            f = pieces[p, 0]
            if hidden[f] != 0:
                continue
            m, n, smooth = matrices[f], flats[f], normals[f]
            _linear(m, eye, axes, focal, middle_x, middle_y, placing, flat, line)
            for down in range(pieces[p, 4]):
                row = pieces[p, 3] + down
                y = pieces[p, 2] + row + 0.5
                first, end = spans[pieces[p, 5] + down]
                left = pieces[p, 1] + 0.5
                # Along a line on a face the angle is widest at one of its ends.
                turned = (
                    _facing(m, n, smooth, left + first, y, eye, low, high) < one
                    or _facing(m, n, smooth, left + end - 1, y, eye, low, high) < one
                )
                nu, nv = line[0, 1] * y + line[0, 2], line[1, 1] * y + line[1, 2]
                nz = line[2, 1] * y + line[2, 2]
                # Loops that decide nothing are turned into vectors.
                for column in range(first, end):
                    x = left + column
                    z = line[2, 0] * x + nz
                    inverse = 1.0 / max(z, 1e-12)
                    u, v = (line[0, 0] * x + nu) * inverse, (line[1, 0] * x + nv) * inverse
                    # Half a pixel of its smallest level is all that a picture reaches beyond its edge.
                    inside = (z > 1e-12) & (u >= -1) & (v >= -1) & (u <= 2) & (v <= 2)
                    us[column], vs[column] = u if inside else 0.0, v if inside else 0.0
                    weights[column] = unit if inside else np.float32(0.0)
                    shares[column] = one
                for start in range(first, end, EVERY):
                    x = left + start
                    z = max(line[2, 0] * x + nz, 1e-12)
                    u, v = (line[0, 0] * x + nu) / z, (line[1, 0] * x + nv) / z
                    levels[(start - first) // EVERY] = _level(line, x, y, u, v, sizes[0, 0], sizes[0, 1])
                if turned:
                    for column in range(first, end):
                        share = _facing(m, n, smooth, left + column, y, eye, low, high)
                        shares[column] = share
                        weights[column] = weights[column] if share > 0 else np.float32(0.0)
                found[first:end] = np.float32(0.0)
                add_samples(
                    words, starts, sizes, len(starts), 1, us, vs, levels, weights, first, end, 3, pixels, corners, found
                )
                if kind == COLOR:
                    _write_colors(colors[row], flat_found, shares, first, end, scales, kept)
                else:
                    _write_values(tile[row], found, shares, first, end, kind, value, by_gray, luma)


@kernel
def _write_colors(texels, found, shares, first, end, scales, kept):  # type: ignore[no-untyped-def]
    """Samples of a row, four channels each, as texels, where they cover more than what another face has left there.

    Without a branch a texel, all channels as one line of numbers: such loops become vectors.
    """
    one, full, half, tiny = np.float32(1.0), np.float32(65535.0), np.float32(0.5), np.float32(1e-9)
    for x in range(first, end):
        a = max(found[4 * x + 3], tiny)
        solid, share = one / min(a, one), shares[x] * min(one / a, one)
        alpha = np.int32(min(found[4 * x + 3], one) * shares[x] * full + half)
        mask = np.uint16(-np.int32((alpha > 0) & (alpha >= np.int32(texels[4 * x + 3]))))
        scales[4 * x], scales[4 * x + 1], scales[4 * x + 2], scales[4 * x + 3] = solid, solid, solid, share
        kept[4 * x], kept[4 * x + 1], kept[4 * x + 2], kept[4 * x + 3] = mask, mask, mask, mask
    for j in range(4 * first, 4 * end):
        new = np.uint16(np.int32(min(found[j] * scales[j], one) * full + half))
        texels[j] = (new & kept[j]) | (texels[j] & ~kept[j])


@kernel
def _write_values(texels, found, shares, first, end, kind, value, by_gray, luma):  # type: ignore[no-untyped-def]
    """The same of what a picture's shape, or its gray, is made of."""
    one, full, half = np.float32(1.0), np.float32(65535.0), np.float32(0.5)
    last = texels.shape[1] - 1
    for column in range(first, end):
        a = min(found[column, 3], one)
        solid = one / max(a, np.float32(1e-9))
        r, g = min(found[column, 0] * solid, one), min(found[column, 1] * solid, one)
        b = min(found[column, 2] * solid, one)
        gray = luma[0] * r + luma[1] * g + luma[2] * b
        alpha = a * shares[column] * (gray if by_gray else one)
        if alpha <= 0 or alpha * full < texels[column, last]:
            continue
        if kind == VALUE:
            for c in range(last):
                texels[column, c] = np.uint16(value[c] * full + half)
        else:
            texels[column, 0] = np.uint16((value[0] + (value[1] - value[0]) * gray) * full + half)
        texels[column, last] = np.uint16(alpha * full + half)
