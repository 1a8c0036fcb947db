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
from ...core.texels.transfer import OldPlace, nearest_places, same_faces, transferred
from ..change import raster_id
from ..derived.layouts import texels_of, uvs_of
from ..document import Document
from ..values import CHANNELS, PLANES, Surface
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
    found: dict[str, Raster] = {}
    for step, (surface, sources) in enumerate(surfaces.values()):
        report = part(progress, step / len(surfaces), (step + 1) / len(surfaces))
        report("Carrying the paint over", 0.0)
        faces = mesh.faces_of(surface.number)
        uv = uvs_of(mesh, surface.uv_set)
        own = _owners(document, mesh, surface, sources)
        before = known.face[faces]
        old_surface = np.where(before >= 0, old.face_surface[np.maximum(before, 0)], -1)
        old_uv = known.texels(old_texels, faces)
        place = same_faces(own, uv[faces].astype(np.float64) * surface.size, old_uv, old_surface)
        if (before < 0).any():
            place = _nearest(own, mesh, old, old_texels, place, before >= 0, part(report, 0.1, 0.8))
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
