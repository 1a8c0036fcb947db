"""The handles that scripts use: a document, its surfaces, their layers. Thin, over the operations on values."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import BinaryIO, Unpack

import numpy as np
from numpy.typing import NDArray

from ..core.brush.mirror import Mirror
from ..core.brush.path import Sample
from ..core.brush.tips import TIPS, tip_from_picture
from ..core.compose import BlendMode
from ..core.errors import NightmistError
from ..core.formats.bundle import files_with
from ..core.mapping import Camera
from ..core.mesh import Mesh
from ..core.mesh.bodies import Body, practice_body
from ..core.mesh.select import Extent, faces_with
from ..core.names import clean_name, unused_name
from ..core.progress import Progress, quietly
from .api_prepare import PreparedDocument
from .change import Change
from .derived.layouts import Layout
from .files import duplicate as copying
from .files import hand_off, model_in, project_file
from .painting import filling, layers, picking
from .painting.stroke import Stroke, StrokeOptions
from .values import (
    MAPS,
    TOOLS,
    CloneSource,
    Hit,
    MapName,
    Node,
    Pigment,
    Tip,
    TipPicture,
    Tool,
    checked_size,
)
from .values import Surface as SurfaceValue


class Layer:
    """A brushed layer. Setting one of its properties is one undo step."""

    def __init__(self, document: Document, key: str) -> None:
        self.document, self.id = document, key

    def __repr__(self) -> str:
        return f"<Layer {self.name!r} of {self.surface.name}>"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Layer) and (other.document, other.id) == (self.document, self.id)

    def __hash__(self) -> int:
        return hash(self.id)

    @property
    def value(self) -> Node:
        """What the document knows of it."""
        return self.document.node(self.id)

    @property
    def surface(self) -> Surface:
        """The surface in whose stack it lies."""
        return Surface(self.document, self.value.parent)

    @property
    def name(self) -> str:
        return self.value.name

    @name.setter
    def name(self, value: str) -> None:
        self.change(name=value)

    @property
    def visible(self) -> bool:
        return self.value.visible

    @visible.setter
    def visible(self, value: bool) -> None:
        self.change(visible=value)

    @property
    def opacity(self) -> float:
        return self.value.opacity

    @opacity.setter
    def opacity(self, value: float) -> None:
        self.change(opacity=value)

    @property
    def blend(self) -> BlendMode:
        return self.value.blend

    @blend.setter
    def blend(self, value: BlendMode) -> None:
        self.change(blend=value)

    def change(self, **properties: object) -> None:
        """Set several properties as one undo step."""
        self.document.make(layers.set_layer(self.document, self.value, **properties))

    def read(self, name: MapName) -> NDArray[np.uint16]:
        """The layer alone, before blending: (H, W, 4) for base_color, (H, W, 2) value and alpha for the others."""
        if name not in MAPS:
            raise NightmistError(f"A layer has no map {name!r}; it has {', '.join(MAPS)}.")
        return self.document.raster(self.id, name).read()


class Stack:
    """A surface's layers, bottom first."""

    def __init__(self, surface: Surface) -> None:
        self._surface, self._document = surface, surface.document

    def _layers(self) -> list[Layer]:
        return [Layer(self._document, node.id) for node in self._document.stack(self._surface.id)]

    def __len__(self) -> int:
        return len(self._layers())

    def __iter__(self) -> Iterator[Layer]:
        return iter(self._layers())

    def __getitem__(self, index: int) -> Layer:
        return self._layers()[index]

    def add(self, kind: str = "brushed", name: str | None = None, index: int | None = None) -> Layer:
        """Add an empty layer, on top unless an index (bottom 0) is given."""
        change, key = layers.add_layer(self._document, self._surface.value, kind, name, index)
        self._document.make(change)
        return Layer(self._document, key)

    def remove(self, layer: Layer) -> None:
        """Delete a layer with its paint."""
        self._document.make(layers.remove_layer(self._document, self._mine(layer)))

    def move(self, layer: Layer, index: int) -> None:
        """Put a layer at an index of the stack, bottom 0."""
        self._document.make(layers.move_layer(self._document, self._mine(layer), index))

    def _mine(self, layer: Layer) -> Node:
        if layer.value.parent != self._surface.id:
            raise NightmistError(f"The layer {layer.name} is not in the stack of {self._surface.name}.")
        return layer.value


class Surface:
    """What one material of the model covers, with its own stack and maps."""

    def __init__(self, document: Document, key: str) -> None:
        self.document, self.id = document, key

    def __repr__(self) -> str:
        return f"<Surface {self.name!r} {self.size[0]} × {self.size[1]}>"

    @property
    def value(self) -> SurfaceValue:
        """What the document knows of it."""
        found = self.document.values.get(self.id)
        if not isinstance(found, SurfaceValue):
            raise NightmistError("That surface does not exist any more.")
        return found

    @property
    def name(self) -> str:
        return self.value.name

    @property
    def size(self) -> tuple[int, int]:
        """(width, height) of its maps in texels."""
        return self.value.size

    @property
    def layers(self) -> Stack:
        """Its layers, bottom first."""
        return Stack(self)

    @property
    def layout(self) -> Layout:
        """Where its faces lie in its map, and which texels they own."""
        return self.document.layout(self.value)

    @property
    def faces(self) -> NDArray[np.int64]:
        """The mesh's faces that it covers."""
        return self.layout.faces

    @property
    def uvs(self) -> NDArray[np.float32]:
        """(F, 3, 2) of the whole mesh, in the UV set its maps are made for."""
        return self.layout.uvs

    @property
    def depth(self) -> float:
        """Model units that height 0-1 spans; 0.5 is the untouched surface."""
        return self.value.depth

    @depth.setter
    def depth(self, value: float) -> None:
        self.document.make(layers.set_depth(self.value, value))

    def read(self, name: str) -> NDArray[np.uint16]:
        """A composited map: base_color (H, W, 4), normal (H, W, 3), the others (H, W); all uint16."""
        return hand_off.read_map(self.document, self.value, name)


class Document(PreparedDocument):
    """A model being painted. Every method that changes it is one undo step."""

    #: Across which planes of the model strokes of scripts are repeated: any of "x", "y", "z" together.
    mirror: str = ""
    #: The point that the mirror's planes go through.
    mirror_center: tuple[float, float, float] = (0, 0, 0)

    # Opening and saving

    @classmethod
    def open(cls, path: str | Path, size: int | tuple[int, int] = 2048) -> Document:
        """Open a model file, with the files it refers to beside it or in one zip; one surface per material."""
        file = Path(path)
        return cls.from_files(files_with(file), size, None if file.suffix.lower() == ".zip" else file.name)

    @classmethod
    def from_files(
        cls, files: dict[str, bytes], size: int | tuple[int, int] = 2048, name: str | None = None,
        progress: Progress = quietly,
    ) -> Document:  # fmt: skip
        """As `open`, from bytes in memory, zips among them; `name` is the model, the only one unless given."""
        both = checked_size(size)
        mesh, title = model_in.mesh_from_files(files, both, name, progress)
        return cls.from_mesh(mesh, title, both)

    @classmethod
    def practice(cls, body: Body, size: int | tuple[int, int] = 2048, meters: float = 1.0) -> Document:
        """A plane, box, sphere or ring with sound UVs, to try things on."""
        return cls.from_mesh(practice_body(body, meters), f"Practice {body}", checked_size(size))

    @classmethod
    def from_mesh(cls, mesh: Mesh, name: str, size: tuple[int, int]) -> Document:
        """A document for a mesh, its materials' factors as start values and their pictures as lowest layers."""
        return model_in.new_document(mesh, name, size, cls)  # type: ignore[return-value]

    @classmethod
    def load(cls, path: str | Path) -> Document:
        """Open a project file written by `save`."""
        return project_file.load(Path(path), cls)  # type: ignore[return-value]

    @classmethod
    def from_project_file(cls, file: BinaryIO, name: str) -> Document:
        """As `load`, from an open file that is called `name`."""
        return project_file.read(file, name, cls)  # type: ignore[return-value]

    def save(self, path: str | Path) -> None:
        """Write the project as one open zip: JSON, PNG tiles and GLB."""
        project_file.save(self, Path(path))

    def duplicate(self, name: str) -> Document:
        """The same document once more, under another name; its history begins with it."""
        return copying.duplicate(self, name)  # type: ignore[return-value]

    def export(self, folder: str | Path, maps: str = "png8", model: str = "glb") -> list[Path]:
        """Write maps ("png8" or "png16") and the model ("glb"); returns the files written."""
        return hand_off.export(self, Path(folder), maps, model)

    # Looking things up

    @property
    def name(self) -> str:
        return self.project.name

    @property
    def surfaces(self) -> dict[str, Surface]:
        """Its surfaces by name, in the model's order."""
        return {surface.name: Surface(self, surface.id) for surface in self.surface_values()}

    @property
    def layers(self) -> dict[str, Layer]:
        """All layers of all surfaces by id."""
        nodes = [node for surface in self.surface_values() for node in self.stack(surface.id)]
        return {node.id: Layer(self, node.id) for node in nodes}

    def surface(self, name: str) -> Surface:
        """A surface by name. Raises NightmistError naming those there are."""
        return Surface(self, self.surface_value(name).id)

    def layer(self, key: str) -> Layer:
        """A layer by id. Raises NightmistError when it is gone."""
        return Layer(self, self.node(key).id)

    def pick(self, camera: Camera, place: Sequence[float]) -> Hit | None:
        """What lies under a place (x, y) of the screen; None beside the model."""
        return picking.pick(self, camera, place)

    def select(self, hit: Hit, by: Extent = "island") -> NDArray[np.int64]:
        """Faces that belong together with the one that was hit: by face, patch, island, part or surface."""
        return faces_with(self.mesh, hit.face, by, self.surface(hit.surface).uvs)

    def sample(self, hit: Hit, layer: Layer | None = None) -> Pigment:
        """What is stored at a place, of all layers together or of one: exactly, without light."""
        return picking.sample(self, self.surface_value(hit.surface), hit.uv, layer.value if layer else None)

    # Painting

    def begin_stroke(
        self, layers: Mapping[str, Layer], camera: Camera | None, tip: Tip, pigment: Pigment | None,
        tool: Tool = "brush", **options: Unpack[StrokeOptions],
    ) -> Stroke:  # fmt: skip
        """A stroke to be extended sample by sample; `finish_stroke` makes it an undo step."""
        nodes = {name: layer.value for name, layer in layers.items()}
        return Stroke(self, nodes, camera, tip, pigment, tool, **options)

    def stroke(
        self, layer: Layer, path: Sequence[Sequence[float]], camera: Camera, tip: Tip, pigment: Pigment | None = None,
        tool: Tool = "brush", seed: int = 0, in_map: bool = False, source: CloneSource | None = None,
    ) -> None:  # fmt: skip
        """Draw a whole stroke along screen positions (x, y[, pressure[, tilt x, tilt y]]), mirrored as `mirror` says.

        Where it runs onto another surface, that surface's layer of the same name takes it, else its top layer.
        in_map: positions are texels of the layer's own map, and the camera does not matter.
        """
        if tool not in TOOLS:
            raise NightmistError(f"There is no tool {tool!r}; use {', '.join(TOOLS)}.")
        try:
            mirror = Mirror(planes=self.mirror, center=self.mirror_center)
        except ValueError as error:
            said = f"mirror = {self.mirror!r} through {self.mirror_center!r} does not work"
            raise NightmistError(f"{said}; use '', 'x', 'y', 'z', 'xy' … and a point.") from error
        samples = [_sample(point) for point in path]
        if not samples:
            raise NightmistError("A stroke needs at least one point.")
        stroke = Stroke(
            self, filling.receiving(self, layer.value), None if in_map else camera, tip, pigment, tool,
            in_map=layer.surface.name if in_map else None, mirror=mirror, seed=seed, source=source,
        )  # fmt: skip
        try:
            stroke.extend(samples)
            self.finish_stroke(stroke)
        except BaseException:
            stroke.cancel()
            raise

    def fill(
        self, layer: Layer, pigment: Pigment, surface: str | None = None, region: filling.Region | None = None,
        layers: Mapping[str, Layer] | None = None, mirror: Mirror | None = None,
    ) -> None:  # fmt: skip
        """Cover all of the layer's surface, gaps between islands included, or the faces of a region with clean edges.

        A region may lie on several surfaces; `layers` says which layer takes the paint on each, else it is as
        with strokes. mirror: the region's images are covered too.
        """
        self._on(layer, surface)
        self.make(filling.fill(self, layer.value, dict(pigment.values()), region, _nodes(layers), mirror))

    def erase(
        self, layer: Layer, surface: str | None = None, region: filling.Region | None = None,
        layers: Mapping[str, Layer] | None = None, maps: Iterable[MapName] = MAPS, mirror: Mirror | None = None,
    ) -> None:  # fmt: skip
        """Erase what some maps of a layer hold, in the extents of `fill`."""
        self._on(layer, surface)
        self.make(filling.fill(self, layer.value, filling.erased(maps), region, _nodes(layers), mirror))

    def fill_color(self, layer: Layer, pigment: Pigment, like: Hit, tolerance: float = 0.03) -> None:
        """Cover all texels of a surface that show nearly the color at a place."""
        self.make(filling.fill_color(self, layer.value, dict(pigment.values()), like, tolerance))

    def erase_color(self, layer: Layer, like: Hit, tolerance: float = 0.03, maps: Iterable[MapName] = MAPS) -> None:
        """Erase what a layer holds wherever its surface shows nearly the color at a place."""
        self.make(filling.fill_color(self, layer.value, filling.erased(maps), like, tolerance))

    def gradient(
        self, layer: Layer, start: Sequence[float], end: Sequence[float], pigments: tuple[Pigment, Pigment],
        layers: Mapping[str, Layer] | None = None,
    ) -> None:  # fmt: skip
        """Cover the layer's surface, or those of several layers, with a mix of two pigments, by position between
        two points of the model."""
        self.make(filling.gradient(self, layer.value, start, end, pigments, _nodes(layers)))

    def bump_from_color(self, layer: Layer) -> None:
        """Give a layer height by how light its colors are, black lowest; its cover is that of the color."""
        self.make(filling.bump_from_color(self, layer.value))

    def add_tip(self, name: str, data: bytes) -> str:
        """Keep a picture as a tip of this project; returns its name. No undo step: it changes no paint."""
        taken = {tip.name for tip in self.tip_values()} | set(TIPS)
        title = unused_name(clean_name(Path(name).stem, "tip"), taken)
        tip = TipPicture(id=f"tip:{title}", name=title, picture=self.arrays.add(tip_from_picture(name, data)))
        self.do_aside(Change(label=f"Add tip {title}", values={tip.id: (None, tip)}))
        return title

    def _on(self, layer: Layer, surface: str | None) -> None:
        if surface is not None and self.surface_value(surface).id != layer.value.parent:
            raise NightmistError(f"The layer {layer.name} belongs to {layer.surface.name}, not to {surface}.")


def _nodes(layers: Mapping[str, Layer] | None) -> dict[str, Node] | None:
    return {name: layer.value for name, layer in layers.items()} if layers else None


def _sample(point: Sequence[float]) -> Sample:
    if len(point) not in (2, 3, 5) or not np.isfinite(point).all():
        raise NightmistError(
            f"A point of a stroke is x, y and maybe pressure, then maybe tilt x, y of a pen; {tuple(point)!r} is not."
        )
    return (*map(float, point),) if len(point) > 2 else (float(point[0]), float(point[1]), 1.0)
