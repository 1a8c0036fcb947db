"""Which faces of a document's model another model still has, wherever they lie now, and how the whole has moved."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...core.mesh import Mesh
from ...core.mesh.same_triangles import same_triangles
from ...core.mesh.similarity import Similarity, similarity_between
from ...core.texels.transfer import matching_faces, nearest_faces
from ..derived.layouts import uvs_of
from ..document import Document
from ..values import Surface

#: For each new face an old one, -1 for none, and which of its corners each corner is.
Found = tuple[NDArray[np.int64], NDArray[np.int64]]
#: How far a UV may lie off and be the same: what a file with four decimals rounds away.
SAME_UV = 6e-5
#: The same for a position, as a share of the model's size.
SAME_PLACE = 1e-5
#: The same of a file in other units, where few decimals are left of small numbers.
ROUNDED = 1e-4
#: As it lies, with y up that was z, and the other way round.
UPRIGHT = np.array([np.eye(3), [[1, 0, 0], [0, 0, -1], [0, 1, 0]], [[1, 0, 0], [0, 0, 1], [0, -1, 0]]])
#: From this share of a part's new faces on, those with old UVs are the old ones though they lie elsewhere; from the
#: other one on, all of the model's.
MANY, ALMOST_ALL = 0.5, 0.9
#: How far the bounds may be off when a model is said to have moved as a whole, as a share of its size.
ABOUT = 0.1
#: Below this share of known faces a model may be the old one made anew, in other units; how far the proportions of its
#: bounds may be off then, as a share of its size.
HARDLY_ANY, ALIKE = 0.05, 0.02


@dataclass
class Recognized:
    """What is known of another model's faces.

    face: (F,) which old face each is, -1 for new ones. order: (F, 3) which of its corners each corner is. motion: how
    the model as a whole has moved.
    """

    old: Mesh
    face: NDArray[np.int64]
    order: NDArray[np.int64]
    motion: Similarity | None = None

    def in_old_place(self, mesh: Mesh) -> Mesh:
        """The new model, or one of the same shape, as it would lie had the whole not been moved."""
        if self.motion is None:
            return mesh
        return mesh.changed(positions=self.motion.back(mesh.positions.astype(np.float64)).astype(np.float32))

    def everywhere(self, mesh: Mesh) -> NDArray[np.int64]:
        """(F,) the same as `face`; new ones get the old face they lie nearest to, if it faces the same way."""
        match, new = self.face.copy(), np.flatnonzero(self.face < 0)
        if len(new):
            there = self.in_old_place(mesh)
            match[new] = nearest_faces(self.old, there.corners[new].mean(axis=1), there.face_normals[new])[0]
        return match

    def texels(self, old_texels: NDArray[np.float64], faces: NDArray[np.int64]) -> NDArray[np.float64]:
        """(n, 3, 2) where corners of new faces lay in old maps, NaN for new ones. old_texels: (F_old, 3, 2)."""
        known = self.face[faces] >= 0
        found = old_texels[np.maximum(self.face[faces], 0)]
        found = np.take_along_axis(found, self.order[faces][:, :, None], axis=1)
        return np.where(known[:, None, None], found, np.nan)


def recognize(document: Document, mesh: Mesh) -> Recognized:
    """Find a document's faces in another model: by their place, by a part's name, and by their UVs."""
    old = document.mesh
    same = np.tile(np.arange(3), (len(mesh.faces), 1))
    if mesh.positions is old.positions and mesh.faces is old.faces:
        return Recognized(old, np.arange(len(old.faces)), same)
    known = Recognized(old, matching_faces(mesh, old), same)
    size = float(np.linalg.norm(old.bounds[1] - old.bounds[0]))
    _fill(known, np.flatnonzero(known.face < 0), same_triangles(old.corners, mesh.corners, SAME_PLACE * size))
    old_uv = _old_uvs(document)
    stayed = _stayed(document, mesh, known, old_uv)
    for before, now in _moved_parts(old, mesh):
        # Wherever a part has gone, what is painted on it goes along; not when only the names went round among twins.
        if not stayed[now].all():
            known.face[now], known.order[now] = before, np.arange(3)
    by_uv = _by_uvs(document, mesh, old_uv)
    if stayed.mean() < ALMOST_ALL and _gone_as_one(Recognized(old, *by_uv), mesh):
        known.face, known.order = by_uv
    elif (known.face >= 0).mean() < ALMOST_ALL and (found := _in_other_units(old, mesh)):
        _fill(known, np.flatnonzero(found[0] >= 0), found)
    _fill(known, _elsewhere(mesh, known.face, by_uv[0]), by_uv)
    known.motion = _whole_motion(known, mesh) or _motion_of_bounds(known, mesh)
    return known


def motions_of_parts(known: Recognized, mesh: Mesh) -> dict[int, Similarity]:
    """How old parts have moved, by number, those that lie otherwise now; parts made anew went with the whole."""
    found = {}
    old_part = np.where(known.face >= 0, known.old.face_part[np.maximum(known.face, 0)], -1)
    for number, count in enumerate(np.bincount(known.old.face_part, minlength=len(known.old.parts)).tolist()):
        now = np.flatnonzero(old_part == number)
        motion = _motion(known, mesh, now) if len(now) > ALMOST_ALL * count else known.motion
        if motion and count:
            found[number] = motion
    return found


def _fill(known: Recognized, faces: NDArray[np.int64], found: Found) -> None:
    known.face[faces], known.order[faces] = found[0][faces], found[1][faces]


def _motion(known: Recognized, mesh: Mesh, faces: NDArray[np.int64]) -> Similarity | None:
    """How these new faces lie otherwise than they lay before, if all alike."""
    before = np.take_along_axis(known.old.corners[known.face[faces]], known.order[faces][:, :, None], axis=1)
    return similarity_between(before.reshape(-1, 3), mesh.corners[faces].reshape(-1, 3)) if len(faces) else None


def _stayed(
    document: Document, mesh: Mesh, known: Recognized, old_uv: NDArray[np.float64]
) -> NDArray[np.bool_]:  # fmt: skip
    """(F,) new faces that lie where old ones lay and, if the new model has UVs, have theirs too."""
    stayed: NDArray[np.bool_] = known.face >= 0
    if not mesh.uvs:
        return stayed
    there = np.maximum(known.face, 0)
    uv_set = np.array([_uv_set_in(mesh, surface) for surface in document.surface_values()])
    now = np.stack(mesh.uvs)[uv_set[known.old.face_surface[there]], np.arange(len(mesh.faces))]
    before = np.take_along_axis(old_uv[there], known.order[:, :, None], axis=1)
    same: NDArray[np.bool_] = np.isclose(now, before, rtol=0, atol=SAME_UV, equal_nan=True).all(axis=(1, 2))
    return stayed & same


def _moved_parts(old: Mesh, new: Mesh) -> Iterator[tuple[NDArray[np.int64], NDArray[np.int64]]]:
    """Of each part of one name and as many faces that lies elsewhere: its faces before and, in their order, now."""
    for number, name in enumerate(old.parts):
        here = np.flatnonzero(old.face_part == number)
        same = [each for each, other in enumerate(new.parts) if other == name and (new.face_part == each).any()]
        if not len(here) or len(same) != 1 or old.parts.count(name) != 1:
            continue
        there = np.flatnonzero(new.face_part == same[0])
        if len(there) == len(here) and similarity_between(
            old.corners[here].reshape(-1, 3), new.corners[there].reshape(-1, 3)
        ):
            yield here, there


def _by_uvs(document: Document, mesh: Mesh, old_uv: NDArray[np.float64]) -> Found:
    """For each new face the old one with the same UVs: on the surface of its name, else on one whose name is gone."""
    surfaces = {surface.name: surface for surface in document.surface_values()}
    names = [look.name for look in mesh.surfaces]
    old_uv = np.concatenate([document.mesh.face_surface[:, None, None].repeat(3, 1), old_uv], axis=2)
    new_uv = np.full((len(mesh.faces), 3, 3), np.nan)
    for number, name in enumerate(names):
        same = surfaces.get(name)
        uv_set = _uv_set_in(mesh, same) if same else 0
        faces = mesh.faces_of(number)
        new_uv[faces, :, 0] = same.number if same else -1
        new_uv[faces, :, 1:] = uvs_of(mesh, uv_set)[faces]
    found = same_triangles(old_uv, new_uv, SAME_UV)
    gone = [surface.number for surface in surfaces.values() if surface.name not in names]
    fresh = np.flatnonzero(new_uv[:, 0, 0] == -1)
    if gone and len(fresh):
        left = np.flatnonzero(np.isin(document.mesh.face_surface, gone))
        face, order = same_triangles(old_uv[left, :, 1:], new_uv[fresh, :, 1:], SAME_UV, alone=True)
        # A surface that is gone may have had no faces.
        found[0][fresh], found[1][fresh] = np.append(left, -1)[face], order
    return found


def _uv_set_in(mesh: Mesh, surface: Surface) -> int:
    """The UV set that a surface has on another model: the same, the first where that has none of that number."""
    return surface.uv_set if surface.uv_set < len(mesh.uvs) else 0


def _old_uvs(document: Document) -> NDArray[np.float64]:
    uv = np.full((len(document.mesh.faces), 3, 2), np.nan)
    for surface in document.surface_values():
        faces = document.mesh.faces_of(surface.number)
        uv[faces] = uvs_of(document.mesh, surface.uv_set)[faces]
    return uv


def _gone_as_one(known: Recognized, mesh: Mesh) -> bool:
    """Whether nearly all faces are known, and lie otherwise now by one and the same motion."""
    faces = np.flatnonzero(known.face >= 0)
    return len(faces) >= ALMOST_ALL * len(mesh.faces) and _motion(known, mesh, faces) is not None


def _in_other_units(old: Mesh, mesh: Mesh) -> Found | None:
    """Nearly all faces by their place, had the model not been given other units, another origin or another axis up."""
    (low, high), size = old.bounds, float(np.linalg.norm(old.bounds[1] - old.bounds[0]))
    for turn in UPRIGHT:
        corners = mesh.corners @ turn
        first, last = corners.min(axis=(0, 1)), corners.max(axis=(0, 1))
        scale = size / float(np.linalg.norm(last - first))
        if np.abs((last - first) * scale - (high - low)).max() > ROUNDED * size:
            continue
        there = (corners - (first + last) / 2) * scale + (low + high) / 2
        found = same_triangles(old.corners, there, ROUNDED * size)
        if (found[0] >= 0).mean() >= ALMOST_ALL:
            return found
    return None


def _motion_of_bounds(known: Recognized, mesh: Mesh) -> Similarity | None:
    """Of a model whose faces are not known but whose bounds are the old ones in other units, or elsewhere.

    So a model that was made anew, finer and in meters for centimeters, takes the paint by where it lies.
    """
    if (known.face >= 0).mean() > HARDLY_ANY:
        return None
    (low, high), (first, last) = known.old.bounds, mesh.bounds
    size, now = float(np.linalg.norm(high - low)), float(np.linalg.norm(last - first))
    if size <= 0 or now <= 0 or max(np.abs(first - low).max(), np.abs(last - high).max()) <= ABOUT * size:
        return None
    for turn in UPRIGHT:
        extent = (last - first) @ np.abs(turn)
        if np.abs(extent * size / now - (high - low)).max() <= ALIKE * size:
            scale = now / size
            return Similarity(turn, scale, (first + last) / 2 - scale * turn @ ((low + high) / 2))
    return None


def _elsewhere(mesh: Mesh, face: NDArray[np.int64], by_uv: NDArray[np.int64]) -> NDArray[np.int64]:
    """New faces that are old ones by their UVs, where that holds for many of those of their part."""
    new = np.flatnonzero(face < 0)
    asked = np.bincount(mesh.face_part[new], minlength=len(mesh.parts))
    known = np.bincount(mesh.face_part[new[by_uv[new] >= 0]], minlength=len(mesh.parts))
    return new[(known >= MANY * asked)[mesh.face_part[new]]]


def _whole_motion(known: Recognized, mesh: Mesh) -> Similarity | None:
    """The one motion of all known faces, when it takes the bounds of the old model to the new one's."""
    motion = _motion(known, mesh, np.flatnonzero(known.face >= 0))
    if motion is None:
        return None
    low, high = known.old.bounds
    corners = motion.back(mesh.corners.reshape(-1, 3))
    off = max(np.abs(corners.min(axis=0) - low).max(), np.abs(corners.max(axis=0) - high).max())
    return motion if off <= ABOUT * np.linalg.norm(high - low) else None
