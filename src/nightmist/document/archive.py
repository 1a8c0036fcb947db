"""A project as one file: an open zip of JSON, PNG tiles and a GLB (docs/formats.md)."""

from __future__ import annotations

import json
import os
import zipfile
import zlib
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from ..core.errors import NightmistError
from ..core.formats.gltf_read import read_gltf
from ..core.formats.gltf_write import glb_order, write_glb
from ..core.formats.pictures import read_picture, write_png
from ..core.mesh import Mesh
from ..core.texels.raster import TILE, Tile
from .commands import TileRef
from .types import CHANNELS, DocumentState

if TYPE_CHECKING:
    from .document import Document

VERSION = 1
MAX_FILE = 1 << 30


def save(document: Document, path: Path) -> None:
    """Write the project; a file of that name is replaced only once the new one is whole."""
    tiles: dict[str, Tile] = {}
    layers = {}
    for layer in document.layers.values():
        refs = layer.tiles()
        layers[layer.id] = [list(ref) for ref in refs]
        for ref in refs:
            tiles[ref.digest] = layer.rasters[ref.map].tiles[ref.row, ref.column]
    # A GLB lists faces by part and surface, and knows neither polygons nor seams.
    mesh = document.mesh
    order = glb_order(mesh)
    description = {
        "nightmist": VERSION,
        "document": document.state().model_dump(exclude={"mesh"}),
        "tiles": layers,
        "polygons": mesh.polygon[order].tolist(),
        "seams": mesh.positions[mesh.seams].astype(float).tolist(),
    }
    partial = path.with_name(path.name + ".part")
    try:
        with zipfile.ZipFile(partial, "w", zipfile.ZIP_STORED) as zipped:
            zipped.writestr("document.json", json.dumps(description), zipfile.ZIP_DEFLATED)
            zipped.writestr("model.glb", write_glb(document.mesh), zipfile.ZIP_DEFLATED)
            for name, digest in document.tips.items():
                picture = np.rint(document.arrays.get(digest) * 65535).astype(np.uint16)
                zipped.writestr(f"tips/{name}.png", write_png(picture))
            for digest, tile in tiles.items():
                zipped.writestr(f"tiles/{digest}.png", _tile_png(tile))
        os.replace(partial, path)
    except OSError as error:
        partial.unlink(missing_ok=True)
        raise NightmistError(f"{path} cannot be written: {error.strerror}.") from error


def load(path: Path) -> Document:
    """Read a project written by `save`. Raises NightmistError for what is none, or is damaged."""
    from .document import Document

    try:
        with zipfile.ZipFile(path) as zipped:
            for info in zipped.infolist():
                if info.file_size > MAX_FILE:
                    raise NightmistError(f"{path.name} unpacks to more than {MAX_FILE >> 20} MB in {info.filename}.")
            description = json.loads(zipped.read("document.json"))
            if description.get("nightmist") != VERSION:
                raise NightmistError(f"{path.name} is of version {description.get('nightmist')}; this reads {VERSION}.")
            state = DocumentState.model_validate(description["document"])
            mesh = _mesh(zipped.read("model.glb"), description)
            document = Document(mesh, state)
            for name in state.tips:
                picture = read_picture(f"The tip {name}", zipped.read(f"tips/{name}.png"))[..., 0]
                document.tips[name] = document.arrays.add((picture / 65535).astype(np.float32))
            held: dict[str, Tile] = {}
            for layer_id, refs in description["tiles"].items():
                for ref in (TileRef(*ref) for ref in refs):
                    if ref.digest not in held:
                        png = zipped.read(f"tiles/{ref.digest}.png")
                        held[ref.digest] = _tile_of(ref.digest, png, CHANNELS[ref.map])
                    document.place_tile(layer_id, ref.map, (ref.row, ref.column), held[ref.digest])
    except OSError as error:
        raise NightmistError(f"{path} cannot be read: {error.strerror}.") from error
    except (zipfile.BadZipFile, zlib.error, ValueError, KeyError, TypeError, IndexError) as error:
        raise NightmistError(f"{path.name} is not a sound Nightmist project: {error}") from error
    return document


def _mesh(glb: bytes, description: dict[str, Any]) -> Mesh:
    mesh = read_gltf("model.glb", glb, {})
    polygon = np.array(description["polygons"], np.int32)
    if len(polygon) != len(mesh.faces):
        raise NightmistError(f"The model has {len(mesh.faces)} faces, but polygons are listed for {len(polygon)}.")
    places = {place.tobytes(): i for i, place in enumerate(mesh.positions)}
    ends = np.array(description["seams"], np.float32).reshape(-1, 2, 3)
    pairs = [[places.get(end.tobytes(), -1) for end in pair] for pair in ends]
    seams = np.array([pair for pair in pairs if min(pair) >= 0], np.int32).reshape(-1, 2)
    return mesh.changed(polygon=polygon, seams=seams)


def _tile_png(tile: Tile) -> bytes:
    """A color tile as RGBA; a value tile as gray, its value above its alpha."""
    return write_png(tile if tile.shape[2] == 4 else np.concatenate([tile[..., 0], tile[..., 1]]))


def _tile_of(digest: str, png: bytes, channels: int) -> Tile:
    image = read_picture(f"The tile {digest[:8]}", png)
    if image.shape[:2] != (TILE if channels == 4 else 2 * TILE, TILE):
        raise NightmistError(f"The tile {digest[:8]} has the wrong size.")
    if channels == 4:
        return image
    return np.ascontiguousarray(np.stack([image[:TILE, :, 0], image[TILE:, :, 0]], axis=2))
