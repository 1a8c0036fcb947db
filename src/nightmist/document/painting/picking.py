"""What lies under a place of the screen, and what is stored there."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...core.mapping import Camera
from ...core.texels import TILE
from ..document import Document
from ..values import MAPS, Hit, Node, Pigment, Surface, color_in_hex


def pick(document: Document, camera: Camera, place: Sequence[float]) -> Hit | None:
    """What lies under a place (x, y) of the screen; None beside the model."""
    caster = document.caster
    hits = caster.cast(*camera.rays(np.array([place], np.float64)))
    if hits.face[0] < 0:
        return None
    surface = document.surface_values()[int(document.mesh.face_surface[hits.face[0]])]
    weights, normals = caster.attributes(hits, np.array([0]))
    uv = (document.layout(surface).uvs[hits.face] * weights[:, :, None]).sum(axis=1)
    return Hit(surface.name, int(hits.face[0]), _three(hits.position[0]), _three(normals[0]), _two(uv[0]))


def sample(document: Document, surface: Surface, uv: tuple[float, float], layer: Node | None = None) -> Pigment:
    """What is stored at a place, of all layers together or of one: exactly, without light."""
    y, x = surface.texel_at(uv)
    document.bring_up_to_date()
    found: dict[str, Any] = {}
    for name in MAPS:
        if layer is None:
            texel = document.composite(surface).texel(name, y, x)
        else:
            tile = document.raster(layer.id, name).tiles.get((y // TILE, x // TILE))
            if tile is None or tile[y % TILE, x % TILE, -1] == 0:
                continue
            texel = tile[y % TILE, x % TILE]
        found[name] = color_in_hex(texel[:3].tolist()) if name == "base_color" else int(texel[0]) / 65535
    return Pigment(**found)


def _two(values: NDArray[np.float64]) -> tuple[float, float]:
    return float(values[0]), float(values[1])


def _three(values: NDArray[np.float64]) -> tuple[float, float, float]:
    return float(values[0]), float(values[1]), float(values[2])
