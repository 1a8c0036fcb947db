"""Every change of a document is one of these: apply, invert, JSON.

Applying a command and then its inverse is the identity, to the bit. A command checks before it changes
anything, so a refusal leaves the document as it was.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Annotated, Literal, NamedTuple

from pydantic import BaseModel, Field, TypeAdapter

from ..core.brush.mirror import Mirror
from ..core.errors import NightmistError
from ..core.mapping import Camera
from .cloning import CloneSource
from .types import DocumentState, LayerState, MapName, Pigment, Tip, Tool

if TYPE_CHECKING:
    from .document import Document


class TileEdit(NamedTuple):
    """One tile of one map of one layer, before and after, by digest; None is an absent tile."""

    layer: str
    map: MapName
    row: int
    column: int
    before: str | None
    after: str | None


class TileRef(NamedTuple):
    """One tile that a layer brings along."""

    map: MapName
    row: int
    column: int
    digest: str


class StrokeRecord(BaseModel):
    """What a stroke was made from; the same record gives the same texels."""

    tool: Tool
    tip: Tip
    pigment: Pigment | None
    camera: Camera | None
    in_map: str | None = None
    mirror: Mirror | None = None
    seed: int = 0
    source: CloneSource | None = None
    layers: dict[str, str]
    samples: list[tuple[float, ...]]


class PaintTiles(BaseModel):
    """A stroke, a fill, a gradient: tiles exchanged for others."""

    kind: Literal["paint"] = "paint"
    label: str
    edits: list[TileEdit]
    stroke: StrokeRecord | None = None

    def apply(self, document: Document) -> None:
        for edit in self.edits:
            document.layer(edit.layer)
            document.pool.get(edit.after)
        for edit in self.edits:
            document.put_tile(edit.layer, edit.map, (edit.row, edit.column), document.pool.get(edit.after))

    def inverse(self) -> PaintTiles:
        return self.model_copy(update={"edits": [e._replace(before=e.after, after=e.before) for e in self.edits]})

    def digests(self) -> Iterator[str]:
        for edit in self.edits:
            yield from (d for d in (edit.before, edit.after) if d)


class AddLayer(BaseModel):
    """A layer put into a surface's stack at an index, bottom 0, with its pixels if it has any."""

    kind: Literal["add_layer"] = "add_layer"
    surface: str
    index: int
    layer: LayerState
    tiles: list[TileRef] = []

    @property
    def label(self) -> str:
        return f"Add layer {self.layer.name}"

    def apply(self, document: Document) -> None:
        if self.layer.id in document.layers:
            raise NightmistError(f"There is already a layer with the id {self.layer.id}.")
        for tile in self.tiles:
            document.pool.get(tile.digest)
        document.surface(self.surface).insert(self.index, self.layer)
        for tile in self.tiles:
            document.put_tile(self.layer.id, tile.map, (tile.row, tile.column), document.pool.get(tile.digest))

    def inverse(self) -> RemoveLayer:
        return RemoveLayer(surface=self.surface, index=self.index, layer=self.layer, tiles=self.tiles)

    def digests(self) -> Iterator[str]:
        return (tile.digest for tile in self.tiles)


class RemoveLayer(BaseModel):
    """The opposite of AddLayer; keeps the layer's properties and pixels so that it can come back."""

    kind: Literal["remove_layer"] = "remove_layer"
    surface: str
    index: int
    layer: LayerState
    tiles: list[TileRef] = []

    @property
    def label(self) -> str:
        return f"Delete layer {self.layer.name}"

    def apply(self, document: Document) -> None:
        document.surface(self.surface).remove(self.layer.id)

    def inverse(self) -> AddLayer:
        return AddLayer(surface=self.surface, index=self.index, layer=self.layer, tiles=self.tiles)

    def digests(self) -> Iterator[str]:
        return (tile.digest for tile in self.tiles)


class MoveLayer(BaseModel):
    """A layer put elsewhere in its stack."""

    kind: Literal["move_layer"] = "move_layer"
    surface: str
    layer: str
    before: int
    after: int

    @property
    def label(self) -> str:
        return "Reorder layers"

    def apply(self, document: Document) -> None:
        document.surface(self.surface).move(self.layer, self.after)

    def inverse(self) -> MoveLayer:
        return self.model_copy(update={"before": self.after, "after": self.before})

    def digests(self) -> Iterator[str]:
        return iter(())


class SetLayer(BaseModel):
    """One or more properties of a layer: the whole state before and after."""

    kind: Literal["set_layer"] = "set_layer"
    before: LayerState
    after: LayerState

    @property
    def label(self) -> str:
        changed = [
            n for n in ("name", "visible", "opacity", "blend") if getattr(self.before, n) != getattr(self.after, n)
        ]
        if changed == ["visible"]:
            return f"{'Show' if self.after.visible else 'Hide'} {self.after.name}"
        return f"Change {', '.join(changed) or 'nothing'} of {self.before.name}"

    def apply(self, document: Document) -> None:
        document.layer(self.after.id).restate(self.after)

    def inverse(self) -> SetLayer:
        return SetLayer(before=self.after, after=self.before)

    def digests(self) -> Iterator[str]:
        return iter(())


class SetDepth(BaseModel):
    """How many model units a surface's height spans."""

    kind: Literal["set_depth"] = "set_depth"
    surface: str
    before: float
    after: float

    @property
    def label(self) -> str:
        return f"Relief depth of {self.surface}"

    def apply(self, document: Document) -> None:
        surface = document.surface(self.surface)
        surface.state = surface.state.model_copy(update={"depth": self.after})
        surface.relief_stale = surface.everywhere

    def inverse(self) -> SetDepth:
        return self.model_copy(update={"before": self.after, "after": self.before})

    def digests(self) -> Iterator[str]:
        return iter(())


class Refit(BaseModel):
    """The model, its surfaces or their maps made anew: the whole state before and after.

    tiles_before, tiles_after: all tiles of each layer whose pixels change with it, by the layer's id.
    """

    kind: Literal["refit"] = "refit"
    label: str
    before: DocumentState
    after: DocumentState
    tiles_before: dict[str, list[TileRef]] = {}
    tiles_after: dict[str, list[TileRef]] = {}

    def apply(self, document: Document) -> None:
        for refs in self.tiles_after.values():
            for ref in refs:
                document.pool.get(ref.digest)
        for digest in self.arrays():
            document.arrays.get(digest)
        document.restate(self.after, self.tiles_after)

    def inverse(self) -> Refit:
        return Refit(
            label=self.label,
            before=self.after,
            after=self.before,
            tiles_before=self.tiles_after,
            tiles_after=self.tiles_before,
        )

    def digests(self) -> Iterator[str]:
        for tiles in (*self.tiles_before.values(), *self.tiles_after.values()):
            yield from (tile.digest for tile in tiles)

    def arrays(self) -> Iterator[str]:
        """Digests of the mesh's arrays and of tip pictures, before and after."""
        for state in (self.before, self.after):
            yield from (state.mesh.arrays.values() if state.mesh else ())
            yield from state.tips.values()


Command = Annotated[
    PaintTiles | AddLayer | RemoveLayer | MoveLayer | SetLayer | SetDepth | Refit, Field(discriminator="kind")
]
COMMAND: TypeAdapter[Command] = TypeAdapter(Command)
