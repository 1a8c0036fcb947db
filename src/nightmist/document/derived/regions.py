"""Which texels of a map a region covers, kept by what that follows from."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...core.texels.polygon import polygon_mask
from ...core.texels.tile_mask import TileMask
from ...core.tools.fill_mask import faces_mask
from ..values import Region, Surface
from .cache import Cache
from .layouts import Layout


def region_mask(
    cache: Cache, layout: Layout, surface: Surface, faces: NDArray[np.int64], region: Region
) -> TileMask:  # fmt: skip
    """How much of each texel of a surface's map lies in a region with these faces; borders in islands are smooth."""
    areas = tuple(area for area in region.areas if area.surface == surface.id)

    def make() -> TileMask:
        mask = covered(cache, layout, faces, region.faces)
        for area in areas:
            shape = polygon_mask(area.polygon, *surface.size)
            mask = mask.without(shape) if area.taken else mask.joined(shape)
        return mask

    key = ("region", layout.key, region.faces, areas)
    return cache.get(key, make, lambda mask: mask.nbytes)


def covered(cache: Cache, layout: Layout, faces: NDArray[np.int64], digest: str) -> TileMask:
    """The same of faces alone, some of them other surfaces' maybe. digest: of the faces."""
    mine = np.intersect1d(faces, layout.faces)

    def make() -> TileMask:
        if not len(mine):
            return TileMask(len(layout.ownership.tile_start) - 1, elsewhere=0)
        return faces_mask(layout.mesh, layout.uvs, layout.ownership, layout.gutter, mine)

    return cache.get(("faces", layout.key, digest), make, lambda mask: mask.nbytes)
