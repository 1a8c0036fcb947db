"""Pixels for the maps of another surface: the same where both have one size, else by their share of the map."""

from __future__ import annotations

from ...core.texels.rescale import rescaled
from ..derived.tables import table_of
from ..document import Document
from ..values import Node, PlaneName, Surface


def fitting(document: Document, node: Node, name: PlaneName, onto: Surface) -> str | None:
    """The table of one of a node's rasters, in the size of a surface's maps; None where nothing is painted.

    Where the sizes are the same it is the raster's own, which costs nothing.
    """
    raster, surface = document.raster(node.id, name), document.surface_of(node)
    if raster.tiles and surface.size != onto.size:
        raster = rescaled(raster, *onto.size, document.layout(surface).ownership.covered())
    return table_of(raster, document.pool, document.arrays)


def finer(here: Surface, onto: Surface) -> float:
    """How many times the texels along a side another surface's maps have, by the side where that is fewer."""
    return min(onto.width / here.width, onto.height / here.height)
