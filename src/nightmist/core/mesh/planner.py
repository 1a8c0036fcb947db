"""How big a map has to be to look crisp from where it will be seen (F25)."""

from __future__ import annotations

import math

from ..errors import NightmistError


def plan_map_size(distance: float, fov_y: float, picture_height: float, length: float, uv_length: float) -> int:
    """The power of two that gives a texel for each pixel of the final picture.

    distance: nearest distance to the camera, model units. fov_y: vertical field of view, degrees.
    picture_height: of the final picture, pixels. length: of the object, model units, along the part
    uv_length (0-1) of the map's side. Raises NightmistError unless all are above 0 and fov_y below 180.
    """
    for name, value in (("distance", distance), ("picture_height", picture_height), ("length", length)):
        if not (math.isfinite(value) and value > 0):
            raise NightmistError(f"{name} = {value!r} does not work: give a number above 0.")
    if not 0 < fov_y < 180:
        raise NightmistError(f"fov_y = {fov_y!r} does not work: a field of view is between 0 and 180 degrees.")
    if not 0 < uv_length <= 1:
        raise NightmistError(f"uv_length = {uv_length!r} does not work: it is a part of the map's side, 0 to 1.")
    pixels_per_unit = picture_height / (2 * distance * math.tan(math.radians(fov_y) / 2))
    return 1 << max(0, math.ceil(math.log2(pixels_per_unit * length / uv_length) - 1e-9))
