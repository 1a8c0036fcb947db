"""The pixels of a project's pictures, as they are cut out of their files."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...core.formats.image_files import read_picture
from ...core.mapping.cutout import cropped, inverted, keyed_out, multiplied, softened, with_alpha_of
from ..values import Cutout, Picture, hex_channels
from .pool import Pool
from .tables import raster_of


def cut_out(arrays: Pool, tiles: Pool, picture: Picture) -> NDArray[np.uint16]:
    """(h, w, 4) a picture, upright, with straight alpha."""
    pixels, cutout = whole(arrays, tiles, picture), picture.cutout
    if cutout == Cutout():
        return pixels
    if cutout.alpha:
        pixels = with_alpha_of(pixels, read_picture("The picture of the alpha", _file(arrays, cutout.alpha), True))
    pixels = cropped(pixels, cutout.crop)
    if cutout.key:
        key = hex_channels(cutout.key)
        pixels = keyed_out(pixels, key, cutout.tolerance, cutout.softness, cutout.despill, cutout.inverted)
    if cutout.inverted:
        # Before its alpha is blurred: what is then seen of colors are those that it is blurred out of.
        pixels = inverted(pixels)
    if cutout.soften > 0:
        pixels = softened(pixels, cutout.soften)
    if cutout.times != 1:
        pixels = multiplied(pixels, cutout.times)
    return pixels


def whole(arrays: Pool, tiles: Pool, picture: Picture) -> NDArray[np.uint16]:
    """The same as its file has it or, of what is painted, as it lies in the map."""
    if picture.of:
        image = raster_of(arrays.get(picture.file), tiles).read()
        if picture.of.map == "base_color":
            return image
        return np.ascontiguousarray(image[..., [0, 0, 0, -1]])
    return read_picture(picture.name, _file(arrays, picture.file), upright=True)


def _file(arrays: Pool, digest: str) -> bytes:
    data: NDArray[np.uint8] = arrays.get(digest)
    return data.tobytes()
