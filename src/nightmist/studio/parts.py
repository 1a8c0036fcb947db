"""Parts of values that messages set: what they leave out stays as it is, so that two quick edits both count."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from ..core.mapping.projections import Shape
from ..core.mapping.pyramid import Wrap
from ..document.values import Frame, FrameShape, Share

Three = tuple[float, float, float]


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


class MappingPart(Part):
    """What is to be another about a wash's mapping; what is left out stays."""

    shape: Shape = "uv"
    repeat: tuple[float, float] = (1, 1)
    turn: float = 0.0
    offset: tuple[float, float] = (0, 0)
    wrap: Wrap = "repeat"
    sharpness: float = 4.0
    frame: Frame | None = None


class StartPart(Part):
    """What is to be another about a surface's start values; what is left out stays."""

    base_color: tuple[Share, Share, Share] = (0, 0, 0)
    roughness: Share = 0.5
    metallic: Share = 0.0
    height: Share = 0.5
    opacity: Share = 1.0


class FramePart(Part):
    """What is to be another about a frame; what is left out stays."""

    position: Three | None = None
    normal: Three | None = None
    center: tuple[float, float] | None = None
    roll: float | None = None
    width: float | None = None
    height: float | None = None
    depth: float | None = None
    measured: bool | None = None
    shape: FrameShape | None = None
    radius: float | None = None
    axis: float | None = None
    follows: bool | None = None
    size: Three | None = None
    turn: Three | None = None
