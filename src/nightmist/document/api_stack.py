"""The handles of a surface and its stack: layers, groups, their maps and masks. Thin, over the operations on values."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.compose import BlendMode
from ..core.errors import NightmistError
from . import values
from .api_decals import HoldsDecals
from .api_prepare import PreparedDocument
from .api_regions import Region
from .change import Change
from .derived.layouts import Layout
from .files import hand_off
from .preparing import maps
from .stacking import finishes, frames, mask_sources, masks, merging, nodes
from .stacking.finishes import Finish
from .values import MAPS, Group, MapName, MixByHeight, Node, NodeMap, PaintedMap, Pigment, PlaneName, Wash
from .values import Surface as SurfaceValue


class Layer(HoldsDecals):
    """A node of a stack: a brushed layer, a group. Setting one of its properties is one undo step."""

    def __init__(self, document: PreparedDocument, key: str) -> None:
        self.document, self.id = document, key

    def __repr__(self) -> str:
        return f"<{self.value.kind} {self.name!r} of {self.surface.name}>"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Layer) and (other.document, other.id) == (self.document, self.id)

    def __hash__(self) -> int:
        return hash(self.id)

    @property
    def value(self) -> Node:
        """What the document knows of it."""
        return self.document.node(self.id)

    @property
    def kind(self) -> str:
        return self.value.kind

    @property
    def surface(self) -> Surface:
        """The surface in whose stack it lies."""
        return Surface(self.document, self.document.surface_of(self.value).id)

    @property
    def layers(self) -> Stack:
        """What lies in a group."""
        if not isinstance(self.value, Group):
            raise NightmistError(f"{self.name} is no group: nothing lies in it.")
        return Stack(self.document, self.id)

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
    def locked(self) -> bool:
        return self.value.locked

    @locked.setter
    def locked(self, value: bool) -> None:
        self.change(locked=value)

    @property
    def alpha_locked(self) -> bool:
        """Paint stays where there is some already."""
        return self.value.alpha_locked

    @alpha_locked.setter
    def alpha_locked(self, value: bool) -> None:
        self.change(alpha_locked=value)

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

    @property
    def mix(self) -> MixByHeight | None:
        """With a mask: how it meets what lies below by height; None: plainly."""
        return self.value.mix

    @mix.setter
    def mix(self, value: MixByHeight | None) -> None:
        self.change(mix=value)

    @property
    def pigment(self) -> Pigment:
        """The values that a wash covers with."""
        return self._wash.pigment

    @pigment.setter
    def pigment(self, value: Pigment) -> None:
        self.change(pigment=value)

    @property
    def mapping(self) -> values.Mapping:
        """How a wash lays its pictures."""
        return self._wash.mapping

    @mapping.setter
    def mapping(self, value: values.Mapping) -> None:
        self.change(mapping=value)

    def fit_frame(self) -> None:
        """Put the frame of a wash around its surface, as it is turned."""
        self.document.make(frames.fit_frame(self.document, self.value))

    @property
    def _wash(self) -> Wash:
        value = self.value
        if not isinstance(value, Wash):
            raise NightmistError(f"{self.name} is no wash.")
        return value

    @property
    def maps(self) -> Mapping[str, MapHandle]:
        """How it meets each map: `on`, `opacity`, `blend`."""
        return {name: MapHandle(self, name) for name in MAPS}

    @property
    def mask(self) -> Mask | None:
        return Mask(self) if self.value.mask else None

    def add_mask(self, value: float = 0.0) -> Mask:
        """A mask that hides it everywhere (0), or shows it (1)."""
        self.document.make(masks.add_mask(self.document, self.value, value))
        return Mask(self)

    def remove_mask(self) -> None:
        """It shows everywhere again."""
        self.document.make(masks.remove_mask(self.document, self.value))

    def change(self, **properties: object) -> None:
        """Set several properties as one undo step."""
        self.document.make(nodes.set_node(self.document, self.value, **properties))

    def painted(self, name: PlaneName) -> PaintedMap:
        """What the layer holds of a map, or its mask, to be laid by a wash: it follows when it is painted on."""
        return PaintedMap(node=self.id, map=name)

    def read(self, name: MapName) -> NDArray[np.uint16]:
        """The layer alone, before blending: (H, W, 4) for base_color, (H, W, 2) value and alpha for the others."""
        if name not in MAPS:
            raise NightmistError(f"A layer has no map {name!r}; it has {', '.join(MAPS)}.")
        return self.document.raster(self.id, name).read()


class MapHandle:
    """How a layer meets one map; setting is one undo step."""

    def __init__(self, layer: Layer, name: MapName) -> None:
        self._layer, self._name = layer, name

    @property
    def _use(self) -> NodeMap:
        return self._layer.value.maps.get(self._name, NodeMap())

    def _set(self, **properties: object) -> None:
        document = self._layer.document
        document.make(nodes.set_map(document, self._layer.value, self._name, **properties))

    @property
    def on(self) -> bool:
        return self._use.on

    @on.setter
    def on(self, value: bool) -> None:
        self._set(on=value)

    @property
    def opacity(self) -> float:
        """A share of the layer's own."""
        return self._use.opacity

    @opacity.setter
    def opacity(self, value: float) -> None:
        self._set(opacity=value)

    @property
    def blend(self) -> BlendMode | None:
        """None: the layer's."""
        return self._use.blend

    @blend.setter
    def blend(self, value: BlendMode | None) -> None:
        self._set(blend=value)


class Mask:
    """Where a layer shows. Strokes and fills take it in a layer's place, with `value` instead of a pigment."""

    def __init__(self, layer: Layer) -> None:
        self.layer = layer

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Mask) and other.layer == self.layer

    def __hash__(self) -> int:
        return hash(self.layer)

    @property
    def on(self) -> bool:
        return masks.mask_of(self.layer.value).on

    @on.setter
    def on(self, value: bool) -> None:
        self._make(masks.set_mask(self.layer.document, self.layer.value, on=value))

    def change(self, **properties: object) -> None:
        """How it counts: soften, texels that it is blurred by; low and high, the shares that hide and show all."""
        self._make(masks.set_mask(self.layer.document, self.layer.value, **properties))

    def invert(self) -> None:
        """What was hidden shows, and the other way round."""
        self._make(masks.invert_mask(self.layer.document, self.layer.value))

    def make_from(self, source: mask_sources.Source) -> None:
        """Show the layer where what lies below is low, high, dark or light, or where the surface looks "up"."""
        self._make(mask_sources.mask_from(self.layer.document, self.layer.value, source))

    def facing(self, direction: Sequence[float], limit: float = 50, fade: float = 40) -> None:
        """Show the layer where the surface looks along a direction, within degrees, fading over others."""
        self._make(mask_sources.mask_facing(self.layer.document, self.layer.value, direction, limit, fade))

    def from_picture(self, path: str | Path, color: str | None = None, tolerance: float = 8) -> None:
        """Show the layer as far as a picture in the map is light or, of one with flat colors, where it shows one."""
        document, node = self.layer.document, self.layer.value
        picture = document.picture_value(document.add_picture(path))
        if color is None:
            self._make(mask_sources.mask_from_picture(document, node, picture))
        else:
            self._make(mask_sources.mask_from_color(document, node, picture, color, tolerance))

    def copy_from(self, other: Mask) -> None:
        """Take another layer's mask in place of this one."""
        self._make(masks.copy_mask(self.layer.document, self.layer.value, other.layer.value))

    def read(self) -> NDArray[np.uint16]:
        """The share that each texel has, (H, W)."""
        return masks.read_mask(self.layer.document, self.layer.value)

    def _make(self, change: Any) -> None:
        self.layer.document.make(change)


class Stack:
    """The layers of a surface or of a group, bottom first."""

    def __init__(self, document: PreparedDocument, parent: str) -> None:
        self._document, self._parent = document, parent

    @property
    def _value(self) -> SurfaceValue | Group:
        found = self._document.values.get(self._parent)
        if not isinstance(found, SurfaceValue | Group):
            raise NightmistError("That stack does not exist any more.")
        return found

    def _layers(self) -> list[Layer]:
        return [Layer(self._document, node.id) for node in self._document.stack(self._parent)]

    def __len__(self) -> int:
        return len(self._layers())

    def __iter__(self) -> Iterator[Layer]:
        return iter(self._layers())

    def __getitem__(self, index: int) -> Layer:
        return self._layers()[index]

    def add(self, kind: str = "brushed", name: str | None = None, index: int | None = None, **fields: Any) -> Layer:
        """Add a layer, on top unless an index (bottom 0) is given.

        fields: what its kind has besides, as pigment, images (by map paths of files, or what other layers hold:
        `layer.painted("roughness")`) and mapping of a wash.
        """
        if "images" in fields:
            fields["images"] = {name: self._document.picture(given) for name, given in fields["images"].items()}
        change, key = nodes.add_node(self._document, self._value, kind, name, index, **fields)
        self._document.make(change)
        return Layer(self._document, key)

    def show_alone(self, layer: Layer) -> None:
        """Hide all others of the surface or, when they are hidden already, show all."""
        self._document.make(nodes.show_alone(self._document, self._mine([layer])[0]))

    def remove(self, *layers: Layer) -> None:
        """Delete layers with their paint and all that lies in them."""
        self._document.make(nodes.remove_nodes(self._document, self._mine(layers)))

    def move(self, layer: Layer, index: int | None = None, into: Layer | None = None) -> None:
        """Put a layer at an index (bottom 0; None: on top) of a group, or of this stack."""
        stack = into.layers if into else self
        at = len(stack) if index is None else index
        self._document.make(nodes.move_nodes(self._document, self._mine([layer]), stack._value, at))

    def group(self, layers: Sequence[Layer], name: str | None = None) -> Layer:
        """Put layers into a new group."""
        change, key = nodes.group_nodes(self._document, self._mine(layers), name)
        self._document.make(change)
        return Layer(self._document, key)

    def ungroup(self, group: Layer) -> None:
        """What lies in a group takes its place, as opaque as that was and, without a mask of its own, with its mask."""
        self._document.make(nodes.ungroup(self._document, self._mine([group])[0]))

    def duplicate(self, layer: Layer, onto: Surface | None = None) -> Layer:
        """The same layer, with all that lies in it, above itself or on top of another surface's stack."""
        change, made = nodes.duplicate_nodes(self._document, self._mine([layer]), onto.value if onto else None)
        self._document.make(change)
        return Layer(self._document, made[0])

    def add_finish(self, finish: Finish, region: Region | None = None) -> Layer:
        """Lay a finish on top: in a region with a mask for that, everywhere without one."""
        mask = self._document.region_mask(region.value, self._surface().value) if region else None
        change, key = finishes.add_finish(self._document, self._value, finish, mask)
        self._document.make(change)
        return Layer(self._document, key)

    def merge_down(self, layer: Layer) -> Layer:
        """Make a layer and the one below it one."""
        change, key = merging.merge_down(self._document, self._mine([layer])[0])
        self._document.make(change)
        return Layer(self._document, key)

    def merge(self, layers: Sequence[Layer]) -> Layer:
        """Make layers that lie right above each other one."""
        change, key = merging.merge_nodes(self._document, self._mine(layers))
        self._document.make(change)
        return Layer(self._document, key)

    def merge_copy(self) -> Layer:
        """Everything that is seen as one layer on top; the others stay."""
        return self._merged(merging.merge_copy)

    def flatten(self) -> Layer:
        """One layer with everything that is seen, in place of all others."""
        return self._merged(merging.flatten)

    def _merged(self, merge: Callable[[PreparedDocument, SurfaceValue], tuple[Change, str]]) -> Layer:
        change, key = merge(self._document, self._surface().value)
        self._document.make(change)
        return Layer(self._document, key)

    def _mine(self, layers: Sequence[Layer]) -> list[Node]:
        surface = self._surface()
        for layer in layers:
            if layer.surface.id != surface.id:
                raise NightmistError(f"The layer {layer.name} is not in the stack of {surface.name}.")
        return [layer.value for layer in layers]

    def _surface(self) -> Surface:
        value = self._value
        key = value.id if isinstance(value, SurfaceValue) else self._document.surface_of(value).id
        return Surface(self._document, key)


class Surface:
    """What one material of the model covers, with its own stack and maps."""

    def __init__(self, document: PreparedDocument, key: str) -> None:
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
        return Stack(self.document, self.id)

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
        self.document.make(maps.set_depth(self.value, value))

    def read(self, name: str) -> NDArray[np.uint16]:
        """A composited map: base_color (H, W, 4), normal (H, W, 3), the others (H, W); all uint16."""
        return hand_off.read_map(self.document, self.value, name)
