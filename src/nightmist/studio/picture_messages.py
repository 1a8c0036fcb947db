"""What browsers ask of the project's pictures. Each message says what `Change` it means."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ..document import Document
from ..document.change import Change
from ..document.stacking import pictures
from ..document.values import MapName, Name, PlaneName, Role, Share
from .parts import SomeOfFour
from .stack_message import StackMessage, given


class DescribePicture(StackMessage):
    """Another name, role or note for a picture of the project."""

    type: Literal["describe_picture"]
    picture: str
    name: Name | None = None
    role: Role | None = None
    note: str | None = None

    def change(self, document: Document) -> Change:
        return pictures.describe_picture(document.picture_value(self.picture), **given(self, "picture"))


class CutPicture(StackMessage):
    """Cut something else out of a picture, wherever it is used; what is left out stays."""

    type: Literal["cut_picture"]
    picture: str
    crop: SomeOfFour | None = Field(default=None, description="left, top, right, bottom as shares")
    alpha: str | None = Field(default=None, description="the id of a picture whose gray is the alpha; null: its own")
    key: str | None = Field(default=None, description="a background color to be taken away, #rrggbb; null: none")
    tolerance: Share | None = None
    softness: Share | None = None
    despill: bool | None = None
    soften: float | None = None
    inverted: bool | None = None
    times: float | None = None

    def change(self, document: Document) -> Change:
        picture = document.picture_value(self.picture)
        return pictures.cut_picture(document, picture, **given(self, "picture", of=picture.cutout))


class UsePainted(StackMessage):
    """Let a wash lay, on one map, what is painted on another layer: it follows when that is painted on."""

    type: Literal["use_painted"]
    wash: str
    map: MapName
    source: str
    source_map: PlaneName

    def change(self, document: Document) -> Change:
        wash, source = document.node(self.wash), document.node(self.source)
        return pictures.use_painted(document, wash, self.map, source, self.source_map)


class RemovePicture(StackMessage):
    """Forget a picture that no layer uses."""

    type: Literal["remove_picture"]
    picture: str

    def change(self, document: Document) -> Change:
        return pictures.remove_picture(document, document.picture_value(self.picture))


AnyPictureMessage = DescribePicture | CutPicture | UsePainted | RemovePicture
