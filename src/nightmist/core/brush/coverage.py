"""How much of a stroke each texel has received: dabs gather in space, texel by texel (F3, F4)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import address_of, as_float32, carray, kernel
from ..texels.area import TileArea
from ..texels.ownership import Ownership
from ..texels.raster import TILE


@dataclass
class Dabs:
    """N dabs in space.

    centers, normals: (N, 3) float64. radii: (N,) model units. strengths: (N,) 0-1.
    hardness: 0-1, the share of the radius with full weight. facing_limit: degrees between a dab's normal and
    a texel's, from which on the texel is left alone. build_up: dabs add up instead of stopping at strength.
    """

    centers: NDArray[np.float64]
    normals: NDArray[np.float64]
    radii: NDArray[np.float64]
    strengths: NDArray[np.float64]
    hardness: float
    facing_limit: float = 90.0
    build_up: bool = False


class Coverage:
    """One stroke's coverage of one surface, 0-1, in float32 tiles that appear as they are touched."""

    def __init__(self, ownership: Ownership, hidden: NDArray[np.uint8] | None = None) -> None:
        """hidden: for each face of the table, 1 when it is to be left alone."""
        self.ownership = ownership
        self.hidden = np.zeros(len(ownership.faces), np.uint8) if hidden is None else hidden
        self.tiles: dict[int, NDArray[np.float32]] = {}
        self.addresses = np.zeros(len(ownership.tile_start) - 1, np.int64)

    def add(self, dabs: Dabs) -> TileArea:
        """Gather dabs; returns the rectangles in which coverage changed.

        A texel at X with normal m takes strength · falloff(|X - P| / r) where |X - P| < r and
        m · n > cos(limit) (DESIGN, "Dab"). Falloff is 1 up to the hardness, then falls as 1 - s²(3 - 2s); a
        hard edge still falls over one texel, so that it shows no stairs.
        """
        own = self.ownership
        near = np.zeros(len(self.addresses), np.uint8)
        _near_tiles(own.tile_box, dabs.centers, dabs.radii, near)
        tiles = np.flatnonzero(near).astype(np.int32)
        for tile in tiles:
            if not self.addresses[tile]:
                self.tiles[int(tile)] = fresh = np.zeros((TILE, TILE), np.float32)
                self.addresses[tile] = address_of(fresh)
        rects = np.empty((len(tiles), 4), np.int32)
        rects[:] = (TILE, 0, TILE, 0)
        _gather(
            dabs.centers, dabs.normals, dabs.radii, dabs.strengths, dabs.hardness,
            np.cos(np.radians(dabs.facing_limit)), dabs.build_up, tiles, self.addresses, own.tile_start,
            own.tile_box, own.pieces, own.balls, own.spans, own.matrices, own.normals, own.texel_size,
            self.hidden, rects,
        )  # fmt: skip
        hit = rects[:, 1] > 0
        return TileArea(tiles[hit], rects[hit])


@kernel
def _box_distance2(box, point):  # type: ignore[no-untyped-def]
    total = 0.0
    for axis in range(3):
        gap = max(box[axis] - point[axis], point[axis] - box[axis + 3], 0.0)
        total += gap * gap
    return total


@kernel
def _near_tiles(boxes, centers, radii, near):  # type: ignore[no-untyped-def]
    for d in range(len(centers)):
        limit = radii[d] * radii[d]
        for t in range(len(boxes)):
            if _box_distance2(boxes[t], centers[d]) < limit:
                near[t] = 1


@kernel
def _gather(  # type: ignore[no-untyped-def]
    centers, normals, radii, strengths, hardness, cos_limit, build_up, tiles, addresses, tile_start,
    boxes, pieces, balls, spans, matrices, face_normals, texel_size, hidden, rects,
):  # fmt: skip
    for k in range(len(tiles)):
        t = tiles[k]
        tile = _tile_at(addresses[t])
        for d in range(len(centers)):
            r = radii[d]
            if _box_distance2(boxes[t], centers[d]) >= r * r:
                continue
            px, py, pz = centers[d]
            nx, ny, nz = normals[d]
            for p in range(tile_start[t], tile_start[t + 1]):
                reach = balls[p, 3] + r
                bx, by, bz = balls[p, 0] - px, balls[p, 1] - py, balls[p, 2] - pz
                if bx * bx + by * by + bz * bz >= reach * reach:
                    continue
                f = pieces[p, 0]
                if hidden[f] != 0:
                    continue
                if face_normals[f, 0] * nx + face_normals[f, 1] * ny + face_normals[f, 2] * nz <= cos_limit:
                    continue
                _gather_piece(
                    tile, pieces[p], spans, matrices[f], px, py, pz, r, np.float32(strengths[d]),
                    np.float32(max(0.0, min(hardness, 1.0 - texel_size[f] / r))), build_up, rects[k],
                )  # fmt: skip


@kernel
def _tile_at(address):  # type: ignore[no-untyped-def]
    return carray(as_float32(address), (64, 64))


@kernel
def _gather_piece(tile, piece, spans, m, px, py, pz, r, strength, hardness, build_up, rect):  # type: ignore[no-untyped-def]
    ax, ay, az = m[0], m[1], m[2]
    slope2 = ax * ax + ay * ay + az * az
    to_unit = np.float32(1.0 / r)
    soft = np.float32(1.0) / (np.float32(1.0) - hardness) if hardness < 1.0 else np.float32(0.0)
    one = np.float32(1.0)
    for i in range(piece[4]):
        row = piece[3] + i
        first, last = spans[piece[5] + i]
        if last <= first:
            continue
        # Along a row, X(x) = R + A·x: the squared distance is nearest² + slope2·(x - middle)².
        y = piece[2] + row + 0.5
        x = piece[1] + 0.5
        rx = m[6] + m[3] * y + ax * x - px
        ry = m[7] + m[4] * y + ay * x - py
        rz = m[8] + m[5] * y + az * x - pz
        middle = -(ax * rx + ay * ry + az * rz) / slope2 if slope2 > 0 else 0.0
        qx, qy, qz = rx + ax * middle, ry + ay * middle, rz + az * middle
        nearest2 = qx * qx + qy * qy + qz * qz
        if nearest2 >= r * r:
            continue
        if slope2 > 0:
            half = np.sqrt((r * r - nearest2) / slope2)
            # Texels with |x - middle| < half, the ends excluded.
            start = max(int(first), int(min(max(np.floor(middle - half) + 1, -1.0), 65.0)))
            end = min(int(last), int(min(max(np.ceil(middle + half), -1.0), 65.0)))
        else:
            start, end = int(first), int(last)
        if end <= start:
            continue
        near = np.float32(nearest2)
        slope = np.float32(slope2)
        offset = np.float32(start - middle)
        line = tile[row, start:end]
        # Counted from 0, so that the compiler sees no negative index and vectorizes.
        if build_up:
            for c in range(len(line)):
                dx = np.float32(c) + offset
                s = min(one, max(np.float32(0.0), (np.sqrt(near + slope * dx * dx) * to_unit - hardness) * soft))
                w = strength * (one - s * s * (np.float32(3.0) - np.float32(2.0) * s))
                line[c] += w * (one - line[c])
        else:
            for c in range(len(line)):
                dx = np.float32(c) + offset
                s = min(one, max(np.float32(0.0), (np.sqrt(near + slope * dx * dx) * to_unit - hardness) * soft))
                w = strength * (one - s * s * (np.float32(3.0) - np.float32(2.0) * s))
                line[c] = max(line[c], w)
        rect[0] = min(rect[0], row)
        rect[1] = max(rect[1], row + 1)
        rect[2] = min(rect[2], start)
        rect[3] = max(rect[3], end)
