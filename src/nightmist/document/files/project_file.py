"""A project as one file: an open zip of JSON, PNG tiles and a GLB (docs/formats.md)."""

from __future__ import annotations

import io
import json
import os
import zipfile
import zlib
from collections import defaultdict
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from ...core.brush.tips import read_tip, write_tip
from ...core.errors import NightmistError
from ...core.formats.gltf_read import read_gltf
from ...core.formats.gltf_write import glb_order, write_glb
from ...core.formats.image_files import read_picture, write_png
from ...core.mesh import Mesh
from ...core.texels.raster import TILE, Tile
from ..change import arrays_of, node_and_map, tables_of
from ..derived.model import mesh_of, model_of, nodes_from
from ..derived.pool import Pool, digest_of
from ..derived.tables import is_table, tiles_in
from ..document import Document
from ..room import check_room
from ..values import CHANNELS, AnyValue, KeptPicture, Model, Picture, Region, Surface, TipPicture, Version
from .duplicate import kept_by_tables
from .upgrade import values_of

#: Versions that are read; the last one is written.
VERSIONS = (1, 2)
MAX_FILE = 1 << 30


def save(document: Document, path: Path) -> None:
    """Write the project; a file of that name is replaced only once the new one is whole."""
    partial = path.with_name(path.name + ".part")
    try:
        write(document, partial)
        os.replace(partial, path)
    except OSError as error:
        partial.unlink(missing_ok=True)
        raise NightmistError(f"{path} cannot be written: {error.strerror}.") from error


def write(document: Document, file: Path | BinaryIO) -> None:
    """Write the project."""
    tiles: dict[str, Tile] = {}
    placed: dict[str, list[tuple[int, int, str]]] = {}
    for key, raster in document.rasters.items():
        placed[key] = []
        for place, tile in raster.tiles.items():
            digest = digest_of(tile)
            tiles[digest] = tile
            placed[key].append((*place, digest))
    # A GLB lists faces by part and surface, and knows neither polygons nor seams.
    mesh = document.mesh
    order = glb_order(mesh)
    description = {
        "nightmist": VERSIONS[-1],
        "values": [value.model_dump() for key, value in document.values.items() if key != "model"],
        "model": document.model.model_dump(),
        "tiles": placed,
        "polygons": mesh.polygon[order].tolist(),
        "nodes": mesh.nodes,
        "parts": mesh.parts,
        "numbers": {"surfaces": _numbers(mesh.face_surface), "parts": _numbers(mesh.face_part)},
        "seams": mesh.positions[mesh.seams].astype(float).tolist(),
    }
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as zipped:
        zipped.writestr("document.json", json.dumps(description), zipfile.ZIP_DEFLATED)
        zipped.writestr("model.glb", write_glb(mesh), zipfile.ZIP_DEFLATED)
        for tip in document.tip_values():
            zipped.writestr(f"tips/{tip.name}.png", write_tip(document.arrays.get(tip.picture)))
        kept = [kept for surface in document.surface_values() for kept in surface.kept]
        for digest in {picture.file for picture in kept}:
            zipped.writestr(f"kept/{digest}", document.arrays.get(digest).tobytes())
        for digest in {picture.uv for picture in kept}:
            zipped.writestr(f"kept/{digest}.uv", document.arrays.get(digest)[order].tobytes(), zipfile.ZIP_DEFLATED)
        for digest in {picture.file for picture in document.picture_values() if not picture.of}:
            zipped.writestr(f"pictures/{digest}", document.arrays.get(digest).tobytes())
        in_file = np.argsort(order)
        # Several may hold the same faces.
        for region in {region.faces: region for region in document.region_values()}.values():
            faces = np.sort(in_file[document.region_faces(region)]).astype("<i8")
            zipped.writestr(f"regions/{region.faces}", faces.tobytes(), zipfile.ZIP_DEFLATED)
        for digest, array in kept_by_tables(document).items():
            zipped.writestr(f"arrays/{digest}.npy", _packed(array), zipfile.ZIP_DEFLATED)
        for digest, tile in tiles.items():
            zipped.writestr(f"tiles/{digest}.png", _tile_png(tile))


def load(path: Path, make: type[Document] = Document) -> Document:
    """Read a project written by `save`. Raises NightmistError for what is none, or is damaged."""
    try:
        with path.open("rb") as file:
            return read(file, path.name, make)
    except OSError as error:
        raise NightmistError(f"{path} cannot be read: {error.strerror}.") from error


def read(file: BinaryIO, name: str, make: type[Document] = Document) -> Document:
    """As `load`, from an open file that is called `name`."""
    try:
        with zipfile.ZipFile(file) as zipped:
            for info in zipped.infolist():
                if info.file_size > MAX_FILE:
                    raise NightmistError(f"{name} unpacks to more than {MAX_FILE >> 20} MB in {info.filename}.")
            description = json.loads(zipped.read("document.json"))
            version = description.get("nightmist")
            if version not in VERSIONS:
                raise NightmistError(f"{name} is of version {version}; this reads up to {VERSIONS[-1]}.")
            return _document(zipped, description, make)
    except (zipfile.BadZipFile, zlib.error, ValueError, KeyError, TypeError, IndexError, AttributeError) as error:
        raise NightmistError(f"{name} is not a sound Nightmist project: it is cut off, or of another kind.") from error


def _document(zipped: zipfile.ZipFile, description: dict[str, Any], make: type[Document]) -> Document:
    values = values_of(description["document"] if description["nightmist"] == 1 else description).values
    check_room(value.size for value in values if isinstance(value, Surface))
    arrays, tiles = Pool(), Pool()
    model, order = _model(zipped, description, 1 + max(v.number for v in values if isinstance(v, Surface)), arrays)
    read: list[AnyValue] = [model]
    for value in values:
        if isinstance(value, TipPicture):
            picture = read_tip(value.name, zipped.read(f"tips/{value.name}.png"), value.colored)
            read.append(value.but(picture=arrays.add(picture)))
        elif isinstance(value, Version) or (isinstance(value, Picture) and value.of):
            read.append(value)
            _take_tables(zipped, value, arrays, tiles)
        elif isinstance(value, Picture):
            data = np.frombuffer(zipped.read(f"pictures/{value.file}"), np.uint8).copy()
            read.append(value.but(file=arrays.add(data)))
        elif isinstance(value, Region):
            faces = np.frombuffer(zipped.read(f"regions/{value.faces}"), "<i8").astype(np.int64)
            if len(faces) and (faces[0] < 0 or faces[-1] >= len(order)):
                raise NightmistError(f"The region {value.name} has faces that the model has not.")
            read.append(value.but(faces=arrays.add(np.sort(order[faces]))))
        elif isinstance(value, Surface):
            read.append(value.but(kept=tuple(_kept(zipped, kept, order, arrays) for kept in value.kept)))
        else:
            read.append(value)
    document = make(read, pools=(tiles, arrays))
    held: dict[str, Tile] = {}
    for key, places in _placed(description).items():
        channels = CHANNELS[node_and_map(key)[1]]
        for _, _, digest in places:
            if digest not in held:
                held[digest] = _tile_of(digest, zipped.read(f"tiles/{digest}.png"), channels)
        document.place(key, {(row, column): held[digest] for row, column, digest in places})
    return document


def _take_tables(zipped: zipfile.ZipFile, value: Version | Picture, arrays: Pool, tiles: Pool) -> None:
    """Everything that a version or a painted picture names, under the digests of what it is."""
    for digest in {*arrays_of(value), *tables_of(value)}:
        array = _unpacked(zipped, f"arrays/{digest}.npy")
        arrays.add(array)
        if is_table(array):
            for tile in tiles_in(array).values():
                tiles.add(_unpacked(zipped, f"arrays/{tile}.npy"))


def _unpacked(zipped: zipfile.ZipFile, name: str) -> NDArray[Any]:
    return np.load(io.BytesIO(zipped.read(name)), allow_pickle=False)  # type: ignore[no-any-return]


def _packed(array: NDArray[Any]) -> bytes:
    packed = io.BytesIO()
    np.save(packed, array, allow_pickle=False)
    return packed.getvalue()


def _kept(zipped: zipfile.ZipFile, kept: KeptPicture, order: NDArray[np.int64], arrays: Pool) -> KeptPicture:
    """A kept picture, its bytes and UVs read from the file."""
    uv = np.empty((len(order), 3, 2), np.float32)
    uv[order] = np.frombuffer(zipped.read(f"kept/{kept.uv}.uv"), "<f4").reshape(uv.shape)
    data = np.frombuffer(zipped.read(f"kept/{kept.file}"), np.uint8).copy()
    return KeptPicture(slot=kept.slot, file=arrays.add(data), uv=arrays.add(uv))


def _placed(description: dict[str, Any]) -> dict[str, list[tuple[int, int, str]]]:
    """Row, column and digest of each raster's tiles; version 1 lists them by layer."""
    if description["nightmist"] > 1:
        return description["tiles"]  # type: ignore[no-any-return]
    found = defaultdict(list)
    for layer, refs in description["tiles"].items():
        for name, row, column, digest in refs:
            found[f"{layer}/{name}"].append((row, column, digest))
    return dict(found)


def _model(
    zipped: zipfile.ZipFile, description: dict[str, Any], surfaces: int, arrays: Pool
) -> tuple[Model, NDArray[np.int64]]:
    """The model, and which of its faces those of the GLB are, (F,).

    Where a version is one of the same model, its arrays are in the file: so that both stay the same, they are taken.
    """
    mesh = _mesh(zipped.read("model.glb"), description, surfaces)
    held = Model(**description.get("model", {"arrays": {}, "parts": ()}))
    names = {f"arrays/{digest}.npy" for digest in held.arrays.values()}
    if names and names.issubset(zipped.namelist()):
        found = Pool()
        for name in names:
            found.add(_unpacked(zipped, name))
        exact = mesh_of(held, found)
        order = glb_order(exact)
        if _agree(exact, order, mesh):
            return model_of(exact, arrays), order
    return model_of(mesh, arrays), np.arange(len(mesh.faces))


def _agree(exact: Mesh, order: NDArray[np.int64], mesh: Mesh) -> bool:
    """Whether arrays that nobody has looked at are those of a GLB, but for the order of its faces and points."""
    mine = [exact.positions, exact.faces, exact.normals, exact.face_surface, exact.face_part, exact.polygon, *exact.uvs]
    others = [mesh.positions, mesh.faces, mesh.normals, mesh.face_surface, mesh.face_part, mesh.polygon, *mesh.uvs]
    if len(mine) != len(others) or any(a.dtype != b.dtype for a, b in zip(mine, others, strict=True)):
        return False
    if any(a.shape != b.shape for a, b in zip(mine[1:], others[1:], strict=True)) or exact.faces.min() < 0:
        return False
    if max(exact.faces.max(), exact.seams.max(initial=0)) >= len(exact.positions) or exact.seams.min(initial=0) < 0:
        return False
    placed = np.array_equal(exact.positions[exact.faces[order]], mesh.positions[mesh.faces])
    named = all(np.array_equal(a[order], b) for a, b in zip(mine[3:6], others[3:6], strict=True))
    return placed and named and exact.parts == mesh.parts


def _numbers(of_faces: NDArray[np.int32]) -> list[int]:
    """Those of the surfaces, or parts, that have faces: whoever reads a GLB counts no others."""
    return np.unique(of_faces).tolist()  # type: ignore[no-any-return]


def _renumbered(description: dict[str, Any], what: str, of_faces: NDArray[np.int32], count: int) -> NDArray[np.int32]:
    numbers = np.array(description.get("numbers", {}).get(what, _numbers(of_faces)), np.int32)
    if len(numbers) != len(_numbers(of_faces)) or numbers.min() < 0 or numbers.max() >= count:
        raise NightmistError(f"The model's {what} are not those that the project lists.")
    return numbers[of_faces]


def _mesh(glb: bytes, description: dict[str, Any], surfaces: int) -> Mesh:
    """surfaces: how many are numbered, with those that have no faces."""
    mesh = read_gltf("model.glb", glb, {})
    polygon = np.array(description["polygons"], np.int32)
    if len(polygon) != len(mesh.faces):
        raise NightmistError(f"The model has {len(mesh.faces)} faces, but polygons are listed for {len(polygon)}.")
    places = {place.tobytes(): i for i, place in enumerate(mesh.positions)}
    ends = np.array(description["seams"], np.float32).reshape(-1, 2, 3)
    pairs = [[places.get(end.tobytes(), -1) for end in pair] for pair in ends]
    seams = np.array([pair for pair in pairs if min(pair) >= 0], np.int32).reshape(-1, 2)
    parts = list(description.get("parts", mesh.parts))
    return mesh.changed(
        polygon=polygon, seams=seams, nodes=nodes_from(description.get("nodes", [])), parts=parts,
        face_surface=_renumbered(description, "surfaces", mesh.face_surface, surfaces),
        face_part=_renumbered(description, "parts", mesh.face_part, len(parts)),
    )  # fmt: skip


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
