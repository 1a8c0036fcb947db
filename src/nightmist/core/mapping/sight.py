"""What a camera sees of a model: a depth buffer, and which texels it leaves in the open."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from ..kernels import in_two_threads, kernel
from ..mesh import Mesh
from ..texels.ownership import Ownership
from ..texels.raster import TILE
from ..texels.tile_mask import TileMask
from .camera import Camera

#: Pixels along the longer side of the buffer at most: finer ones tell nothing that a brush would show.
LONGEST = 1600
#: Rows of the buffer that are drawn together, once a texel is asked about that lies there.
BAND = 64
#: How far behind what is seen a place may lie and still count as seen: a share of the model's size …
NEAR_SHARE = 0.002
#: … and so many pixels of the buffer, at its depth, since one depth stands for a whole pixel.
NEAR_PIXELS = 1.0


class Sight:
    """The depth, along the camera's axis, of the nearest face under each pixel."""

    def __init__(self, camera: Camera, mesh: Mesh, hidden_parts: tuple[int, ...] = ()) -> None:
        """Faces of hidden parts do not cover anything."""
        width, height = camera.viewport
        scale = min(1.0, LONGEST / max(width, height))
        self.eye, self.axes = np.asarray(camera.eye, np.float64), np.array(camera.axes)
        columns, rows = max(int(width * scale), 1), max(int(height * scale), 1)
        #: Pixels of the buffer for a step of one sideways at depth one.
        self.focal = rows / 2 / math.tan(math.radians(camera.fov_y) / 2)
        low, high = mesh.bounds
        self.tolerance = NEAR_SHARE * float(np.linalg.norm(high - low))
        self.depth = np.full((rows, columns), np.inf, np.float32)
        self.faces, self.near = mesh.faces, max(1e-9, 1e-6 * float(np.linalg.norm(high - low)))
        self.shown = ~np.isin(mesh.face_part, hidden_parts) if hidden_parts else np.ones(len(mesh.faces), np.bool_)
        self.places, self.projected = np.empty((2, len(mesh.positions), 3))
        _turn(mesh.positions, self.eye, self.axes, self.focal, columns, rows, self.places, self.projected)
        #: (bands,) those that are drawn.
        self.drawn = np.zeros(-(-rows // BAND), np.bool_)

    @property
    def bytes(self) -> int:
        """What it holds of its own."""
        return self.depth.nbytes + self.places.nbytes + self.projected.nbytes + self.shown.nbytes

    def draw(self, bands: NDArray[np.bool_]) -> None:
        """See that bands of the buffer are drawn."""
        missing, rows = np.flatnonzero(bands & ~self.drawn), len(self.depth)

        def work(a: int, b: int) -> None:
            for first in (missing[a:b] * BAND).tolist():
                _draw(self.places, self.projected, self.faces, self.shown, self.focal, self.near, first,
                      min(first + BAND, rows), self.depth)  # fmt: skip

        in_two_threads(len(missing), work, 2)
        self.drawn[missing] = True

    def mask(self, own: Ownership, hidden: NDArray[np.uint8], matrix: NDArray[np.float64]) -> TileMask:
        """Closed for texels that face the eye but lie behind something; what is averted stays open.

        matrix: (3, 4) turn or reflection, and shift, under whose image texels are asked about: those of a mirrored dab
        count as seen where the dab's original is. hidden: (n,) 1 for each face of the table that is hidden.
        """
        # Asking about X under the image M is asking about M⁻¹X; M keeps lengths, so the camera moves instead.
        eye, axes = matrix[:, :3] @ self.eye + matrix[:, 3], self.axes @ matrix[:, :3].T

        def make(tiles: NDArray[np.int32]) -> NDArray[np.float32]:
            bands, shares = np.zeros_like(self.drawn), np.ones((len(tiles), TILE, TILE), np.float32)
            _lie_in(tiles, own.tile_start, own.pieces, own.balls, own.matrices, own.normals, hidden, eye, axes,
                    self.focal, self.near, len(self.depth), bands)  # fmt: skip
            self.draw(bands)
            in_two_threads(
                len(tiles),
                lambda a, b: _seen(tiles[a:b], own.tile_start, own.pieces, own.spans, own.matrices, own.normals,
                                   hidden, eye, axes, self.focal, self.tolerance, self.depth, shares[a:b]),
                4,
            )  # fmt: skip
            return shares

        return TileMask(len(own.tile_start) - 1, make)


@kernel
def _turn(positions, eye, axes, focal, columns, rows, places, drawn):  # type: ignore[no-untyped-def]
    """Places in the camera's own axes, right, up, forward; and as they are drawn: column, row, 1 / depth."""
    for i in range(len(positions)):
        x, y, z = positions[i, 0] - eye[0], positions[i, 1] - eye[1], positions[i, 2] - eye[2]
        for axis in range(3):
            places[i, axis] = axes[axis, 0] * x + axes[axis, 1] * y + axes[axis, 2] * z
        _project(places[i], focal, columns, rows, drawn[i])


@kernel
def _project(place, focal, columns, rows, drawn):  # type: ignore[no-untyped-def]
    drawn[2] = 1.0 / place[2]
    drawn[0] = columns / 2 + focal * place[0] * drawn[2]
    drawn[1] = rows / 2 - focal * place[1] * drawn[2]


@kernel
def _draw(places, drawn, faces, shown, focal, near, first, end, depth):  # type: ignore[no-untyped-def]
    """Rows first to end of the buffer; triangles are cut at the near plane."""
    cut, cut_drawn = np.empty((4, 3)), np.empty((4, 3))
    rows, columns = depth.shape
    for f in range(len(faces)):
        if not shown[f]:
            continue
        i, j, k = faces[f, 0], faces[f, 1], faces[f, 2]
        if places[i, 2] > near and places[j, 2] > near and places[k, 2] > near:
            # Asked before anything else is done with a face: most lie in other rows.
            low, high = min(drawn[i, 1], drawn[j, 1], drawn[k, 1]), max(drawn[i, 1], drawn[j, 1], drawn[k, 1])
            if high <= first or low >= end:
                continue
            _draw_triangle(drawn[i], drawn[j], drawn[k], first, end, depth)
            continue
        count = 0
        for side in range(3):
            a, b = places[faces[f, side]], places[faces[f, (side + 1) % 3]]
            if a[2] > near:
                cut[count] = a
                count += 1
            if (a[2] > near) != (b[2] > near):
                t = (near - a[2]) / (b[2] - a[2])
                for axis in range(3):
                    cut[count, axis] = a[axis] + (b[axis] - a[axis]) * t
                count += 1
        for side in range(count):
            _project(cut[side], focal, columns, rows, cut_drawn[side])
        for side in range(1, count - 1):
            _draw_triangle(cut_drawn[0], cut_drawn[side], cut_drawn[side + 1], first, end, depth)


@kernel
def _draw_triangle(a, b, c, first, end, depth):  # type: ignore[no-untyped-def]
    """Pixels whose middle a triangle holds, row by row between its edges; 1 / depth is linear on the screen."""
    ax, ay, az, bx, by, bz, cx, cy, cz = a[0], a[1], a[2], b[0], b[1], b[2], c[0], c[1], c[2]
    columns = depth.shape[1]
    area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
    top, bottom = max(np.ceil(min(ay, by, cy) - 0.5), first), min(np.floor(max(ay, by, cy) - 0.5) + 1, end)
    if not bottom > top or area == 0 or not np.isfinite(area):
        return
    # 1 / depth at column x of row y: az + across · (x - ax) + down · (y - ay).
    across = ((bz - az) * (cy - ay) - (cz - az) * (by - ay)) / area
    down = ((cz - az) * (bx - ax) - (bz - az) * (cx - ax)) / area
    for row in range(int(top), int(bottom)):
        y = row + 0.5
        left, right = _crossing(ax, ay, bx, by, y, np.inf, -np.inf)
        left, right = _crossing(bx, by, cx, cy, y, left, right)
        left, right = _crossing(cx, cy, ax, ay, y, left, right)
        start, stop = int(max(np.ceil(left - 0.5), 0.0)), int(min(np.floor(right - 0.5) + 1, columns))
        inverse, step = np.float32(az + across * (start + 0.5 - ax) + down * (y - ay)), np.float32(across)
        for column in range(start, stop):
            z = np.float32(1.0) / (inverse + step * np.float32(column - start))
            depth[row, column] = min(depth[row, column], z)


@kernel
def _crossing(px, py, qx, qy, y, left, right):  # type: ignore[no-untyped-def]
    """Widen a row's interval by where an edge crosses it."""
    if (py <= y) == (qy <= y):
        return left, right
    x = px + (qx - px) * (y - py) / (qy - py)
    return min(left, x), max(right, x)


@kernel
def _lie_in(  # type: ignore[no-untyped-def]
    tiles, tile_start, pieces, balls, matrices, normals, hidden, eye, axes, focal, near, rows, bands
):
    """Mark the bands in which texels of some tiles may lie that face the eye, by balls around their pieces."""
    for k in range(len(tiles)):
        for p in range(tile_start[tiles[k]], tile_start[tiles[k] + 1]):
            f, across, down = pieces[p, 0], 0.0, 0.0
            facing, up, z = 0.0, 0.0, 0.0
            for axis in range(3):
                across += matrices[f, axis] ** 2
                down += matrices[f, 3 + axis] ** 2
                facing += normals[f, axis] * (eye[axis] - matrices[f, 6 + axis])
                up += axes[1, axis] * (balls[p, axis] - eye[axis])
                z += axes[2, axis] * (balls[p, axis] - eye[axis])
            # Beside a texel its neighbors are asked about.
            r = balls[p, 3] + np.sqrt(max(across, down))
            if hidden[f] != 0 or facing <= 0 or z + r <= 0:
                continue
            top, bottom = 0.0, float(rows)
            if z - r > near:
                highest = (up + r) / (z - r if up + r > 0 else z + r)
                lowest = (up - r) / (z + r if up - r > 0 else z - r)
                # A pixel more on both sides: the four around a texel are asked.
                top, bottom = max(rows / 2 - focal * highest - 2, 0.0), min(rows / 2 - focal * lowest + 2, bottom)
            if bottom > top:
                for band in range(int(top) // BAND, int(np.ceil(bottom / BAND))):
                    bands[band] = True


@kernel
def _seen(  # type: ignore[no-untyped-def]
    tiles, tile_start, pieces, spans, matrices, normals, hidden, eye, axes, focal, tolerance, depth, shares
):
    met, line = np.zeros((TILE, TILE), np.bool_), np.empty((4, 3))
    places, allowed = np.zeros(TILE, np.int32), np.zeros(TILE)
    rows, columns = depth.shape
    flat = depth.ravel()
    for k in range(len(tiles)):
        t = tiles[k]
        met[:] = False
        for p in range(tile_start[t], tile_start[t + 1]):
            f = pieces[p, 0]
            if hidden[f] != 0:
                continue
            m, n = matrices[f], normals[f]
            _linear(m, n, eye, axes, line)
            for i in range(pieces[p, 4]):
                row = pieces[p, 3] + i
                first, end = spans[pieces[p, 5] + i]
                y, left = pieces[p, 2] + row + 0.5, pieces[p, 1] + 0.5
                _places(line, left, y, first, end, focal, tolerance, rows, columns, places, allowed)
                for column in range(first, end):
                    at = places[column]
                    if at < 0 or allowed[column] <= min(
                        flat[at], flat[at + 1], flat[at + columns], flat[at + columns + 1]
                    ):
                        shares[k, row, column] = np.float32(1.0)
                    else:
                        share = _share_around(line, n, left + column, y, axes, focal, tolerance, depth)
                        # Where several faces share a texel, seeing one of them is enough.
                        before = shares[k, row, column] if met[row, column] else np.float32(0.0)
                        shares[k, row, column] = max(before, share)
                    met[row, column] = True


@kernel
def _places(line, left, y, first, end, focal, tolerance, rows, columns, places, allowed):  # type: ignore[no-untyped-def]
    """For a row of texels: the upper left of the four pixels around each, by number, and what depth is near enough.

    -1 where nothing is asked: it is averted, or lies outside the picture, where the brush goes on as it always did.
    """
    r0, u0 = line[0, 1] * y + line[0, 2], line[1, 1] * y + line[1, 2]
    z0, f0 = line[2, 1] * y + line[2, 2], line[3, 1] * y + line[3, 2]
    dr, du, dz, df = line[0, 0], line[1, 0], line[2, 0], line[3, 0]
    middle_u, middle_v, pixel = columns / 2 - 0.5, rows / 2 - 0.5, NEAR_PIXELS / focal
    for column in range(first, end):
        x = left + column
        z = dz * x + z0
        scale = focal / z
        u, v = middle_u + (dr * x + r0) * scale, middle_v - (du * x + u0) * scale
        asked = (df * x + f0 > 0) & (z > 0) & (u >= 0) & (v >= 0) & (u <= columns - 1) & (v <= rows - 1)
        # A number that is none must not become a place.
        at_u, at_v = np.int32(u if asked else 0.0), np.int32(v if asked else 0.0)
        at = min(at_v, np.int32(rows - 2)) * np.int32(columns) + min(at_u, np.int32(columns - 2))
        places[column] = at if asked else np.int32(-1)
        allowed[column] = z - tolerance - pixel * z


@kernel
def _linear(m, n, eye, axes, line):  # type: ignore[no-untyped-def]
    """How a face's texels lie before the eye, by x, y, 1: line (4, 3), right, up, forward, distance to its plane."""
    for j in range(3):
        for k in range(4):
            line[k, j] = 0.0
        for axis in range(3):
            way = m[3 * j + axis] - (eye[axis] if j == 2 else 0.0)
            for k in range(3):
                line[k, j] += axes[k, axis] * way
            line[3, j] -= n[axis] * way


@kernel
def _share_around(line, n, x, y, axes, focal, tolerance, depth):  # type: ignore[no-untyped-def]
    """How much the camera sees of a texel, or of a place beside it, one texel off on the face's plane.

    Maps are interpolated: a texel just behind the border of what covers it is half of what one sees before that border.
    """
    share, one = np.float32(0.0), np.float32(1.0)
    rows, columns = depth.shape
    for k in range(5):
        if share >= one:
            break
        u, v = x + (k == 1) - (k == 2), y + (k == 3) - (k == 4)
        z, facing = line[2, 0] * u + line[2, 1] * v + line[2, 2], line[3, 0] * u + line[3, 1] * v + line[3, 2]
        # A place beside it that lies behind the eye, or on the other side of it, is no place of this face's.
        if k and (z <= 0 or facing <= 0):
            continue
        right, up = line[0, 0] * u + line[0, 1] * v + line[0, 2], line[1, 0] * u + line[1, 1] * v + line[1, 2]
        # Nor is one outside the picture, of which nothing is known.
        if k and (2 * abs(right) * focal > columns * z or 2 * abs(up) * focal > rows * z):
            continue
        seen = _share(right, up, z, facing, n, axes, focal, tolerance, depth)
        # Half of a place on the border is seen: all of what lies less than a texel behind that is wanted.
        share = max(share, min(2 * seen, one) if k else seen)
    return share


@kernel
def _share(right, up, z, facing, n, axes, focal, tolerance, depth):  # type: ignore[no-untyped-def]
    """How much of a texel the camera sees: the mean over the four pixels around it, by their nearness.

    right, up, z: where it lies from the eye. facing: how far the eye lies before its face's plane.
    """
    one = np.float32(1.0)
    rows, columns = depth.shape
    scale = focal / z
    u, v = columns / 2 + right * scale - 0.5, rows / 2 - up * scale - 0.5
    x0, y0 = min(int(u), columns - 2), min(int(v), rows - 2)
    if x0 < 0 or y0 < 0:
        return one
    fx, fy = u - x0, v - y0
    allowed = tolerance + NEAR_PIXELS * z / focal
    share = 0.0
    for dy in range(2):
        for dx in range(2):
            # The face's own plane at the pixel's middle, where that is nearer: slopes do not cover themselves.
            qx, qy = (x0 + dx + 0.5 - columns / 2) / focal, (rows / 2 - y0 - dy - 0.5) / focal
            slope = 0.0
            for axis in range(3):
                slope -= n[axis] * (axes[2, axis] + qx * axes[0, axis] + qy * axes[1, axis])
            here = z
            if slope > 1e-9:
                here = min(z, facing / slope)
            if here <= depth[y0 + dy, x0 + dx] + allowed:
                share += (fx if dx else 1 - fx) * (fy if dy else 1 - fy)
    return np.float32(min(share, 1.0))
