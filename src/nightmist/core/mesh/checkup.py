"""What can be wrong with UVs, in numbers, in words, and face by face."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..figures import figures
from ..texels.gutter import Gutter
from ..texels.ownership import Ownership, affine
from .mesh import Mesh
from .overlap import Shared, nearest_islands, pairs_within, shared_texels, sharing_groups
from .unwrap import flat_areas

#: UV area, in texels, below which a face counts as having no UVs.
LEAST_AREA = 1e-6
#: Texels that filtering and shrinking want free between islands.
WANTED_GAP = 4
#: Stretch, largest over smallest, from which paint looks pulled.
STRETCHED = 2.0
#: Densities that differ more than this from the middle are seen side by side.
UNEVEN = 2.0

FindingKind = Literal["missing", "shared", "outside", "flipped", "stretch", "density", "unused", "gap"]
Cure = Literal["unwrap", "pack", "unflip", "even"]
CURES: dict[FindingKind, Cure] = {
    "missing": "unwrap", "shared": "unwrap", "outside": "pack", "flipped": "unflip", "stretch": "unwrap",
    "density": "even", "unused": "pack", "gap": "pack",
}  # fmt: skip


@dataclass(frozen=True)
class Finding:
    """One thing the painter should know: what, in a sentence, where, and what would help.

    serious: paint goes wrong, rather than being less good than it could be. faces: (n,) mesh faces.
    """

    kind: FindingKind
    sentence: str
    serious: bool
    faces: NDArray[np.int64]
    meant: bool = False

    @property
    def cure(self) -> Cure:
        return CURES[self.kind]


@dataclass(frozen=True)
class UvReport:
    """The UVs of one surface over its map.

    missing, flipped: share of faces without usable UVs, and of those that lie mirrored in the map.
    overlap: share of covered texels that more than one face owns. outside: share of UV area outside 0-1.
    used: share of the map's texels that some face covers. density: least, median and greatest texels per
    model unit of a face. stretch: median and greatest ratio of a face's singular values (1: undistorted).
    gap: texels between the two islands that are nearest to each other; infinite for a single island, and beyond
    the reach of what could run from one into the other.
    islands: how many there are. sharing: groups of islands that share texels and are not meant to, each island
    by one of its faces.
    """

    missing: float
    flipped: float
    overlap: float
    outside: float
    used: float
    density: tuple[float, float, float]
    stretch: tuple[float, float]
    gap: float = np.inf
    islands: int = 0
    sharing: tuple[tuple[int, ...], ...] = ()
    found: tuple[Finding, ...] = field(default=(), repr=False)

    def findings(self) -> list[str]:
        """What a painter should know before the first stroke, worst first; empty when the UVs are sound."""
        return [finding.sentence for finding in self.found]


def has_room(corners: NDArray[np.float64]) -> NDArray[np.bool_]:
    """(n,) whether triangles, (n, 3, 2) in texels, take up any of their map; those that lack UVs, NaN, do not."""
    with np.errstate(invalid="ignore"):
        taken: NDArray[np.bool_] = np.isfinite(corners).all(axis=(1, 2)) & (np.abs(flat_areas(corners)) > LEAST_AREA)
    return taken


def check_uvs(
    mesh: Mesh, faces: NDArray[np.int64], uv: NDArray[np.float32], width: int, height: int, own: Ownership | None,
    gutter: Gutter | None, island: NDArray[np.int64] | None = None, meant: Iterable[Sequence[int]] = (),
) -> UvReport:  # fmt: skip
    """The report for `faces` of a mesh with (F, 3, 2) UVs over a map of width × height texels.

    own: who of them owns its texels; None where too many do. gutter: around them, where there are any. island: (n,)
    labels of the faces, when gaps between islands are to be measured too. meant: groups of islands, each by one of its
    faces, that share texels on purpose; what shares with others is told all the same.
    """
    corners = uv[faces].astype(np.float64) * (width, height)
    sound = has_room(corners)
    if not sound.any():
        return UvReport(1.0, 0.0, 0.0, 0.0, 0.0, (0.0, 0.0, 0.0), (1.0, 1.0), found=(_missing(1.0, faces),))
    lost, faces, corners = faces[~sound], faces[sound], corners[sound]
    signed = flat_areas(corners)
    island = None if island is None else island[sound]
    # Faces are listed counter-clockwise seen from outside; with v pointing down that is a negative area.
    flipped = signed > 0
    leaves = _leaves(corners, width, height)
    inside = _area_inside(corners, np.abs(signed), width, height)
    shared = _shared_by(own, sound, width * height)
    density, stretch = density_and_stretch(mesh.corners[faces], corners)
    gap, near = np.inf, np.zeros(0, np.int64)
    labels = np.zeros(len(faces), np.int64)
    if island is not None and own is not None:
        labels = np.unique(island, return_inverse=True)[1]
        if labels.max() > 0 and gutter:
            every = np.full(len(sound), -1, np.int64)
            every[sound] = labels
            gap, near = nearest_islands(own, gutter, every)
    report = UvReport(
        missing=float(1 - sound.mean()),
        flipped=float(flipped.mean()),
        overlap=shared.texels / max(shared.covered, 1),
        outside=float(max(0.0, 1 - inside / np.abs(signed).sum())),
        used=shared.covered / (width * height),
        density=(float(density.min()), float(np.median(density)), float(density.max())),
        stretch=(float(np.median(stretch)), float(stretch.max())),
        gap=gap,
        islands=int(labels.max()) + 1,
    )
    found: list[Finding] = []
    if len(lost):
        found.append(_missing(report.missing, lost))
    sharing: tuple[tuple[int, ...], ...] = ()
    if report.overlap > 0.0005:
        known = pairs_within(faces, labels, shared, meant)
        for chosen, on_purpose in ((~known, False), (known, True)):
            found += _shared(report, faces, labels, shared, chosen, on_purpose, island is not None)
        sharing = sharing_groups(faces, labels, shared, ~known)
    if report.outside > 0.001:
        sentence = f"{_percent(report.outside)} of the UVs lie outside the map and repeat what is inside."
        found.append(Finding("outside", sentence, True, faces[leaves]))
    if report.flipped > 0.001:
        sentence = f"{_percent(report.flipped)} of the faces lie mirrored in the map: pictures and letters turn over."
        found.append(Finding("flipped", sentence, False, faces[flipped]))
    # In tenths, as it is told.
    pulled = stretch.round(1) > STRETCHED
    weight = np.abs(signed)
    if weight[pulled].sum() > 0.02 * weight.sum():
        share = _percent(float(weight[pulled].sum() / weight.sum()))
        sentence = f"On {share} of the map paint is stretched more than {STRETCHED:g} times, up to {stretch.max():.1f}."
        found.append(Finding("stretch", sentence, False, faces[pulled]))
    found += _uneven(mesh, faces, labels, signed) if island is not None else []
    if report.used < 0.1:
        sentence = f"Only {_percent(report.used)} of the map is used; paint will be coarse."
        found.append(Finding("unused", sentence, False, faces))
    if report.gap < WANTED_GAP and report.overlap <= 0.0005:
        sentence = (
            f"Islands come as near as {report.gap:.0f} texels; below {WANTED_GAP} the color of one bleeds into"
            " the other at a distance."
        )
        found.append(Finding("gap", sentence, False, faces[np.isin(labels, near)]))
    return replace(report, sharing=sharing, found=tuple(found))


def _shared(
    report: UvReport, faces: NDArray[np.int64], labels: NDArray[np.int64], shared: Shared, chosen: NDArray[np.bool_],
    meant: bool, several: bool,
) -> list[Finding]:  # fmt: skip
    """What is to be said of the chosen pairs that share texels; of all faces when pairs are not told apart."""
    # Each owner of a texel beyond its first makes a pair.
    part = min(1.0, int(shared.common[chosen].sum()) / shared.texels) if len(chosen) else float(not meant)
    if report.overlap * part <= 0.0005:
        return []
    twins = np.unique(np.concatenate([shared.first[chosen], shared.second[chosen]]))
    among = len(np.unique(labels[twins])) if len(twins) else report.islands
    where = (f" by {among} islands" if among > 1 else " within one island") if several else ""
    sentence = (
        f"{_percent(report.overlap * part)} of the painted texels are shared{where}: a stroke there shows in several"
        " places."
    )
    return [Finding("shared", sentence, True, faces[twins] if len(twins) else faces, meant)]


def _missing(share: float, faces: NDArray[np.int64]) -> Finding:
    sentence = f"{_percent(share)} of the faces have no UVs, so nothing can be painted there."
    return Finding("missing", sentence, True, faces)


def _uneven(
    mesh: Mesh, faces: NDArray[np.int64], labels: NDArray[np.int64], signed: NDArray[np.float64]
) -> list[Finding]:
    """Islands much finer or coarser than the others."""
    density, space = island_densities(mesh.corners[faces], np.abs(signed), labels)
    middle = _weighted_median(density, space)
    odd = (density > UNEVEN * middle) | (density < middle / UNEVEN)
    if space[odd].sum() < 0.01 * space.sum():
        return []
    sentence = (
        f"Islands differ in texel density, {figures(density.min())} to {figures(density.max())} px per unit:"
        " strokes look coarser on some."
    )
    return [Finding("density", sentence, False, faces[odd[labels]])]


def island_densities(
    points: NDArray[np.float64], texels: NDArray[np.float64], island: NDArray[np.int64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Texels per model unit of each island, and its area in space.

    points: (n, 3, 3) faces. texels: (n,) their areas in the map. island: (n,) labels 0…k-1.
    """
    cross = np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0])
    space: NDArray[np.float64] = np.bincount(island, np.linalg.norm(cross, axis=1) / 2).astype(np.float64)
    density: NDArray[np.float64] = np.sqrt(np.bincount(island, texels) / np.maximum(space, 1e-300))
    return density, space


def _weighted_median(values: NDArray[np.float64], weights: NDArray[np.float64]) -> float:
    order = np.argsort(values)
    total = np.cumsum(weights[order])
    return float(values[order][np.searchsorted(total, total[-1] / 2)])


def _shared_by(own: Ownership | None, sound: NDArray[np.bool_], texels: int) -> Shared:
    """Who shares texels, counted among the sound faces; without owners each texel has more than can be told apart."""
    if own is None:
        none = np.zeros(0, np.int64)
        return Shared(none, none, none, texels, texels)
    shared = shared_texels(own)
    place = np.cumsum(sound) - 1
    told = sound[shared.first] & sound[shared.second]
    first, second = place[shared.first[told]], place[shared.second[told]]
    return replace(shared, first=first, second=second, common=shared.common[told])


def density_and_stretch(
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


def _leaves(triangles: NDArray[np.float64], width: int, height: int) -> NDArray[np.bool_]:
    """Which triangles (N, 3, 2) reach outside the map by more than a texel's thousandth."""
    low, high = triangles.min(axis=1), triangles.max(axis=1)
    leaves: NDArray[np.bool_] = ((low < -1e-3) | (high > np.array([width, height]) + 1e-3)).any(axis=1)
    return leaves


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
