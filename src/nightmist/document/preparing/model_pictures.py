"""Pictures that come with a model, as maps."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.formats.image_files import fit, read_picture
from ...core.mesh.look import Placement
from ...core.srgb import decode, encode
from ...core.texels.resample import resampled
from ..derived.layouts import Layout
from ..values import MAPS, MapName, MapSlot, StartValues


def maps_of(
    slot: MapSlot, name: str, data: bytes, layout: Layout, place: Placement, factors: StartValues | None = None
) -> dict[MapName, NDArray[np.uint16]]:
    """A picture's part of each map of a layout, times a material's factors where they are given.

    slot: a map, or "metallic_roughness" as glTF packs them. Raises NightmistError for what is no picture, or has no
    place on the model.
    """
    picture = read_picture(name, data)
    if slot == "opacity":
        # In the alpha, as glTF has it; where a picture is given for opacity alone, in the gray of what has none.
        grays = factors is None and (picture[..., 3] == 65535).all()
        picture = picture[..., [0 if grays else 3] * 4]
    if factors is not None or slot != "base_color":
        # A material's alpha is its own (glTF 2.0, 3.9.4); nothing of its other values is missing for that.
        picture[..., 3] = 65535
    image = _placed(name, picture, layout, place)
    if slot == "base_color":
        return {"base_color": image if factors is None else _tinted(image, factors)}
    channels: dict[str, int] = {"roughness": 1, "metallic": 2} if slot == "metallic_roughness" else {slot: 0}
    found: dict[MapName, NDArray[np.uint16]] = {}
    for map_name in (known for known in MAPS if known in channels):
        values = image[..., channels[map_name]]
        if factors is not None:
            values = np.rint(values * getattr(factors, map_name)).astype(np.uint16)
        found[map_name] = np.stack([values, image[..., 3]], axis=2)
    return found


def _placed(name: str, image: NDArray[np.uint16], layout: Layout, place: Placement) -> NDArray[np.uint16]:
    """A picture where it lies on the model, as a picture of a layout's map."""
    if place == Placement():
        return fit(image, *layout.size)
    if not 0 <= place.uv_set < len(layout.mesh.uvs):
        raise NightmistError(f"{name} lies by UV set {place.uv_set}, which the model does not have; it was left out.")
    if layout.refused:
        # Where it lies is asked texel by texel, and each belongs to too many faces.
        raise NightmistError(f"{name} lies in a way of its own on faces that lie over each other; it was left out.")
    own = layout.ownership
    lies = place.of(layout.mesh.uvs[place.uv_set])[own.faces].astype(np.float64)
    return resampled(image, own, layout.uvs[own.faces].astype(np.float64), lies)


def _tinted(image: NDArray[np.uint16], factors: StartValues) -> NDArray[np.uint16]:
    """Colors times factors, both in linear light (glTF 2.0, 3.9.2); by a table, as there are but 65536 of each."""
    tinted = image.copy()
    for channel, factor in enumerate(factors.base_color):
        if factor < 1:
            light = decode(np.arange(65536) / 65535) * decode(factor)
            tinted[..., channel] = np.rint(encode(light) * 65535).astype(np.uint16)[image[..., channel]]
    return tinted
