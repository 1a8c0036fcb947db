"""The document: a mesh, its surfaces with their layers, and the history of its changes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from ..core.errors import NightmistError
from ..core.formats import read_model
from ..core.formats.bundle import files_with, the_model, unpacked
from ..core.mapping import Camera
from ..core.mesh import Caster, Mesh
from ..core.mesh.bodies import Body, practice_body
from ..core.mesh.checkup import UvReport
from ..core.mesh.methods import has_uvs, unwrap
from ..core.mesh.select import Extent, faces_with
from ..core.progress import Progress, quietly
from ..core.texels import TileArea
from ..core.texels.raster import Tile, TileKey
from ..core.tools import along, used_tiles
from .commands import Command, PaintTiles, TileEdit, TileRef
from .history import History
from .layer import Layer
from .pictures import lay_pictures
from .pool import Loader, Pool
from .preparing import DEFAULT_ANGLE, DEFAULT_MARGIN, Preparing, surface_report
from .shape import look_of, mesh_from, mesh_state
from .stroke import Stroke
from .surface import Surface
from .types import (
    CHANNELS,
    MAPS,
    DocumentState,
    Hit,
    MapName,
    MissingPicture,
    Pigment,
    StartValues,
    SurfaceState,
    Tip,
    Tool,
    checked_size,
    encode,
)

Event = Literal["do", "undo", "redo"]


class Document(Preparing):
    """A model being painted. Every method that changes it is one undo step."""

    def __init__(self, mesh: Mesh, state: DocumentState, tiles: Loader | None = None, arrays: Loader | None = None):
        """tiles, arrays: bring back what history needs and memory has let go."""
        self.mesh = mesh
        self.name = state.name
        self.size = state.size
        self.hidden_parts = list(state.hidden_parts)
        self.notes = list(state.notes)
        self.pool, self.arrays = Pool(tiles), Pool(arrays)
        self.history = History()
        self.layers: dict[str, Layer] = {}
        self.surfaces = {s.name: Surface(self, i, s) for i, s in enumerate(state.surfaces)}
        for surface in state.surfaces:
            for index, layer in enumerate(surface.layers):
                self.surfaces[surface.name].insert(index, layer)
        self.caster = Caster(mesh, self.hidden_parts)
        self.listener: Callable[[Event, Command], None] = lambda event, command: None
        self.progress: Progress = quietly
        self.mesh_arrays = state.mesh or mesh_state(mesh, self.arrays)

    # Opening and saving

    @classmethod
    def open(cls, path: str | Path, size: int | tuple[int, int] = 2048) -> Document:
        """Open a model file, with the files it refers to beside it or in one zip; one surface per material."""
        file = Path(path)
        files = files_with(file)
        return cls.from_files(files, size, None if file.suffix.lower() == ".zip" else file.name)

    @classmethod
    def from_files(
        cls, files: dict[str, bytes], size: int | tuple[int, int] = 2048, name: str | None = None,
        progress: Progress = quietly,
    ) -> Document:  # fmt: skip
        """As `open`, from bytes in memory, zips among them; `name` is the model, the only one unless given."""
        width, height = checked_size(size)
        given = unpacked(files)
        model = name or the_model(given)
        mesh = read_model(model, given)
        for index, look in enumerate(mesh.surfaces):
            faces = mesh.faces_of(index)
            if not has_uvs(mesh, faces):
                mesh, notes = unwrap(
                    mesh, faces, faces, 0, (width, height), "auto", DEFAULT_ANGLE, DEFAULT_MARGIN, None, progress
                )
                said = f"The surface {look.name} came without UVs and was unwrapped automatically."
                mesh.notes[:] = [*mesh.notes, said, *notes]
        return cls.from_mesh(mesh, Path(model).stem.replace("_", " "), (width, height))

    @classmethod
    def practice(cls, body: Body, size: int | tuple[int, int] = 2048, meters: float = 1.0) -> Document:
        """A plane, box, sphere or ring with sound UVs, to try things on."""
        width, height = checked_size(size)
        return cls.from_mesh(practice_body(body, meters), f"Practice {body}", (width, height))

    @classmethod
    def from_mesh(cls, mesh: Mesh, name: str, size: tuple[int, int]) -> Document:
        """A document for a mesh, its materials' factors as start values and their pictures as lowest layers."""
        surfaces = [
            SurfaceState(
                name=look.name,
                width=size[0],
                height=size[1],
                start=StartValues(
                    base_color=tuple(encode(c) for c in look.base_color),
                    roughness=look.roughness,
                    metallic=look.metallic,
                ),
                missing=[MissingPicture(slot=slot, file=file) for slot, file in look.missing.items()],
            )
            for look in mesh.surfaces
        ]
        document = cls(mesh, DocumentState(name=name or "Untitled", size=size, surfaces=surfaces, notes=mesh.notes))
        for surface, look in zip(document.surfaces.values(), mesh.surfaces, strict=True):
            lay_pictures(surface, look.pictures)
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
        return DocumentState(
            name=self.name, size=self.size, mesh=self.mesh_arrays, hidden_parts=self.hidden_parts,
            surfaces=[s.snapshot() for s in self.surfaces.values()], notes=self.notes,
        )  # fmt: skip

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
        return {name: surface_report(surface) for name, surface in self.surfaces.items()}

    def pick(self, camera: Camera, place: Sequence[float]) -> Hit | None:
        """What lies under a place (x, y) of the screen; None beside the model."""
        hits = self.caster.cast(*camera.rays(np.array([place], np.float64)))
        if hits.face[0] < 0:
            return None
        surface = next(s for s in self.surfaces.values() if s.number == self.mesh.face_surface[hits.face[0]])
        weights, normals = self.caster.attributes(hits, np.array([0]))
        uv = (surface.uvs[hits.face] * weights[:, :, None]).sum(axis=1)
        return Hit(surface.name, int(hits.face[0]), _three(hits.position[0]), _three(normals[0]), _two(uv[0]))

    def select(self, hit: Hit, by: Extent = "island") -> NDArray[np.int64]:
        """Faces that belong together with the one that was hit: by face, patch, island, part or surface."""
        return faces_with(self.mesh, hit.face, by, self.surface(hit.surface).uvs)

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

    def restate(self, state: DocumentState, tiles: dict[str, list[TileRef]]) -> None:
        """Become what a state says, with the tiles of the layers named in `tiles` (for commands)."""
        assert state.mesh
        known = self.surfaces
        for surface in known.values():
            # What texels meant before can be told only while the mesh is still there.
            _ = surface.lie
        changes = state.mesh.arrays != self.mesh_arrays.arrays
        if changes:
            self.mesh = mesh_from(state.mesh, state.surfaces, self.arrays)
        self.mesh.surfaces = [look_of(surface) for surface in state.surfaces]
        if changes or state.hidden_parts != self.hidden_parts:
            self.caster = Caster(self.mesh, state.hidden_parts)
        self.mesh_arrays, self.size = state.mesh, state.size
        self.hidden_parts, self.notes = list(state.hidden_parts), list(state.notes)
        self.surfaces = {}
        for number, wanted in enumerate(state.surfaces):
            same = known.get(wanted.name)
            fits = same is not None and same.size == (wanted.width, wanted.height)
            surface = same if same and fits else Surface(self, number, wanted)
            surface.take(number, wanted, tiles)
            self.surfaces[wanted.name] = surface
        self.layers = {layer.id: layer for surface in self.surfaces.values() for layer in surface.layers}

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


def _two(values: NDArray[np.float64]) -> tuple[float, float]:
    return float(values[0]), float(values[1])


def _three(values: NDArray[np.float64]) -> tuple[float, float, float]:
    return float(values[0]), float(values[1]), float(values[2])
