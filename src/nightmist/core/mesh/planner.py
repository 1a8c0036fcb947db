"""Which maps a model needs: how big, and one shared or one for each surface."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from .mesh import Mesh
from .packing import pack_islands
from .topology import islands_of
from .unwrap import face_areas, flat_areas

#: Channels of all maps that every surface hands off: color 3, roughness, metallic, height, normal 3.
CHANNELS = 9
SIDES = (1024, 2048, 4096)
#: Packing is tried at this size; density grows with the side.
TRIAL = 1024


def pixels_per_unit(distance: float, fov_y: float, picture_height: float) -> float:
    """Pixels of a picture on a model unit at a distance. Raises NightmistError for what cannot be seen."""
    for name, value in (("distance", distance), ("picture_height", picture_height)):
        if not (math.isfinite(value) and value > 0):
            raise NightmistError(f"{name} = {value!r} does not work: give a number above 0.")
    if not 0 < fov_y < 180:
        raise NightmistError(f"fov_y = {fov_y!r} does not work: a field of view is between 0 and 180 degrees.")
    return picture_height / (2 * distance * math.tan(math.radians(fov_y) / 2))


def plan_map_size(distance: float, fov_y: float, picture_height: float, length: float, uv_length: float) -> int:
    """The power of two that gives a texel for each pixel of the final picture.

    distance: nearest distance to the camera, model units. fov_y: vertical field of view, degrees.
    picture_height: of the final picture, pixels. length: of the object, model units, along the part
    uv_length (0-1) of the map's side. Raises NightmistError unless all are above 0 and fov_y below 180.
    """
    density = pixels_per_unit(distance, fov_y, picture_height)
    if not (math.isfinite(length) and length > 0):
        raise NightmistError(f"length = {length!r} does not work: give a number above 0.")
    if not 0 < uv_length <= 1:
        raise NightmistError(f"uv_length = {uv_length!r} does not work: it is a part of the map's side, 0 to 1.")
    return 1 << max(0, math.ceil(math.log2(density * length / uv_length) - 1e-9))


def memory(width: int, height: int, channels: int = CHANNELS, bits: int = 8) -> int:
    """Bytes of a map with its smaller copies (mip levels)."""
    return width * height * channels * bits // 8 * 4 // 3


def enough_size(
    size: tuple[int, int], density: float, needed: float, least: int = 256, most: int = 8192
) -> tuple[tuple[int, int], float]:
    """The smallest map in the proportions of `size` that is dense enough, and its density, texels per model unit.

    Islands keep their share of the map, so density grows with the sides; these are doubled or halved. density:
    of the map of `size`. needed: pixels per model unit. The longer side is at most `most`, the shorter one at
    least `least` unless it is smaller already.
    """
    (width, height), now = size, density
    while now < needed and max(width, height) * 2 <= most:
        width, height, now = width * 2, height * 2, now * 2
    while now >= 2 * needed and min(width, height) // 2 >= least and not (width | height) % 128:
        width, height, now = width // 2, height // 2, now / 2
    return (width, height), now


@dataclass(frozen=True)
class PlanRow:
    """One way to spend memory: `side` of square maps, shared by all or one for each surface.

    density: texels per model unit, by surface. bytes: of all maps together.
    """

    shared: bool
    side: int
    density: tuple[float, ...]
    bytes: int


def plan_table(
    mesh: Mesh, surfaces: Sequence[tuple[NDArray[np.int64], NDArray[np.float32], tuple[int, int]]], margin: float = 8
) -> list[PlanRow]:
    """Density and memory of one shared map against one for each surface, after packing.

    surfaces: faces, (F, 3, 2) UVs and map size of each.
    """
    parts = [_true_islands(mesh, faces, uv, size) for faces, uv, size in surfaces]
    small = margin * TRIAL / 2048
    alone = [pack_islands(*part, (TRIAL, TRIAL), small).scale for part in parts]
    offsets = np.cumsum([0] + [int(island.max()) + 1 for _, island in parts[:-1]])
    together = pack_islands(
        np.concatenate([corners for corners, _ in parts]),
        np.concatenate([island + offset for (_, island), offset in zip(parts, offsets, strict=True)]),
        (TRIAL, TRIAL),
        small,
    ).scale
    rows = []
    for side in SIDES:
        grown = side / TRIAL
        rows.append(PlanRow(True, side, (together * grown,) * len(parts), memory(side, side)))
        each = tuple(scale * grown for scale in alone)
        rows.append(PlanRow(False, side, each, memory(side, side) * len(parts)))
    return rows


def _true_islands(
    mesh: Mesh, faces: NDArray[np.int64], uv: NDArray[np.float32], size: tuple[int, int]
) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Islands scaled to model units."""
    corners = uv[faces].astype(np.float64) * size
    known = np.isfinite(corners).all(axis=(1, 2))
    faces, corners = faces[known], corners[known]
    if not len(faces):
        raise NightmistError("A surface has no UVs yet; unwrap it before planning.")
    island = islands_of(mesh.topology, uv, faces)
    space = np.bincount(island, face_areas(mesh.corners[faces]))
    flat = np.bincount(island, np.abs(flat_areas(corners)))
    scale = np.sqrt(space / np.maximum(flat, 1e-300))
    return corners * scale[island][:, None, None], island
