"""What browsers and the studio say to each other, but for samples and pixels (docs/paint-socket.md)."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from ..core.brush.mirror import Mirror
from ..core.mapping import Camera
from ..document.values import AnyValue, CloneSource, Decal, Fence, Pigment, Share, Stencil, Tip, Tool
from .prepare_messages import PrepareMessage
from .stack_messages import AnyStackMessage, Showable

PROTOCOL = 6


class Message(BaseModel):
    """Unknown fields are refused: a typo must not be a silent no."""

    model_config = ConfigDict(extra="forbid")


class BeginStroke(Message):
    """The press. `stroke` is the browser's own number for it; `layers` names the layer that takes it, by surface."""

    type: Literal["begin"]
    stroke: int
    tool: Tool
    tip: Tip
    pigment: Pigment | None
    camera: Camera | None
    in_map: str | None = Field(default=None, description="the surface in whose map it is drawn, instead of a camera")
    mirror: Mirror = Mirror()
    seed: int = Field(default=0, ge=0)
    source: CloneSource | None = None
    mask_value: Share | None = Field(default=None, description="it works on the layers' masks; a brush lays this on")
    fence: Fence | None = None
    stencil: Stencil | None = Field(
        default=None, description="what a brush paints, or the eraser takes away, through; pixels as the samples'"
    )
    layers: dict[str, str]


class EndStroke(Message):
    """The release: the stroke becomes one undo step."""

    type: Literal["end"]
    stroke: int


class CancelStroke(Message):
    """The stroke is to be as if it had never begun."""

    type: Literal["cancel"]
    stroke: int


class Undo(Message):
    """Take back the last step."""

    type: Literal["undo"]


class Redo(Message):
    """Bring back the step undone last."""

    type: Literal["redo"]


class ShowEdit(Message):
    """A slider moves: show an edit without making it, instead of what was shown before; null shows none any more."""

    type: Literal["show"]
    edit: Showable | None


class Fill(Message):
    """Cover runs of faces, or all of the layer's surface, with a pigment; or take away what its maps hold there.

    layers: which layer takes it on each surface that the faces may lie on, as with strokes.
    """

    type: Literal["fill"]
    layer: str
    pigment: Pigment
    faces: list[tuple[int, int]] | None = None
    layers: dict[str, str] = {}
    away: bool = False
    mirror: Mirror = Mirror()
    region: str | None = Field(default=None, description="instead of faces")
    mask_value: Share | None = Field(default=None, description="laid on the layers' masks, instead of the pigment")
    fence: str | None = Field(default=None, description="the region outside of which nothing changes")


class FillColor(Message):
    """Cover all texels of a layer's surface that show nearly the color at a place, or take away what lies there."""

    type: Literal["fill_color"]
    layer: str
    pigment: Pigment
    face: int
    uv: tuple[float, float]
    tolerance: Share = 0.03
    softness: Share = Field(default=0.0, description="how far beyond the tolerance it covers less and less")
    away: bool = False
    mask_value: Share | None = None
    fence: str | None = None


class ApplyStencil(Message):
    """Lay a stencil on whole, wherever the camera sees it, or in the map of a surface."""

    type: Literal["apply_stencil"]
    stencil: Stencil
    camera: Camera | None
    in_map: str | None = None
    pigment: Pigment | None
    mask_value: Share | None = None
    fence: str | None = None
    layers: dict[str, str]


class BumpFromColor(Message):
    """Give a layer height by how light its colors are."""

    type: Literal["bump_from_color"]
    layer: str


class DrawGradient(Message):
    """Cover surfaces with a mix of two pigments, by position between two points of the model.

    layers: which layer takes it on each surface; without any, `layer` alone.
    """

    type: Literal["gradient"]
    layer: str
    layers: dict[str, str] = {}
    start: tuple[float, float, float]
    end: tuple[float, float, float]
    pigments: tuple[Pigment, Pigment]
    mask_values: tuple[Share, Share] | None = Field(default=None, description="laid on masks, instead of pigments")
    mirror: Mirror = Mirror()
    fence: str | None = None


class TakeSample(Message):
    """What is stored at a place, of all layers or of one: answered with `sampled`."""

    type: Literal["sample"]
    surface: str
    uv: tuple[float, float]
    layer: str | None = None


class Acknowledge(Message):
    """A batch of pixels is on the screen; the next may come."""

    type: Literal["ack"]
    batch: int


class CancelWork(Message):
    """The long work that this browser asked for is not wanted any more."""

    type: Literal["cancel_work"]


ClientMessage = Annotated[
    BeginStroke | EndStroke | CancelStroke | Undo | Redo | ShowEdit | ApplyStencil | Fill | FillColor | BumpFromColor
    | DrawGradient | TakeSample | Acknowledge | CancelWork | PrepareMessage | AnyStackMessage,
    Field(discriminator="type"),
]  # fmt: skip
CLIENT_MESSAGE: TypeAdapter[ClientMessage] = TypeAdapter(ClientMessage)


class HistoryState(BaseModel):
    """What undo and redo would do."""

    undo: str | None
    redo: str | None
    place: int


class Welcome(BaseModel):
    """The first message on a connection; all pixels follow."""

    type: Literal["welcome"] = "welcome"
    protocol: int = PROTOCOL
    project: str
    values: list[AnyValue]
    history: HistoryState
    desk: dict[str, Any]


class DeskBeside(BaseModel):
    """Another browser's desk, as it is kept now: palette and pigments are the project's, and the same for all."""

    type: Literal["desk_beside"] = "desk_beside"
    desk: dict[str, Any]


class StateChanged(BaseModel):
    """Values or history changed, by whomever: values that are other than before, null for those that are gone."""

    type: Literal["state"] = "state"
    values: dict[str, AnyValue | None]
    touched: list[str] = Field(default=[], description="rasters whose pixels are others: a node's id, / and its map")
    history: HistoryState


class Made(BaseModel):
    """What this browser asked for is there: nodes or a region, by id."""

    type: Literal["made"] = "made"
    ids: list[str]


class DecalShown(BaseModel):
    """The decal that a browser is moving, as it is shown: where it lies follows from the surface below."""

    type: Literal["decal_shown"] = "decal_shown"
    decal: Decal


class KeptState(BaseModel):
    """How much is kept for good: `waiting` changes are not yet, and `trouble` says why if that lasts."""

    type: Literal["kept"] = "kept"
    revision: int
    waiting: int
    trouble: str | None = None


class StrokeEnded(BaseModel):
    """A stroke is over; its revision, or null when it left no mark."""

    type: Literal["stroke_ended"] = "stroke_ended"
    stroke: int
    revision: int | None


class WorkState(BaseModel):
    """How far long work has got: 0-1, or null when it is over."""

    type: Literal["work"] = "work"
    label: str
    share: float | None
    mine: bool = Field(default=False, description="this browser asked for it, and may cancel it")


class Notice(BaseModel):
    """Something to know about what was just done; `layer` is the one to choose instead."""

    type: Literal["notice"] = "notice"
    message: str
    layer: str | None = None


class Sampled(BaseModel):
    """The stored values that were asked for; a map that holds nothing there is null."""

    type: Literal["sampled"] = "sampled"
    pigment: Pigment


class Refused(BaseModel):
    """Something could not be done."""

    type: Literal["refused"] = "refused"
    message: str
    stroke: int | None = None


class People(BaseModel):
    """How many browsers have the project open."""

    type: Literal["people"] = "people"
    count: int


ServerMessage = (
    Welcome
    | DeskBeside
    | StateChanged
    | Made
    | DecalShown
    | KeptState
    | StrokeEnded
    | Refused
    | People
    | WorkState
    | Notice
    | Sampled
)
