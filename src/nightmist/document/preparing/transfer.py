"""What layers' pixels become when UVs, maps, surfaces or the model change under them."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.mesh import Mesh
from ...core.progress import Progress, part
from ...core.texels import Raster
from ...core.texels.ownership import CrowdedError, Ownership, own_texels
from ...core.texels.transfer import OldPlace, matching_faces, nearest_faces, nearest_places, same_faces, transferred
from ..change import raster_id
from ..derived.layouts import texels_of, uvs_of
from ..document import Document
from ..values import CHANNELS, PLANES, Surface
from .motion import moved_faces

#: For each layer of a surface as it will be: the layer that it takes over from, by the number of the old surface.
Sources = Mapping[str, Mapping[int, str]]


def transfer(
    document: Document, mesh: Mesh, surfaces: Mapping[str, tuple[Surface, Sources]], progress: Progress
) -> dict[str, Raster]:
    """All rasters that the layers of some surfaces will have, through the places where their texels lay before.

    mesh, surfaces: what the document is about to become.
    """
    old = document.mesh
    match = old_faces(document, mesh)
    layouts = document.all_layouts()
    old_texels = texels_of(layouts, old)
    found: dict[str, Raster] = {}
    for step, (surface, sources) in enumerate(surfaces.values()):
        report = part(progress, step / len(surfaces), (step + 1) / len(surfaces))
        report("Carrying the paint over", 0.0)
        faces = mesh.faces_of(surface.number)
        uv = uvs_of(mesh, surface.uv_set)
        own = _owners(document, mesh, surface, sources)
        before = match[faces]
        known = before >= 0
        old_surface = np.where(known, old.face_surface[np.maximum(before, 0)], -1)
        old_uv = np.where(known[:, None, None], old_texels[np.maximum(before, 0)], np.nan)
        place = same_faces(own, uv[faces].astype(np.float64) * surface.size, old_uv, old_surface)
        if not known.all():
            place = _nearest(own, mesh, old, old_texels, place, known, part(report, 0.1, 0.8))
        covers = {number: layout.ownership.covered() for number, layout in enumerate(layouts)}
        for layer, origins in sources.items():
            report("Carrying the paint over", 0.8)
            for name in PLANES:
                rasters = {
                    number: (raster, covers[number])
                    for number, origin in origins.items()
                    if (raster := document.raster(origin, name)).tiles
                }
                made = found[raster_id(layer, name)] = Raster(*surface.size, CHANNELS[name])
                for key, tile in transferred(own, place, rasters, CHANNELS[name]).items():
                    made.put(key, tile)
    return found


def _owners(document: Document, mesh: Mesh, surface: Surface, sources: Sources) -> Ownership:
    """Who will own the texels of a surface; nobody where too many do, as long as no paint is lost by it."""
    faces, uv = mesh.faces_of(surface.number), uvs_of(mesh, surface.uv_set)
    try:
        return own_texels(mesh, faces, uv, *surface.size)
    except CrowdedError as error:
        if any(document.painted_planes(origin) for origins in sources.values() for origin in origins.values()):
            raise NightmistError(f"The paint of {surface.name} would be lost: {error}") from error
        return own_texels(mesh, faces[:0], uv, *surface.size)


def old_faces(document: Document, mesh: Mesh, everywhere: bool = False) -> NDArray[np.int64]:
    """(F,) for each face of a mesh that a document is about to have, which one it was; -1 for a new one.

    everywhere: new ones get the old face that their middle lies nearest to, if it faces the same way.
    """
    old = document.mesh
    if mesh.positions is old.positions and mesh.faces is old.faces:
        return np.arange(len(old.faces))
    match = matching_faces(mesh, old)
    for before, now in moved_faces(old, mesh):
        # Wherever a part has gone, what is painted on it goes along.
        match[now] = before
    new = np.flatnonzero(match < 0)
    if everywhere and len(new):
        match[new] = nearest_faces(old, mesh.corners[new].mean(axis=1), mesh.face_normals[new])[0]
    return match


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
