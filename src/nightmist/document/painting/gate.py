"""What confines paint: what the camera sees, parts that are hidden, the fence. Kept by what it follows from."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from ...core.brush.mirror import reach_of
from ...core.brush.path import Sample
from ...core.mapping import Camera
from ...core.mapping.sight import Sight
from ...core.mesh.select import faces_with, images_of
from ...core.texels.tile_mask import TileMask, shown_texels
from ..derived.pool import digest_of
from ..derived.regions import covered
from ..document import Document
from ..values import Fence, Region, Surface
from .picking import pick


class Gate:
    """What confines a stroke on each surface, all of it in one mask."""

    def __init__(
        self, document: Document, camera: Camera | None, matrices: NDArray[np.float64], covered_too: bool,
        fence: Fence | None,
    ) -> None:  # fmt: skip
        """camera: None in the map. matrices: of the mirror's images. covered_too: what another part hides from the
        camera is painted as well."""
        self.document, self.camera, self.matrices = document, camera, matrices
        self.covered_too, self.fence = covered_too, fence or Fence()
        self.region = document.region_value(self.fence.region) if self.fence.region else None
        #: What belongs together with the face that was touched first; None until one was.
        self.kept_to: NDArray[np.int64] | None = None
        self.masks: dict[tuple[str, int], TileMask | None] = {}

    def touched(self, samples: Sequence[Sample], in_map: str | None) -> None:
        """Look for the face that is touched first, where the fence asks for it."""
        if self.fence.touch is None or self.kept_to is not None:
            return
        for x, y, *_ in samples:
            hit = self._hit((x, y), in_map)
            if hit is not None:
                mesh, surface = self.document.mesh, self.document.surface_value(hit[0])
                faces = faces_with(mesh, hit[1], self.fence.touch, self.document.layout(surface).uvs)
                self.kept_to = images_of(mesh, faces, self.matrices, reach_of(mesh.bounds))
                self.masks.clear()
                return

    def _hit(self, place: tuple[float, float], in_map: str | None) -> tuple[str, int] | None:
        if in_map is None:
            assert self.camera
            hit = pick(self.document, self.camera, place)
            return (hit.surface, hit.face) if hit else None
        own = self.document.layout(self.document.surface_value(in_map)).ownership
        owner = own.owner_at(int(place[0] // 1), int(place[1] // 1))
        return (in_map, int(own.faces[owner])) if owner is not None else None

    def mask(self, surface: Surface, image: int) -> TileMask | None:
        """Where the dabs of one of the mirror's images may go on a surface."""
        key = (surface.id, 0 if self.camera is None else image)
        if key not in self.masks:
            self.masks[key] = product([self._seen(surface, key[1]), *self._fenced(surface)])
        return self.masks[key]

    def _seen(self, surface: Surface, image: int) -> TileMask | None:
        if self.camera is None:
            return shown_mask(self.document, surface)
        return None if self.covered_too else sight_mask(self.document, surface, self.camera, self.matrices[image])

    def _fenced(self, surface: Surface) -> Iterator[TileMask]:
        if self.region:
            yield self.document.region_mask(self.region, surface)
        if self.fence.touch:
            kept_to = self.kept_to if self.kept_to is not None else np.zeros(0, np.int64)
            yield covered(self.document.cache, self.document.layout(surface), kept_to, digest_of(kept_to))


def fenced_off(region: Region, done: str) -> str:
    """What is said where all that was to be done lies outside the fence."""
    return f"Nothing was {done}: the fence {region.name} keeps everything else as it is. K lifts it."


def product(masks: Iterable[TileMask | None]) -> TileMask | None:
    """Open as far as all of them are; None when there are none."""
    found: TileMask | None = None
    for mask in masks:
        found = mask if found is None else found if mask is None else found.times(mask)
    return found


def sight_mask(document: Document, surface: Surface, camera: Camera, matrix: NDArray[np.float64]) -> TileMask:
    """Which texels of a surface lie open to a camera, under one image of the mirror."""
    arrays, hidden = document.model.arrays, document.project.hidden_parts
    seen = ("sight", camera, arrays["positions"], arrays["faces"], arrays["face_part"], hidden)
    sight = document.cache.get(seen, lambda: Sight(camera, document.mesh, hidden), lambda made: made.bytes)
    layout = document.layout(surface)
    key = (*seen, layout.key, matrix.tobytes())
    return document.cache.get(
        key, lambda: sight.mask(layout.ownership, document.hidden_faces(surface), matrix), lambda mask: mask.nbytes
    )


def shown_mask(document: Document, surface: Surface) -> TileMask | None:
    """Which texels of a map are not those of hidden parts alone; None when none of its parts is hidden."""
    hidden = document.hidden_faces(surface)
    if not hidden.any():
        return None
    layout = document.layout(surface)
    key = ("shown", layout.key, document.model.arrays["face_part"], document.project.hidden_parts)
    return document.cache.get(
        key, lambda: shown_texels(layout.ownership, layout.gutter, hidden), lambda mask: mask.nbytes
    )
