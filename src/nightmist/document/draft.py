"""A document on maps a few times smaller: what takes long is seen at once, roughly, while a slider moves."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.texels import TILE, Raster
from ..core.texels.shrink import shrunk
from .change import Change, raster_id
from .derived.composites import PICTURE_OF, PICTURES, PictureName
from .derived.scaled import scaled
from .document import Document
from .values import NODES, PLANES, AnyValue, Node, Surface

#: Texels of a draft's map at most: few enough for ten pictures a second.
MOST_TEXELS = 512 * 512
#: Tiles from which it takes long to lay pictures on them.
MANY_TILES = 200
#: How much smaller a draft's maps may be along a side, and twice that; browsers know these.
FACTORS = (2, 4, 8)

Pixels = NDArray[np.uint8]


class Draft:
    """Follows a document, and shows of it what the document has not worked out yet."""

    def __init__(self, document: Document, coarser: bool = False) -> None:
        """coarser: where its maps can be half as large along a side as they usually are, they are."""
        self.document = document
        self.sizes = _sizes(document)
        self.factors = {surface.id: factor_of(surface, coarser) for surface in _surfaces(document)}
        self.seen: dict[str, AnyValue] = {}
        for key in document.values:
            self.seen[key] = document.shown(key) or document.values[key]
        values = [small for value in self.seen.values() if (small := self._small(value))]
        self.small = Document(values, pools=(document.pool, document.arrays))
        self.small.take_mesh(document)
        #: Of each raster that was shrunk which one, and which edition of it.
        self.shrunk: dict[str, tuple[Raster, int]] = {}

    def fits(self) -> bool:
        """Whether it is still one of this document: the same surfaces in the same sizes, of the same model."""
        return self.small.model is self.document.model and self.sizes == _sizes(self.document)

    def prepare(self) -> None:
        """Work out what any draft needs: where faces lie in the smaller maps."""
        self.small.refresh()
        self.small.rims.find_all(self.small.all_layouts(), self.small.mesh)

    def show(self, wanted: Mapping[str, Iterable[PictureName]]) -> dict[tuple[str, PictureName], Pixels]:
        """Pictures of surfaces, by id, as they are shown now: (h, w, 4), or (1, 1, 4) where all is one color."""
        self._follow(wanted)
        self.small.refresh()
        found: dict[tuple[str, PictureName], Pixels] = {}
        for key, names in wanted.items():
            surface: Surface = self.small.values[key]  # type: ignore[assignment]
            composite = self.small.composite(surface)
            for name in names:
                found[key, name] = composite.pictures[name].encode(0, surface.height, 0, surface.width)
        return found

    def _follow(self, surfaces: Iterable[str]) -> None:
        """Be as the document is shown now: its values, and the pixels of some surfaces."""
        now = {key: self.document.shown(key) for key in {**self.document.values, **self.seen}}
        other = {key: value for key, value in now.items() if value is not self.seen.get(key)}
        if other:
            self.seen = {key: value for key, value in now.items() if value is not None}
            values = {key: (self.small.values.get(key), value and self._small(value)) for key, value in other.items()}
            self.small.apply(Change(label="", values={k: pair for k, pair in values.items() if pair[0] != pair[1]}))
        for surface in surfaces:
            for node in self.small.nodes_in(surface):
                for name in PLANES:
                    self._take(raster_id(node.id, name), self.document.shown_raster(node.id, name), surface)

    def _take(self, key: str, raster: Raster | None, surface: str) -> None:
        """Shrink a raster, when it is not the one that was shrunk last."""
        known = self.shrunk.get(key)
        if raster is None:
            if known:
                del self.shrunk[key]
                self.small.exchange(key, None)
        elif known is None or known[0] is not raster or known[1] != raster.edition:
            self.shrunk[key] = raster, raster.edition
            self.small.exchange(key, shrunk(raster, self.factors[surface]))

    def _small(self, value: AnyValue) -> Any:
        """A value as the draft has it; None for nodes of surfaces of which no draft is shown."""
        if isinstance(value, Surface):
            factor = self.factors[value.id]
            width, height = (value.width // factor, value.height // factor) if factor > 1 else (TILE, TILE)
            return value.but(width=width, height=height)
        if isinstance(value, NODES):
            factor = self.factors[self._surface_of(value)]
            return scaled(value, 1 / factor) if factor > 1 else None
        return value

    def _surface_of(self, node: Node) -> str:
        over: AnyValue = node
        while isinstance(over, NODES):
            over = self.seen[over.parent]
        return over.id


def factor_of(surface: Surface, coarser: bool = False) -> int:
    """How much smaller a draft of a surface is along a side; 1: its map is small, or of an odd size."""
    for factor in FACTORS if surface.width * surface.height > MOST_TEXELS else ():
        if _goes(surface, factor) and surface.width * surface.height <= MOST_TEXELS * factor * factor:
            return 2 * factor if coarser and _goes(surface, 2 * factor) else factor
    return 1


def _goes(surface: Surface, factor: int) -> bool:
    return surface.width % (factor * TILE) == 0 and surface.height % (factor * TILE) == 0


def waiting(document: Document) -> dict[str, list[PictureName]]:
    """Of surfaces, by id, on which much waits to be worked out that takes long: the pictures that will be others."""
    found: dict[str, list[PictureName]] = {}
    for surface in _surfaces(document):
        stale = document.composite(surface).summed()
        tiles = max((len(area) for area in stale.values()), default=0)
        if tiles >= MANY_TILES and factor_of(surface) > 1 and document.works_long(surface):
            names = {PICTURE_OF[name] for name in stale} | ({"relief"} if "height" in stale else set())
            found[surface.id] = [name for name in PICTURES if name in names]
    return found


def _sizes(document: Document) -> dict[str, tuple[int, int]]:
    return {surface.id: surface.size for surface in _surfaces(document)}


def _surfaces(document: Document) -> list[Surface]:
    return [document.shown(surface.id) for surface in document.surface_values()]  # type: ignore[misc]
