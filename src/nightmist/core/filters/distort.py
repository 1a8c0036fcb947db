"""Distortion by noise: each texel takes what lies a little way off on the surface, over seams, by a field in space.

The field is a sum of plane waves in all directions, longer ones stronger, so that it goes on unbroken wherever the
surface does. A texel's share of it in its face's plane is walked over the surface.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import in_two_threads, kernel
from ..mesh import Mesh
from ..texels.ownership import Ownership
from ..texels.raster import TILE
from ..texels.seam_links import walk_over
from .ground import NOTHING, Ground

#: Waves of the field; their lengths go from the grain down to SHORTEST of it.
WAVES = 20
SHORTEST = 0.2


@dataclass(frozen=True)
class Distortion:
    """amount: how far texels move at most, model units. grain: the longest waves, model units. seed: which field."""

    amount: float
    grain: float
    seed: int = 0

    def waves(self) -> NDArray[np.float64]:
        """(WAVES, 7): of each wave its direction by 2π / length, its phase, and which way it moves by how much."""
        random = np.random.default_rng(self.seed)
        length = np.geomspace(1, SHORTEST, WAVES)
        directions, ways = (_unit(random.normal(size=(WAVES, 3))) for _ in range(2))
        # Half the amount in the mean of squares.
        strength = self.amount * length / np.sqrt(2 * (length**2).sum())
        phase = random.uniform(0, 2 * np.pi, WAVES)
        return np.column_stack([
            directions * (2 * np.pi / (self.grain * length))[:, None], phase, ways * strength[:, None]
        ])  # fmt: skip


def _unit(vectors: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(vectors / np.linalg.norm(vectors, axis=1, keepdims=True))


@dataclass(frozen=True)
class Moved:
    """Where texels of some tiles take from: (n, 64, 64) of all texels y · width + x, or NOTHING, and the parts of the
    next texel across and down, (n, 64, 64, 2) float32.
    """

    texel: NDArray[np.int32]
    part: NDArray[np.float32]

    def sources(self, tile: int, width: int, height: int) -> NDArray[np.int32]:
        """The tiles from which one of the tiles takes."""
        found = np.zeros(width // TILE * (height // TILE), np.bool_)
        _find_sources(self.texel[tile], width, height, found)
        return np.flatnonzero(found).astype(np.int32)


def move_tiles(
    mesh: Mesh, surface: int, own: Ownership, texels: NDArray[np.float64], distortion: Distortion,
    tiles: NDArray[np.int32],
) -> Moved:  # fmt: skip
    """Where the texels of tiles take from. texels: (F, 3, 2) places of all faces, of those in
    the map of `surface` in texels."""
    moved = Moved(
        np.full((len(tiles), TILE, TILE), NOTHING, np.int32), np.zeros((len(tiles), TILE, TILE, 2), np.float32)
    )

    waves = distortion.waves()

    def work(a: int, b: int) -> None:
        for i in range(a, b):
            _move_tile(mesh, surface, own, texels, distortion, waves, int(tiles[i]), moved.texel[i], moved.part[i])

    in_two_threads(len(tiles), work, 2)
    return moved


def _move_tile(
    mesh: Mesh, surface: int, own: Ownership, texels: NDArray[np.float64], distortion: Distortion,
    waves: NDArray[np.float64], tile: int, texel: NDArray[np.int32], part: NDArray[np.float32],
) -> None:  # fmt: skip
    raw = np.empty((int(_count(own.tile_start, own.pieces, own.spans, tile)), 5))
    _steps(own.tile_start, own.pieces, own.spans, own.matrices, tile, waves, distortion.amount, raw)
    face = raw[:, 0].astype(np.int64)
    place = walk_over(mesh, own, texels, surface, face, raw[:, 1], raw[:, 2], raw[:, 3], raw[:, 4])
    # A texel's own middle is the place of its number.
    x, y = place[:, 0] - 0.5, place[:, 1] - 0.5
    left, top = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    row = np.floor(raw[:, 2]).astype(np.int64) % own.height % TILE
    column = np.floor(raw[:, 1]).astype(np.int64) % own.width % TILE
    texel[row, column] = (top % own.height) * own.width + left % own.width
    part[row, column, 0], part[row, column, 1] = x - left, y - top


def take_moved(
    ground: Ground, tiles: NDArray[np.int32], moved: Moved, slots: NDArray[np.int32], planes: NDArray[np.float32]
) -> NDArray[np.float32]:
    """(n, 64, 64, p) what the texels of tiles take from tiles of numbers, between texels of one island.

    slots: of all tiles their place in `planes`, (m, 64, 64, p), or -1.
    """
    into = np.zeros((len(tiles), TILE, TILE, planes.shape[3]), np.float32)
    in_two_threads(
        len(tiles), lambda a, b: _take(ground.labels, tiles, moved.texel, moved.part, slots, planes, into, a, b), 2
    )
    return into


@kernel
def _count(tile_start, pieces, spans, tile):  # type: ignore[no-untyped-def]
    count = 0
    for p in range(tile_start[tile], tile_start[tile + 1]):
        for line in range(pieces[p, 4]):
            span = spans[pieces[p, 5] + line]
            count += max(int(span[1]) - int(span[0]), 0)
    return count


@kernel
def _steps(tile_start, pieces, spans, matrices, tile, waves, most, found):  # type: ignore[no-untyped-def]
    """(n, 5) of each texel that faces own its face, its middle in the face's own coordinates, its step in texels."""
    sines, cosines = np.empty(len(waves)), np.empty(len(waves))
    turn_sines, turn_cosines = np.empty(len(waves)), np.empty(len(waves))
    move = np.empty(3)
    count = 0
    for p in range(tile_start[tile], tile_start[tile + 1]):
        m = matrices[pieces[p, 0]]
        for line in range(pieces[p, 4]):
            first, end = spans[pieces[p, 5] + line]
            x, y = pieces[p, 1] + first + 0.5, pieces[p, 2] + pieces[p, 3] + line + 0.5
            # Along a row each wave turns on by the same angle.
            for k in range(len(waves)):
                wave = waves[k]
                angle, turn = wave[3], 0.0
                for c in range(3):
                    angle += wave[c] * (m[c] * x + m[c + 3] * y + m[c + 6])
                    turn += wave[c] * m[c]
                sines[k], cosines[k] = np.sin(angle), np.cos(angle)
                turn_sines[k], turn_cosines[k] = np.sin(turn), np.cos(turn)
            for column in range(first, end):
                mx, my, mz = 0.0, 0.0, 0.0
                for k in range(len(waves)):
                    s, c = sines[k], cosines[k]
                    mx, my, mz = mx + waves[k, 4] * s, my + waves[k, 5] * s, mz + waves[k, 6] * s
                    sines[k] = s * turn_cosines[k] + c * turn_sines[k]
                    cosines[k] = c * turn_cosines[k] - s * turn_sines[k]
                far = min(1.0, most / max(np.sqrt(mx * mx + my * my + mz * mz), 1e-300))
                move[0], move[1], move[2] = mx * far, my * far, mz * far
                found[count, 0], found[count, 1], found[count, 2] = pieces[p, 0], x + (column - first), y
                found[count, 3], found[count, 4] = _in_texels(m, move)
                count += 1


@kernel
def _in_texels(m, move):  # type: ignore[no-untyped-def]
    """A move in space as one in texels of a face: least squares in its plane."""
    g11 = m[0] * m[0] + m[1] * m[1] + m[2] * m[2]
    g12 = m[0] * m[3] + m[1] * m[4] + m[2] * m[5]
    g22 = m[3] * m[3] + m[4] * m[4] + m[5] * m[5]
    b1 = m[0] * move[0] + m[1] * move[1] + m[2] * move[2]
    b2 = m[3] * move[0] + m[4] * move[1] + m[5] * move[2]
    det = g11 * g22 - g12 * g12
    if det <= 1e-300:
        return 0.0, 0.0
    return (g22 * b1 - g12 * b2) / det, (g11 * b2 - g12 * b1) / det


@kernel
def _find_sources(texels, width, height, found):  # type: ignore[no-untyped-def]
    """Mark the tiles that some texels, and those next to them across and down, lie in."""
    columns = width // TILE
    for y in range(TILE):
        for x in range(TILE):
            place = texels[y, x]
            if place >= 0:
                for dy in range(2):
                    for dx in range(2):
                        row, column = (place // width + dy) % height, (place % width + dx) % width
                        found[row // TILE * columns + column // TILE] = True


@kernel
def _take(labels, tiles, texels, parts, slots, planes, into, first, last):  # type: ignore[no-untyped-def]
    height, width = labels.shape
    columns, count = width // TILE, planes.shape[3]
    for i in range(first, last):
        for y in range(TILE):
            for x in range(TILE):
                place = texels[i, y, x]
                if place < 0:
                    for p in range(count):
                        into[i, y, x, p] = planes[slots[tiles[i]], y, x, p]
                    continue
                # The texel in which the walk ends tells the island.
                fu, fv = parts[i, y, x, 0], parts[i, y, x, 1]
                near = labels[
                    (place // width + (1 if fv > 0.5 else 0)) % height, (place % width + (1 if fu > 0.5 else 0)) % width
                ]
                label = near if near >= -1 else -2 - near
                total = np.float32(0.0)
                for dy in range(2):
                    for dx in range(2):
                        yy, xx = (place // width + dy) % height, (place % width + dx) % width
                        share = (fv if dy else np.float32(1.0) - fv) * (fu if dx else np.float32(1.0) - fu)
                        slot = slots[yy // TILE * columns + xx // TILE]
                        if share <= 0 or slot < 0 or labels[yy, xx] != label:
                            continue
                        total += share
                        for p in range(count):
                            into[i, y, x, p] += share * planes[slot, yy % TILE, xx % TILE, p]
                if total > 0:
                    for p in range(count):
                        into[i, y, x, p] /= total
                else:
                    slot = slots[place // width // TILE * columns + place % width // TILE]
                    for p in range(count):
                        into[i, y, x, p] = planes[slot, place // width % TILE, place % width % TILE, p]
