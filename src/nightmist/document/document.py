"""The document: a mesh, its surfaces with their layers, and the history of its changes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from ..core.errors import NightmistError
from ..core.formats import read_model
from ..core.formats.pictures import fit, read_picture
from ..core.mapping import Camera
from ..core.mesh import Caster, Mesh
from ..core.mesh.checkup import UvReport, check_uvs
from ..core.mesh.unwrap import unwrap_missing
from ..core.texels import TileArea
from ..core.texels.raster import Tile, TileKey
from ..core.tools import along, used_tiles
from .commands import Command, PaintTiles, TileEdit
from .history import History
from .layer import Layer
from .pool import Loader, TilePool
from .stroke import Stroke
from .surface import Surface
from .types import (
    CHANNELS,
    MAPS,
    DocumentState,
    MapName,
    Pigment,
    StartValues,
    SurfaceState,
    Tip,
    Tool,
    checked_size,
)  # fmt: skip

Event = Literal["do", "undo", "redo"]


class Document:
    """A model being painted. Every method that changes it is one undo step."""

    def __init__(self, mesh: Mesh, state: DocumentState, loader: Loader | None = None) -> None:
        self.mesh = mesh
        self.name = state.name
        self.notes = list(state.notes)
        self.pool = TilePool(loader)
        self.history = History()
        self.layers: dict[str, Layer] = {}
        self.surfaces = {s.name: Surface(self, i, s) for i, s in enumerate(state.surfaces)}
        for surface in state.surfaces:
            for index, layer in enumerate(surface.layers):
                self.surfaces[surface.name].insert(index, layer)
        self.caster = Caster(mesh)
        self.listener: Callable[[Event, Command], None] = lambda event, command: None

    # Opening and saving

    @classmethod
    def open(cls, path: str | Path, size: int | tuple[int, int] = 2048) -> Document:
        """Open a model file, with the files it refers to beside it; one surface per material."""
        file = Path(path)
        try:
            files = {file.name: file.read_bytes()}
            if file.suffix.lower() != ".glb":
                for other in file.parent.iterdir():
                    if other.is_file() and other != file and other.stat().st_size < 1 << 28:
                        files[other.name] = other.read_bytes()
        except OSError as error:
            raise NightmistError(f"{file} cannot be read: {error.strerror}.") from error
        return cls.from_files(file.name, files, size)

    @classmethod
    def from_files(cls, name: str, files: dict[str, bytes], size: int | tuple[int, int] = 2048) -> Document:
        """As `open`, from bytes in memory."""
        width, height = checked_size(size)
        mesh = read_model(name, files)
        for unwrapped in unwrap_missing(mesh, max(width, height)):
            mesh.notes.append(f"The surface {unwrapped} came without UVs and was unwrapped automatically.")
        return cls.from_mesh(mesh, Path(name).stem.replace("_", " "), (width, height))

    @classmethod
    def from_mesh(cls, mesh: Mesh, name: str, size: tuple[int, int]) -> Document:
        """A document for a mesh, its materials' factors as start values and their pictures as lowest layers."""
        surfaces = [
            SurfaceState(
                name=look.name,
                width=size[0],
                height=size[1],
                start=StartValues(
                    base_color=tuple(_encode(c) for c in look.base_color),
                    roughness=look.roughness,
                    metallic=look.metallic,
                ),
            )
            for look in mesh.surfaces
        ]
        document = cls(mesh, DocumentState(name=name or "Untitled", surfaces=surfaces, notes=mesh.notes))
        for surface, look in zip(document.surfaces.values(), mesh.surfaces, strict=True):
            _lay_pictures(surface, look.pictures)
        document.history = History()
        return document

    @staticmethod
    def load(path: str | Path) -> Document:
        """Open a project file written by `save`."""
        from .archive import load

        return load(Path(path))

    def save(self, path: str | Path) -> None:
        """Write the project as one open zip: JSON, PNG tiles and GLB."""
        from .archive import save

        save(self, Path(path))

    def export(self, folder: str | Path, maps: str = "png8", model: str = "glb") -> list[Path]:
        """Write maps ("png8" or "png16") and the model ("glb"); returns the files written."""
        from .export import export

        return export(self, Path(folder), maps, model)

    def state(self) -> DocumentState:
        """Everything but mesh and pixels."""
        return DocumentState(name=self.name, surfaces=[s.snapshot() for s in self.surfaces.values()], notes=self.notes)

    # Looking things up

    def surface(self, name: str) -> Surface:
        """A surface by name. Raises NightmistError naming those there are."""
        if name not in self.surfaces:
            raise NightmistError(f"There is no surface {name!r}; the model has {', '.join(self.surfaces)}.")
        return self.surfaces[name]

    def layer(self, layer_id: str) -> Layer:
        """A layer by id. Raises NightmistError when it is gone."""
        if layer_id not in self.layers:
            raise NightmistError("That layer does not exist any more.")
        return self.layers[layer_id]

    def check_uvs(self) -> dict[str, UvReport]:
        """The checkup of each surface's UVs, by its name."""
        return {
            name: check_uvs(self.mesh, self.mesh.faces_of(surface.number), self.mesh.uvs[0], *surface.size)
            for name, surface in self.surfaces.items()
        }

    # Changing

    def do(self, command: Command) -> None:
        """Apply a command and remember it."""
        command.apply(self)
        self.remember(command)

    def remember(self, command: Command) -> None:
        """Put a command into history that is in force already."""
        self.history.push(command)
        self.listener("do", command)

    def undo(self) -> Command:
        """Take back the last command; returns it."""
        command = self.history.to_undo()
        command.inverse().apply(self)
        self.history.cursor -= 1
        self.listener("undo", command)
        return command

    def redo(self) -> Command:
        """Bring back what was undone last; returns it."""
        command = self.history.to_redo()
        command.apply(self)
        self.history.cursor += 1
        self.listener("redo", command)
        return command

    def place_tile(self, layer_id: str, name: MapName, key: TileKey, tile: Tile) -> None:
        """Put a tile where it was kept, while a document is opened and all of it is composited anyway."""
        self.layer(layer_id).raster(name).put(key, tile)

    def put_tile(self, layer_id: str, name: MapName, key: TileKey, tile: Tile | None) -> None:
        """Exchange one tile of a layer (for commands)."""
        layer = self.layer(layer_id)
        layer.raster(name).put(key, tile)
        columns = layer.surface.state.width // 64
        layer.surface.mark(name, TileArea.of_tiles(np.array([key[0] * columns + key[1]], np.int32)))

    def begin_stroke(
        self,
        layers: dict[str, Layer],
        camera: Camera,
        tip: Tip,
        pigment: Pigment | None,
        tool: Tool = "brush",
    ) -> Stroke:
        """A stroke to be extended sample by sample; `finish_stroke` makes it an undo step."""
        return Stroke(self, layers, camera, tip, pigment, tool)

    def finish_stroke(self, stroke: Stroke) -> PaintTiles | None:
        """Remember a finished stroke; None when it left no mark."""
        command = stroke.finish()
        if command:
            self.remember(command)
        return command

    def stroke(
        self,
        layer: Layer,
        path: Sequence[Sequence[float]],
        camera: Camera,
        tip: Tip,
        pigment: Pigment | None = None,
        tool: Tool = "brush",
    ) -> None:
        """Draw a whole stroke along screen positions (x, y[, pressure]).

        Where it runs onto another surface, that surface's layer of the same name takes it, else its top layer.
        """
        if tool not in ("brush", "erase"):
            raise NightmistError(f"There is no tool {tool!r}; use 'brush' or 'erase'.")
        samples = [_sample(point) for point in path]
        if not samples:
            raise NightmistError("A stroke needs at least one point.")
        stroke = self.begin_stroke(self.receiving(layer), camera, tip, pigment, tool)
        stroke.extend(samples)
        self.finish_stroke(stroke)

    def receiving(self, layer: Layer) -> dict[str, Layer]:
        """Which layer takes a stroke on each surface, when it is begun on `layer`; hidden ones take none."""
        found = {layer.surface.name: layer}
        for surface in self.surfaces.values():
            shown = [other for other in surface.layers if other.visible]
            if surface.name not in found and shown:
                found[surface.name] = next((other for other in shown if other.name == layer.name), shown[-1])
        return found

    def fill(self, layer: Layer, pigment: Pigment, surface: str) -> None:
        """Cover a whole surface, gaps between islands included."""
        if self.surface(surface) is not layer.surface:
            raise NightmistError(f"The layer {layer.name} belongs to {layer.surface.name}, not to {surface}.")
        columns = layer.surface.ownership.columns
        keys = [(int(t) // columns, int(t) % columns) for t in used_tiles(layer.surface.ownership)]
        changes = {}
        for name, value in pigment.values().items():
            tile = np.empty((64, 64, CHANNELS[name]), np.uint16)
            tile[...] = [round(v * 65535) for v in (*value, 1.0)]
            changes[name] = dict.fromkeys(keys, tile)
        self._exchange(layer, "Fill", changes)

    def gradient(
        self, layer: Layer, start: Sequence[float], end: Sequence[float], pigments: tuple[Pigment, Pigment]
    ) -> None:
        """Cover the layer's surface with a mix of two pigments, by position between two points of the model."""
        first, second = pigments[0].values(), pigments[1].values()
        share = along(layer.surface.ownership, start, end)
        owned = ~np.isnan(share)
        changes = {}
        for name in (n for n in MAPS if n in first and n in second):
            image = layer.raster(name).read()
            low, high = np.array(first[name]), np.array(second[name])
            mixed = (low + (high - low) * share[owned][:, None].astype(np.float64)) * 65535
            image[owned, :-1] = np.rint(mixed).astype(np.uint16)
            image[owned, -1] = 65535
            changes[name] = layer.raster(name).write(image)
        if not changes:
            raise NightmistError("The two pigments of a gradient share no map; give both a color or another value.")
        self._exchange(layer, "Gradient", changes)

    def _exchange(self, layer: Layer, label: str, changes: dict[MapName, dict[TileKey, Any]]) -> None:
        """One command that replaces tiles of a layer; those that stay equal are left out."""
        if not layer.visible:
            raise NightmistError(f"The layer {layer.name} is hidden. Show it to paint on it.")
        edits = []
        for name, tiles in changes.items():
            raster = layer.raster(name)
            digests: dict[int, str] = {}
            for key, tile in tiles.items():
                before = raster.tiles.get(key)
                old = self.pool.add(before) if before is not None else None
                if tile is not None and id(tile) not in digests:
                    digests[id(tile)] = self.pool.add(tile)
                new = digests[id(tile)] if tile is not None else None
                if old != new:
                    edits.append(TileEdit(layer.id, name, *key, old, new))
        if edits:
            self.do(PaintTiles(label=label, edits=edits))


def _sample(point: Sequence[float]) -> tuple[float, float, float]:
    if len(point) not in (2, 3) or not np.isfinite(point).all():
        raise NightmistError(f"A point of a stroke is x, y and maybe pressure; {tuple(point)!r} is not.")
    return float(point[0]), float(point[1]), float(point[2]) if len(point) == 3 else 1.0


def _encode(linear: float) -> float:
    """sRGB encoding (F17)."""
    return 12.92 * linear if linear <= 0.0031308 else 1.055 * linear ** (1 / 2.4) - 0.055


def _lay_pictures(surface: Surface, pictures: dict[str, bytes]) -> None:
    """Pictures that came with the model become the surface's lowest layer."""
    if not pictures:
        return
    changes: dict[MapName, NDArray[np.uint16]] = {}
    for slot, data in pictures.items():
        try:
            image = fit(read_picture(f"The {slot} picture of {surface.name}", data), *surface.size)
        except NightmistError as error:
            surface.document.notes.append(str(error))
            continue
        if slot == "base_color":
            changes["base_color"] = image
        else:
            opaque = np.full_like(image[..., 0], 65535)
            changes["roughness"] = np.stack([image[..., 1], opaque], axis=2)
            changes["metallic"] = np.stack([image[..., 2], opaque], axis=2)
    if changes:
        layer = surface.layers.add("brushed", name="From the file")
        for name, image in changes.items():
            raster = layer.raster(name)
            for key, tile in raster.write(image).items():
                raster.put(key, tile)
