"""Transfers paint to other UVs, another map size, or another mesh, through the surface.

Each new texel asks where its place on the surface lay before: the same face at the same weights where the
mesh is the same, else the nearest point of the old surface that faces the same way. What was painted there is
read with all texels that the new one covers, and never with texels that no face owned.
"""

from __future__ import annotations

from dataclasses import dataclass

import igl
import numpy as np
from numpy.typing import NDArray

from ..kernels import as_bool, as_uint16, carray, in_two_threads, kernel
from ..mesh.mesh import Mesh
from ..mesh.pick import barycentric
from ..mesh.unwrap import face_areas
from ..progress import Progress
from .ownership import Ownership, affine
from .raster import TILE, Raster, Tile, TileKey, tile_key

#: Old texels along a side of a new one that are told apart at most.
MOST_SAMPLES = 4
#: Faces agree when the angle between them is below 60 degrees.
AGREE = 0.5
#: From this difference on paint is other paint: more than sampling it anew makes, 16-bit.
OTHER = 0.05 * 65535
#: Points asked for at once, so that progress moves and memory stays small.
BATCH = 400_000
#: Faces of a mesh by the octant of their normals, eight arrays.
Octants = list[NDArray[np.int64]]


@dataclass
class OldPlace:
    """Where paint was before, for the faces of one new surface.

    matrix: (faces, 6) float64, new texel (x, y) to old texel: u = m0·x + m2·y + m4, v = m1·x + m3·y + m5.
    surface: (faces,) int32, the old surface of each face; -1 when the whole face has none, -2 when each texel
    has a place of its own. texel: for those, (H, W, 2) float32 old texels, and texel_surface (H, W) int32.
    """

    matrix: NDArray[np.float64]
    surface: NDArray[np.int32]
    texel: NDArray[np.float32] | None = None
    texel_surface: NDArray[np.int32] | None = None


def same_faces(own: Ownership, new_uv: NDArray[np.float64], old_uv: NDArray[np.float64],
               old_surface: NDArray[np.int32]) -> OldPlace:  # fmt: skip
    """The old places when mesh and faces are the same.

    new_uv, old_uv: (n, 3, 2) texels of the table's faces in the new and the old map; old_surface: (n,).
    Faces without area in either map have no old place.
    """
    flat = np.concatenate([old_uv, np.zeros((*old_uv.shape[:2], 1))], axis=2)
    both = np.concatenate([old_uv, new_uv], axis=2)
    finite: NDArray[np.bool_] = np.isfinite(both.reshape(len(both), 12)).all(axis=1)
    matrix = affine(np.where(finite[:, None, None], new_uv, 0), np.where(finite[:, None, None], flat, 0))
    area = np.abs(matrix[:, 0] * matrix[:, 4] - matrix[:, 1] * matrix[:, 3])
    surface = np.where(finite & (area > 1e-12), old_surface, -1).astype(np.int32)
    return OldPlace(np.ascontiguousarray(matrix[:, [0, 1, 3, 4, 6, 7]]), surface)


def nearest_places(
    own: Ownership, mesh: Mesh, old: Mesh, old_texels: NDArray[np.float64], old_surface: NDArray[np.int32],
    place: OldPlace, progress: Progress,
) -> OldPlace:  # fmt: skip
    """Fill in what `same_faces` left open (-1): each texel's nearest place on the old surface.

    mesh: the new one. old_texels: (F_old, 3, 2) in each face's old map. A point farther than 5 % of the old
    model's size, or facing elsewhere, has no old place.
    """
    open_faces = np.flatnonzero(place.surface == -1)
    if not len(open_faces):
        return place
    where = texels_of_faces(own, place.surface == -1)
    count = len(where)
    texel = np.zeros((own.height, own.width, 2), np.float32)
    texel_surface = np.full((own.height, own.width), -1, np.int32)
    corners = old.corners
    facing = _by_octant(old)
    for first in range(0, count, BATCH):
        progress("Finding the paint's old place", first / count)
        there = where[first : first + BATCH]
        face, ask = places_of(own, there)
        wanted = own.normals[face]
        found, near = nearest_faces(old, ask, wanted, facing)
        good = found >= 0
        weights = barycentric(corners[found[good]], near[good])
        uv = (old_texels[found[good]] * weights[:, :, None]).sum(axis=1)
        y, x = there[good, 0], there[good, 1]
        texel[y, x] = uv
        texel_surface[y, x] = np.where(np.isfinite(uv).all(axis=1), old_surface[found[good]], -1)
    surface = place.surface.copy()
    surface[open_faces] = -2
    return OldPlace(place.matrix, surface, texel, texel_surface)


def texels_of_faces(own: Ownership, chosen: NDArray[np.bool_]) -> NDArray[np.int32]:
    """(n, 3) the texels of some of a table's faces, each once however many of them it has: row, column, a piece."""
    found = np.full((own.height, own.width), -1, np.int32)
    _mark_pieces(own.tile_start, own.pieces, own.spans, own.columns, chosen.astype(np.uint8), found)
    where = np.empty((np.count_nonzero(found >= 0), 3), np.int32)
    _list_marked(found, where)
    return where


def places_of(own: Ownership, where: NDArray[np.int32]) -> tuple[NDArray[np.int32], NDArray[np.float64]]:
    """Of texels as `texels_of_faces` has them: (n,) the face, by its place in the table, and (n, 3) the middle."""
    faces, points = np.empty(len(where), np.int32), np.empty((len(where), 3))
    _places(own.pieces, own.matrices, where, faces, points)
    return faces, points


def nearest_faces(
    old: Mesh, points: NDArray[np.float64], normals: NDArray[np.float64], facing: Octants | None = None
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """The old face that each of (N, 3) points lies nearest to, and the place on it.

    -1 where that is farther than 5 % of the old model's size, or faces elsewhere than a point's normal.
    """
    found, near = _nearest_agreeing(points, normals, old, facing or _by_octant(old))
    low, high = old.bounds
    return np.where(np.linalg.norm(near - points, axis=1) < 0.05 * float(np.linalg.norm(high - low)), found, -1), near


def lost_places(
    old: Mesh, mesh: Mesh, points: NDArray[np.float64], normals: NDArray[np.float64], asking: NDArray[np.int64],
    slack: NDArray[np.float64],
) -> NDArray[np.bool_]:  # fmt: skip
    """(N,) which places on the old model none of the new one's faces takes over by `nearest_places`.

    points, normals: (N, 3) on old faces. asking: the new faces that look for their nearest old place. A place is
    taken over when the nearest new one, asked in turn, finds its way back to it, but for half of the distance
    between the models there or slack, (N,) model units, whichever is more.
    """
    lost = np.ones(len(points), np.bool_)
    if not len(asking) or not len(points):
        return lost
    there, on_new = _nearest_agreeing(points, normals, mesh, _by_octant(mesh, asking), asking)
    met = np.flatnonzero(there >= 0)
    if not len(met):
        return lost
    back, on_old = nearest_faces(old, on_new[met], mesh.face_normals[there[met]])
    apart = np.linalg.norm(on_new[met] - points[met], axis=1)
    astray = np.linalg.norm(on_old - points[met], axis=1)
    lost[met] = (back < 0) | (astray > np.maximum(apart / 2, slack[met]))
    return lost


def spread_over(corners: NDArray[np.float64], count: int) -> tuple[NDArray[np.intp], NDArray[np.float64]]:
    """(count,) triangles of (N, 3, 3), in order, by their share of the area, and (count, 3) weights of places on them.

    The places follow the sequence R2 of M. Roberts, "The Unreasonable Effectiveness of Quasirandom Sequences" (2018),
    folded into the triangle.
    """
    ends = np.cumsum(face_areas(corners))
    face = np.searchsorted(ends, (np.arange(count) + 0.5) / count * ends[-1])
    across = np.arange(1, count + 1)[:, None] * (0.7548776662466927, 0.5698402909980532) % 1.0
    across = np.where(across.sum(axis=1, keepdims=True) > 1, 1 - across, across)
    return face, np.column_stack([1 - across.sum(axis=1), across])


def matching_faces(mesh: Mesh, old: Mesh) -> NDArray[np.int64]:
    """(F,) for each new face the old one with the same three corners in space; -1 when there is none.

    Of several that lie on one another, the first is the first, the second the second; one more is the last.
    """
    rows = [np.ascontiguousarray(m.corners.reshape(-1, 9).astype(np.float32) + np.float32(0)) for m in (old, mesh)]
    _, place = np.unique(np.concatenate(rows).view("V36").ravel(), return_inverse=True)
    before, now = place[: len(old.faces)], place[len(old.faces) :]
    in_order = np.argsort(before, kind="stable")
    first, last = (np.searchsorted(before[in_order], now, side) for side in ("left", "right"))
    found = np.full(len(now), -1, np.int64)
    here = first < last
    found[here] = in_order[np.minimum(first + _nth(now), last - 1)[here]]
    return found


def _nth(values: NDArray[np.intp]) -> NDArray[np.int64]:
    """(n,) how many times each value came before."""
    nth = np.empty(len(values), np.int64)
    in_order = np.argsort(values, kind="stable")
    ordered = values[in_order]
    nth[in_order] = np.arange(len(values)) - np.searchsorted(ordered, ordered, "left")
    return nth


def transferred(
    own: Ownership, place: OldPlace, sources: dict[int, tuple[Raster, NDArray[np.bool_]]], channels: int
) -> tuple[dict[TileKey, Tile], int]:
    """The tiles of a layer's map after the change, transparent ones left out; in how many texels paint met other paint.

    Where faces lie over each other, what is painted on one of them shows on all; the paint of the last one, where
    several are painted. sources: for each old surface the layer's raster, and (H, W) which of its texels some face
    owned.
    """
    result: dict[TileKey, Tile] = {}
    numbers = sorted(sources)
    if not numbers:
        return result, 0
    size = np.array([[sources[n][0].width, sources[n][0].height] for n in numbers], np.int64)
    starts = np.cumsum([0] + [sources[n][0].addresses.size for n in numbers])[:-1]
    addresses = np.concatenate([sources[n][0].addresses.ravel() for n in numbers])
    covers = [np.ascontiguousarray(sources[n][1]) for n in numbers]
    cover_address = np.array([c.__array_interface__["data"][0] for c in covers], np.int64)
    slot = np.full(max(numbers) + 1, -1, np.int64)
    slot[numbers] = np.arange(len(numbers))
    tiles = own.used_tiles
    out = np.zeros((len(tiles), TILE, TILE, channels), np.uint16)
    met = np.zeros(len(tiles), np.int64)
    texel = place.texel if place.texel is not None else np.zeros((0, 0, 2), np.float32)
    texel_surface = place.texel_surface if place.texel_surface is not None else np.zeros((0, 0), np.int32)
    in_two_threads(
        len(tiles),
        lambda a, b: _transfer(
            tiles[a:b], own.tile_start, own.pieces, own.spans, own.columns, place.matrix, place.surface, texel,
            texel_surface, slot, size, starts, addresses, cover_address, out[a:b], met[a:b],
        ),
    )  # fmt: skip
    for i, tile in enumerate(tiles):
        if out[i, ..., -1].any():
            result[tile_key(tile, own.columns)] = out[i].copy()
    return result, int(met.sum())


def _by_octant(mesh: Mesh, among: NDArray[np.int64] | None = None) -> Octants:
    """Faces by the octant their normals point into: candidates for points that face the same way."""
    octant = _octant(mesh.face_normals)
    return [np.flatnonzero(octant == k) if among is None else among[octant[among] == k] for k in range(8)]


def _octant(normals: NDArray[np.float64]) -> NDArray[np.int64]:
    signs = (normals >= 0).astype(np.int64)
    number: NDArray[np.int64] = signs[:, 0] + 2 * signs[:, 1] + 4 * signs[:, 2]
    return number


def _nearest_agreeing(
    points: NDArray[np.float64], normals: NDArray[np.float64], mesh: Mesh, octants: Octants,
    among: NDArray[np.int64] | None = None,
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:  # fmt: skip
    """Nearest faces and points; where the nearest looks elsewhere (a thin wall's far side), one that agrees, or -1."""
    vertices, faces = mesh.positions.astype(np.float64), mesh.faces.astype(np.int64)
    members = np.arange(len(faces)) if among is None else among
    _, at, near = igl.point_mesh_squared_distance(points, vertices, faces[members])
    found, near = members[np.asarray(at, np.int64)], np.asarray(near)
    wrong = np.flatnonzero((mesh.face_normals[found] * normals).sum(axis=1) <= AGREE)
    octant = _octant(normals[wrong])
    for k, alike in enumerate(octants):
        mine = wrong[octant == k]
        if len(mine) and len(alike):
            _, at, close = igl.point_mesh_squared_distance(points[mine], vertices, faces[alike])
            found[mine], near[mine] = alike[np.asarray(at, np.int64)], close
    return np.where((mesh.face_normals[found] * normals).sum(axis=1) > AGREE, found, -1), near


@kernel
def _mark_pieces(tile_start, pieces, spans, columns, chosen, found):  # type: ignore[no-untyped-def]
    """Write the piece of a chosen face that holds each texel, (H, W); of several the last one."""
    for t in range(len(tile_start) - 1):
        top, left = (t // columns) * TILE, (t % columns) * TILE
        for p in range(tile_start[t], tile_start[t + 1]):
            if chosen[pieces[p, 0]] == 0:
                continue
            for i in range(pieces[p, 4]):
                first, last = spans[pieces[p, 5] + i]
                for c in range(first, last):
                    found[top + pieces[p, 3] + i, left + c] = p


@kernel
def _list_marked(found, where):  # type: ignore[no-untyped-def]
    """Row, column and what is marked there, where that is not -1; as many as `where` has room for."""
    count = 0
    for y in range(found.shape[0]):
        for x in range(found.shape[1]):
            if found[y, x] >= 0:
                where[count, 0], where[count, 1], where[count, 2] = y, x, found[y, x]
                count += 1


@kernel
def _places(pieces, matrices, where, faces, points):  # type: ignore[no-untyped-def]
    for n in range(len(where)):
        p = where[n, 2]
        f = pieces[p, 0]
        x, y = pieces[p, 1] + where[n, 1] % TILE + 0.5, pieces[p, 2] + where[n, 0] % TILE + 0.5
        m = matrices[f]
        faces[n] = f
        for k in range(3):
            points[n, k] = m[k] * x + m[k + 3] * y + m[k + 6]


@kernel
def _transfer(  # type: ignore[no-untyped-def]
    tiles, tile_start, pieces, spans, columns, matrices, surfaces, texel, texel_surface, slot, sizes, starts,
    addresses, covers, out, met,
):  # fmt: skip
    total, now = np.empty(5, np.float64), np.empty(out.shape[3], np.uint16)
    last_channel = out.shape[3] - 1
    for k in range(len(tiles)):
        t = tiles[k]
        top, left = (t // columns) * TILE, (t % columns) * TILE
        for p in range(tile_start[t], tile_start[t + 1]):
            f = pieces[p, 0]
            surface = surfaces[f]
            if surface == -1:
                continue
            m = matrices[f]
            across, down = 1, 1
            if surface >= 0:
                # As many samples along each side as old texels lie there.
                across = min(MOST_SAMPLES, max(1, int(np.ceil(np.hypot(m[0], m[1]) - 0.01))))
                down = min(MOST_SAMPLES, max(1, int(np.ceil(np.hypot(m[2], m[3]) - 0.01))))
            for i in range(pieces[p, 4]):
                row = pieces[p, 3] + i
                first, last = spans[pieces[p, 5] + i]
                for c in range(first, last):
                    here = surface
                    if surface == -2:
                        here = texel_surface[top + row, left + c]
                    if here < 0 or here >= len(slot) or slot[here] < 0:
                        continue
                    s = slot[here]
                    total[:] = 0
                    weight = 0.0
                    for sy in range(down):
                        for sx in range(across):
                            if surface == -2:
                                u, v = texel[top + row, left + c, 0], texel[top + row, left + c, 1]
                            else:
                                x = pieces[p, 1] + c + (sx + 0.5) / across
                                y = pieces[p, 2] + row + (sy + 0.5) / down
                                u, v = m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5]
                            weight += _sample(u, v, sizes[s, 0], sizes[s, 1], addresses, starts[s], covers[s],
                                              out.shape[3], total)  # fmt: skip
                    if weight <= 0:
                        continue
                    alpha = np.uint16(min(total[last_channel] / weight, 65535.0) + 0.5)
                    if alpha == 0:
                        continue
                    for ch in range(last_channel):
                        now[ch] = np.uint16(min(total[ch] / total[last_channel], 65535.0) + 0.5)
                    now[last_channel] = alpha
                    if _differ(out[k, row, c], now):
                        met[k] += 1
                    out[k, row, c] = now


@kernel
def _differ(before, now):  # type: ignore[no-untyped-def]
    """Whether a texel held paint already, and other than comes now; both as they count in what is seen."""
    last = len(now) - 1
    if before[last] == 0:
        return False
    a, b = before[last] / 65535.0, now[last] / 65535.0
    found = abs(a - b) * 65535.0 > OTHER
    for ch in range(last):
        found = found or abs(before[ch] * a - now[ch] * b) > OTHER
    return found


@kernel
def _sample(u, v, width, height, addresses, start, cover, channels, total):  # type: ignore[no-untyped-def]
    """Add a bilinear sample, premultiplied, of owned texels only; returns their weight."""
    owned = carray(as_bool(cover), (height, width))
    x0, y0 = int(np.floor(u - 0.5)), int(np.floor(v - 0.5))
    fx, fy = u - 0.5 - x0, v - 0.5 - y0
    columns = width // TILE
    weight = 0.0
    for dy in range(2):
        for dx in range(2):
            w = (fx if dx else 1 - fx) * (fy if dy else 1 - fy)
            if w <= 1e-6:
                continue
            x, y = (x0 + dx) % width, (y0 + dy) % height
            if not owned[y, x]:
                continue
            weight += w
            address = addresses[start + (y // TILE) * columns + x // TILE]
            if address != 0:
                tile = carray(as_uint16(address), (TILE, TILE, channels))
                a = w * tile[y % TILE, x % TILE, channels - 1]
                total[channels - 1] += a
                for c in range(channels - 1):
                    total[c] += a * tile[y % TILE, x % TILE, c]
    return weight
