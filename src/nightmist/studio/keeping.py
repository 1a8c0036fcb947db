"""Between the document and the store: what to write for a command, and how to read a project back."""

from __future__ import annotations

import io
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.texels.raster import TILE, Tile
from ..document import Document
from ..document.commands import COMMAND, AddLayer, Command, PaintTiles, Refit, RemoveLayer
from ..document.document import Event
from ..document.history import DEPTH, History
from ..document.picture import portrait
from ..document.pool import Pool
from ..document.shape import mesh_from
from ..document.types import DocumentState
from ..store import Change, Store
from ..store.store import Place


def change_for(document: Document, event: Event, command: Command, revision: int) -> Change:
    """The transaction that keeps a command which has just been done, undone or redone."""
    change = Change(revision=revision, cursor=document.history.place)
    now = command.inverse() if event == "undo" else command
    if event == "do":
        change.step = COMMAND.dump_python(command, mode="json")
    if isinstance(now, PaintTiles):
        change.placed = {(e.layer, e.map, e.row, e.column): e.after for e in now.edits}
    else:
        change.state = document.state().model_dump(mode="json")
    if isinstance(now, AddLayer):
        change.placed = {(now.layer.id, t.map, t.row, t.column): t.digest for t in now.tiles}
    if isinstance(now, RemoveLayer):
        change.dropped_layers = {now.layer.id}
    if isinstance(now, Refit):
        stays = {layer.id for surface in now.after.surfaces for layer in surface.layers}
        was = {layer.id for surface in now.before.surfaces for layer in surface.layers}
        change.dropped_layers = (was - stays) | set(now.tiles_after)
        change.placed = {
            (layer, t.map, t.row, t.column): t.digest for layer, tiles in now.tiles_after.items() for t in tiles
        }
        change.arrays = {digest: _npy(array) for digest, array in _unstored(document.arrays, set(now.arrays()))}
    change.tiles = {digest: _pixels(tile) for digest, tile in _unstored(document.pool, set(command.digests()))}
    return change


def create_project(store: Store, project: str, document: Document) -> None:
    """Keep a new document whole."""
    placed: dict[Place, str | None] = {}
    for layer in document.layers.values():
        for ref in layer.tiles():
            placed[layer.id, ref.map, ref.row, ref.column] = ref.digest
    needed = {digest for digest in placed.values() if digest}
    arrays = {*document.mesh_arrays.arrays.values(), *document.tips.values()}
    steps = document.history.commands
    for command in steps:
        needed.update(command.digests())
        if isinstance(command, Refit):
            arrays.update(command.arrays())
    tiles = {digest: _pixels(document.pool.get(digest)) for digest in needed}
    change = Change(
        revision=0, cursor=0, placed=placed, tiles=tiles,
        arrays={digest: _npy(document.arrays.get(digest)) for digest in arrays},
    )  # fmt: skip
    state = document.state().model_dump(mode="json")
    store.create(project, document.name, portrait(document), state, change)


def open_project(store: Store, project: str) -> tuple[Document, int]:
    """The document as it was kept, to the bit, with its history; and its revision."""
    store.sweep(project, DEPTH)
    raw, cursor, revision = store.position(project)
    state = DocumentState.model_validate(raw)
    load_array = _array_loader(store, project)
    assert state.mesh
    mesh = mesh_from(state.mesh, state.surfaces, Pool(load_array))
    document = Document(mesh, state, _tile_loader(store, project), load_array)
    places = list(store.placed(project))
    found = store.tiles(project, list({place[4] for place in places}))
    tiles = {digest: _tile(*raw) for digest, raw in found.items()}
    for layer, map_name, row, column, digest in places:
        document.place_tile(layer, map_name, (row, column), tiles[digest])  # type: ignore[arg-type]
    document.history = History([COMMAND.validate_python(step) for step in store.steps(project)], cursor)
    return document, revision


def _unstored(pool: Pool, digests: set[str]) -> list[tuple[str, NDArray[Any]]]:
    return [(digest, pool.held[digest]) for digest in digests & pool.pinned]


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


def _npy(array: NDArray[Any]) -> bytes:
    packed = io.BytesIO()
    np.save(packed, array, allow_pickle=False)
    return packed.getvalue()


def _pixels(tile: Tile) -> tuple[int, bytes]:
    return tile.shape[2], tile.tobytes()


def _tile(channels: int, data: bytes) -> Tile:
    return np.frombuffer(data, np.uint16).reshape(TILE, TILE, channels).copy()
