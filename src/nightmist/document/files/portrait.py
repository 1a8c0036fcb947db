"""A small picture of the model for the gallery, by rays."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...core.formats.image_files import write_png
from ...core.mapping import Camera
from ...core.mesh.pick import Hits
from ..derived.composites import VALUE_CHANNEL
from ..document import Document

STAGE = np.array([0x8B, 0x8F, 0x8E]) / 255
#: Whence the model is seen, under which angle in degrees, and how much of the picture it fills.
AWAY, FIELD, FILLED = np.array([0.55, 0.35, 1.0]), 30, 0.92
#: How many sheets are looked through, how far behind one the next begins, as a share of the model's size, and what is
#: too little to be looked after.
MOST_SHEETS, BEYOND, FAINT = 8, 1e-4, 1 / 512
LIGHT = np.array([0.45, 0.75, 0.5]) / np.linalg.norm([0.45, 0.75, 0.5])


def portrait(document: Document, width: int = 480, height: int = 360) -> bytes:
    """PNG of the whole model, seen slightly from above, shaded softly so that the paint shows."""
    # Two rays a side for each pixel: edges without steps.
    camera = _camera(document, 2 * width, 2 * height)
    x, y = np.meshgrid(np.arange(2 * width) + 0.5, np.arange(2 * height) + 0.5)
    origins, rays = camera.rays(np.column_stack([x.ravel(), y.ravel()]))
    # A new document's gutters and rims take far longer than all that is seen here.
    document.refresh_insides()
    image, through = np.zeros((len(rays), 3)), np.ones(len(rays))
    going = np.arange(len(rays))
    low, high = document.mesh.bounds
    step = BEYOND * float(np.linalg.norm(high - low))
    for _ in range(MOST_SHEETS):
        hits = document.caster.cast(origins[going], rays[going])
        seen = np.flatnonzero(hits.face >= 0)
        going = going[seen]
        color, opacity = _shaded(document, hits, seen, rays[going])
        image[going] += color * (through[going] * opacity)[:, None]
        through[going] *= 1 - opacity
        origins[going] = hits.position[seen] + rays[going] * step
        going = going[through[going] > FAINT]
        if not len(going):
            break
    image += through[:, None] * STAGE
    rows = image.reshape(height, 2, 2 * width, 3).sum(axis=1)
    small = (rows[:, 0::2] + rows[:, 1::2]) / 4
    return write_png(np.rint(small * 255).astype(np.uint8))


def _shaded(
    document: Document, hits: Hits, seen: NDArray[np.int64], rays: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(n, 3) what the hits numbered in `seen` look like, and (n,) how much of it there is."""
    weights, normals = document.caster.attributes(hits, seen)
    surface_of = document.mesh.face_surface[hits.face[seen]]
    color, opacity = np.zeros((len(seen), 3)), np.ones(len(seen))
    for surface in document.surface_values():
        here = surface_of == surface.number
        uv = np.einsum("nck,nc->nk", document.layout(surface).uvs[hits.face[seen][here]], weights[here])
        texel = np.floor(np.nan_to_num(uv) * surface.size).astype(np.int64) % surface.size
        pictures = document.composite(surface).pictures
        color[here] = pictures["color"].texels(texel[:, 1], texel[:, 0])[:, :3] / 65535
        values = pictures["values"].texels(texel[:, 1], texel[:, 0])
        opacity[here] = values[:, VALUE_CHANNEL["opacity"]] / 65535
    facing = np.abs(np.einsum("nk,nk->n", normals, rays))
    shade = 0.42 + 0.4 * np.clip(normals @ LIGHT, 0, 1) + 0.22 * facing
    return np.clip(color * shade[:, None], 0, 1), opacity


def _camera(document: Document, width: int, height: int) -> Camera:
    """As near as it can be with all of the model in the picture."""
    low, high = document.mesh.bounds
    middle, away = (low + high) / 2, AWAY / np.linalg.norm(AWAY)
    right = np.cross((0, 1, 0), away)
    right /= np.linalg.norm(right)
    x, y, z = np.array([right, np.cross(away, right), away]) @ (document.mesh.positions - middle).T
    half = np.tan(np.radians(FIELD / 2)) * FILLED
    distance = float((z + np.maximum(np.abs(x) * height / width, np.abs(y)) / half).max())
    reach = float(np.linalg.norm(high - low))
    return Camera.look_at(middle + away * max(distance, reach / 2), middle, FIELD, (width, height))
