"""What can be wrong with UVs, in numbers (F1, F11)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..kernels import kernel
from ..texels.ownership import MAX_REPEATS, affine, own_texels
from .mesh import Mesh

#: UV area, in texels, below which a face counts as having no UVs.
LEAST_AREA = 1e-6


@dataclass(frozen=True)
class UvReport:
    """The UVs of one surface over its map.

    missing, flipped: share of faces without usable UVs, and of those that lie mirrored in the map.
    overlap: share of covered texels that more than one face owns. outside: share of UV area outside 0-1.
    used: share of the map's texels that some face covers. density: least, median and greatest texels per
    model unit of a face. stretch: median and greatest ratio of a face's singular values (1: undistorted).
    """

    missing: float
    flipped: float
    overlap: float
    outside: float
    used: float
    density: tuple[float, float, float]
    stretch: tuple[float, float]

    def findings(self) -> list[str]:
        """What a painter should know before the first stroke, worst first; empty when the UVs are sound."""
        found = []
        if self.missing > 0:
            found.append(f"{_percent(self.missing)} of the faces have no UVs, so nothing can be painted there.")
        if self.overlap > 0.001:
            found.append(
                f"{_percent(self.overlap)} of the painted texels are shared: a stroke there shows in several places."
            )
        if self.outside > 0.001:
            found.append(f"{_percent(self.outside)} of the UVs lie outside the map and repeat what is inside.")
        if self.stretch[0] > 2:
            found.append(f"Paint is stretched {self.stretch[0]:.1f} times in the middle of the range.")
        if self.used < 0.1:
            found.append(f"Only {_percent(self.used)} of the map is used; paint will be coarse.")
        return found


def check_uvs(mesh: Mesh, faces: NDArray[np.int64], uv: NDArray[np.float32], width: int, height: int) -> UvReport:
    """The report for `faces` of a mesh with (F, 3, 2) UVs over a map of width × height texels."""
    corners = uv[faces].astype(np.float64) * (width, height)
    finite = np.isfinite(corners).all(axis=(1, 2))
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    with np.errstate(invalid="ignore"):
        signed = (e1[:, 0] * e2[:, 1] - e1[:, 1] * e2[:, 0]) / 2
        sound = finite & (np.abs(signed) > LEAST_AREA)
    if not sound.any():
        return UvReport(1.0, 0.0, 0.0, 0.0, 0.0, (0.0, 0.0, 0.0), (1.0, 1.0))
    # Faces are listed counter-clockwise seen from outside; with v pointing down that is a negative area.
    flipped = float((signed[sound] > 0).sum() / sound.sum())
    area = float(np.abs(signed[sound]).sum())
    inside = _area_inside(corners[sound], np.abs(signed[sound]), width, height)
    owned, covered = _owned(mesh, faces[sound], uv, width, height)
    density, stretch = _density_and_stretch(mesh.corners[faces[sound]], corners[sound])
    return UvReport(
        missing=float(1 - sound.mean()),
        flipped=flipped,
        overlap=float((owned > 1).sum() / max(covered, 1)),
        outside=float(max(0.0, 1 - inside / area)),
        used=covered / (width * height),
        density=(float(density.min()), float(np.median(density)), float(density.max())),
        stretch=(float(np.median(stretch)), float(stretch.max())),
    )


def _owned(
    mesh: Mesh, faces: NDArray[np.int64], uv: NDArray[np.float32], width: int, height: int
) -> tuple[NDArray[np.uint8], int]:
    """(H, W) number of owners of each texel, and how many texels have any."""
    try:
        own = own_texels(mesh, faces, uv, width, height)
    except NightmistError:
        # Repeats beyond MAX_REPEATS: each texel has more owners than can be told apart.
        return np.full((height, width), MAX_REPEATS, np.uint8), width * height
    count = np.zeros((height, width), np.uint8)
    _count(own.tile_start, own.pieces, own.spans, own.columns, count)
    return count, int((count > 0).sum())


def _density_and_stretch(
    points: NDArray[np.float64], uv: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Texels per model unit and ratio of singular values of faces (N, 3, 3) in space, (N, 3, 2) in texels."""
    slopes = affine(uv, points)
    dx, dy = slopes[:, 0:3], slopes[:, 3:6]
    # Singular values of the 3 × 2 Jacobian, from the eigenvalues of its 2 × 2 Gram matrix.
    a, b, c = (dx * dx).sum(1), (dx * dy).sum(1), (dy * dy).sum(1)
    middle, half = (a + c) / 2, np.hypot((a - c) / 2, b)
    large, small = np.sqrt(middle + half), np.sqrt(np.maximum(middle - half, 1e-300))
    return 1 / np.sqrt(np.maximum(large * small, 1e-300)), large / small


def _area_inside(triangles: NDArray[np.float64], areas: NDArray[np.float64], width: int, height: int) -> float:
    """Area of triangles (N, 3, 2) within 0…width × 0…height; only those that cross a border are clipped."""
    low, high = triangles.min(axis=1), triangles.max(axis=1)
    size = np.array([width, height])
    within = (low >= 0).all(axis=1) & (high <= size).all(axis=1)
    crossing = ~within & (high > 0).all(axis=1) & (low < size).all(axis=1)
    return float(areas[within].sum()) + sum(abs(_area(_clipped(t, width, height))) for t in triangles[crossing])


def _clipped(triangle: NDArray[np.float64], width: int, height: int) -> list[NDArray[np.float64]]:
    """The part of a triangle within the map, cut at one border after the other (Sutherland and Hodgman 1974)."""
    polygon = list(triangle)
    for axis, sign, limit in ((0, 1, 0.0), (0, -1, -float(width)), (1, 1, 0.0), (1, -1, -float(height))):
        kept = []
        for i, point in enumerate(polygon):
            before = polygon[i - 1]
            d0, d1 = sign * before[axis] - limit, sign * point[axis] - limit
            if (d0 < 0) != (d1 < 0):
                kept.append(before + (point - before) * (d0 / (d0 - d1)))
            if d1 >= 0:
                kept.append(point)
        polygon = kept
    return polygon


def _area(polygon: list[NDArray[np.float64]]) -> float:
    if len(polygon) < 3:
        return 0.0
    p = np.array(polygon)
    q = np.roll(p, -1, axis=0)
    return float((p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0]).sum() / 2)


def _percent(share: float) -> str:
    return f"{share:.0%}" if share >= 0.01 else f"{share:.1%}"


@kernel
def _count(tile_start, pieces, spans, columns, count):  # type: ignore[no-untyped-def]
    for t in range(len(tile_start) - 1):
        top, left = (t // columns) * 64, (t % columns) * 64
        for p in range(tile_start[t], tile_start[t + 1]):
            for i in range(pieces[p, 4]):
                first, last = spans[pieces[p, 5] + i]
                for c in range(left + first, left + last):
                    if count[top + pieces[p, 3] + i, c] < 255:
                        count[top + pieces[p, 3] + i, c] += 1
