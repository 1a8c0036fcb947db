"""Kernels that gather dabs on tiles: plain, through a picture, remembering which dab laid most, or in its colors."""

from __future__ import annotations

import numpy as np

from ..kernels import as_int32, as_uint16, borrowed, carray, floats_at, held_or, kernel
from ..texels.raster import TILE
from .by_angle import share_by_angle
from .reach import LANES, box_distance2, reached_rows, reached_texels, tile_at


@kernel
def gather_dabs(  # type: ignore[no-untyped-def]
    centers, normals, radii, strengths, hardness, tangents, numbers, low, high, build_up, table, picture, colors,
    tiles, addresses, number_addresses, color_addresses, masks, whole, tile_start, boxes, pieces, balls, spans,
    matrices, face_normals, facing, spread, texel_size, hidden, rects,
):  # fmt: skip
    pieces, balls, spans, boxes = borrowed(pieces), borrowed(balls), borrowed(spans), borrowed(boxes)
    matrices, facing, centers, normals = borrowed(matrices), borrowed(facing), borrowed(centers), borrowed(normals)
    table, picture, colors, rects = borrowed(table), borrowed(picture), borrowed(colors), borrowed(rects)
    side = np.zeros(6)
    # A dab is a segment of no length.
    still = np.zeros(6)
    averted = np.zeros((TILE, TILE), np.float32)
    for k in range(len(tiles)):
        t = tiles[k]
        tile = addresses[t]
        gate = held_or(masks, t, whole)
        for d in range(len(centers)):
            r = radii[d]
            if box_distance2(boxes[t], centers[d]) >= r * r:
                continue
            px, py, pz = centers[d]
            nx, ny, nz = normals[d]
            if picture.shape[0] > 0:
                # The tip's right and down as seen from outside, per radius.
                tx, ty, tz = tangents[d]
                side[0], side[1], side[2] = tx / r, ty / r, tz / r
                side[3], side[4], side[5] = (ty * nz - tz * ny) / r, (tz * nx - tx * nz) / r, (tx * ny - ty * nx) / r
            for p in range(tile_start[t], tile_start[t + 1]):
                reach = balls[p, 3] + r
                bx, by, bz = balls[p, 0] - px, balls[p, 1] - py, balls[p, 2] - pz
                if bx * bx + by * by + bz * bz >= reach * reach:
                    continue
                f = pieces[p, 0]
                if hidden[f] != 0:
                    continue
                along = face_normals[f, 0] * nx + face_normals[f, 1] * ny + face_normals[f, 2] * nz
                if along + spread[f] <= low:
                    continue
                through = gate
                if along - spread[f] < high:
                    through = averted.ctypes.data
                    share_by_angle(gate, pieces[p], spans, matrices[f], centers[d], r, still, facing[f], normals[d],
                                   normals[d], low, high, through)  # fmt: skip
                h = np.float32(max(0.0, min(hardness[d], 1.0 - texel_size[f] / r)))
                if picture.shape[0] > 0 or number_addresses[t] != 0:
                    _gather_detailed(
                        tile_at(tile), tile_at(through), number_addresses[t], numbers[d], color_addresses[t], pieces[p],
                        spans, matrices[f], px, py, pz, r, np.float32(strengths[d]), h, build_up, table, picture,
                        colors, side, rects[k],
                    )  # fmt: skip
                else:
                    _gather_piece(tile, through, pieces[p], spans, matrices[f], px, py, pz, r, np.float32(strengths[d]),
                                  h, build_up, table, rects[k])  # fmt: skip


@kernel
def _falloff(s, table):  # type: ignore[no-untyped-def]
    s = min(np.float32(1.0), max(np.float32(0.0), s))
    if len(table) > 0:
        return table[int(s * np.float32(len(table) - 1) + np.float32(0.5))]
    return np.float32(1.0) - s * s * (np.float32(3.0) - np.float32(2.0) * s)


@kernel
def _gather_piece(  # type: ignore[no-untyped-def]
    tile, gate, piece, spans, m, px, py, pz, r, strength, hardness, build_up, table, rect
):
    to_unit = np.float32(1.0 / r)
    soft = np.float32(1.0) / (np.float32(1.0) - hardness) if hardness < 1.0 else np.float32(0.0)
    one, zero = np.float32(1.0), np.float32(0.0)
    first, last, parabola = reached_rows(piece, m, px, py, pz, r)
    slope = np.float32(parabola[5])
    top, bottom, left, right = rect
    for i in range(first, last):
        start, end, nearest2, middle = reached_texels(piece, spans, i, parabola, r * r)
        if end <= start:
            continue
        row = piece[3] + i
        # As many texels as vectors hold without a rest, with weight 0 outside start:end.
        begin = start & ~(LANES - 1)
        count = ((end + LANES - 1) & ~(LANES - 1)) - begin
        at = 4 * (TILE * row + begin)
        line, share = floats_at(tile + at, count), floats_at(gate + at, count)
        low, high = np.int32(start - begin), np.int32(end - begin)
        near, offset = np.float32(nearest2), np.float32(begin - middle)
        # A loop that decides nothing is turned into vectors; one that looks up a table is not.
        if len(table) > 0:
            for c in range(count):
                dx = np.float32(c) + offset
                s = min(one, max(zero, (np.sqrt(near + slope * dx * dx) * to_unit - hardness) * soft))
                w = strength * table[int(s * np.float32(len(table) - 1) + np.float32(0.5))] * share[c]
                w = w if (np.int32(c) >= low) & (np.int32(c) < high) else zero
                line[c] = line[c] + w * (one - line[c]) if build_up else max(line[c], w)
        else:
            for c in range(count):
                dx = np.float32(c) + offset
                s = min(one, max(zero, (np.sqrt(near + slope * dx * dx) * to_unit - hardness) * soft))
                w = strength * (one - s * s * (np.float32(3.0) - np.float32(2.0) * s)) * share[c]
                w = w if (np.int32(c) >= low) & (np.int32(c) < high) else zero
                line[c] = line[c] + w * (one - line[c]) if build_up else max(line[c], w)
        top, bottom = min(top, row), max(bottom, row + 1)
        left, right = min(left, start), max(right, end)
    rect[0], rect[1], rect[2], rect[3] = top, bottom, left, right


@kernel
def _gather_detailed(  # type: ignore[no-untyped-def]
    tile, gate, number_address, number, color_address, piece, spans, m, px, py, pz, r, strength, hardness, build_up,
    table, picture, colors, side, rect,
):  # fmt: skip
    """As `_gather_piece`, through a picture, remembering which dab laid most on a texel, or laying its colors over."""
    to_unit = np.float32(1.0 / r)
    soft = np.float32(1.0) / (np.float32(1.0) - hardness) if hardness < 1.0 else np.float32(0.0)
    one, half = np.float32(1.0), np.float32(0.5)
    high, wide = picture.shape
    first, last, parabola = reached_rows(piece, m, px, py, pz, r)
    slope = np.float32(parabola[5])
    # Place in the tip, -1…1 to the right and down, linear over the piece.
    x, y = piece[1] + 0.5, piece[2] + piece[3] + 0.5
    rx, ry, rz = m[6] + m[3] * y + m[0] * x - px, m[7] + m[4] * y + m[1] * x - py, m[8] + m[5] * y + m[2] * x - pz
    a0 = side[0] * rx + side[1] * ry + side[2] * rz
    b0 = side[3] * rx + side[4] * ry + side[5] * rz
    ax, bx = side[0] * m[0] + side[1] * m[1] + side[2] * m[2], side[3] * m[0] + side[4] * m[1] + side[5] * m[2]
    ay, by = side[0] * m[3] + side[1] * m[4] + side[2] * m[5], side[3] * m[3] + side[4] * m[4] + side[5] * m[5]
    for i in range(first, last):
        start, end, nearest2, middle = reached_texels(piece, spans, i, parabola, r * r)
        if end <= start:
            continue
        row = piece[3] + i
        near, offset = np.float32(nearest2), np.float32(start - middle)
        a, da = np.float32(a0 + ay * i), np.float32(ax)
        b, db = np.float32(b0 + by * i), np.float32(bx)
        for c in range(end - start):
            dx = np.float32(c) + offset
            w = strength * _falloff((np.sqrt(near + slope * dx * dx) * to_unit - hardness) * soft, table)
            through, u, v = one, one, one
            if high > 0:
                at = np.float32(start + c)
                u = (a + da * at + one) * half * np.float32(wide) - half
                v = (b + db * at + one) * half * np.float32(high) - half
                through = _bilinear(picture, u, v)
                w *= through
            w *= gate[row, start + c]
            old = tile[row, start + c]
            new = old + w * (one - old) if build_up else max(old, w)
            tile[row, start + c] = new
            if number_address != 0 and new > old:
                carray(as_int32(number_address), (TILE, TILE))[row, start + c] = number
            if color_address != 0 and w > 0:
                texel = carray(as_uint16(color_address), (TILE, TILE, 4))[row, start + c]
                share = w / (w + old * (one - w))
                for channel in range(3):
                    color = min(one, _bilinear(colors[:, :, channel], u, v) / through) * np.float32(65535.0)
                    held = np.float32(texel[channel])
                    texel[channel] = np.uint16(held + (color - held) * share + half)
                texel[3] = np.uint16(65535)
        rect[0] = min(rect[0], row)
        rect[1] = max(rect[1], row + 1)
        rect[2] = min(rect[2], start)
        rect[3] = max(rect[3], end)


@kernel
def _bilinear(picture, u, v):  # type: ignore[no-untyped-def]
    high, wide = picture.shape
    x = min(max(int(np.floor(u)), 0), wide - 2)
    y = min(max(int(np.floor(v)), 0), high - 2)
    fx = min(max(u - np.float32(x), np.float32(0.0)), np.float32(1.0))
    fy = min(max(v - np.float32(y), np.float32(0.0)), np.float32(1.0))
    one = np.float32(1.0)
    upper = picture[y, x] * (one - fx) + picture[y, x + 1] * fx
    lower = picture[y + 1, x] * (one - fx) + picture[y + 1, x + 1] * fx
    return upper * (one - fy) + lower * fy
