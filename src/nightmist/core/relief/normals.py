"""Tangent-space normals from height, in real units, unbroken over seams."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..kernels import address_of, as_bool, as_uint16, carray, in_two_threads, kernel
from ..texels.area import TileArea
from ..texels.composite_picture import Picture
from ..texels.raster import TILE
from .heights import Heights


def write_normals(out: Picture, surfaces: Mapping[int, Heights], surface: int, depth: float, area: TileArea) -> None:
    """Write normals of owned texels in `area` into a picture: (n + 1) / 2 per channel, +Y up as in glTF.

    surfaces: by number the heights of all surfaces that this one borders on, and its own; their full range spans
    `depth` model units. surface: whose normals these are. Slopes are central differences over the two neighbors, by
    each face's own texel size; a neighbor that no face owns is looked up where the surface goes on there.
    """
    mine = surfaces[surface]
    own = mine.own
    # Of others no height is looked at.
    addresses, sizes = np.zeros((max(surfaces) + 1, 2), np.int64), np.zeros((max(surfaces) + 1, 2), np.int64)
    for number in mine.neighbors:
        other = surfaces[number]
        addresses[number], sizes[number] = (address_of(other.image), address_of(other.known)), other.image.shape
    links = (mine.links.surface, mine.links.place, mine.beyond)
    out.hold(area.tiles)
    in_two_threads(
        len(area),
        lambda a, b: _normals(
            out.pixels, mine.image, addresses, sizes, own.tile_start, own.pieces, own.spans, own.matrices, own.columns,
            mine.covered, links, np.float32(depth / 65535), area.tiles[a:b], area.rects[a:b],
        ),
        4,
    )  # fmt: skip
    # Where the ground is level, a tile of one color is left.
    out.settle(area.tiles)


@kernel
def _height(image, y, x, default, addresses, sizes, covered, links):  # type: ignore[no-untyped-def]
    height, width = image.shape
    y, x = y % height, x % width
    if covered[y, x]:
        return np.float32(image[y, x])
    link_surface, link_place, beyond = links
    k = beyond[y, x]
    if k < 0:
        return default
    s = link_surface[k]
    h, w = sizes[s]
    there, known = carray(as_uint16(addresses[s, 0]), (h, w)), carray(as_bool(addresses[s, 1]), (h, w))
    u, v = link_place[k, 0] - np.float32(0.5), link_place[k, 1] - np.float32(0.5)
    x0, y0 = int(np.floor(u)), int(np.floor(v))
    fx, fy = u - np.float32(x0), v - np.float32(y0)
    one, sum_ = np.float32(1.0), np.float32(0.0)
    for row, down in ((y0 % h, one - fy), ((y0 + 1) % h, fy)):
        for column, across in ((x0 % w, one - fx), ((x0 + 1) % w, fx)):
            # A face without area in the map owns no texel there.
            held = np.float32(there[row, column]) if known[row, column] else default
            sum_ += held * (across * down)
    return sum_


@kernel
def _normals(  # type: ignore[no-untyped-def]
    out, image, addresses, sizes, tile_start, pieces, spans, matrices, columns, covered, links, scale, tiles, rects
):
    half = np.float32(32767.5)
    for i in range(len(tiles)):
        t = tiles[i]
        row0, column0 = t // columns * TILE, t % columns * TILE
        top, bottom, left, right = rects[i]
        for p in range(tile_start[t], tile_start[t + 1]):
            m = matrices[pieces[p, 0]]
            wide = np.sqrt(m[0] * m[0] + m[1] * m[1] + m[2] * m[2])
            high = np.sqrt(m[3] * m[3] + m[4] * m[4] + m[5] * m[5])
            if wide <= 0 or high <= 0:
                continue
            to_x, to_y = np.float32(scale / (2 * wide)), np.float32(scale / (2 * high))
            for k in range(pieces[p, 4]):
                r = pieces[p, 3] + k
                if r < top or r >= bottom:
                    continue
                first, last = spans[pieces[p, 5] + k]
                for c in range(max(int(first), left), min(int(last), right)):
                    y, x = row0 + r, column0 + c
                    here = np.float32(image[y, x])
                    inner = 0 < y < image.shape[0] - 1 and 0 < x < image.shape[1] - 1
                    if inner and covered[y, x + 1] and covered[y, x - 1] and covered[y + 1, x] and covered[y - 1, x]:
                        east, west = np.float32(image[y, x + 1]), np.float32(image[y, x - 1])
                        south, north = np.float32(image[y + 1, x]), np.float32(image[y - 1, x])
                    else:
                        east = _height(image, y, x + 1, here, addresses, sizes, covered, links)
                        west = _height(image, y, x - 1, here, addresses, sizes, covered, links)
                        south = _height(image, y + 1, x, here, addresses, sizes, covered, links)
                        north = _height(image, y - 1, x, here, addresses, sizes, covered, links)
                    a = (east - west) * to_x
                    b = (south - north) * to_y
                    length = np.float32(1.0) / np.sqrt(a * a + b * b + np.float32(1.0))
                    out[t, r, c, 0] = np.uint16(-a * length * half + half + np.float32(0.5))
                    out[t, r, c, 1] = np.uint16(b * length * half + half + np.float32(0.5))
                    out[t, r, c, 2] = np.uint16(length * half + half + np.float32(0.5))
