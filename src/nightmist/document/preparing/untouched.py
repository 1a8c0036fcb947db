"""Pictures of a model's file that are not painted here: kept with the UVs that they lie by."""

from __future__ import annotations

import numpy as np

from ...core.errors import NightmistError
from ...core.mesh import Mesh
from ...core.mesh.look import UNTOUCHED_SLOTS, Placement, SurfaceLook, UntouchedSlot
from ..derived.pool import Pool
from ..values import KeptPicture


def kept_picture(slot: UntouchedSlot, data: bytes, mesh: Mesh, place: Placement, arrays: Pool) -> KeptPicture:
    """Hold a picture and its UVs. Raises NightmistError where the mesh lacks the UV set."""
    if not 0 <= place.uv_set < len(mesh.uvs):
        raise NightmistError(f"The {slot} picture lies by UV set {place.uv_set}, which the model does not have.")
    uv = mesh.uvs[place.uv_set]
    lies = uv if place == Placement(place.uv_set) else place.of(uv)
    return KeptPicture(slot=slot, file=arrays.add(np.frombuffer(data, np.uint8).copy()), uv=arrays.add(lies))


def kept_pictures(look: SurfaceLook, mesh: Mesh, arrays: Pool, notes: list[str]) -> tuple[KeptPicture, ...]:
    """All that a material has; what cannot be kept is noted."""
    found = []
    for slot in UNTOUCHED_SLOTS:
        if slot in look.pictures:
            place = look.placed.get(slot, Placement())
            try:
                found.append(kept_picture(slot, look.pictures[slot], mesh, place, arrays))
            except NightmistError as error:
                notes.append(f"{look.name}: {error} It was left out.")
    return tuple(found)
