"""Pictures laid over a surface: by UV, or projected from a frame, one or three ways at once, texel by texel.

A frame's own coordinates q are -0.5 to 0.5 inside its box, y up, z towards the viewer of its front. Flat: u = qx + 0.5,
v = 0.5 - qy. Cylinder: u by the angle atan2(qx, qz). Sphere: v by asin(qy / |q|). Box: flat along the axis that the
normal follows most. Three ways: all three, by |n|^k. One-point wrap: the picture's middle in front, its rim pinched in
one point behind (a spherical environment map, Blinn and Newell 1976, seen along -z).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..kernels import as_uint16, carray, in_two_threads, kernel
from ..mesh import Mesh
from ..texels.ownership import Ownership, affine
from ..texels.raster import TILE
from .pyramid import WRAPS, Pyramid, Wrap, take_sample

#: Ways to lay a picture; kernels know them by their place.
Shape = Literal["uv", "planar", "cylindrical", "spherical", "box", "triplanar", "wrap"]
SHAPES: tuple[Shape, ...] = ("uv", "planar", "cylindrical", "spherical", "box", "triplanar", "wrap")
#: How often the footprint is looked at along a row of texels.
EVERY = 8


@dataclass(frozen=True)
class Laying:
    """How a picture is laid.

    inverse: (3, 4) float64 from model space to the frame's own coordinates; turn: (3, 3) its directions as rows.
    placing: (2, 3) float64 from the shape's u, v to the picture's: repeat, turn, offset. sharpness: of three ways.
    """

    shape: Shape
    inverse: NDArray[np.float64]
    turn: NDArray[np.float64]
    placing: NDArray[np.float64]
    wrap: Wrap = "repeat"
    sharpness: float = 4.0


def placing_of(repeat: tuple[float, float], turn: float, offset: tuple[float, float]) -> NDArray[np.float64]:
    """(2, 3): the picture as often as `repeat` says, turned by degrees with the clock about the middle, shifted."""
    angle = np.radians(turn)
    c, s = np.cos(angle), np.sin(angle)
    matrix = np.array([[c, s], [-s, c]]) @ np.diag(repeat)
    shift = np.array([0.5, 0.5]) - np.asarray(offset) - matrix @ np.array([0.5, 0.5])
    return np.column_stack([matrix, shift])


def normals_over(mesh: Mesh, uvs: NDArray[np.float32], own: Ownership) -> NDArray[np.float64]:
    """(faces, 9): smooth normals, affine in texel coordinates as an ownership's places are; not of unit length."""
    corners = uvs[own.faces].astype(np.float64) * (own.width, own.height)
    corners[~np.isfinite(corners).all(axis=(1, 2))] = 0
    return affine(corners, mesh.normals[own.faces].astype(np.float64))


def lay_picture(
    own: Ownership, normals: NDArray[np.float64], pyramid: Pyramid, laying: Laying, tiles: NDArray[np.int32],
    addresses: NDArray[np.int64], channels: int,
) -> None:  # fmt: skip
    """Write tiles of a raster, uint16 with straight alpha in the last of `channels`, from a picture.

    addresses: (n,) of the tiles, empty so far. By UV all texels are written, else those that faces own.
    """
    shape, wrap = SHAPES.index(laying.shape), WRAPS.index(laying.wrap)
    placing, inverse = laying.placing.astype(np.float64), laying.inverse.astype(np.float64)

    def work(a: int, b: int) -> None:
        if shape == 0:
            _lay_by_uv(own.width, own.height, pyramid.data, pyramid.starts, pyramid.sizes, pyramid.channels, placing,
                       wrap, tiles[a:b], addresses[a:b], channels)  # fmt: skip
        else:
            _lay_by_place(own.tile_start, own.pieces, own.spans, own.matrices, normals, pyramid.data, pyramid.starts,
                          pyramid.sizes, pyramid.channels, shape, inverse, laying.turn.astype(np.float64), placing,
                          wrap, laying.sharpness, tiles[a:b], addresses[a:b], channels)  # fmt: skip

    in_two_threads(len(tiles), work, least=2)


@kernel
def _write(found, channels, texel):  # type: ignore[no-untyped-def]
    """A sample as a texel: straight alpha, rounded."""
    # Shares that add up to one in float32 may fall short of it by a hair.
    alpha = found[4] if found[4] < np.float32(0.99998) else np.float32(1.0)
    full, half = np.float32(65535.0), np.float32(0.5)
    scale = full / max(found[4], np.float32(1e-9))
    for c in range(channels - 1):
        texel[c] = np.uint16(min(found[c] * scale, full) + half) if alpha > 0 else np.uint16(0)
    texel[channels - 1] = np.uint16(alpha * full + half)


@kernel
def _lay_by_uv(  # type: ignore[no-untyped-def]
    width, height, data, starts, sizes, held, placing, wrap, tiles, addresses, channels
):
    found = np.empty(5, np.float32)
    columns = width // TILE
    across = max(
        np.hypot(placing[0, 0] / width * sizes[0, 0], placing[1, 0] / width * sizes[0, 1]),
        np.hypot(placing[0, 1] / height * sizes[0, 0], placing[1, 1] / height * sizes[0, 1]),
    )
    level = np.float32(np.log2(max(across, 1e-9)))
    for i in range(len(tiles)):
        tile = carray(as_uint16(addresses[i]), (TILE, TILE, channels))
        top, left = tiles[i] // columns * TILE, tiles[i] % columns * TILE
        for row in range(TILE):
            v = (top + row + 0.5) / height
            for column in range(TILE):
                u = (left + column + 0.5) / width
                found[:] = np.float32(0.0)
                take_sample(
                    data, starts, sizes, held, placing[0, 0] * u + placing[0, 1] * v + placing[0, 2],
                    placing[1, 0] * u + placing[1, 1] * v + placing[1, 2], level, wrap, np.float32(1.0), found,
                )  # fmt: skip
                _write(found, channels, tile[row, column])


@kernel
def _flat(axis, sign, q, uv):  # type: ignore[no-untyped-def]
    """The plane across an axis, not mirrored from the side that a normal's sign tells."""
    if axis == 0:
        uv[0], uv[1] = 0.5 - sign * q[2], 0.5 - q[1]
    elif axis == 1:
        uv[0], uv[1] = 0.5 + q[0], 0.5 + sign * q[2]
    else:
        uv[0], uv[1] = 0.5 + sign * q[0], 0.5 - q[1]


@kernel
def _place(shape, axis, sign, q, uv):  # type: ignore[no-untyped-def]
    """(u, v) of a place in the frame's coordinates."""
    if shape == 2:
        uv[0], uv[1] = 0.5 + np.arctan2(q[0], q[2]) / (2 * np.pi), 0.5 - q[1]
    elif shape == 3:
        away = max(np.sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2]), 1e-30)
        uv[0] = 0.5 + np.arctan2(q[0], q[2]) / (2 * np.pi)
        uv[1] = 0.5 - np.arcsin(min(1.0, max(-1.0, q[1] / away))) / np.pi
    elif shape == 6:
        away = max(np.sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2]), 1e-30)
        m = 2 * np.sqrt(max(q[0] * q[0] + q[1] * q[1] + (q[2] + away) * (q[2] + away), 1e-30))
        uv[0], uv[1] = 0.5 + q[0] / m, 0.5 - q[1] / m
    else:
        _flat(axis, sign, q, uv)


@kernel
def _affine(m, x, y, out):  # type: ignore[no-untyped-def]
    for k in range(3):
        out[k] = m[k] * x + m[k + 3] * y + m[k + 6]


@kernel
def _inward(inverse, point, q):  # type: ignore[no-untyped-def]
    for k in range(3):
        q[k] = inverse[k, 0] * point[0] + inverse[k, 1] * point[1] + inverse[k, 2] * point[2] + inverse[k, 3]


@kernel
def _level(  # type: ignore[no-untyped-def]
    shape, axis, sign, matrix, inverse, placing, sizes, x, y, point, q, uv, other
):
    """The pyramid's level for a texel: from how far apart it and its neighbors lie in the picture, around any seam."""
    _affine(matrix, x, y, point)
    _inward(inverse, point, q)
    _place(shape, axis, sign, q, uv)
    longest = 1e-9
    for k in range(2):
        _affine(matrix, x + (1 - k), y + k, point)
        _inward(inverse, point, q)
        _place(shape, axis, sign, q, other)
        du, dv = other[0] - uv[0], other[1] - uv[1]
        if shape == 2 or shape == 3:
            du -= np.round(du)
        a = (placing[0, 0] * du + placing[0, 1] * dv) * sizes[0, 0]
        b = (placing[1, 0] * du + placing[1, 1] * dv) * sizes[0, 1]
        longest = max(longest, np.hypot(a, b))
    return np.float32(np.log2(longest))


@kernel
def _lay_by_place(  # type: ignore[no-untyped-def]
    tile_start,
    pieces,
    spans,
    matrices,
    normals,
    data,
    starts,
    sizes,
    held,
    shape,
    inverse,
    turn,
    placing,
    wrap,
    sharpness,
    tiles,
    addresses,
    channels,
):
    found, point, q, n = np.empty(5, np.float32), np.empty(3), np.empty(3), np.empty(3)
    uv, other, weights, levels = np.empty(2), np.empty(2), np.empty(3), np.empty(3, np.float32)
    for i in range(len(tiles)):
        t = tiles[i]
        tile = carray(as_uint16(addresses[i]), (TILE, TILE, channels))
        for p in range(tile_start[t], tile_start[t + 1]):
            matrix, smooth = matrices[pieces[p, 0]], normals[pieces[p, 0]]
            for line in range(pieces[p, 4]):
                row = pieces[p, 3] + line
                y = pieces[p, 2] + row + 0.5
                left, right = spans[pieces[p, 5] + line]
                for column in range(left, right):
                    x = pieces[p, 1] + column + 0.5
                    weights[:] = 0.0
                    if shape == 4 or shape == 5:
                        _affine(smooth, x, y, point)
                        total = 0.0
                        best = 0
                        for k in range(3):
                            n[k] = turn[k, 0] * point[0] + turn[k, 1] * point[1] + turn[k, 2] * point[2]
                            if abs(n[k]) > abs(n[best]):
                                best = k
                        if shape == 4:
                            weights[best] = 1.0
                        else:
                            for k in range(3):
                                weights[k] = (abs(n[k]) / max(abs(n[best]), 1e-30)) ** sharpness
                                if weights[k] < 0.002:
                                    weights[k] = 0.0
                                total += weights[k]
                            for k in range(3):
                                weights[k] /= total
                    else:
                        n[2], weights[2] = 1.0, 1.0
                    if (column - left) % EVERY == 0:
                        for k in range(3):
                            if weights[k] > 0 or shape == 5 or shape == 4:
                                levels[k] = _level(
                                    shape, k, 1.0, matrix, inverse, placing, sizes, x, y, point, q, uv, other
                                )
                    _affine(matrix, x, y, point)
                    _inward(inverse, point, q)
                    found[:] = np.float32(0.0)
                    for k in range(3):
                        if weights[k] <= 0:
                            continue
                        _place(shape, k, 1.0 if n[k] >= 0 else -1.0, q, uv)
                        take_sample(
                            data, starts, sizes, held, placing[0, 0] * uv[0] + placing[0, 1] * uv[1] + placing[0, 2],
                            placing[1, 0] * uv[0] + placing[1, 1] * uv[1] + placing[1, 2], levels[k], wrap,
                            np.float32(weights[k]), found,
                        )  # fmt: skip
                    _write(found, channels, tile[row, column])
