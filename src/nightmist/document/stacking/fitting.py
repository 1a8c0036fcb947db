"""Pixels for the maps of another surface: the same where both have one size, else by their share of the map."""

from __future__ import annotations

from collections.abc import Sequence

from ...core.progress import Progress, quietly
from ...core.texels.rescale import rescaled
from ..derived.tables import table_of
from ..document import Document
from ..values import PLANES, Node, PlaneName, Surface


def fitting(
    document: Document,
    node: Node,
    onto: Surface,
    names: Sequence[PlaneName] = PLANES,
    progress: Progress = quietly,
) -> dict[PlaneName, str]:
    """The tables of a node's rasters, in the size of a surface's maps; those without paint are left out.

    Where the sizes are the same they are the rasters' own, which costs nothing.
    """
    surface = document.surface_of(node)
    held = {name: raster for name in names if (raster := document.raster(node.id, name)).tiles}
    if held and surface.size != onto.size:
        covered = document.layout(surface).ownership.covered()
        for place, (name, raster) in enumerate(held.items()):
            progress("Fitting the paint to its new maps", place / len(held))
            held[name] = rescaled(raster, *onto.size, covered)
    tables = {name: table_of(raster, document.pool, document.arrays) for name, raster in held.items()}
    return {name: table for name, table in tables.items() if table}


def finer(here: Surface, onto: Surface) -> float:
    """How many times the texels along a side another surface's maps have, by the side where that is fewer."""
    return min(onto.width / here.width, onto.height / here.height)
