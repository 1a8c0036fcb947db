"""What layers' pixels become when UVs, maps, surfaces or the model change under them."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.mesh import Mesh
from ...core.progress import Progress, part
from ...core.texels import Raster
from ...core.texels.ownership import CrowdedError, Ownership, own_texels
from ...core.texels.transfer import OldPlace, nearest_places, same_faces, transferred
from ..change import raster_id
from ..derived.layouts import texels_of, uvs_of
from ..document import Document
from ..values import CHANNELS, PLANES, PlaneName, Surface
from .recognizing import Recognized

#: For each layer of a surface as it will be: the layer that it takes over from, by the number of the old surface.
Sources = Mapping[str, Mapping[int, str]]


def transfer(
    document: Document, mesh: Mesh, known: Recognized, surfaces: Mapping[str, tuple[Surface, Sources]],
    progress: Progress,
) -> dict[str, Raster]:  # fmt: skip
    """All rasters that the layers of some surfaces will have, through the places where their texels lay before.

    mesh, surfaces: what the document is about to become. known: what of the mesh is known.
    """
    old, mesh = document.mesh, known.in_old_place(mesh)
    layouts = document.all_layouts()
    old_texels = texels_of(layouts, old)
    covered = cache(lambda number: layouts[number].ownership.covered())
    found: dict[str, Raster] = {}
    for step, (surface, sources) in enumerate(surfaces.values()):
        report = part(progress, step / len(surfaces), (step + 1) / len(surfaces))
        report("Carrying the paint over", 0.0)
        painted = _painted(document, sources)
        for layer in sources:
            found.update({raster_id(layer, name): Raster(*surface.size, CHANNELS[name]) for name in PLANES})
        if not painted:
            continue
        own = _owners(mesh, surface)
        faces, uv = own.faces, uvs_of(mesh, surface.uv_set)
        before = known.face[faces]
        old_surface = np.where(before >= 0, old.face_surface[np.maximum(before, 0)], -1)
        old_uv = known.texels(old_texels, faces)
        place = same_faces(own, uv[faces].astype(np.float64) * surface.size, old_uv, old_surface)
        if (before < 0).any():
            place = _nearest(own, mesh, old, old_texels, place, before >= 0, part(report, 0.1, 0.8))
        for (layer, name), origins in painted.items():
            report("Carrying the paint over", 0.8)
            rasters = {number: (raster, covered(number)) for number, raster in origins.items()}
            for key, tile in transferred(own, place, rasters, CHANNELS[name]).items():
                found[raster_id(layer, name)].put(key, tile)
    return found


def _painted(document: Document, sources: Sources) -> dict[tuple[str, PlaneName], dict[int, Raster]]:
    """For each plane of each layer that will hold paint: what it takes over, by the number of the old surface."""
    found = {}
    for layer, origins in sources.items():
        for name in PLANES:
            rasters = {number: document.raster(origin, name) for number, origin in origins.items()}
            if held := {number: raster for number, raster in rasters.items() if raster.tiles}:
                found[layer, name] = held
    return found


def _owners(mesh: Mesh, surface: Surface) -> Ownership:
    """Who will own the texels of a surface that is painted. Raises NightmistError where too many do."""
    faces, uv = mesh.faces_of(surface.number), uvs_of(mesh, surface.uv_set)
    try:
        return own_texels(mesh, faces, uv, *surface.size)
    except CrowdedError as error:
        raise NightmistError(f"The paint of {surface.name} would be lost: {error}") from error


def _nearest(
    own: Ownership, mesh: Mesh, old: Mesh, old_texels: NDArray[np.float64], place: OldPlace,
    known: NDArray[np.bool_], progress: Progress,
) -> OldPlace:  # fmt: skip
    """Look for the nearest old place only where the face itself is new."""
    lost = known & (place.surface == -1)
    surface = place.surface.copy()
    surface[lost] = -3  # had no place in the old map; stays without
    found = nearest_places(own, mesh, old, old_texels, old.face_surface, OldPlace(place.matrix, surface), progress)
    found.surface[lost] = -1
    return found
