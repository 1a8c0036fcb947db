"""Between the document and the store: what to write for a change, and how to read a project back."""

from __future__ import annotations

import io
from collections import defaultdict
from collections.abc import Callable, Iterable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..core.texels.raster import TILE, Tile
from ..document import Document
from ..document.change import Change, arrays_of, node_and_map, tables_of
from ..document.derived.pool import Pool
from ..document.derived.tables import is_table, table_of, tiles_in
from ..document.document import Event
from ..document.files.portrait import portrait
from ..document.files.upgrade import is_present, values_of
from ..document.history import DEPTH, History
from ..store import ArrayData, Entry, Store

#: Said once about projects whose undo history was written in a form that is not read any more.
HISTORY_ENDED = "This project was kept by an earlier version. All paint is here; its undo history begins anew."


def entry_for(document: Document, event: Event, change: Change, revision: int) -> Entry:
    """The transaction that keeps a change which has just been done, undone or redone."""
    entry = Entry(revision=revision, cursor=document.history.place)
    now = change.inverse() if event == "undo" else change
    if event == "do":
        # As history has it: it may have become one with the step before.
        entry.steps[entry.cursor - 1] = document.history.changes[-1].model_dump(mode="json")
    if now.values:
        entry.state = document.state().model_dump(mode="json")
        entry.name = document.project.name
    entry.placed = {(*_place(edit.raster), edit.row, edit.column): edit.after for edit in now.edits}
    for key, (_, table) in now.rasters.items():
        entry.emptied.add(_place(key))
        tiles = tiles_in(document.arrays.get(table)) if table else {}
        entry.placed.update({(*_place(key), *place): digest for place, digest in tiles.items()})
    tables = [document.arrays.get(digest) for digest in change.tables()]
    digests = {*change.tiles(), *(digest for table in tables for digest in tiles_in(table).values())}
    entry.tiles = {digest: _pixels(tile) for digest, tile in _unstored(document.pool, digests)}
    arrays = {*change.arrays(), *change.tables()}
    entry.arrays = {digest: _array(array) for digest, array in _unstored(document.arrays, arrays)}
    return entry


def create_project(store: Store, project: str, document: Document, pictured: bool) -> None:
    """Keep a new document whole; its history begins with it. pictured: with its picture for the gallery."""
    entry = Entry(revision=0, cursor=0)
    for key, raster in document.rasters.items():
        table = table_of(raster, document.pool, document.arrays)
        tiles = tiles_in(document.arrays.get(table)) if table else {}
        entry.placed.update({(*_place(key), *place): digest for place, digest in tiles.items()})
    tables = {digest for value in document.values.values() for digest in tables_of(value)}
    tiles_of_tables = {tile for table in tables for tile in tiles_in(document.arrays.get(table)).values()}
    wanted = {*tiles_of_tables, *(digest for digest in entry.placed.values() if digest)}
    entry.tiles = {digest: _pixels(document.pool.get(digest)) for digest in wanted}
    arrays = {*tables, *(digest for value in document.values.values() for digest in arrays_of(value))}
    entry.arrays = {digest: _array(document.arrays.get(digest)) for digest in arrays}
    state = document.state().model_dump(mode="json")
    picture = portrait(document) if pictured else None
    store.create(project, document.project.name, picture, state, entry)


class Opened(NamedTuple):
    """A document as it was kept, to the bit, with its history; its revision; and what is to be said about it once."""

    document: Document
    revision: int
    said: str | None = None


def open_project(store: Store, project: str) -> Opened:
    """Read a project back. One of an earlier version takes its present form, for good."""
    state, _, _ = store.position(project)
    said = None
    if not is_present(state):
        said = HISTORY_ENDED
        store.begin_anew(project, values_of(state).model_dump(mode="json"))
    store.sweep(project, DEPTH)
    state, cursor, revision = store.position(project)
    document = Document(values_of(state).values, _tile_loader(store, project), _array_loader(store, project))
    rasters: defaultdict[str, dict[tuple[int, int], str]] = defaultdict(dict)
    for layer, map_name, row, column, digest in store.placed(project):
        rasters[f"{layer}/{map_name}"][row, column] = digest
    digests = {digest for places in rasters.values() for digest in places.values()}
    tiles = {digest: _tile(*raw) for digest, raw in store.tiles(project, list(digests)).items()}
    for key, places in rasters.items():
        document.place(key, {place: tiles[digest] for place, digest in places.items()})
    document.history = History([Change.model_validate(step) for step in store.steps(project)], cursor)
    return Opened(document, revision, said)


def _place(raster: str) -> tuple[str, str]:
    node, name = node_and_map(raster)
    return node, name


def _unstored(pool: Pool, digests: Iterable[str]) -> list[tuple[str, NDArray[Any]]]:
    return [(digest, pool.held[digest]) for digest in set(digests) & pool.pinned]


def _tile_loader(store: Store, project: str) -> Callable[[str], Tile | None]:
    def load(digest: str) -> Tile | None:
        found = store.tiles(project, [digest])
        return _tile(*found[digest]) if digest in found else None

    return load


def _array_loader(store: Store, project: str) -> Callable[[str], NDArray[Any] | None]:
    def load(digest: str) -> NDArray[Any] | None:
        data = store.array(project, digest)
        if data is None:
            return None
        array: NDArray[Any] = np.load(io.BytesIO(data), allow_pickle=False)
        return array

    return load


def _array(array: NDArray[Any]) -> ArrayData:
    packed = io.BytesIO()
    np.save(packed, array, allow_pickle=False)
    names = "".join(tiles_in(array).values()) if is_table(array) else ""
    return ArrayData(packed.getvalue(), bytes.fromhex(names) or None)


def _pixels(tile: Tile) -> tuple[int, bytes]:
    return tile.shape[2], tile.tobytes()


def _tile(channels: int, data: bytes) -> Tile:
    # Never written: rasters keep tiles that are replaced, not changed.
    return np.frombuffer(data, np.uint16).reshape(TILE, TILE, channels)
