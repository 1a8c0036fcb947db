"""A surface: its stack of layers and the maps composited from them."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from functools import cached_property
from typing import TYPE_CHECKING, Any, Literal

import numpy as np
from numpy.typing import NDArray

from ..core.compose import Sheet, compose_color, compose_value
from ..core.errors import NightmistError
from ..core.mesh.mesh import unused_name
from ..core.relief.heights import Heights
from ..core.texels import Gutter, TileArea
from ..core.texels.across import Across, across_seams
from ..core.texels.ownership import Ownership, own_texels
from .carrying import old_corners
from .commands import AddLayer, MoveLayer, RemoveLayer, SetDepth, TileRef
from .layer import Layer
from .types import MAPS, LayerState, MapName, SurfaceState

if TYPE_CHECKING:
    from .document import Document

#: Composited maps lie in two pictures of four channels each.
PictureName = Literal["color", "values", "relief"]
PICTURE_OF: dict[MapName, PictureName] = {
    "base_color": "color", "height": "values", "roughness": "values", "metallic": "values",
}  # fmt: skip
#: The normal of what has no relief, as a texel.
LEVEL = (32768, 32768, 65535, 65535)
#: Texels beyond an island that tools and slopes may look at.
ACROSS = 14
#: Channels of "values": as glTF packs them, with height where glTF keeps occlusion.
VALUE_CHANNEL: dict[MapName, int] = {"height": 0, "roughness": 1, "metallic": 2}


class Stack:
    """A surface's layers, bottom first."""

    def __init__(self, surface: Surface) -> None:
        self._surface = surface
        self._layers: list[Layer] = []

    def __len__(self) -> int:
        return len(self._layers)

    def __iter__(self) -> Iterator[Layer]:
        return iter(self._layers)

    def __getitem__(self, index: int) -> Layer:
        return self._layers[index]

    def add(self, kind: str = "brushed", name: str | None = None, index: int | None = None) -> Layer:
        """Add an empty layer, on top unless an index (bottom 0) is given."""
        if kind != "brushed":
            raise NightmistError(f"There is no kind of layer {kind!r}; use 'brushed'.")
        taken = {layer.name for layer in self._layers}
        try:
            state = LayerState(id=uuid.uuid4().hex[:12], name=name or unused_name("Layer", taken))
        except ValueError as error:
            raise NightmistError("A layer's name has 1 to 80 letters.") from error
        at = len(self._layers) if index is None else min(max(index, 0), len(self._layers))
        self._surface.document.do(AddLayer(surface=self._surface.name, index=at, layer=state))
        return self._surface.document.layer(state.id)

    def remove(self, layer: Layer) -> None:
        """Delete a layer with its paint."""
        at = self._place(layer)
        self._surface.document.do(
            RemoveLayer(surface=self._surface.name, index=at, layer=layer.state, tiles=layer.tiles())
        )

    def move(self, layer: Layer, index: int) -> None:
        """Put a layer at an index of the stack, bottom 0."""
        before, after = self._place(layer), min(max(index, 0), len(self._layers) - 1)
        if before != after:
            self._surface.document.do(MoveLayer(surface=self._surface.name, layer=layer.id, before=before, after=after))

    def _place(self, layer: Layer) -> int:
        if layer not in self._layers:
            raise NightmistError(f"The layer {layer.name} is not in the stack of {self._surface.name}.")
        return self._layers.index(layer)


class Surface:
    """What one material of the model covers, with its own stack and maps."""

    def __init__(self, document: Document, number: int, state: SurfaceState) -> None:
        self.document, self.number, self.state = document, number, state
        self.layers = Stack(self)
        self.pictures: dict[PictureName, NDArray[np.uint16]] = {
            name: np.empty((state.height, state.width, 4), np.uint16) for name in ("color", "values", "relief")
        }
        self.pictures["values"][..., 3] = 65535
        self.pictures["relief"][:] = LEVEL
        #: Where slopes have to be looked at again.
        self.relief_stale = TileArea.empty()
        self.stale: dict[MapName, list[TileArea]] = {}
        for name in MAPS:
            self.mark(name, self.everywhere)

    def __repr__(self) -> str:
        return f"<Surface {self.name!r} {self.state.width} × {self.state.height}>"

    @property
    def name(self) -> str:
        return self.state.name

    @property
    def size(self) -> tuple[int, int]:
        """(width, height) of its maps in texels."""
        return self.state.width, self.state.height

    def texel_at(self, uv: tuple[float, float]) -> tuple[int, int]:
        """Row and column of the texel at a place of the map; the map repeats."""
        width, height = self.size
        return int(np.floor(uv[1] * height)) % height, int(np.floor(uv[0] * width)) % width

    @property
    def depth(self) -> float:
        """Model units that height 0-1 spans; 0.5 is the untouched surface."""
        return self.state.depth

    @depth.setter
    def depth(self, value: float) -> None:
        if not np.isfinite(value) or abs(value) > 1e6:
            raise NightmistError(f"A relief depth of {value!r} does not work; give a number of model units.")
        self.document.do(SetDepth(surface=self.name, before=self.depth, after=float(value)))

    @cached_property
    def faces(self) -> NDArray[np.int64]:
        """The mesh's faces that it covers."""
        return self.document.mesh.faces_of(self.number)

    @property
    def uvs(self) -> NDArray[np.float32]:
        """(F, 3, 2) of the whole mesh, in the UV set its maps are made for."""
        mesh = self.document.mesh
        if self.state.uv_set < len(mesh.uvs):
            return mesh.uvs[self.state.uv_set]
        return np.full((len(mesh.faces), 3, 2), np.nan, np.float32)

    @cached_property
    def ownership(self) -> Ownership:
        """Which face owns which texel."""
        return own_texels(self.document.mesh, self.faces, self.uvs, *self.size)

    @cached_property
    def lie(self) -> tuple[NDArray[Any], ...]:
        """What its maps' texels mean: faces, their UVs and places."""
        return self.faces, self.uvs[self.faces], self.document.mesh.corners[self.faces]

    def hidden_faces(self) -> NDArray[np.uint8]:
        """Which of its faces belong to hidden parts: strokes leave them alone."""
        hidden = np.isin(self.document.mesh.face_part[self.faces], self.document.hidden_parts)
        return hidden.astype(np.uint8)

    @cached_property
    def gutter(self) -> Gutter:
        """How islands continue into the gaps between them."""
        return Gutter(self.ownership.covered())

    @cached_property
    def across(self) -> Across:
        """What lies beyond the borders of its islands."""
        surfaces = list(self.document.surfaces.values())
        sizes = np.array([surface.size for surface in surfaces], np.int64)
        texels = old_corners(self.document)
        return across_seams(self.document.mesh, self.number, self.ownership, self.gutter, texels, sizes, ACROSS)

    @property
    def everywhere(self) -> TileArea:
        """The whole map as an area."""
        return TileArea.whole(*self.size)

    def read(self, name: str) -> NDArray[np.uint16]:
        """A composited map: base_color (H, W, 4), normal (H, W, 3), the others (H, W); all uint16."""
        if name == "normal":
            self.document.refresh()
            return self.pictures["relief"][..., :3].copy()
        if name not in MAPS:
            raise NightmistError(f"There is no map {name!r}; there are {', '.join(MAPS)} and normal.")
        self.refresh()
        picture = self.pictures[PICTURE_OF[name]]
        return picture.copy() if name == "base_color" else picture[..., VALUE_CHANNEL[name]].copy()

    def mark(self, name: MapName, area: TileArea) -> None:
        """This part of a map has to be composited again."""
        self.stale.setdefault(name, []).append(area)

    def mark_layer(self, layer: Layer) -> None:
        """Wherever the layer holds something has to be composited again."""
        for name, raster in layer.rasters.items():
            self.mark(name, TileArea.of_tiles(np.flatnonzero(raster.addresses).astype(np.int32)))

    def refresh(self) -> dict[PictureName, TileArea]:
        """Composite what is stale, gutter included; returns what changed in each picture."""
        changed: dict[PictureName, TileArea] = {}
        stale = {name: TileArea.union(areas) for name, areas in self.stale.items()}
        self.stale = {}
        for name, area in stale.items():
            if len(area):
                self._compose(name, area)
                picture = PICTURE_OF[name]
                changed[picture] = area.joined(changed[picture]) if picture in changed else area
        spread = {name: self.gutter.spread(self.pictures[name], area) for name, area in changed.items()}
        if "height" in stale:
            self.relief_stale = stale["height"].joined(self.relief_stale)
        return spread

    @property
    def has_relief(self) -> bool:
        """Whether any layer holds height, shown or not."""
        return any(layer.rasters["height"].tiles for layer in self.layers if "height" in layer.rasters)

    @cached_property
    def heights(self) -> Heights:
        """Its height as slopes need it."""
        return Heights(self.ownership, self.gutter, self.across)

    def _compose(self, name: MapName, area: TileArea) -> None:
        sheets = [
            Sheet(layer.rasters[name], layer.opacity, layer.blend)
            for layer in self.layers
            if layer.visible and name in layer.rasters
        ]
        picture = self.pictures[PICTURE_OF[name]]
        if name == "base_color":
            compose_color(sheets, self.state.start.base_color, area, picture)
        else:
            compose_value(sheets, getattr(self.state.start, name), area, picture, VALUE_CHANNEL[name])

    # What commands call: no history of its own.

    def insert(self, index: int, state: LayerState) -> None:
        """Put a new, empty layer into the stack."""
        layer = Layer(self, state)
        self.layers._layers.insert(index, layer)
        self.document.layers[state.id] = layer

    def remove(self, layer_id: str) -> None:
        """Take a layer out of the stack."""
        layer = self.document.layer(layer_id)
        self.mark_layer(layer)
        self.layers._layers.remove(layer)
        del self.document.layers[layer_id]

    def move(self, layer_id: str, index: int) -> None:
        """Put a layer at another place of the stack."""
        layer = self.document.layer(layer_id)
        self.layers._layers.remove(layer)
        self.layers._layers.insert(index, layer)
        self.mark_layer(layer)

    def take(self, number: int, state: SurfaceState, tiles: dict[str, list[TileRef]]) -> None:
        """Become what a state says (for commands): its layers, and the tiles of those named in `tiles`."""
        before, lay = self.snapshot(), self.__dict__.get("lie")
        self.number, self.state = number, state
        for name in ("faces", "lie"):
            self.__dict__.pop(name, None)
        stays = lay is not None and all(np.array_equal(a, b) for a, b in zip(lay, self.lie, strict=True))
        if not stays:
            for name in ("ownership", "gutter"):
                self.__dict__.pop(name, None)
        known = {layer.id: layer for layer in self.layers}
        self.layers._layers = []
        for wanted in state.layers:
            layer = known.get(wanted.id)
            if layer is None or wanted.id in tiles:
                layer = Layer(self, wanted)
                for ref in tiles.get(wanted.id, ()):
                    layer.raster(ref.map).put((ref.row, ref.column), self.document.pool.get(ref.digest))
            layer.state = wanted
            self.layers._layers.append(layer)
        if not stays or before != state or any(layer.id in tiles for layer in state.layers):
            for name in MAPS:
                self.mark(name, self.everywhere)
            self.relief_stale = self.everywhere

    def snapshot(self) -> SurfaceState:
        """The surface's state with that of its layers."""
        return self.state.model_copy(update={"layers": [layer.state for layer in self.layers]})
