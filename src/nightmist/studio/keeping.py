"""Between the document and the store: what to write for a command, and how to read a project back."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..core.formats.gltf_read import read_gltf
from ..core.formats.gltf_write import write_glb
from ..core.texels.raster import TILE, Tile
from ..document import Document
from ..document.commands import COMMAND, AddLayer, Command, PaintTiles, RemoveLayer
from ..document.document import Event
from ..document.history import DEPTH, History
from ..document.picture import portrait
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
        change.dropped_layer = now.layer.id
    pool = document.pool
    for digest in set(command.digests()) & pool.pinned:
        change.tiles[digest] = _pixels(pool.tiles[digest])
    return change


def create_project(store: Store, project: str, document: Document) -> None:
    """Keep a new document whole."""
    placed: dict[Place, str | None] = {}
    for layer in document.layers.values():
        for ref in layer.tiles():
            placed[layer.id, ref.map, ref.row, ref.column] = ref.digest
    needed = {digest for digest in placed.values() if digest}
    for command in document.history.commands:
        needed.update(command.digests())
    tiles = {digest: _pixels(document.pool.tiles[digest]) for digest in needed}
    change = Change(revision=0, cursor=0, placed=placed, tiles=tiles)
    state = document.state().model_dump(mode="json")
    store.create(project, document.name, write_glb(document.mesh), portrait(document), state, change)


def open_project(store: Store, project: str) -> tuple[Document, int]:
    """The document as it was kept, to the bit, with its history; and its revision."""
    store.sweep(project, DEPTH)
    state, cursor, revision = store.position(project)
    mesh = read_gltf("the project's model", store.model(project), {})
    document = Document(mesh, DocumentState.model_validate(state), _loader(store, project))
    places = list(store.placed(project))
    found = store.tiles(project, list({place[4] for place in places}))
    tiles = {digest: _tile(*raw) for digest, raw in found.items()}
    for layer, map_name, row, column, digest in places:
        document.place_tile(layer, map_name, (row, column), tiles[digest])  # type: ignore[arg-type]
    document.history = History([COMMAND.validate_python(step) for step in store.steps(project)], cursor)
    return document, revision


def _loader(store: Store, project: str) -> Callable[[str], Tile | None]:
    def load(digest: str) -> Tile | None:
        found = store.tiles(project, [digest])
        return _tile(*found[digest]) if digest in found else None

    return load


def _pixels(tile: Tile) -> tuple[int, bytes]:
    return tile.shape[2], tile.tobytes()


def _tile(channels: int, data: bytes) -> Tile:
    return np.frombuffer(data, np.uint16).reshape(TILE, TILE, channels).copy()
