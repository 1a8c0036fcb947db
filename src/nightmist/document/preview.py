"""What is shown before it is a change: values and pixels laid over a document."""

from __future__ import annotations

from collections.abc import Mapping

from ..core.texels import Raster
from .change import raster_id
from .composed import Composed, Overlay
from .stale import differing_tiles, mark_tiles, mark_values
from .values import AnyValue, PlaneName


class Preview(Overlay):
    """Values and rasters laid over a document, shown to everybody, until they are dropped or become a change.

    The rasters are copies to work on, whose tiles are shared until they are put.
    """

    def __init__(self, document: Composed) -> None:
        super().__init__()
        self.document = document
        document.previews.append(self)
        document.edition += 1

    def raster(self, node: str, name: PlaneName) -> Raster:
        """A node's raster to work on."""
        key = raster_id(node, name)
        if key not in self.rasters:
            self.rasters[key] = self.document.raster(node, name).copy()
            self.document.edition += 1
        return self.rasters[key]

    def lay(self, values: Mapping[str, AnyValue]) -> None:
        """Show these values instead of those before."""
        before = {key: self.document.shown(key) for key in {*values, *self.values}}
        self.values = dict(values)
        mark_values(self.document, before)

    def drop(self, shown: bool = False) -> None:
        """Nothing of it is laid over the document any more. shown: the document shows the same without it."""
        if self not in self.document.previews:
            return
        before = {key: self.document.shown(key) for key in self.values}
        self.document.previews.remove(self)
        self.document.edition += 1
        if not shown:
            mark_values(self.document, before)
            for key, raster in self.rasters.items():
                mark_tiles(self.document, key, differing_tiles(raster, self.document.rasters.get(key)))
