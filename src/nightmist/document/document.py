"""A document: its values, their rasters, and the history of its changes. Only `apply` changes anything."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from ..core.errors import NightmistError
from ..core.progress import Progress, quietly
from ..core.texels import Raster
from .change import Change, node_and_map
from .composed import Composed
from .derived.pool import Loader, Pool
from .derived.tables import raster_of
from .following import following
from .hidden import as_hidden_now
from .history import History
from .preview import Preview
from .stale import differing_tiles, mark_tiles, mark_values, reach
from .values import MAPS, AnyValue, MapName, Surface

Event = Literal["do", "undo", "redo", "aside"]


class Drawn(Protocol):
    """A stroke, as far as a document has to know it."""

    preview: Preview

    def finish(self) -> Change | None: ...


class Document(Composed):
    """A model being painted."""

    def __init__(
        self, values: Iterable[AnyValue], tiles: Loader | None = None, arrays: Loader | None = None,
        pools: tuple[Pool, Pool] | None = None,
    ) -> None:  # fmt: skip
        """tiles, arrays: bring back what history needs and memory has let go. pools: of both, to go on with."""
        super().__init__(values, *(pools or (Pool(tiles), Pool(arrays))))
        self.history = History()
        self.listener: Callable[[Event, Change], None] = lambda event, change: None
        self.progress: Progress = quietly

    def place(self, key: str, tiles: Mapping[tuple[int, int], NDArray[np.uint16]]) -> None:
        """Put a raster's tiles where they were kept, while a document is opened."""
        self.edition += 1
        raster = self.rasters[key] = self._empty(*node_and_map(key))
        for place, tile in tiles.items():
            raster.put(place, tile)

    def exchange(self, key: str, raster: Raster | None) -> None:
        """Put a whole raster in another's place, with no change that tells of it."""
        self.edition += 1
        before = self.rasters.pop(key, None)
        if raster is not None:
            self.rasters[key] = raster
        mark_tiles(self, key, differing_tiles(raster, before))

    def laid_maps(self, surface: Surface) -> list[MapName]:
        """The maps that anything visible lies on."""
        found = {name for node in self.stack(surface.id) if node.visible for name in reach(self, node, surface)}
        return [name for name in MAPS if name in found]

    def do(self, change: Change, shown: bool = False) -> None:
        """Apply a change and remember it. shown: its tiles are those that a preview has shown already."""
        self.apply(change, shown)
        if more := following(self, change):
            self.apply(more)
            change = change.with_values(more)
        self.history.push(change)
        self.listener("do", change)

    def do_aside(self, change: Change) -> None:
        """Apply a change that is no undo step, as what is added to a library, or which parts are hidden."""
        self.apply(change)
        self.listener("aside", change)

    def finish_stroke(self, stroke: Drawn) -> Change | None:
        """Make a drawn stroke one undo step; None when it left no mark."""
        change = stroke.finish()
        stroke.preview.drop(shown=change is not None)
        if change:
            self.do(change, shown=True)
        return change

    def undo(self) -> Change:
        """Take back the last change; returns it."""
        change = self.history.to_undo()
        back = as_hidden_now(self.values, change.inverse())
        self.apply(back)
        self.history.cursor -= 1
        self.listener("undo", back.inverse())
        return change

    def redo(self) -> Change:
        """Bring back what was undone last; returns it."""
        change = self.history.to_redo()
        again = as_hidden_now(self.values, change)
        self.apply(again)
        self.history.cursor += 1
        self.listener("redo", again)
        return change

    def apply(self, change: Change, shown: bool = False) -> None:
        """Bring a change into force. Whatever it needs is looked up first, so a refusal leaves all as it was."""
        for key, (value, _) in change.values.items():
            if self.values.get(key) != value:
                raise NightmistError("This step does not fit the document any more; it was changed since.")
        for digest in change.arrays():
            self.arrays.get(digest)
        self.edition += 1
        rasters = {
            key: raster_of(self.arrays.get(after), self.pool) if after else None
            for key, (_, after) in change.rasters.items()
        }
        tiles = [self.pool.get(edit.after) for edit in change.edits]
        before = {key: self.shown(key) for key in change.values}
        gone = [key for key, (_, value) in change.values.items() if value is None]
        if change.values:
            self.put_values({key: value for key, (_, value) in change.values.items() if value is not None})
        for key, raster in rasters.items():
            mark_tiles(self, key, differing_tiles(raster, self.rasters.pop(key, None)))
            if raster is not None:
                self.rasters[key] = raster
        self._put(change, tiles, shown)
        # Only now: what lay in these nodes had to be told from their values.
        for key in gone:
            self.drop_value(key)
            self.composites.pop(key, None)
            self.programs.forget(key)
            self.filters.forget(key)
            self.decals.forget(key)
        mark_values(self, before)
        self.cache.next_turn()

    def _put(self, change: Change, tiles: list[NDArray[np.uint16] | None], shown: bool) -> None:
        places: dict[str, list[tuple[int, int]]] = {}
        for edit, tile in zip(change.edits, tiles, strict=True):
            if edit.raster not in self.rasters:
                self.rasters[edit.raster] = self._empty(*node_and_map(edit.raster))
            self.rasters[edit.raster].put((edit.row, edit.column), tile)
            places.setdefault(edit.raster, []).append((edit.row, edit.column))
        for key, keys in places.items():
            if not self.rasters[key].tiles:
                del self.rasters[key]
            if not shown:
                mark_tiles(self, key, keys)
