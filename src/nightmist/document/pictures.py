"""Pictures that came with a model become the lowest layer of its surfaces."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..core.errors import NightmistError
from ..core.formats.pictures import fit, read_picture
from .types import LayerState, MapName

if TYPE_CHECKING:
    from .surface import Surface

FROM_FILE = "From the file"


def lay_pictures(surface: Surface, pictures: Mapping[str, bytes]) -> None:
    """Put pictures, by slot, into a new lowest layer; those that cannot be read are noted. No undo step."""
    changes = {}
    for slot, data in pictures.items():
        try:
            changes.update(maps_of(slot, f"The {slot} picture of {surface.name}", data, surface.size))
        except NightmistError as error:
            surface.document.notes.append(str(error))
    if changes:
        state = LayerState(id=uuid.uuid4().hex[:12], name=FROM_FILE)
        surface.insert(0, state)
        layer = surface.document.layer(state.id)
        for name, image in changes.items():
            raster = layer.raster(name)
            for key, tile in raster.write(image).items():
                raster.put(key, tile)


def maps_of(slot: str, name: str, data: bytes, size: tuple[int, int]) -> dict[MapName, NDArray[np.uint16]]:
    """A picture's part of each map, at the map's size. Raises NightmistError for what is no picture."""
    image = fit(read_picture(name, data), *size)
    if slot == "base_color":
        return {"base_color": image}
    opaque = np.full_like(image[..., 0], 65535)
    return {
        "roughness": np.stack([image[..., 1], opaque], axis=2),
        "metallic": np.stack([image[..., 2], opaque], axis=2),
    }
