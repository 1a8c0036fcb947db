"""What browsers ask of decals. Each message says what `Change` it means; some name what was made."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ..core.errors import NightmistError
from ..core.mesh.select import Extent
from ..document import Document
from ..document.change import Change
from ..document.stacking import decals
from ..document.stacking.decal_frames import Place, SurfacePlace
from ..document.values import Decals, Node, Share
from .parts import FramePart, PigmentPart, ReliefPart, SomeOfTwo, Three
from .stack_message import Made, StackMessage, given


class DecalMessage(StackMessage):
    """Something at a place of the surface, by its position and the normal there, or of the map, by its UV."""

    position: Three | None = None
    normal: Three | None = None
    uv: tuple[float, float] | None = None

    def place(self) -> Place | None:
        """Where it is; None: nowhere in particular."""
        if self.uv:
            return self.uv
        return SurfacePlace(self.position, self.normal) if self.position and self.normal else None

    def there(self) -> Place:
        """The same. Raises NightmistError for nowhere."""
        place = self.place()
        if place is None:
            raise NightmistError("A decal needs a place on the model, or in the map.")
        return place


class PlaceDecal(DecalMessage):
    """Put a picture onto a surface: into a layer of decals, or a new one above another layer."""

    type: Literal["place_decal"]
    surface: str
    layer: str | None = None
    picture: str
    width: float | None = Field(default=None, gt=0, description="model units, or a share of the map's longer side")

    def made(self, document: Document) -> Made:
        surface = document.surface_value(self.surface)
        picture = document.picture_value(self.picture)
        chosen = document.values.get(self.layer or "")
        if not isinstance(chosen, Node) or document.surface_of(chosen).id != surface.id:
            chosen = None
        if isinstance(chosen, Decals):
            change, key = decals.place_decal(document, chosen, picture, self.there(), self.width)
            return change, [chosen.id, key]
        change, key, layer = decals.place_in_new_layer(document, surface, chosen, picture, self.there(), self.width)
        return change, [layer, key]

    def doubt(self, document: Document, made: list[str]) -> str | None:
        return decals.why_unseen(document, made[-1])


class MoveDecal(DecalMessage):
    """Take a decal to another place."""

    type: Literal["move_decal"]
    decal: str

    def change(self, document: Document) -> Change:
        return decals.move_decal(document, self.decal, self.there())

    def doubt(self, document: Document, made: list[str]) -> str | None:
        return decals.why_unseen(document, self.decal)


class DuplicateDecal(DecalMessage):
    """The same decal once more, at another place if one is given."""

    type: Literal["duplicate_decal"]
    decal: str

    def made(self, document: Document) -> Made:
        node, _ = decals.find_decal(document, self.decal)
        change, key = decals.duplicate_decal(document, self.decal, self.place())
        return change, [node.id, key]

    def doubt(self, document: Document, made: list[str]) -> str | None:
        return decals.why_unseen(document, made[-1])


class ChangeDecal(StackMessage):
    """Set properties of a decal; those left out stay."""

    type: Literal["change_decal"]
    decal: str
    picture: str | None = None
    frame: FramePart | None = None
    visible: bool | None = None
    opacity: Share | None = None
    mirrored: bool | None = None
    inverted: bool | None = None
    colored: bool | None = None
    repeat: SomeOfTwo | None = None
    limit: float | None = None
    soft: Share | None = None
    pigment: PigmentPart | None = None
    relief: ReliefPart | None = Field(default=None, description="null: it lies flat")
    region: str | None = Field(default=None, description="null: everywhere")

    def change(self, document: Document) -> Change:
        _, decal = decals.find_decal(document, self.decal)
        fields = given(self, "decal", "frame", of=decal)
        if self.frame:
            fields["frame"] = decals.changed_frame(document, self.decal, **given(self.frame, of=decal.frame))
        return decals.change_decal(document, self.decal, **fields)

    def doubt(self, document: Document, made: list[str]) -> str | None:
        return decals.why_unseen(document, self.decal)


class FitDecal(StackMessage):
    """Put the frame of a decal around the part that it lies around, as it is turned."""

    type: Literal["fit_decal"]
    decal: str

    def change(self, document: Document) -> Change:
        return decals.fit_decal(document, self.decal)


class BindDecal(StackMessage):
    """Keep a decal inside what belongs together with the face below its middle."""

    type: Literal["bind_decal"]
    decal: str
    by: Extent

    def change(self, document: Document) -> Change:
        return decals.bind_below(document, self.decal, self.by)

    def doubt(self, document: Document, made: list[str]) -> str | None:
        return decals.why_unseen(document, self.decal)


class RemoveDecals(StackMessage):
    """Take decals away."""

    type: Literal["remove_decals"]
    decals: list[str] = Field(min_length=1)

    def change(self, document: Document) -> Change:
        return decals.remove_decals(document, self.decals)


class OrderDecal(StackMessage):
    """Put a decal at an index of its layer, the lowest 0."""

    type: Literal["order_decal"]
    node: str
    decal: str
    index: int

    def change(self, document: Document) -> Change:
        node = decals.decals_value(document.node(self.node))
        return decals.order_decal(document, node, self.decal, self.index)


class BakeDecals(StackMessage):
    """Make a layer of decals a brushed one that looks the same."""

    type: Literal["bake_decals"]
    node: str

    def change(self, document: Document) -> Change:
        return decals.bake(document, decals.decals_value(document.node(self.node)))


AnyDecalMessage = (
    PlaceDecal
    | MoveDecal
    | DuplicateDecal
    | ChangeDecal
    | FitDecal
    | BindDecal
    | RemoveDecals
    | OrderDecal
    | BakeDecals
)
