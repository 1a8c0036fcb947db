"""Tangent-space normals from height, in real units, unbroken over seams."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..kernels import address_of, as_bool, as_uint16, borrowed, carray, in_two_threads, kernel
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
def _beyond(image, y, x, default, addresses, sizes, links):  # type: ignore[no-untyped-def]
    """The height at a texel that no face owns, where the surface goes on there."""
    height, width = image.shape
    y, x = y % height, x % width
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
def _take_sizes(own, t, rect, scale, owned, to_x, to_y):  # type: ignore[no-untyped-def]
    """What makes slopes of differences between the neighbors of each texel that is owned, by its face's own texels."""
    tile_start, pieces, spans, matrices = own
    top, bottom, left, right = rect
    owned[top:bottom] = False
    for p in range(tile_start[t], tile_start[t + 1]):
        face, first_row = pieces[p, 0], pieces[p, 3]
        if first_row >= bottom or first_row + pieces[p, 4] <= top:
            continue
        wide, high = 0.0, 0.0
        for axis in range(3):
            wide += matrices[face, axis] ** 2
            high += matrices[face, 3 + axis] ** 2
        wide, high = np.sqrt(wide), np.sqrt(high)
        if wide <= 0 or high <= 0:
            continue
        by_x, by_y = np.float32(scale / (2 * wide)), np.float32(scale / (2 * high))
        for row in range(max(first_row, top), min(first_row + pieces[p, 4], bottom)):
            k = pieces[p, 5] + row - first_row
            for x in range(max(int(spans[k, 0]), left), min(int(spans[k, 1]), right)):
                owned[row, x], to_x[row, x], to_y[row, x] = True, by_x, by_y


@kernel
def _take_around(image, covered, row0, column0, top, bottom, heights, held):  # type: ignore[no-untyped-def]
    """Heights of some rows of a tile, and whether any face owns them, with a texel around; the map wraps."""
    height, width = image.shape
    west, east = (column0 - 1) % width, (column0 + TILE) % width
    for row in range(top, bottom + 2):
        y = (row0 + row - 1) % height
        heights[row, 0], heights[row, TILE + 1] = np.float32(image[y, west]), np.float32(image[y, east])
        held[row, 0], held[row, TILE + 1] = covered[y, west], covered[y, east]
        for x in range(TILE):
            heights[row, x + 1] = np.float32(image[y, column0 + x])
            held[row, x + 1] = covered[y, column0 + x]


@kernel
def _slope_row(heights, held, to_x, to_y, r, made, sound):  # type: ignore[no-untyped-def]
    """A whole row of a tile, and where all four neighbors are owned: elsewhere it means nothing."""
    half, unit, one = np.float32(32767.5), np.float32(0.5), np.float32(1.0)
    for x in range(TILE):
        a = (heights[r + 1, x + 2] - heights[r + 1, x]) * to_x[r, x]
        b = (heights[r + 2, x + 1] - heights[r, x + 1]) * to_y[r, x]
        length = one / np.sqrt(a * a + b * b + one)
        made[0, x] = np.uint16(-a * length * half + half + unit)
        made[1, x] = np.uint16(b * length * half + half + unit)
        made[2, x] = np.uint16(length * half + half + unit)
    for x in range(TILE):
        sound[x] = held[r + 1, x] & held[r + 1, x + 2] & held[r, x + 1] & held[r + 2, x + 1]


@kernel
def _normals(  # type: ignore[no-untyped-def]
    out, image, addresses, sizes, tile_start, pieces, spans, matrices, columns, covered, links, scale, tiles, rects
):
    """Whole rows of a tile at a time: how a compiler rounds in the rest of a loop must not show."""
    tile_start, pieces, spans, matrices = borrowed(tile_start), borrowed(pieces), borrowed(spans), borrowed(matrices)
    image, covered = borrowed(image), borrowed(covered)
    half, unit, one = np.float32(32767.5), np.float32(0.5), np.float32(1.0)
    to_x, to_y = np.zeros((TILE, TILE), np.float32), np.zeros((TILE, TILE), np.float32)
    heights, held = np.empty((TILE + 2, TILE + 2), np.float32), np.empty((TILE + 2, TILE + 2), np.bool_)
    made, sound = np.empty((3, TILE), np.uint16), np.empty(TILE, np.bool_)
    owned = np.empty((TILE, TILE), np.bool_)
    for i in range(len(tiles)):
        t = tiles[i]
        row0, column0 = t // columns * TILE, t % columns * TILE
        top, bottom, left, right = rects[i]
        _take_sizes((tile_start, pieces, spans, matrices), t, (top, bottom, left, right), scale, owned, to_x, to_y)
        _take_around(image, covered, row0, column0, top, bottom, heights, held)
        for r in range(top, bottom):
            _slope_row(heights, held, to_x, to_y, r, made, sound)
            for x in range(left, right):
                if not owned[r, x]:
                    continue
                if sound[x]:
                    out[t, r, x, 0], out[t, r, x, 1], out[t, r, x, 2] = made[0, x], made[1, x], made[2, x]
                    continue
                y, c, here = row0 + r, column0 + x, heights[r + 1, x + 1]
                east, west, south, north = (
                    heights[r + 1, x + 2],
                    heights[r + 1, x],
                    heights[r + 2, x + 1],
                    heights[r, x + 1],
                )
                if not held[r + 1, x + 2]:
                    east = _beyond(image, y, c + 1, here, addresses, sizes, links)
                if not held[r + 1, x]:
                    west = _beyond(image, y, c - 1, here, addresses, sizes, links)
                if not held[r + 2, x + 1]:
                    south = _beyond(image, y + 1, c, here, addresses, sizes, links)
                if not held[r, x + 1]:
                    north = _beyond(image, y - 1, c, here, addresses, sizes, links)
                a, b = (east - west) * to_x[r, x], (south - north) * to_y[r, x]
                length = one / np.sqrt(a * a + b * b + one)
                out[t, r, x, 0] = np.uint16(-a * length * half + half + unit)
                out[t, r, x, 1] = np.uint16(b * length * half + half + unit)
                out[t, r, x, 2] = np.uint16(length * half + half + unit)
