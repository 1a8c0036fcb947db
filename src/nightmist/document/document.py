"""The document: a mesh, its surfaces with their layers, and the history of its changes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, Literal, Unpack

import numpy as np
from numpy.typing import NDArray

from ..core.brush.mirror import Mirror
from ..core.brush.path import Sample
from ..core.brush.tips import TIPS, made_tip, tip_from_picture
from ..core.errors import NightmistError
from ..core.formats import read_model
from ..core.formats.bundle import files_with, the_model, unpacked
from ..core.mapping import Camera
from ..core.mesh import Caster, Mesh
from ..core.mesh.bodies import Body, practice_body
from ..core.mesh.checkup import UvReport
from ..core.mesh.mesh import unused_name
from ..core.mesh.methods import has_uvs, unwrap
from ..core.mesh.select import Extent, faces_with
from ..core.progress import Progress, quietly
from ..core.texels import TileArea
from ..core.texels.raster import Tile, TileKey
from .cloning import CloneSource
from .commands import Command, PaintTiles, TileRef
from .dense import DensePictures
from .filling import Filling
from .history import History
from .layer import Layer
from .pictures import lay_pictures
from .pool import Loader, Pool
from .preparing import DEFAULT_ANGLE, DEFAULT_MARGIN, Preparing, surface_report
from .relief import refresh_relief
from .shape import look_of, mesh_from, mesh_state
from .stroke import Stroke, StrokeOptions
from .surface import PictureName, Surface
from .types import (
    MAPS,
    TOOLS,
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


class Document(Filling, Preparing):
    """A model being painted. Every method that changes it is one undo step."""

    def __init__(self, mesh: Mesh, state: DocumentState, tiles: Loader | None = None, arrays: Loader | None = None):
        """tiles, arrays: bring back what history needs and memory has let go."""
        self.mesh = mesh
        self.name = state.name
        self.size = state.size
        self.hidden_parts = list(state.hidden_parts)
        self.notes = list(state.notes)
        self.pool, self.arrays = Pool(tiles), Pool(arrays)
        self.dense = DensePictures()
        self.history = History()
        self.layers: dict[str, Layer] = {}
        self.surfaces = {s.name: Surface(self, i, s) for i, s in enumerate(state.surfaces)}
        for surface in state.surfaces:
            for index, layer in enumerate(surface.layers):
                self.surfaces[surface.name].insert(index, layer)
        self.caster = Caster(mesh, self.hidden_parts)
        self.listener: Callable[[Event, Command], None] = lambda event, command: None
        self.progress: Progress = quietly
        self.tips = dict(state.tips)
        #: Across which planes of the model strokes of scripts are repeated: any of "x", "y", "z" together.
        self.mirror = ""
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
            name=self.name, size=self.size, mesh=self.mesh_arrays, hidden_parts=self.hidden_parts, tips=self.tips,
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

    def refresh(self) -> dict[tuple[str, PictureName], TileArea]:
        """Composite what is stale on all surfaces, relief included; returns what changed, by surface and picture."""
        changed: dict[tuple[str, PictureName], TileArea] = {}
        for surface in self.surfaces.values():
            changed.update({(surface.name, picture): area for picture, area in surface.refresh().items()})
        changed.update({(name, "relief"): area for name, area in refresh_relief(self).items()})
        return changed

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
        self.hidden_parts, self.notes, self.tips = list(state.hidden_parts), list(state.notes), dict(state.tips)
        self.surfaces = {}
        for number, wanted in enumerate(state.surfaces):
            same = known.get(wanted.name)
            fits = same is not None and same.size == (wanted.width, wanted.height)
            surface = same if same and fits else Surface(self, number, wanted)
            surface.take(number, wanted, tiles)
            self.surfaces[wanted.name] = surface
            # Its neighbors may lie elsewhere now, in their own maps.
            for name in ("across", "heights"):
                surface.__dict__.pop(name, None)
            surface.relief_stale = surface.everywhere
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
        camera: Camera | None,
        tip: Tip,
        pigment: Pigment | None,
        tool: Tool = "brush",
        **options: Unpack[StrokeOptions],
    ) -> Stroke:
        """A stroke to be extended sample by sample; `finish_stroke` makes it an undo step."""
        return Stroke(self, layers, camera, tip, pigment, tool, **options)

    def tip_picture(self, name: str) -> NDArray[np.float32]:
        """A tip's picture: one of the painter's own in this project, else one that ships with us."""
        picture: NDArray[np.float32] = self.arrays.get(self.tips[name]) if name in self.tips else made_tip(name)
        return picture

    def add_tip(self, name: str, data: bytes) -> str:
        """Keep a picture as a tip of this project; returns its name."""
        title = unused_name(Path(name).stem[:60] or "tip", {*self.tips, *TIPS})
        digest = self.arrays.add(tip_from_picture(name, data))
        self._refit(f"Add tip {title}", tips={**self.tips, title: digest})
        return title

    def sample(self, hit: Hit, layer: Layer | None = None) -> Pigment:
        """What is stored at a place, of all layers together or of one: exactly, without light (N64)."""
        surface = self.surface(hit.surface)
        y, x = surface.texel_at(hit.uv)
        found: dict[str, Any] = {}
        for name in MAPS:
            if layer is None:
                texel = np.atleast_1d(surface.read(name)[y, x])
            else:
                tile = layer.raster(name).tiles.get((y // 64, x // 64))
                if tile is None or tile[y % 64, x % 64, -1] == 0:
                    continue
                texel = tile[y % 64, x % 64]
            color = "#" + "".join(f"{round(int(c) / 257):02x}" for c in texel[:3])
            found[name] = color if name == "base_color" else int(texel[0]) / 65535
        return Pigment(**found)

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
        seed: int = 0,
        in_map: bool = False,
        source: CloneSource | None = None,
    ) -> None:
        """Draw a whole stroke along screen positions (x, y[, pressure[, lean x, lean y]]), mirrored as `mirror` says.

        Where it runs onto another surface, that surface's layer of the same name takes it, else its top layer.
        in_map: positions are texels of the layer's own map, and the camera does not matter.
        """
        if tool not in TOOLS:
            raise NightmistError(f"There is no tool {tool!r}; use {', '.join(TOOLS)}.")
        try:
            mirror = Mirror(planes=self.mirror)
        except ValueError as error:
            raise NightmistError(f"mirror = {self.mirror!r} does not work; use '', 'x', 'y', 'z', 'xy' …") from error
        samples = [_sample(point) for point in path]
        if not samples:
            raise NightmistError("A stroke needs at least one point.")
        stroke = self.begin_stroke(
            self.receiving(layer), None if in_map else camera, tip, pigment, tool,
            in_map=layer.surface.name if in_map else None, mirror=mirror, seed=seed, source=source,
        )  # fmt: skip
        stroke.extend(samples)
        self.finish_stroke(stroke)


def _sample(point: Sequence[float]) -> Sample:
    if len(point) not in (2, 3, 5) or not np.isfinite(point).all():
        raise NightmistError(
            f"A point of a stroke is x, y and maybe pressure, then maybe lean x, y of a pen; {tuple(point)!r} is not."
        )
    return (*map(float, point),) if len(point) > 2 else (float(point[0]), float(point[1]), 1.0)


def _two(values: NDArray[np.float64]) -> tuple[float, float]:
    return float(values[0]), float(values[1])


def _three(values: NDArray[np.float64]) -> tuple[float, float, float]:
    return float(values[0]), float(values[1]), float(values[2])
