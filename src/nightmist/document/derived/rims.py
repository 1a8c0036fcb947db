"""The rims of a document's composited maps, over all surfaces at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...core.mesh import Mesh
from ...core.texels import TileArea
from ...core.texels.rim import Rim
from ...core.texels.rim_links import rim_of
from .cache import Cache
from .composites import Changed, Composite, PictureName
from .layouts import Layout, texels_of

#: Pictures whose texels go on over a seam. Slopes do not: they are told in the directions of the island's own map.
RIMMED: tuple[PictureName, ...] = ("color", "values")


class Rims:
    """Keeps the rims in line with the layouts, and brings those of the pictures up to date."""

    def __init__(self, cache: Cache) -> None:
        self.cache = cache
        self.key: object = None

    def refresh(
        self, layouts: Sequence[Layout], mesh: Mesh, composites: Sequence[Composite], changed: Sequence[Changed]
    ) -> list[Changed]:
        """After pictures, gutters included, have changed; all lists go by the surfaces' numbers.

        Returns what changed with the rims.
        """
        key = ("rim", *(layout.key for layout in layouts))
        found = [dict(one) for one in changed]
        if key != self.key:
            # Other texels are rims now: what was one before has to be gutter again.
            if self.key:
                for layout, composite, areas in zip(layouts, composites, found, strict=True):
                    _without_rim(layout, composite, areas)
            self.key = key
        for name in RIMMED:
            stale = {number: areas[name] for number, areas in enumerate(found) if name in areas}
            if not any(len(area) for area in stale.values()):
                continue
            rim = self._rim(key, layouts, mesh)
            pictures = {number: composite.pictures[name] for number, composite in enumerate(composites)}
            for number, area in rim.spread(pictures, stale, together=name == "color").items():
                found[number][name] = found[number].get(name, TileArea.empty()).joined(area)
        return found

    def _rim(self, key: tuple[object, ...], layouts: Sequence[Layout], mesh: Mesh) -> Rim:
        def make() -> Rim:
            sizes = np.array([layout.size for layout in layouts], np.int64)
            owns, gutters = [layout.ownership for layout in layouts], [layout.gutter for layout in layouts]
            return rim_of(mesh, owns, gutters, texels_of(layouts, mesh), sizes)

        return self.cache.get(key, make, lambda rim: rim.nbytes)


def _without_rim(layout: Layout, composite: Composite, areas: Changed) -> None:
    for name in RIMMED:
        area = layout.gutter.spread(composite.pictures[name], composite.everywhere)
        areas[name] = area.joined(areas.get(name, TileArea.empty()))
