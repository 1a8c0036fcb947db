"""What confines strokes: what the camera sees, and parts that are hidden. Kept by what it follows from."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...core.mapping import Camera
from ...core.mapping.sight import Sight
from ...core.texels.tile_mask import TileMask, shown_texels
from ..document import Document
from ..values import Surface


def sight_mask(document: Document, surface: Surface, camera: Camera, matrix: NDArray[np.float64]) -> TileMask:
    """Which texels of a surface lie open to a camera, under one image of the mirror."""
    arrays, hidden = document.model.arrays, document.project.hidden_parts
    seen = ("sight", camera, arrays["positions"], arrays["faces"], arrays["face_part"], hidden)
    sight = document.cache.get(seen, lambda: Sight(camera, document.mesh, hidden), lambda made: made.depth.nbytes)
    layout = document.layout(surface)
    key = (*seen, layout.key, matrix.tobytes())
    return document.cache.get(
        key, lambda: sight.mask(layout.ownership, document.hidden_faces(surface), matrix), lambda mask: mask.nbytes
    )


def shown_mask(document: Document, surface: Surface) -> TileMask | None:
    """Which texels of a map are not those of hidden parts alone; None when none of its parts is hidden."""
    hidden = document.hidden_faces(surface)
    if not hidden.any():
        return None
    layout = document.layout(surface)
    key = ("shown", layout.key, document.model.arrays["face_part"], document.project.hidden_parts)
    return document.cache.get(
        key, lambda: shown_texels(layout.ownership, layout.gutter, hidden), lambda mask: mask.nbytes
    )
