"""Ownership: which faces cover a texel's center, and where that texel lies in space.

The table is made of *pieces*: the part of one face inside one tile, as one span of texels per row. A texel
under several faces lies in several pieces, so overlapped islands and repeats outside 0-1 need no special
case. Inside a face, position is affine in texel coordinates; a matrix per face replaces a position per texel.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..kernels import kernel
from ..mesh import Mesh
from ..mesh.unwrap import flat_areas
from .raster import TILE

#: How many times over faces may cover the map; beyond that the table would hold more than a computer does.
MAX_REPEATS = 64
#: Texels from the map's corner beyond which a whole number does not tell them apart.
FARTHEST = 2**30
#: Parts of a texel to which it is known where an edge crosses a row of centers.
FINE = 2.0**20


class CrowdedError(NightmistError):
    """More faces lie over each other than can be painted."""


@dataclass
class Ownership:
    """Pieces of faces, sorted by tile.

    tile_start: (tiles + 1,) int64, the pieces of tile t are tile_start[t]:tile_start[t + 1].
    tile_box: (tiles, 6) float64, lowest then highest corner in space of the tile's texel centers.
    pieces: (n, 6) int32: face, x and y of the tile's origin before wrapping (texels), first row, rows, first span.
    balls: (n, 4) float64, a ball in space around each piece's texel centers: center, radius.
    spans: (m, 2) uint8, first column and end column inside the tile, one for each row of each piece.
    matrices: (faces, 9) float64: dX/dx, dX/dy, X at texel coordinates (0, 0).
    normals: (faces, 3) float64. texel_size: (faces,) side of a texel in space.
    faces: (faces,) int64, the face's index in the mesh.
    """

    width: int
    height: int
    tile_start: NDArray[np.int64]
    tile_box: NDArray[np.float64]
    pieces: NDArray[np.int32]
    balls: NDArray[np.float64]
    spans: NDArray[np.uint8]
    matrices: NDArray[np.float64]
    normals: NDArray[np.float64]
    texel_size: NDArray[np.float64]
    faces: NDArray[np.int64]

    @cached_property
    def block_box(self) -> NDArray[np.float64]:
        """(blocks, 6): boxes in space of blocks of 8 × 8 tiles, row by row."""
        rows, columns = self.height // TILE, self.width // TILE
        down, across = -(-rows // 8) * 8, -(-columns // 8) * 8
        padded = np.tile([np.inf] * 3 + [-np.inf] * 3, (down, across, 1))
        padded[:rows, :columns] = self.tile_box.reshape(rows, columns, 6)
        blocks = padded.reshape(down // 8, 8, across // 8, 8, 6)
        low, high = blocks[..., :3].min(axis=(1, 3)), blocks[..., 3:].max(axis=(1, 3))
        return np.ascontiguousarray(np.concatenate([low, high], axis=2).reshape(-1, 6))

    @cached_property
    def box(self) -> NDArray[np.float64]:
        """(6,) a box in space around all texel centers; inside out when there are none."""
        return np.concatenate([self.tile_box[:, :3].min(axis=0), self.tile_box[:, 3:].max(axis=0)])

    @property
    def columns(self) -> int:
        """Tiles across."""
        return self.width // TILE

    def owner(self) -> NDArray[np.int32]:
        """(H, W): which of `faces` owns each texel (the last one where several do), -1 outside every island."""
        owner = np.full((self.height, self.width), -1, np.int32)
        _write_owner(self.tile_start, self.pieces, self.spans, self.columns, owner)
        return owner

    def inside(self, tiles: NDArray[np.int32]) -> NDArray[np.bool_]:
        """(n, TILE, TILE): which texels of some tiles lie inside an island. tiles: (n,) numbers."""
        found = np.zeros((len(tiles), TILE, TILE), np.bool_)
        _write_inside(self.tile_start, self.pieces, self.spans, tiles, found)
        return found

    @cached_property
    def used_tiles(self) -> NDArray[np.int32]:
        """Numbers of the tiles that hold some island; a fill of all of them leaves no rim at any seam."""
        return np.flatnonzero(np.diff(self.tile_start)).astype(np.int32)

    def owner_at(self, x: int, y: int) -> int | None:
        """One of `faces`, by its place among them, that owns a texel; None outside every island. The map repeats."""
        place = self.place_at(x, y)
        return place[0] if place else None

    def place_at(self, x: float, y: float) -> tuple[int, float, float] | None:
        """The same, and a place of the map in the texel coordinates of that face, which may lie beyond the map."""
        x, y = x % self.width, y % self.height
        tile = int(y // TILE) * self.columns + int(x // TILE)
        for piece in self.pieces[self.tile_start[tile] : self.tile_start[tile + 1]]:
            row = int(y % TILE) - piece[3]
            if 0 <= row < piece[4]:
                first, end = self.spans[piece[5] + row]
                if first <= int(x % TILE) < end:
                    return int(piece[0]), float(piece[1] + x % TILE), float(piece[2] + y % TILE)
        return None

    @cached_property
    def usual_texel(self) -> float:
        """The median side of a texel that has one in space, model units; 1 where none has."""
        sides = self.texel_size[self.texel_size > 0]
        return float(np.median(sides)) if len(sides) else 1.0

    def covered(self) -> NDArray[np.bool_]:
        """(H, W): inside some island."""
        return self.owner() >= 0

    def covered_by(self, chosen: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(H, W): which texels belong to some of the chosen faces, (faces,), whoever else owns them."""
        kept = chosen[self.pieces[:, 0]]
        start = np.concatenate([[0], np.cumsum(kept)])[self.tile_start].astype(self.tile_start.dtype)
        return replace(self, tile_start=start, pieces=self.pieces[kept]).covered()


def own_texels(mesh: Mesh, faces: NDArray[np.int64], uv: NDArray[np.float32], width: int, height: int) -> Ownership:
    """The table for `faces` of a mesh with (F, 3, 2) UVs over a map of width × height texels.

    A center on an edge between two faces belongs to exactly one of them; a face whose UVs are not numbers owns
    none. Raises CrowdedError for UVs that lie over each other absurdly often.
    """
    corners = _corners(uv[faces], width, height)
    spread = float(np.abs(flat_areas(corners)).sum()) / (width * height)
    if spread > MAX_REPEATS or np.abs(corners).max(initial=0) > FARTHEST:
        raise CrowdedError(
            f"its UVs cover the map {spread:,.0f} times over; at most {MAX_REPEATS} times can be painted."
            " Unwrap it in Prepare."
        )
    points = mesh.corners[faces]
    matrices = affine(corners, points)
    piece_count, span_count = _pieces(corners, width, height, np.zeros((0, 7), np.int32), np.zeros((0, 2), np.uint8))
    raw = np.zeros((piece_count, 7), np.int32)
    spans = np.zeros((span_count, 2), np.uint8)
    _pieces(corners, width, height, raw, spans)
    raw = raw[np.argsort(raw[:, 6], kind="stable")]
    tiles = (width // TILE) * (height // TILE)
    tile_start = np.searchsorted(raw[:, 6], np.arange(tiles + 1)).astype(np.int64)
    pieces = np.ascontiguousarray(raw[:, :6])
    boxes = np.zeros((piece_count, 6))
    _boxes(pieces, spans, matrices, boxes)
    middle = (boxes[:, :3] + boxes[:, 3:]) / 2
    balls = np.column_stack([middle, np.linalg.norm(boxes[:, 3:] - middle, axis=1)])
    tile_box = np.tile([np.inf] * 3 + [-np.inf] * 3, (tiles, 1))
    np.minimum.at(tile_box[:, :3], raw[:, 6], boxes[:, :3])
    np.maximum.at(tile_box[:, 3:], raw[:, 6], boxes[:, 3:])
    size = np.sqrt(np.linalg.norm(np.cross(matrices[:, 0:3], matrices[:, 3:6]), axis=1))
    return Ownership(
        width, height, tile_start, tile_box, pieces, balls, spans, matrices, mesh.face_normals[faces], size, faces
    )  # fmt: skip


def covered_texels(
    mesh: Mesh, faces: NDArray[np.int64], uv: NDArray[np.float32], width: int, height: int
) -> NDArray[np.bool_]:
    """(H, W): which texels of a map lie inside some of `faces` of a mesh with (F, 3, 2) UVs.

    However many lie over each other: as many are looked at in turn as a table holds, until no texel is left. A face
    that would fill more maps by itself is taken to leave no texel out.
    """
    found = np.zeros((height, width), np.bool_)
    corners = _corners(uv[faces], width, height)
    spreads = np.abs(flat_areas(corners)) / (width * height)
    if (spreads > MAX_REPEATS).any():
        return ~found
    near = np.abs(corners).max(axis=(1, 2), initial=0) <= FARTHEST
    faces, up_to = faces[near], np.cumsum(spreads[near])
    first = 0
    while first < len(faces) and not found.all():
        before = up_to[first - 1] if first else 0.0
        # A little less than fits, as sums are rounded.
        end = max(int(np.searchsorted(up_to, before + MAX_REPEATS * 0.99)), first + 1)
        found |= own_texels(mesh, faces[first:end], uv, width, height).covered()
        first = end
    return found


def _corners(uv: NDArray[np.float32], width: int, height: int) -> NDArray[np.float64]:
    """(n, 3, 2): texels; all at the map's corner for a face whose UVs are not numbers."""
    corners = uv.astype(np.float64) * (width, height)
    corners[~np.isfinite(corners).all(axis=(1, 2))] = 0
    return corners


def affine(uv: NDArray[np.float64], points: NDArray[np.float64]) -> NDArray[np.float64]:
    """(F, 9) matrices that take texel coordinates to space; zero slopes where UVs have no area."""
    e1, e2 = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    p1, p2 = points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]
    area = e1[:, 0] * e2[:, 1] - e1[:, 1] * e2[:, 0]
    inverse = np.divide(1.0, area, out=np.zeros_like(area), where=np.abs(area) > 1e-12)[:, None]
    dx = (p1 * e2[:, 1:2] - p2 * e1[:, 1:2]) * inverse
    dy = (p2 * e1[:, 0:1] - p1 * e2[:, 0:1]) * inverse
    origin = points[:, 0] - dx * uv[:, 0, 0:1] - dy * uv[:, 0, 1:2]
    return np.concatenate([dx, dy, origin], axis=1)


def normals_over(mesh: Mesh, uvs: NDArray[np.float32], own: Ownership) -> NDArray[np.float64]:
    """(faces, 9): smooth normals, affine in texel coordinates as an ownership's places are; not of unit length."""
    return affine(_corners(uvs[own.faces], own.width, own.height), mesh.normals[own.faces].astype(np.float64))


@kernel
def _crossing(ax, ay, bx, by, y):  # type: ignore[no-untyped-def]
    # Ends in one fixed order, and rounded, so that both faces at an edge come to the same number to the bit: a compiler
    # draws operations together as it likes, each time that this is called, and the last bits decide about centers.
    if ay > by or (ay == by and ax > bx):
        ax, ay, bx, by = bx, by, ax, ay
    x = ax + (bx - ax) * ((y - ay) / (by - ay))
    return np.floor(x * FINE + 0.5) / FINE


@kernel
def _pieces(corners, width, height, pieces, spans):  # type: ignore[no-untyped-def]
    """Count pieces and spans, and write them where the arrays have room (call twice)."""
    write = len(pieces) > 0
    columns, rows = width // TILE, height // TILE
    count, span_count = 0, 0
    for f in range(len(corners)):
        ax, ay = corners[f, 0]
        bx, by = corners[f, 1]
        cx, cy = corners[f, 2]
        top = int(np.ceil(min(ay, by, cy) - 0.5))
        bottom = int(np.ceil(max(ay, by, cy) - 0.5))
        for band in range(top // TILE, (bottom - 1) // TILE + 1 if bottom > top else top // TILE):
            y0, y1 = max(top, band * TILE), min(bottom, band * TILE + TILE)
            starts = np.zeros(TILE, np.int64)
            ends = np.zeros(TILE, np.int64)
            left, right = 2**40, -(2**40)
            for y in range(y0, y1):
                center = y + 0.5
                low, high = 1e300, -1e300
                # Half-open in y (low end in, high end out), so a row at a shared corner is counted once.
                if (ay <= center) != (by <= center):
                    x = _crossing(ax, ay, bx, by, center)
                    low, high = min(low, x), max(high, x)
                if (by <= center) != (cy <= center):
                    x = _crossing(bx, by, cx, cy, center)
                    low, high = min(low, x), max(high, x)
                if (cy <= center) != (ay <= center):
                    x = _crossing(cx, cy, ax, ay, center)
                    low, high = min(low, x), max(high, x)
                if high > low:
                    x0, x1 = int(np.ceil(low - 0.5)), int(np.ceil(high - 0.5))
                    if x1 > x0:
                        starts[y - y0], ends[y - y0] = x0, x1
                        left, right = min(left, x0), max(right, x1)
            if right <= left:
                continue
            for column in range(left // TILE, (right - 1) // TILE + 1):
                first, last = -1, -1
                for i in range(y1 - y0):
                    if max(starts[i], column * TILE) < min(ends[i], column * TILE + TILE):
                        if first < 0:
                            first = i
                        last = i
                if first < 0:
                    continue
                if write:
                    pieces[count, 0] = f
                    pieces[count, 1] = column * TILE
                    pieces[count, 2] = band * TILE
                    pieces[count, 3] = y0 - band * TILE + first
                    pieces[count, 4] = last - first + 1
                    pieces[count, 5] = span_count
                    pieces[count, 6] = (band % rows) * columns + column % columns
                    for i in range(first, last + 1):
                        x0, x1 = max(starts[i], column * TILE), min(ends[i], column * TILE + TILE)
                        spans[span_count + i - first, 0] = max(x0 - column * TILE, 0) if x1 > x0 else 0
                        spans[span_count + i - first, 1] = x1 - column * TILE if x1 > x0 else 0
                count += 1
                span_count += last - first + 1
    return count, span_count


@kernel
def _boxes(pieces, spans, matrices, boxes):  # type: ignore[no-untyped-def]
    """Box in space of each piece's texel centers: positions are affine, so a row's ends suffice."""
    for p in range(len(pieces)):
        m = matrices[pieces[p, 0]]
        for axis in range(3):
            boxes[p, axis], boxes[p, axis + 3] = 1e300, -1e300
        for i in range(pieces[p, 4]):
            y = pieces[p, 2] + pieces[p, 3] + i + 0.5
            s = pieces[p, 5] + i
            if spans[s, 1] <= spans[s, 0]:
                continue
            for x in (pieces[p, 1] + spans[s, 0] + 0.5, pieces[p, 1] + spans[s, 1] - 0.5):
                for axis in range(3):
                    value = m[axis] * x + m[axis + 3] * y + m[axis + 6]
                    boxes[p, axis] = min(boxes[p, axis], value)
                    boxes[p, axis + 3] = max(boxes[p, axis + 3], value)


@kernel
def _write_owner(tile_start, pieces, spans, columns, owner):  # type: ignore[no-untyped-def]
    for t in range(len(tile_start) - 1):
        top, left = (t // columns) * TILE, (t % columns) * TILE
        for p in range(tile_start[t], tile_start[t + 1]):
            for i in range(pieces[p, 4]):
                first, last = spans[pieces[p, 5] + i]
                owner[top + pieces[p, 3] + i, left + first : left + last] = pieces[p, 0]


@kernel
def _write_inside(tile_start, pieces, spans, tiles, found):  # type: ignore[no-untyped-def]
    for n in range(len(tiles)):
        for p in range(tile_start[tiles[n]], tile_start[tiles[n] + 1]):
            for i in range(pieces[p, 4]):
                first, last = spans[pieces[p, 5] + i]
                found[n, pieces[p, 3] + i, first:last] = True
