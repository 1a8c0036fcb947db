"""A triangle mesh as the painter's model: surfaces, parts, UV sets, all in model space."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..kernels import kernel
from ..names import clean_name, unused_name
from .look import SceneNode, SurfaceLook
from .polygons import guessed_polygons
from .shape import Shape
from .topology import Topology, linked_surfaces

MAX_FACES = 2_000_000
#: Degrees between a face and the normals at its corners up to which it stands for a piece of something round. Beyond,
#: an edge was shaded softly.
ROUND = 25.0


@dataclass
class Mesh:
    """Triangles with everything stored per corner, so that seams need no special case. Never changed in place.

    positions: (V, 3) float32, node transforms applied.
    faces: (F, 3) int32 into positions.
    uvs: one (F, 3, 2) float32 per UV set; NaN where a face has none.
    normals: (F, 3, 3) float32 shading normals, unit length.
    face_surface, face_part: (F,) int32 into surfaces and parts.
    polygon: (F,) int32, triangles of one polygon share a number.
    seams: (S, 2) int32 pairs of positions: edges where the painter wants the map cut.
    nodes: how the file's parts hang together; each parent stands before its children.
    """

    positions: NDArray[np.float32]
    faces: NDArray[np.int32]
    uvs: list[NDArray[np.float32]]
    normals: NDArray[np.float32]
    face_surface: NDArray[np.int32]
    face_part: NDArray[np.int32]
    polygon: NDArray[np.int32]
    surfaces: list[SurfaceLook]
    parts: list[str]
    notes: list[str] = field(default_factory=list)
    seams: NDArray[np.int32] = field(default_factory=lambda: np.zeros((0, 2), np.int32))
    nodes: list[SceneNode] = field(default_factory=list)

    @cached_property
    def shape(self) -> Shape:
        """What follows from positions, faces and polygons alone."""
        return Shape(self.positions, self.faces, self.polygon)

    @property
    def weld(self) -> NDArray[np.int64]:
        """(V,) number of each position; those at exactly one place share it."""
        return self.shape.weld

    @property
    def corners(self) -> NDArray[np.float64]:
        """(F, 3, 3) corner positions."""
        return self.shape.corners

    @property
    def face_normals(self) -> NDArray[np.float64]:
        """(F, 3) geometric normals of unit length; zero for faces without area."""
        return self.shape.face_normals

    @property
    def bounds(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Lowest and highest corner of the box around all faces."""
        return self.shape.bounds

    @property
    def topology(self) -> Topology:
        """Which faces meet where."""
        return self.shape.topology

    @cached_property
    def is_round(self) -> NDArray[np.bool_]:
        """(F,) faces that stand for a piece of something round; not where normals only soften the look of an edge."""
        corners = np.einsum("fck,fk->fc", self.normals, self.face_normals, dtype=np.float64)
        found: NDArray[np.bool_] = corners.min(axis=1) >= math.cos(math.radians(ROUND))
        return found

    @cached_property
    def linked(self) -> dict[int, tuple[int, ...]]:
        """By number of a surface with faces: which surfaces edges lead to from it, at once or over others, and itself.

        Their numbers rise.
        """
        return linked_surfaces(self.topology, self.face_surface)

    def changed(self, **fields: Any) -> Mesh:
        """A copy with other arrays; what was derived from the shape alone is kept while the shape is."""
        copy = replace(self, **fields)
        if not {"positions", "faces", "polygon"} & set(fields):
            copy.shape = self.shape
        return copy

    def with_uvs(self, uv_set: int, faces: NDArray[np.int64], uv: NDArray[np.float32]) -> Mesh:
        """A copy in which these faces have other UVs, (len(faces), 3, 2), in one set."""
        uvs = list(self.uvs)
        while len(uvs) <= uv_set:
            uvs.append(np.full((len(self.faces), 3, 2), np.nan, np.float32))
        uvs[uv_set] = uvs[uv_set].copy()
        uvs[uv_set][faces] = uv
        return self.changed(uvs=uvs)

    def faces_of(self, surface: int) -> NDArray[np.int64]:
        """Indices of the faces that belong to a surface."""
        return np.flatnonzero(self.face_surface == surface)


def build_mesh(
    positions: NDArray[np.float32],
    faces: NDArray[np.int32],
    uvs: list[NDArray[np.float32]],
    normals: NDArray[np.float32] | None,
    face_surface: NDArray[np.int32],
    face_part: NDArray[np.int32],
    surfaces: list[SurfaceLook],
    parts: list[str],
    source: str,
    polygon: NDArray[np.int32] | None = None,
) -> Mesh:
    """Check raw arrays of a file and make a Mesh of them; without `polygon`, quads are guessed.

    Raises NightmistError, naming `source`, for meshes without faces, with too many, with indices out of
    range or positions that are not numbers. Faces without area are dropped with a note.
    """
    if len(faces) == 0:
        raise NightmistError(f"{source} holds no faces, so there is nothing to paint on.")
    if len(faces) > MAX_FACES:
        raise NightmistError(
            f"{source} has {len(faces):,} triangles; at most {MAX_FACES:,} can be opened. Reduce the mesh first."
        )
    if faces.min() < 0 or faces.max() >= len(positions):
        raise NightmistError(
            f"{source} is damaged: a face points at vertex {int(faces.max())}, but there are {len(positions)}."
        )
    used = positions[faces]
    if not np.isfinite(used).all():
        wrong = int((~np.isfinite(used)).any(axis=(1, 2)).sum())
        raise NightmistError(f"{source} is damaged: a position in {wrong} of its faces is not a number.")
    if np.abs(used).max() > 1e9:
        raise NightmistError(f"{source} reaches out to {np.abs(used).max():.3g} units; scale it below 1e9 first.")
    a, b, c = used[:, 0].astype(np.float64), used[:, 1].astype(np.float64), used[:, 2].astype(np.float64)
    keep = np.linalg.norm(np.cross(b - a, c - a), axis=1) > 0
    if not keep.any():
        raise NightmistError(f"{source} has only faces without area, so there is nothing to paint on.")
    if polygon is None:
        polygon = guessed_polygons(faces, used.astype(np.float64))
    parts = [clean_name(part, f"part {number + 1}") for number, part in enumerate(parts)]
    mesh = Mesh(
        positions, faces[keep], [uv[keep] for uv in uvs], np.zeros((0, 3, 3), np.float32),
        face_surface[keep], face_part[keep], polygon[keep], surfaces, parts,
    )  # fmt: skip
    if not keep.all():
        mesh.notes.append(f"{int((~keep).sum())} faces without area were left out.")
    normals = normals[keep] if normals is not None else None
    mesh.normals = sound_normals(mesh, normals)
    return drop_empty_surfaces(mesh)


def sound_normals(mesh: Mesh, given: NDArray[np.float32] | None) -> NDArray[np.float32]:
    """Shading normals (F, 3, 3): those given where usable, else area-weighted vertex normals."""
    if given is None:
        smooth = smooth_normals(mesh)
    else:
        length = np.linalg.norm(given, axis=2, keepdims=True)
        good = np.isfinite(length) & (length > 1e-8)
        flat = np.broadcast_to(mesh.face_normals[:, None, :], given.shape)
        smooth = np.where(good, given / np.where(good, length, 1), flat)
    return smooth.astype(np.float32)


def smooth_normals(mesh: Mesh, crease: float = 40.0) -> NDArray[np.float64]:
    """(F, 3, 3) corner normals: the mean, weighted by area, of the faces around within `crease` degrees of the own."""
    corner = np.argsort(mesh.weld[mesh.faces].ravel(), kind="stable")
    vertex = mesh.weld[mesh.faces].ravel()[corner]
    starts = np.searchsorted(vertex, np.arange(int(vertex.max()) + 2))
    a, b, c = mesh.corners[:, 0], mesh.corners[:, 1], mesh.corners[:, 2]
    normals = np.zeros((len(mesh.faces) * 3, 3))
    _mean_around(corner, starts, np.cross(b - a, c - a), mesh.face_normals, np.cos(np.radians(crease)), normals)
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    unit: NDArray[np.float64] = np.divide(normals, length, out=np.zeros_like(normals), where=length > 0)
    return unit.reshape(-1, 3, 3)


def creased_normals(mesh: Mesh, creases: Mapping[int, float]) -> NDArray[np.float32]:
    """(F, 3, 3) the mesh's normals; on surfaces that are named, by number, smooth up to so many degrees, 0-180."""
    normals = mesh.normals.copy()
    for angle in set(creases.values()):
        chosen = np.isin(mesh.face_surface, [number for number, crease in creases.items() if crease == angle])
        smooth = smooth_normals(mesh, angle)[chosen] if angle > 0 else mesh.face_normals[chosen, None, :]
        normals[chosen] = smooth
    return normals


@kernel
def _mean_around(corner, starts, weighted, face_normals, limit, out):  # type: ignore[no-untyped-def]
    for v in range(len(starts) - 1):
        for i in range(starts[v], starts[v + 1]):
            n = face_normals[corner[i] // 3]
            for j in range(starts[v], starts[v + 1]):
                f = corner[j] // 3
                m = face_normals[f]
                if i == j or n[0] * m[0] + n[1] * m[1] + n[2] * m[2] > limit:
                    for k in range(3):
                        out[corner[i], k] += weighted[f, k]


def drop_empty_surfaces(mesh: Mesh) -> Mesh:
    """Leave out surfaces that no face uses, and give every surface a name of its own."""
    used = np.unique(mesh.face_surface)
    renumber = np.zeros(len(mesh.surfaces), np.int32)
    renumber[used] = np.arange(len(used))
    mesh.surfaces = [mesh.surfaces[i] for i in used]
    mesh.face_surface = renumber[mesh.face_surface]
    taken: set[str] = set()
    for look in mesh.surfaces:
        look.name = unused_name(clean_name(look.name, "surface"), taken)
        taken.add(look.name)
    return mesh
