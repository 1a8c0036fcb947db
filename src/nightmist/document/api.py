"""The handles that scripts use: a document, its surfaces, their layers. Thin, over the operations on values."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import BinaryIO, Unpack

import numpy as np
from numpy.typing import NDArray

from ..core.brush.mirror import Mirror
from ..core.brush.path import Sample
from ..core.brush.tips import TIPS, tip_from_picture
from ..core.errors import NightmistError
from ..core.formats.bundle import files_with
from ..core.mapping import Camera
from ..core.mesh import Mesh
from ..core.mesh.bodies import Body, practice_body
from ..core.mesh.select import SAME_ANGLE, Extent, faces_with
from ..core.names import clean_name, unused_name
from ..core.progress import Progress, quietly
from .api_prepare import PreparedDocument
from .api_regions import Region, Regions
from .api_stack import Layer, Mask, Surface
from .api_stencils import Stencil
from .change import Change
from .files import duplicate as copying
from .files import hand_off, model_in, project_file
from .files.portrait import portrait
from .painting import filling, picking
from .painting.receivers import receiving
from .painting.stencils import apply_stencil
from .painting.stroke import Stroke, StrokeOptions
from .stacking import versions
from .stacking.finishes import Finish, finish_of
from .values import (
    MAPS,
    MASK,
    TOOLS,
    CloneSource,
    Fence,
    Hit,
    Load,
    MapName,
    Node,
    Pigment,
    PlaneName,
    Tip,
    TipPicture,
    Tool,
    Version,
    checked_size,
    load_of,
)
from .values import Region as RegionValue


class Document(PreparedDocument):
    """A model being painted. Every method that changes it is one undo step."""

    #: Across which planes of the model strokes of scripts are repeated: any of "x", "y", "z" together.
    mirror: str = ""
    #: The point that the mirror's planes go through.
    mirror_center: tuple[float, float, float] = (0, 0, 0)
    #: The region that strokes, fills and gradients of scripts are kept inside; None: none.
    fence: Region | None = None
    #: Strokes keep to what belongs together with the face that they touch first: by face, patch, island, part, surface.
    touch_fence: Extent | None = None

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
        return model_in.new_document(mesh, title, both, cls, progress)  # type: ignore[return-value]

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

    def export(
        self, folder: str | Path, maps: str = "png8", model: str = "glb", name: str = hand_off.NAMES
    ) -> list[Path]:
        """Write maps ("png8" or "png16") and the model ("glb"); returns the files written.

        name: how maps are called, of {project}, {surface}, {map} and {size}.
        """
        return hand_off.export(self, Path(folder), maps, model, name)

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
        nodes = [node for surface in self.surface_values() for node in self.nodes_in(surface.id)]
        return {node.id: Layer(self, node.id) for node in nodes}

    @property
    def regions(self) -> Regions:
        """Its regions, by name."""
        return Regions(self)

    def keep_finish(self, group: Layer, name: str) -> Finish:
        """A group of washes and adjustments with its pictures, to be laid elsewhere, in any project."""
        return finish_of(self, group.value, name)

    def keep_version(self, name: str | None = None) -> Version:
        """Keep the whole document as it is under a name. No undo step: it changes nothing."""
        change = versions.keep_version(self, name, portrait(self, 240, 180))
        self.do_aside(change)
        return next(value for _, value in change.values.values() if isinstance(value, Version))

    @property
    def versions(self) -> list[Version]:
        """What was kept, the oldest first."""
        return versions.version_values(self)

    def restore_version(self, version: Version | str) -> None:
        """Go back to a version, or to the one of that name; one undo step."""
        if isinstance(version, str):
            named = [each for each in self.versions if each.name == version]
            if not named:
                known = ", ".join(each.name for each in self.versions) or "none"
                raise NightmistError(f"There is no version {version!r}; there are {known}.")
            version = named[0]
        self.make(versions.restore_version(self, version))

    def surface(self, name: str) -> Surface:
        """A surface by name. Raises NightmistError naming those there are."""
        return Surface(self, self.surface_value(name).id)

    def layer(self, key: str) -> Layer:
        """A layer by id. Raises NightmistError when it is gone."""
        return Layer(self, self.node(key).id)

    def pick(self, camera: Camera, place: Sequence[float]) -> Hit | None:
        """What lies under a place (x, y) of the screen; None beside the model."""
        return picking.pick(self, camera, place)

    def select(self, hit: Hit, by: Extent = "island", angle: float = SAME_ANGLE) -> NDArray[np.int64]:
        """Faces that belong together with the one that was hit: by face, patch, facing, island, part or surface.

        angle: degrees up to which a patch goes on between neighbors, or others face the same way.
        """
        return faces_with(self.mesh, hit.face, by, self.surface(hit.surface).uvs, angle)

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
        self, target: Layer | Mask, path: Sequence[Sequence[float]], camera: Camera, tip: Tip,
        pigment: Pigment | None = None, tool: Tool = "brush", seed: int = 0, in_map: bool = False,
        source: CloneSource | None = None, value: float = 1.0, stencil: Stencil | None = None,
    ) -> None:  # fmt: skip
        """Draw a whole stroke along screen positions (x, y[, pressure[, tilt x, tilt y]]), mirrored as `mirror` says
        and kept inside the fence. value: what is laid on a mask, instead of a pigment. stencil: what it goes through.

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
        layer, on_mask = _taker(target)
        stroke = Stroke(
            self, receiving(self, layer.value, on_mask), None if in_map else camera, tip,
            None if on_mask else pigment, tool, in_map=layer.surface.name if in_map else None, mirror=mirror, seed=seed,
            source=source, mask_value=value if on_mask else None,
            fence=Fence(region=self.fence.id if self.fence else None, touch=self.touch_fence),
            stencil=stencil.placed(self) if stencil else None,
        )  # fmt: skip
        try:
            stroke.extend(samples)
            self.finish_stroke(stroke)
        except BaseException:
            stroke.cancel()
            raise

    def apply_stencil(
        self, target: Layer | Mask, stencil: Stencil, camera: Camera, pigment: Pigment | None = None,
        through: bool = False, value: float = 1.0,
    ) -> None:  # fmt: skip
        """Lay a stencil on whole, wherever the camera sees it; through: on covered and averted places, too."""
        layer, on_mask = _taker(target)
        load = load_of(pigment, value if on_mask else None)
        fence = Fence(region=self.fence.id) if self.fence else None
        takers = receiving(self, layer.value, on_mask)
        self.make(apply_stencil(self, takers, camera, stencil.placed(self, through), load, fence))

    def fill(
        self, target: Layer | Mask, pigment: Pigment | None = None, surface: str | None = None,
        region: filling.Faces | Region | None = None, layers: Mapping[str, Layer] | None = None,
        mirror: Mirror | None = None, value: float | None = None,
    ) -> None:  # fmt: skip
        """Cover all of the layer's surface, gaps between islands included, or a region or faces with clean edges.

        A region may lie on several surfaces; `layers` says which layer takes the paint on each, else it is as
        with strokes. mirror: the images of faces are covered too. value: what a mask takes instead of a pigment.
        """
        load = self._load(target, pigment, value)
        self._cover(target, dict(load), surface, region, layers, mirror)

    def erase(
        self, target: Layer | Mask, surface: str | None = None, region: filling.Faces | Region | None = None,
        layers: Mapping[str, Layer] | None = None, maps: Iterable[MapName] = MAPS, mirror: Mirror | None = None,
    ) -> None:  # fmt: skip
        """Erase what some maps of a layer hold, or what is painted on a mask, in the extents of `fill`."""
        planes: Iterable[PlaneName] = [MASK] if isinstance(target, Mask) else maps
        self._cover(target, filling.erased(planes), surface, region, layers, mirror)

    def _cover(
        self, target: Layer | Mask, laid: filling.Laid, surface: str | None, region: filling.Faces | Region | None,
        layers: Mapping[str, Layer] | None, mirror: Mirror | None,
    ) -> None:  # fmt: skip
        layer, _ = _taker(target)
        self._on(layer, surface)
        where = region.value if isinstance(region, Region) else region
        self.make(filling.fill(self, layer.value, laid, where, _nodes(layers), mirror, self._fence()))

    def fill_color(
        self, target: Layer | Mask, pigment: Pigment | None, like: Hit, tolerance: float = 0.03,
        value: float | None = None, softness: float = 0.0,
    ) -> None:  # fmt: skip
        """Cover all texels of a surface that show nearly the color at a place; beyond the tolerance less and less."""
        layer, _ = _taker(target)
        load = dict(self._load(target, pigment, value))
        self.make(filling.fill_color(self, layer.value, load, like, tolerance, softness, self._fence()))

    def erase_color(
        self, target: Layer | Mask, like: Hit, tolerance: float = 0.03, maps: Iterable[MapName] = MAPS,
        softness: float = 0.0,
    ) -> None:  # fmt: skip
        """Erase what a layer holds wherever its surface shows nearly the color at a place."""
        layer, on_mask = _taker(target)
        laid = filling.erased([MASK] if on_mask else maps)
        self.make(filling.fill_color(self, layer.value, laid, like, tolerance, softness, self._fence()))

    def gradient(
        self, target: Layer | Mask, start: Sequence[float], end: Sequence[float],
        pigments: tuple[Pigment, Pigment] | None = None, layers: Mapping[str, Layer] | None = None,
        values: tuple[float, float] = (1.0, 0.0), mirror: Mirror | None = None,
    ) -> None:  # fmt: skip
        """Cover the layer's surface, or those of several layers, with a mix of two pigments, by position between
        two points of the model. values: what a mask takes instead. mirror: images of the points count where they are
        nearer."""
        layer, on_mask = _taker(target)
        first, second = pigments or (None, None)
        loads = (
            load_of(first, values[0] if on_mask else None), load_of(second, values[1] if on_mask else None)
        )  # fmt: skip
        self.make(filling.gradient(self, layer.value, start, end, loads, _nodes(layers), self._fence(), mirror))

    def _load(self, target: Layer | Mask, pigment: Pigment | None, value: float | None) -> Load:
        on_mask = isinstance(target, Mask)
        if on_mask and (value is None or not 0 <= value <= 1):
            raise NightmistError(f"A mask takes a value from 0 (hidden) to 1 (shown), not {value!r}.")
        return load_of(pigment, value if on_mask else None)

    def _fence(self) -> RegionValue | None:
        return self.fence.value if self.fence else None

    def bump_from_color(self, layer: Layer) -> None:
        """Give a layer height by how light its colors are, black lowest; its cover is that of the color."""
        self.make(filling.bump_from_color(self, layer.value))

    def add_tip(self, name: str, data: bytes, light: bool = False) -> str:
        """Keep a picture as a tip of this project; returns its name. No undo step: it changes no paint.

        light: a gray picture without alpha lets paint through where it is light, as in a stencil; else where dark.
        """
        return self.keep_tip(Path(name).stem, tip_from_picture(name, data, light))

    def keep_tip(self, name: str, picture: NDArray[np.float32]) -> str:
        """The same of a picture as `core.brush.tips.tip_from_picture` makes it; one that is kept already stays."""
        digest = self.arrays.add(picture)
        known = next((tip.name for tip in self.tip_values() if tip.picture == digest), None)
        if known is not None:
            return known
        taken = {tip.name for tip in self.tip_values()} | set(TIPS)
        title = unused_name(clean_name(name, "tip"), taken)
        tip = TipPicture(id=f"tip:{title}", name=title, picture=digest, colored=picture.ndim == 3)
        self.do_aside(Change(label=f"Add tip {title}", values={tip.id: (None, tip)}))
        return title

    def _on(self, layer: Layer, surface: str | None) -> None:
        if surface is not None and self.surface_value(surface).id != layer.surface.id:
            raise NightmistError(f"The layer {layer.name} belongs to {layer.surface.name}, not to {surface}.")


def _taker(target: Layer | Mask) -> tuple[Layer, bool]:
    """Which layer it is, and whether its mask is meant."""
    return (target.layer, True) if isinstance(target, Mask) else (target, False)


def _nodes(layers: Mapping[str, Layer] | None) -> dict[str, Node] | None:
    return {name: layer.value for name, layer in layers.items()} if layers else None


def _sample(point: Sequence[float]) -> Sample:
    if len(point) not in (2, 3, 5) or not np.isfinite(point).all():
        raise NightmistError(
            f"A point of a stroke is x, y and maybe pressure, then maybe tilt x, y of a pen; {tuple(point)!r} is not."
        )
    return (*map(float, point),) if len(point) > 2 else (float(point[0]), float(point[1]), 1.0)
