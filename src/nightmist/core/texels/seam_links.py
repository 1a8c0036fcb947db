"""How the surface goes on beyond an island's border: for each gutter texel, the texel that really lies there.

The gutter repeats the nearest inside texel, which is right for filtering. A tool or a slope that looks over the
border needs what the painter sees there: we walk over the surface from the inside texel, around edges, by the
distance that the gutter texel lies off, and name the texel where the walk ends, in whichever map that is.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel
from ..mesh.mesh import Mesh
from .area import TileArea, by_tile, in_tiles
from .gutter import Gutter
from .ownership import Ownership
from .raster import TILE, TILE_TEXELS

#: Edges that one walk crosses at most; on a mesh finer than texels it ends there.
MOST_EDGES = 48
MOST_EDGES_FAR = 2000


@dataclass
class SeamLinks:
    """For one surface: gutter texels within `reach` of its islands, and where they come from.

    target: (n,) int32, texels of this surface (y · width + x). inside: (n,) int32, the nearest texel of an island.
    surface: (n,) int32, whose map the source lies in.
    place: (n, 2) float32, exactly where there, in texels. source: (n,) int32, the texel at that place. Where the
    surface ends, the source is the nearest inside texel.
    """

    target: NDArray[np.int32]
    inside: NDArray[np.int32]
    surface: NDArray[np.int32]
    source: NDArray[np.int32]
    place: NDArray[np.float32]
    _by_source: dict[int, tuple[NDArray[np.int64], NDArray[np.int64]]] = field(default_factory=dict, repr=False)
    _by_target: tuple[NDArray[np.int64], NDArray[np.int64]] | None = field(default=None, repr=False)

    def sources_in(self, surface: int, width: int, height: int, area: TileArea) -> NDArray[np.int64]:
        """Places in these lists whose source lies in an area of a surface's map of width × height."""
        if surface not in self._by_source:
            mine = np.flatnonzero(self.surface == surface)
            order, starts = by_tile(in_tiles(self.source[mine], width), width * height // TILE_TEXELS)
            self._by_source[surface] = (mine[order], starts)
        members, starts = self._by_source[surface]
        found = np.empty(int((starts[area.tiles + 1] - starts[area.tiles]).sum()), np.int64)
        count = _within(members, starts, self.source, width, area.tiles, area.rects, found)
        return found[:count]

    def targets_in(self, width: int, height: int, tiles: NDArray[np.int32]) -> NDArray[np.int64]:
        """Places in these lists whose target lies in one of the tiles of this surface's map of width × height."""
        if self._by_target is None:
            self._by_target = by_tile(in_tiles(self.target, width), width * height // TILE_TEXELS)
        members, starts = self._by_target
        return np.concatenate([members[:0], *(members[starts[t] : starts[t + 1]] for t in tiles)])

    def show(
        self,
        which: NDArray[np.int64],
        source: NDArray[np.uint16],
        loaded: NDArray[np.bool_],
        target: NDArray[np.uint16],
    ) -> None:
        """Copy the sources of these places, all of one surface, to their targets.

        source, target: (H, W, channels) pictures of the two maps. loaded: (rows, columns), tiles of the target
        that are to be written.
        """
        channels = source.shape[2]
        _show(self.source, self.target, which, source.reshape(-1, channels), loaded, target)


@kernel
def _within(members, starts, source, width, tiles, rects, found):  # type: ignore[no-untyped-def]
    count = 0
    for i in range(len(tiles)):
        top, bottom, left, right = rects[i]
        for k in range(starts[tiles[i]], starts[tiles[i] + 1]):
            y, x = source[members[k]] // width % TILE, source[members[k]] % width % TILE
            if top <= y < bottom and left <= x < right:
                found[count] = members[k]
                count += 1
    return count


@kernel
def _show(sources, targets, which, source, loaded, target):  # type: ignore[no-untyped-def]
    width, channels = target.shape[1:]
    for k in which:
        y, x = targets[k] // width, targets[k] % width
        if loaded[y // TILE, x // TILE]:
            for c in range(channels):
                target[y, x, c] = source[sources[k], c]


def links_over_seams(
    mesh: Mesh, surface: int, own: Ownership, gutter: Gutter, texels: NDArray[np.float64],
    sizes: NDArray[np.int64], reach: float,
) -> SeamLinks:  # fmt: skip
    """Walk to each gutter texel of a surface within `reach` texels of its islands.

    texels: (F, 3, 2), every face in its own map, numbers everywhere; sizes: (k, 2).
    """
    return walks_over_seams(mesh, surface, own, gutter, texels, sizes, reach, (1,))[0]


def walks_over_seams(
    mesh: Mesh, surface: int, own: Ownership, gutter: Gutter, texels: NDArray[np.float64],
    sizes: NDArray[np.int64], reach: float, steps: Sequence[int],
) -> list[SeamLinks]:  # fmt: skip
    """As `links_over_seams`, but so many times as far; one for each of `steps`."""
    pairs, _ = gutter.by_target
    width, height = own.width, own.height
    target, inside = pairs[:, 0], pairs[:, 1]
    dx = (target % width - inside % width + width // 2) % width - width // 2
    dy = (target // width - inside // width + height // 2) % height - height // 2
    close = dx * dx + dy * dy <= reach * reach
    target, inside, dx, dy = target[close], inside[close], dx[close], dy[close]
    owner = own.owner()
    face = owner[inside // width, inside % width]
    # Where a texel lies in its face's own, unwrapped, coordinates: faces may repeat beyond the map.
    corner = texels[own.faces[face], 0]
    x = inside % width + 0.5
    y = inside // width + 0.5
    x = x + np.round((corner[:, 0] - x) / width) * width
    y = y + np.round((corner[:, 1] - y) / height) * height
    made = []
    for times in steps:
        found = np.full(len(target), surface, np.int32)
        source = inside.astype(np.int32)
        place = np.column_stack([inside % width + 0.5, inside // width + 0.5]).astype(np.float32)
        _walk_all(mesh, own, face, x, y, dx * times, dy * times, texels, sizes, found, source, place)
        made.append(SeamLinks(target.astype(np.int32), inside.astype(np.int32), found, source, place))
    return made


def walk_over(
    mesh: Mesh, own: Ownership, texels: NDArray[np.float64], surface: int, face: NDArray[np.int64],
    x: NDArray[np.float64], y: NDArray[np.float64], dx: NDArray[np.float64], dy: NDArray[np.float64],
) -> NDArray[np.float32]:  # fmt: skip
    """Walk from places on faces of a surface, (n,) each by its place among `own.faces`, by steps in texels.

    x, y: in the face's own coordinates. texels: (F, 3, 2), numbers everywhere. Returns (n, 2) the places where the
    walks end, in texels of the map; at the latest where the surface does.
    """
    place = np.zeros((len(face), 2), np.float32)
    sizes = np.full((int(mesh.face_surface.max(initial=0)) + 1, 2), (own.width, own.height), np.int64)
    nowhere = np.zeros(len(face), np.int32)
    _walk_all(mesh, own, face, x, y, dx, dy, texels, sizes, nowhere, nowhere.copy(), place, surface)
    return place


def _walk_all(
    mesh: Mesh, own: Ownership, face: NDArray[Any], x: NDArray[np.float64], y: NDArray[np.float64],
    dx: NDArray[Any], dy: NDArray[Any], texels: NDArray[np.float64], sizes: NDArray[np.int64],
    found: NDArray[np.int32], source: NDArray[np.int32], place: NDArray[np.float32], only: int = -1,
) -> None:  # fmt: skip
    """Walks; those that do not come to their end change nothing, but with `only` they end where that surface does."""
    topology = mesh.topology
    steps = np.ascontiguousarray(dx, np.float64), np.ascontiguousarray(dy, np.float64)
    _walk(
        own.matrices[face], own.faces[face], x, y, *steps, mesh.corners,
        mesh.face_normals, topology.neighbor, topology.neighbor_side, mesh.face_surface, texels, sizes,
        found, source, place, only, MOST_EDGES if only < 0 else MOST_EDGES_FAR,
    )  # fmt: skip


@kernel
def _walk(  # type: ignore[no-untyped-def]
    matrices, faces, xs, ys, dxs, dys, corners, normals, neighbor, neighbor_side, face_surface, texels, sizes,
    out_surface, out_texel, out_place, only, most,
):  # fmt: skip
    point, step, moved, along, inward = np.empty(3), np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    for i in range(len(faces)):
        m, f = matrices[i], faces[i]
        for k in range(3):
            point[k] = m[k] * xs[i] + m[k + 3] * ys[i] + m[k + 6]
            step[k] = m[k] * dxs[i] + m[k + 3] * dys[i]
        entered, done = -1, False
        for _ in range(most):
            # The side through which the step leaves this face first.
            best, side = 2.0, -1
            for s in range(3):
                if s == entered:
                    continue
                a, b = corners[f, s], corners[f, (s + 1) % 3]
                # Outward, in the face's plane: edge × normal.
                ox = (b[1] - a[1]) * normals[f, 2] - (b[2] - a[2]) * normals[f, 1]
                oy = (b[2] - a[2]) * normals[f, 0] - (b[0] - a[0]) * normals[f, 2]
                oz = (b[0] - a[0]) * normals[f, 1] - (b[1] - a[1]) * normals[f, 0]
                speed = ox * step[0] + oy * step[1] + oz * step[2]
                if speed <= 1e-30:
                    continue
                left = ox * (a[0] - point[0]) + oy * (a[1] - point[1]) + oz * (a[2] - point[2])
                t = max(left / speed, 0.0)
                if t < best:
                    best, side = t, s
            if side < 0 or best >= 1.0:
                for k in range(3):
                    point[k] += step[k]
                done = True
                break
            g = neighbor[f, side]
            if g < 0 or (only >= 0 and face_surface[g] != only):
                for k in range(3):
                    point[k] += step[k] * best
                break
            a, b = corners[f, side], corners[f, (side + 1) % 3]
            length = np.sqrt((b[0] - a[0]) ** 2 + (b[1] - a[1]) ** 2 + (b[2] - a[2]) ** 2)
            for k in range(3):
                point[k] += step[k] * best
                step[k] *= 1.0 - best
                along[k] = (b[k] - a[k]) / length
            # Turn the rest of the step around the edge into the next face.
            inward[0] = normals[g, 1] * along[2] - normals[g, 2] * along[1]
            inward[1] = normals[g, 2] * along[0] - normals[g, 0] * along[2]
            inward[2] = normals[g, 0] * along[1] - normals[g, 1] * along[0]
            lengthwise = step[0] * along[0] + step[1] * along[1] + step[2] * along[2]
            away = 0.0
            for k in range(3):
                moved[k] = step[k] - lengthwise * along[k]
                away += moved[k] * moved[k]
            away = np.sqrt(away)
            for k in range(3):
                # The neighbor runs along the edge the other way, so its inside lies against n × along.
                step[k] = lengthwise * along[k] - away * inward[k]
            entered, f = neighbor_side[f, side], g
        if not done and only < 0:
            continue
        a, b, c = corners[f, 0], corners[f, 1], corners[f, 2]
        wb, wc = _weights(a, b, c, point)
        s = face_surface[f]
        w, h = sizes[s, 0], sizes[s, 1]
        u = texels[f, 0, 0] * (1 - wb - wc) + texels[f, 1, 0] * wb + texels[f, 2, 0] * wc
        v = texels[f, 0, 1] * (1 - wb - wc) + texels[f, 1, 1] * wb + texels[f, 2, 1] * wc
        out_surface[i] = s
        out_place[i, 0], out_place[i, 1] = u, v
        out_texel[i] = (int(np.floor(v)) % h) * w + int(np.floor(u)) % w


@kernel
def _weights(a, b, c, p):  # type: ignore[no-untyped-def]
    ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    vx, vy, vz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    px, py, pz = p[0] - a[0], p[1] - a[1], p[2] - a[2]
    uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
    pu, pv = px * ux + py * uy + pz * uz, px * vx + py * vy + pz * vz
    det = max(uu * vv - uv * uv, 1e-300)
    return (vv * pu - uv * pv) / det, (uu * pv - uv * pu) / det
