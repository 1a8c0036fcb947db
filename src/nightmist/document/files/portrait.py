"""A small picture of the model for the gallery, by rays."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...core.formats.image_files import write_png
from ...core.mapping import Camera
from ...core.mapping.lighting import Seen
from ...core.mesh.pick import Hits
from ..derived.composites import VALUE_CHANNEL
from ..document import Document

STAGE = np.array([0x8B, 0x8F, 0x8E], np.float32) / 255
#: Whence the model is seen, under which angle in degrees, and how much of the picture it fills.
AWAY, FIELD, FILLED = np.array([0.55, 0.35, 1.0]), 30, 0.92
#: How many sheets are looked through, how far behind one the next begins, as a share of the model's size, and what is
#: too little to be looked after.
MOST_SHEETS, BEYOND, FAINT = 8, 1e-4, 1 / 512


def portrait(document: Document, width: int = 480, height: int = 360) -> bytes:
    """PNG of the whole model, seen slightly from above, shaded softly so that the paint shows."""
    # Two rays a side for each pixel: edges without steps.
    camera = _camera(document, 2 * width, 2 * height)
    x, y = np.meshgrid(np.arange(2 * width) + 0.5, np.arange(2 * height) + 0.5)
    origins, ways = camera.rays(np.column_stack([x.ravel(), y.ravel()]))
    # A new document's gutters and rims take far longer than all that is seen here.
    document.refresh_insides()
    shown, going = Seen(len(ways)), np.arange(len(ways))
    low, high = document.mesh.bounds
    step = BEYOND * float(np.linalg.norm(high - low))
    for _ in range(MOST_SHEETS):
        hits = document.caster.cast(origins, ways)
        met = np.flatnonzero(hits.face >= 0)
        _add_surfaces(document, shown, hits, met, ways, going)
        further = met[shown.through[going[met]] > FAINT]
        if not len(further):
            break
        going, ways = going[further], ways[further]
        origins = hits.position[further] + ways * step
    image = shown.image + shown.through[:, None] * STAGE
    rows = image.reshape(height, 2, 2 * width, 3).sum(axis=1)
    small = (rows[:, 0::2] + rows[:, 1::2]) / 4
    return write_png(np.rint(small * 255).astype(np.uint8))


def _add_surfaces(
    document: Document, shown: Seen, hits: Hits, met: NDArray[np.int64], ways: NDArray[np.float64],
    going: NDArray[np.int64],
) -> None:  # fmt: skip
    """What the hits numbered in `met` show, by the surface they lie on."""
    numbers = document.mesh.face_surface[hits.face[met]]
    there = set(np.unique(numbers).tolist())
    for surface in document.surface_values():
        if surface.number in there:
            pictures = document.composite(surface).pictures
            shown.add(
                document.mesh, hits, met[numbers == surface.number], ways, going, document.layout(surface).uvs,
                pictures["color"], pictures["values"], VALUE_CHANNEL["opacity"],
            )  # fmt: skip


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
