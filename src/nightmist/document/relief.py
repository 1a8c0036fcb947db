"""Keeps the normals of all surfaces in line with their height, over seams and from one surface to the next."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..core.relief import write_normals
from ..core.relief.heights import with_neighbors
from ..core.texels import TileArea
from .surface import LEVEL

if TYPE_CHECKING:
    from .document import Document


def refresh_relief(document: Document) -> dict[str, TileArea]:
    """Work out stale normals; returns what changed, by surface."""
    surfaces = [surface for surface in document.surfaces.values() if len(surface.faces)]
    stale = {surface.name: surface.relief_stale for surface in surfaces}
    if not any(len(area) for area in stale.values()):
        return {}
    for surface in surfaces:
        surface.relief_stale = TileArea.empty()
    changed: dict[str, TileArea] = {}
    if not any(surface.has_relief for surface in surfaces):
        # Nothing is raised anywhere: no links over seams are needed, which take a moment to find.
        for surface in surfaces:
            if (surface.pictures["relief"] != LEVEL).any():
                surface.pictures["relief"][:] = LEVEL
                changed[surface.name] = surface.everywhere
            surface.__dict__.pop("heights", None)
        return changed
    for surface in surfaces:
        fresh = "heights" not in surface.__dict__
        area = surface.everywhere if fresh else stale[surface.name]
        if len(area):
            surface.heights.take(surface.pictures["values"], area)
    everything = {surface.number: surface.heights for surface in surfaces}
    last = max(everything)
    heights = [everything.get(number, surfaces[0].heights) for number in range(last + 1)]
    for surface in surfaces:
        area = with_neighbors(stale[surface.name], *surface.size)
        for other in surfaces:
            if len(stale[other.name]):
                area = area.joined(surface.heights.beside(other.number, *other.size, stale[other.name]))
        if len(area):
            write_normals(surface.pictures["relief"], heights, surface.number, surface.depth, area)
            changed[surface.name] = surface.gutter.spread(surface.pictures["relief"], area)
    return changed
