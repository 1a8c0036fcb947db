"""What a layer's pixels become when UVs, maps, surfaces or the model change under them."""

from __future__ import annotations

import uuid
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..core.mesh import Mesh
from ..core.progress import Progress, part
from ..core.texels.carry import OldPlace, carried, matching_faces, nearest_places, same_faces
from ..core.texels.ownership import Ownership, own_texels
from .commands import TileRef
from .types import CHANNELS, LayerState, SurfaceState

if TYPE_CHECKING:
    from .layer import Layer
    from .preparing import Preparing
    from .surface import Surface

Tiles = dict[str, list[TileRef]]


def carried_tiles(
    document: Preparing, mesh: Mesh, states: list[SurfaceState], changed: set[str], progress: Progress
) -> Tiles:
    """All tiles that the layers of the `changed` surfaces will have, by layer, held in the pool.

    mesh, states: what the document is about to become; layers of `states` take over from layers of the same
    id, else of the same name on whichever surface their place belonged to.
    """
    old = document.mesh
    match = np.arange(len(old.faces)) if _same_shape(mesh, old) else matching_faces(mesh, old)
    old_surfaces = list(document.surfaces.values())
    old_texels = old_corners(document)
    found: Tiles = {}
    todo = [(number, state) for number, state in enumerate(states) if state.name in changed]
    for step, (number, state) in enumerate(todo):
        report = part(progress, step / len(todo), (step + 1) / len(todo))
        report("Carrying the paint over", 0.0)
        faces = mesh.faces_of(number)
        uv = uvs_of(mesh, state.uv_set)
        own = own_texels(mesh, faces, uv, state.width, state.height)
        before = match[faces]
        known = before >= 0
        old_surface = np.where(known, old.face_surface[np.maximum(before, 0)], -1)
        old_uv = np.where(known[:, None, None], old_texels[np.maximum(before, 0)], np.nan)
        place = same_faces(own, uv[faces].astype(np.float64) * (state.width, state.height), old_uv, old_surface)
        if not known.all():
            place = _nearest(own, mesh, old, old_texels, place, known, part(report, 0.1, 0.8))
        covers = {s.number: s.ownership.covered() for s in old_surfaces if s.layers}
        for layer in state.layers:
            report("Carrying the paint over", 0.8)
            found[layer.id] = []
            for name, channels in CHANNELS.items():
                sources = {
                    surface.number: (source.rasters[name], covers[surface.number])
                    for surface in old_surfaces
                    if (source := counterpart(surface, layer)) and name in source.rasters
                }
                for (row, column), tile in carried(own, place, sources, channels).items():
                    found[layer.id].append(TileRef(name, row, column, document.pool.add(tile)))
    return found


def counterpart(surface: Surface, layer: LayerState) -> Layer | None:
    """The layer of an old surface whose pixels a new layer takes over."""
    for candidate in surface.layers:
        if candidate.id == layer.id:
            return candidate
    return next((candidate for candidate in surface.layers if candidate.name == layer.name), None)


def old_corners(document: Preparing) -> NDArray[np.float64]:
    """(F, 3, 2) texels of every face in its own surface's map as it is now."""
    texels = np.full((len(document.mesh.faces), 3, 2), np.nan)
    for surface in document.surfaces.values():
        texels[surface.faces] = surface.uvs[surface.faces].astype(np.float64) * surface.size
    return texels


def uvs_of(mesh: Mesh, uv_set: int) -> NDArray[np.float32]:
    """(F, 3, 2) of a UV set; NaN where the mesh has none of that number."""
    if uv_set < len(mesh.uvs):
        return mesh.uvs[uv_set]
    return np.full((len(mesh.faces), 3, 2), np.nan, np.float32)


def copied_layers(layers: list[LayerState]) -> list[LayerState]:
    """The same layers with ids of their own, for another surface."""
    return [layer.model_copy(update={"id": uuid.uuid4().hex[:12]}) for layer in layers]


def _same_shape(mesh: Mesh, old: Mesh) -> bool:
    return mesh.positions is old.positions and mesh.faces is old.faces


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
