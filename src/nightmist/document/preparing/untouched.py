"""What a model's file says of what is not painted here: factors, and pictures kept with the UVs that they lie by."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ...core.errors import NightmistError
from ...core.mesh import Mesh
from ...core.mesh.look import UNTOUCHED_SLOTS, Placement, SurfaceLook, Untouched, UntouchedSlot, is_untouched
from ...core.names import listed
from ..derived.pool import Pool
from ..document import Document
from ..values import KeptPicture, Surface
from .newcomers import missing_picture
from .recognizing import Recognized


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


def handed_through(
    document: Document, mesh: Mesh, known: Recognized, surface: Surface, uvs_now: Callable[[str], str], notes: list[str]
) -> Surface:
    """A surface that stays with another model, with what the new file says; where that is nothing, with what it had.

    Pictures of the old file stay on faces that are old ones, by the UVs that those had; those that go are noted.
    uvs_now: `carried_uvs` of the document and what is known.
    """
    look = mesh.surfaces[surface.number]
    kept = kept_pictures(look, mesh, document.arrays, notes)
    missing = tuple(missing_picture(look, slot) for slot in look.missing if is_untouched(slot))
    if look.untouched == Untouched() and not kept and not missing:
        untouched, missing, stays = surface.untouched, surface.missing, surface.kept
    else:
        missing = (*(each for each in surface.missing if not is_untouched(each.slot)), *missing)
        # Where opacity could not be painted yet, it was the surface's own, as its start values are.
        untouched = look.untouched.model_copy(update={"alpha": surface.untouched.alpha})
        stays = tuple(old for old in surface.kept if old.slot == "opacity")
        new = {each.slot for each in kept}
        if gone := [old.slot for old in surface.kept if old not in stays and old.slot not in new]:
            notes.append(f"The new file has no {listed(gone)} picture for {surface.name}; the old one is gone with it.")
    if stays and (known.face[mesh.faces_of(surface.number)] < 0).any():
        notes.append(
            f"{surface.name} has new faces, where the old {listed([each.slot for each in stays])} picture has no place:"
            " it was left out."
        )
        stays = ()
    kept = (*kept, *(old.model_copy(update={"uv": uvs_now(old.uv)}) for old in stays))
    handed: Surface = surface.but(untouched=untouched, kept=kept, missing=missing)
    return handed


def carried_uvs(document: Document, known: Recognized, uvs: str) -> str:
    """The UVs of the faces that each new one was, by the digest of those of all old ones; new ones have none."""
    now = known.texels(document.arrays.get(uvs), np.arange(len(known.face)))
    return document.arrays.add(now.astype(np.float32))
