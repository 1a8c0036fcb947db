"""Clone: paint taken from another place of the surface."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..kernels import as_bool, as_float32, carray, kernel
from ..texels.area import TileArea
from ..texels.ownership import Ownership
from ..texels.raster import TILE


def new_texels(
    own: Ownership, area: TileArea, coverage: NDArray[np.int64], seen: NDArray[np.int64]
) -> tuple[NDArray[np.int32], NDArray[np.float64]]:
    """Covered texels of an area that have not been asked for yet: (n, 2) y, x and (n, 3) places; marks them seen.

    coverage: table of float32 tiles, 0 where nothing is covered. seen: table of bool tiles.
    """
    room = np.zeros((area.texels, 2), np.int32)
    places = np.zeros((area.texels, 3))
    count = _new(own.tile_start, own.pieces, own.spans, own.matrices, own.columns, area.tiles, area.rects, coverage,
                 seen, room, places)  # fmt: skip
    return room[:count], places[:count]


def turn_between(one: NDArray[np.float64], other: NDArray[np.float64]) -> NDArray[np.float64]:
    """(3, 3): the shortest turn that takes unit vector `one` to `other` (Rodrigues)."""
    axis = np.cross(one, other)
    cosine = float(one @ other)
    if cosine < -1 + 1e-9:
        # Straight back: any axis across will do.
        across = np.cross(one, [1.0, 0, 0] if abs(one[0]) < 0.9 else [0, 1.0, 0])
        across /= np.linalg.norm(across)
        return 2 * np.outer(across, across) - np.eye(3)
    k = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    turn: NDArray[np.float64] = np.eye(3) + k + k @ k / (1 + cosine)
    return turn


def sampled(picture: NDArray[np.uint16], places: NDArray[np.float64]) -> NDArray[np.uint16]:
    """(n, channels): bilinear samples of (H, W, channels) at (n, 2) texels, alpha-weighted; the picture wraps."""
    height, width = picture.shape[:2]
    base = np.floor(places - 0.5).astype(np.int64)
    share = places - 0.5 - base
    total = np.zeros((len(places), picture.shape[2]))
    for dx, dy in ((0, 0), (1, 0), (0, 1), (1, 1)):
        weight = (share[:, 0] if dx else 1 - share[:, 0]) * (share[:, 1] if dy else 1 - share[:, 1])
        texel = picture[(base[:, 1] + dy) % height, (base[:, 0] + dx) % width].astype(np.float64)
        alpha = texel[:, -1] * weight
        total[:, :-1] += texel[:, :-1] * alpha[:, None]
        total[:, -1] += alpha
    value = np.divide(total[:, :-1], total[:, -1:], out=np.zeros_like(total[:, :-1]), where=total[:, -1:] > 0)
    found: NDArray[np.uint16] = np.rint(np.concatenate([value, total[:, -1:]], axis=1)).astype(np.uint16)
    return found


@kernel
def _new(tile_start, pieces, spans, matrices, columns, tiles, rects, coverage, seen, where, places):  # type: ignore[no-untyped-def]
    count = 0
    for i in range(len(tiles)):
        t = tiles[i]
        if coverage[t] == 0:
            continue
        top, bottom, left, right = rects[i]
        cover = carray(as_float32(coverage[t]), (TILE, TILE))
        known = carray(as_bool(seen[t]), (TILE, TILE))
        for p in range(tile_start[t], tile_start[t + 1]):
            m = matrices[pieces[p, 0]]
            for k in range(pieces[p, 4]):
                y = pieces[p, 3] + k
                if y < top or y >= bottom:
                    continue
                first, last = spans[pieces[p, 5] + k]
                for x in range(max(int(first), left), min(int(last), right)):
                    if cover[y, x] <= 0 or known[y, x] or count >= len(where):
                        continue
                    known[y, x] = True
                    where[count, 0], where[count, 1] = t // columns * TILE + y, t % columns * TILE + x
                    fx, fy = pieces[p, 1] + x + 0.5, pieces[p, 2] + y + 0.5
                    for c in range(3):
                        places[count, c] = m[c] * fx + m[c + 3] * fy + m[c + 6]
                    count += 1
    return count
