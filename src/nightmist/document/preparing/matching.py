"""Which surface of a document each surface of a new model stands for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ...core.errors import NightmistError
from ...core.mesh import Mesh
from ...core.mesh.unwrap import face_areas
from ..document import Document
from ..values import Surface
from .recognizing import ALMOST_ALL, Recognized

#: Why a surface takes another's layers: the painter said so, its name, faces that stayed, where it lies, a name
#: that is nearly the same, its turn among those left; or it begins anew.
Why = Literal["chosen", "name", "faces", "place", "alike", "order", "new"]

#: Points that tell where surfaces lie: on each new one, and on the old model in all.
SAMPLES, OLD_SAMPLES = 400, 40_000
#: Places farther from the old model than this share of its size were not there.
NEAR = 0.02
#: From this share of its points on a surface counts as lying where an old one lay; names as alike from this ratio on.
MOSTLY, ALIKE = 0.5, 0.6


@dataclass(frozen=True)
class Match:
    """A surface of a new model, by its number and name there, and the old one whose layers it takes over."""

    number: int
    name: str
    old: Surface | None
    why: Why


def match_surfaces(
    document: Document, mesh: Mesh, known: Recognized, chosen: Mapping[str, str | None] | None = None
) -> list[Match]:
    """For each surface of a new model, in order, the old one that it stands for; each old one stands once.

    chosen: for some new surfaces, by name, the old one's name or None for a new beginning. Raises NightmistError
    when that names what there is not, or one twice.
    """
    old = {surface.name: surface for surface in document.surface_values()}
    found = _chosen(mesh, old, chosen or {})
    _set_aside(document, mesh, known, chosen or {}, old)
    names = [look.name for look in mesh.surfaces]

    def take(number: int, surface: Surface, why: Why) -> None:
        found[number] = Match(number, names[number], old.pop(surface.name), why)

    for number, surface in _unchanged(document, mesh, known).items():
        if number not in found and surface.name in old:
            take(number, surface, "name" if surface.name == names[number] else "faces")
    for number, name in enumerate(names):
        if number not in found and name in old:
            take(number, old[name], "name")
    match, overlap = known.face, places_shared(document, known.in_old_place(mesh))
    counts = [np.bincount(document.mesh.face_surface[m[m >= 0]], minlength=1)
              for m in (match[mesh.faces_of(number)] for number in range(len(names)))]  # fmt: skip
    for why in ("faces", "place", "alike"):
        for number, name in enumerate(names):
            if number in found or not old:
                continue
            score = {
                surface.name: _score(why, name, surface, counts[number], overlap[number]) for surface in old.values()
            }
            best = max(score, key=lambda key: score[key])
            if score[best] > 0:
                take(number, old[best], why)
    left = [number for number in range(len(names)) if number not in found]
    for number in left if len(left) <= len(old) else []:
        take(number, next(iter(old.values())), "order")
    return [found.get(number) or Match(number, name, None, "new") for number, name in enumerate(names)]


def _unchanged(document: Document, mesh: Mesh, known: Recognized) -> dict[int, Surface]:
    """The surface that each of a new model's, by number, almost is by its faces, whatever its name; none for others.

    An exporter that numbers its materials gives one that stayed the name of one that is gone.
    """
    surfaces = document.surface_values()
    faces = np.flatnonzero(known.face >= 0)
    pairs = np.stack([mesh.face_surface[faces], document.mesh.face_surface[known.face[faces]]], axis=1)
    found: dict[int, Surface] = {}
    for (now, before), count in zip(*np.unique(pairs, axis=0, return_counts=True), strict=True):
        most = max(len(mesh.faces_of(now)), len(document.mesh.faces_of(before)))
        if count >= ALMOST_ALL * most:
            found[int(now)] = surfaces[before]
    return found


def places_shared(document: Document, mesh: Mesh) -> list[dict[int, float]]:
    """For each surface of a new model, the share of its places that lie where old surfaces, by number, lay."""
    old = document.mesh
    points, face = _samples(old, np.arange(len(old.faces)), OLD_SAMPLES)
    low, high = old.bounds
    limit = NEAR * float(np.linalg.norm(high - low))
    tree = cKDTree(points)
    lies_on = old.face_surface[face]
    shared: list[dict[int, float]] = []
    for number in range(len(mesh.surfaces)):
        faces = mesh.faces_of(number)
        if not len(faces):
            shared.append({})
            continue
        here, _ = _samples(mesh, faces, SAMPLES)
        distance, nearest = tree.query(here, distance_upper_bound=limit)
        near = lies_on[np.asarray(nearest)[np.isfinite(distance)]]
        shared.append({int(n): float((near == n).sum()) / len(here) for n in np.unique(near)})
    return shared


def _chosen(mesh: Mesh, old: dict[str, Surface], chosen: Mapping[str, str | None]) -> dict[int, Match]:
    numbers = {look.name: number for number, look in enumerate(mesh.surfaces)}
    found = {}
    for name, wanted in chosen.items():
        if name not in numbers:
            raise NightmistError(f"The new model has no surface {name}; it has {', '.join(numbers)}.")
        if wanted is not None and wanted not in old:
            raise NightmistError(f"There is no surface {wanted} left whose layers {name} could take.")
        surface = old.pop(wanted) if wanted is not None else None
        found[numbers[name]] = Match(numbers[name], name, surface, "chosen")
    return found


def _set_aside(
    document: Document, mesh: Mesh, known: Recognized, chosen: Mapping[str, str | None], old: dict[str, Surface]
) -> None:
    """Leave out of `old` those whose own surface was told to begin anew: nobody asked that another takes them."""
    given = {name: wanted for name, wanted in chosen.items() if wanted is not None}
    if len(given) < len(chosen):
        for match in match_surfaces(document, mesh, known, given):
            if match.old and match.name in chosen and match.name not in given:
                old.pop(match.old.name, None)


def _score(why: str, name: str, surface: Surface, faces: NDArray[np.int64], places: dict[int, float]) -> float:
    if why == "faces":
        return float(faces[surface.number]) if surface.number < len(faces) else 0.0
    if why == "place":
        share = places.get(surface.number, 0.0)
        return share if share >= MOSTLY else 0.0
    ratio = SequenceMatcher(None, name.casefold(), surface.name.casefold()).ratio()
    return ratio if ratio >= ALIKE else 0.0


def _samples(mesh: Mesh, faces: NDArray[np.int64], count: int) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """(count, 3) points spread over faces by area, the same each time, and the face of each."""
    areas = face_areas(mesh.corners[faces])
    rng = np.random.default_rng(1)
    chance = areas / areas.sum() if areas.sum() > 0 else None
    face = faces[rng.choice(np.arange(len(faces)), count, p=chance)]
    weights = rng.dirichlet((1, 1, 1), count)
    return (mesh.corners[face] * weights[:, :, None]).sum(axis=1), face
