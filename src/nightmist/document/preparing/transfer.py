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
from ...core.texels.rescale import rescaled
from ...core.texels.transfer import OldPlace, nearest_places, same_faces, transferred
from ..change import raster_id
from ..derived.layouts import texels_of, uvs_of
from ..document import Document
from ..values import CHANNELS, PLANES, PlaneName, Surface
from .recognizing import Recognized

#: For each layer of a surface as it will be: the layer that it takes over from, by the number of the old surface.
Sources = Mapping[str, Mapping[int, str]]


#: For each plane of each layer that will hold paint: what it takes over, by the number of the old surface.
Painted = Mapping[tuple[str, PlaneName], Mapping[int, Raster]]


def transfer(
    document: Document, mesh: Mesh, known: Recognized, surfaces: Mapping[str, tuple[Surface, Sources]],
    progress: Progress,
) -> tuple[dict[str, Raster], list[str]]:  # fmt: skip
    """All rasters that the layers of some surfaces will have, through the places where their texels lay before.

    Also returns the names of layers on which paint came to lie on other paint.
    mesh, surfaces: what the document is about to become. known: what of the mesh is known.
    """
    carrier = Carrier(document, known.in_old_place(mesh), known)
    found: dict[str, Raster] = {}
    for step, (surface, sources) in enumerate(surfaces.values()):
        report = part(progress, step / len(surfaces), (step + 1) / len(surfaces))
        report("Carrying the paint over", 0.0)
        for layer in sources:
            found.update({raster_id(layer, name): Raster(*surface.size, CHANNELS[name]) for name in PLANES})
        if not (painted := _painted(document, sources)):
            continue
        try:
            found.update(carrier.over_the_model(surface, painted, report))
        except CrowdedError as error:
            # Nobody owns its texels, but as long as nothing moves they need not be asked one by one.
            if (lay := carrier.lay_alike(surface)) is None:
                raise NightmistError(f"The paint of {surface.name} would be lost: {error}") from error
            found.update(_rescaled(painted, lay, surface))
    return found, [document.node(layer).name for layer in carrier.overlaid if layer in document.values]


class Carrier:
    """Carries paint over from a document to what it is about to become."""

    def __init__(self, document: Document, mesh: Mesh, known: Recognized) -> None:
        """mesh: as it lies over the document's. known: what of it is known."""
        self.document, self.old, self.mesh, self.known = document, document.mesh, mesh, known
        self.layouts = document.all_layouts()
        self.old_texels = texels_of(self.layouts, self.old)
        #: Ids of layers on which paint came to lie on other paint.
        self.overlaid: dict[str, None] = {}
        self.covered = cache(lambda number: self.layouts[number].covered())

    def over_the_model(self, surface: Surface, painted: Painted, report: Progress) -> dict[str, Raster]:
        """Each texel takes what lay where it lies now. Raises CrowdedError where too many faces own them."""
        mesh, old, known, uv = self.mesh, self.old, self.known, uvs_of(self.mesh, surface.uv_set)
        own = own_texels(mesh, mesh.faces_of(surface.number), uv, *surface.size)
        before = known.face[own.faces]
        old_surface = np.where(before >= 0, old.face_surface[np.maximum(before, 0)], -1)
        old_uv = known.texels(self.old_texels, own.faces)
        place = same_faces(own, uv[own.faces].astype(np.float64) * surface.size, old_uv, old_surface)
        if (before < 0).any():
            place = _nearest(own, mesh, old, self.old_texels, place, before >= 0, part(report, 0.1, 0.8))
        found = {}
        for (layer, name), origins in painted.items():
            report("Carrying the paint over", 0.8)
            rasters = {number: (raster, self.covered(number)) for number, raster in origins.items()}
            made = found[raster_id(layer, name)] = Raster(*surface.size, CHANNELS[name])
            tiles, met = transferred(own, place, rasters, CHANNELS[name])
            for key, tile in tiles.items():
                made.put(key, tile)
            if met:
                self.overlaid[layer] = None
        return found

    def lay_alike(self, surface: Surface) -> int | None:
        """The number that a surface had when its faces were the same, and lay at the same shares of its map."""
        before = next((known for known in self.document.surface_values() if known.id == surface.id), None)
        if before is None:
            return None
        layout, faces = self.layouts[before.number], self.mesh.faces_of(surface.number)
        uv = uvs_of(self.mesh, surface.uv_set)[faces]
        alike = np.array_equal(self.known.face[faces], layout.faces) and np.array_equal(
            uv, layout.uvs[layout.faces], True
        )
        return before.number if alike else None


def _rescaled(painted: Painted, number: int, surface: Surface) -> dict[str, Raster]:
    """What was painted on a surface, by its number, in a map of another size, as the pictures that they are."""
    mine = {raster_id(*key): origins[number] for key, origins in painted.items() if number in origins}
    return {
        key: rescaled(raster, *surface.size, np.ones((raster.height, raster.width), np.bool_))
        for key, raster in mine.items()
    }


def _painted(document: Document, sources: Sources) -> Painted:
    """What the layers of a surface will take over."""
    found = {}
    for layer, origins in sources.items():
        for name in PLANES:
            rasters = {number: document.raster(origin, name) for number, origin in origins.items()}
            if held := {number: raster for number, raster in rasters.items() if raster.tiles}:
                found[layer, name] = held
    return found


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
