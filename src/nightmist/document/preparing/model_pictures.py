"""Pictures that come with a model, as maps."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...core.formats.image_files import fit, read_picture
from ..values import MapName

#: The name of the layer that such pictures become.
FROM_FILE = "From the file"


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
