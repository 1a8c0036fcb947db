"""Parts of values that messages set: what they leave out stays as it is, so that two quick edits both count."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from ..core.mapping.projections import Shape
from ..core.mapping.pyramid import Wrap
from ..document.values import FrameShape, Share

Three = tuple[float, float, float]
# Several numbers of which some are set: those that are null stay.
SomeOfTwo = tuple[float | None, float | None]
SomeOfThree = tuple[float | None, float | None, float | None]
SomeOfFour = tuple[float | None, float | None, float | None, float | None]


class Part(BaseModel):
    """Of a value."""

    model_config = ConfigDict(extra="forbid")


class PigmentPart(Part):
    """What is to be another about a pigment; what is left out stays, null: that map is left alone."""

    base_color: str | None = None
    roughness: Share | None = None
    metallic: Share | None = None
    height: Share | None = None
    opacity: Share | None = None


class BoxPart(Part):
    """What is to be another about the box that a wash is projected from; what is left out stays."""

    position: SomeOfThree = (0, 0, 0)
    size: SomeOfThree = (1, 1, 1)
    turn: SomeOfThree = (0, 0, 0)


class MappingPart(Part):
    """What is to be another about a wash's mapping; what is left out stays."""

    shape: Shape = "uv"
    repeat: SomeOfTwo = (1, 1)
    turn: float = 0.0
    offset: SomeOfTwo = (0, 0)
    wrap: Wrap = "repeat"
    sharpness: float = 4.0
    frame: BoxPart | None = None


class StartPart(Part):
    """What is to be another about a surface's start values; what is left out stays."""

    base_color: tuple[Share, Share, Share] = (0, 0, 0)
    roughness: Share = 0.5
    metallic: Share = 0.0
    height: Share = 0.5
    opacity: Share = 1.0


class FramePart(Part):
    """What is to be another about a frame; what is left out stays."""

    position: SomeOfThree | None = None
    normal: Three | None = None
    center: SomeOfTwo | None = None
    roll: float | None = None
    width: float | None = None
    height: float | None = None
    depth: float | None = None
    measured: bool | None = None
    shape: FrameShape | None = None
    radius: float | None = None
    axis: float | None = None
    follows: bool | None = None
    size: SomeOfThree | None = None
    turn: SomeOfThree | None = None


class ReliefPart(Part):
    """What is to be another about how a decal stands up; what is left out stays."""

    height: float = 0.0
    bevel: float = 0.0


class MixPart(Part):
    """What is to be another about how a node meets by height; what is left out stays."""

    softness: float = 0.1
    influence: float = 0.0
    border: float = 0.0
