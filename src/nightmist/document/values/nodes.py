"""The nodes of a surface's stack: layers of pixels, washes, groups; each with its mask."""

from __future__ import annotations

from itertools import pairwise
from typing import Any, Literal

from pydantic import Field, field_validator, model_validator

from ...core.compose import BlendMode
from ...core.mapping.projections import Shape
from ...core.mapping.pyramid import Wrap
from .base import Name, Share, Value
from .paint import MapName, Pigment

#: The widest blur, texels.
WIDEST_BLUR = 64.0


class NodeMap(Value):
    """How a node meets one map: not at all, or with an opacity and a blend mode of its own."""

    on: bool = True
    opacity: Share = 1.0
    blend: BlendMode | None = Field(default=None, description="null: the node's")


class MaskOf(Value):
    """A node's mask: the share that it has where nothing is painted on it, and whether it counts.

    picture: the id of one that lies by UV where nothing is painted, light where it shows; inverted: dark there.
    soften: how far it is blurred, the standard deviation in texels. low, high: shares up to low hide all, from high on
    they show all. These two change how the mask counts, not what is painted on it.
    """

    start: Share = 1.0
    on: bool = True
    picture: str | None = None
    inverted: bool = False
    soften: float = Field(default=0.0, ge=0, le=WIDEST_BLUR)
    low: Share = 0.0
    high: Share = 1.0

    @model_validator(mode="after")
    def _sound(self) -> MaskOf:
        if self.low >= self.high:
            raise ValueError("what hides is below what shows")
        return self

    @property
    def adjusted(self) -> bool:
        """Whether it counts otherwise than it is painted."""
        return self.picture is not None or self.soften > 0 or self.low > 0 or self.high < 1


class MixByHeight(Value):
    """How a masked node meets what lies below by relief: low places of that are covered first.

    softness: heights over which one gives way to the other. influence: of the node's own height. border: how far the
    border stands up.
    """

    softness: float = Field(default=0.1, gt=0, le=1)
    influence: float = Field(default=0.0, ge=-1, le=1)
    border: float = Field(default=0.0, ge=-1, le=1)


class NodeValue(Value):
    """What all nodes have.

    parent: the surface or the group in whose stack it lies. order: where, among its siblings, lowest first.
    """

    id: str
    parent: str
    order: float
    name: Name
    visible: bool = True
    locked: bool = Field(default=False, description="nothing changes its pixels")
    alpha_locked: bool = Field(default=False, description="paint stays where there is some already")
    opacity: Share = 1.0
    blend: BlendMode = "normal"
    maps: dict[MapName, NodeMap] = Field(
        default={}, validate_default=True, description="maps that it meets in a way of their own"
    )
    mask: MaskOf | None = None
    mix: MixByHeight | None = Field(default=None, description="with a mask: meets what lies below by height")

    @property
    def lifts(self) -> bool:
        """Whether its border stands up, whatever it lays."""
        return self.mix is not None and self.mix.border != 0


class Brushed(NodeValue):
    """A layer of pixels made by strokes, in any of the maps at once."""

    kind: Literal["brushed"] = "brushed"


class Group(NodeValue):
    """Nodes composited on their own, then laid on as one."""

    kind: Literal["group"] = "group"


class Frame(Value):
    """The box that a picture is projected from, in model space.

    size: of the box. turn: degrees about its own x, then y, then z, from the model's axes.
    """

    position: tuple[float, float, float] = (0, 0, 0)
    size: tuple[float, float, float] = (1, 1, 1)
    turn: tuple[float, float, float] = (0, 0, 0)

    @field_validator("size")
    @classmethod
    def _some(cls, size: tuple[float, float, float]) -> tuple[float, float, float]:
        if min(size) <= 0:
            raise ValueError("a frame's sides are longer than nothing")
        return size


class Mapping(Value):
    """How a picture is laid over a surface: in which shape, how often, how turned (degrees) and shifted (in pictures).

    frame: what it is projected from; None: a cube around the model. sharpness: how fast three ways give way to one.
    """

    shape: Shape = "uv"
    repeat: tuple[float, float] = (1, 1)
    turn: float = 0.0
    offset: tuple[float, float] = (0, 0)
    wrap: Wrap = "repeat"
    sharpness: float = Field(default=4.0, ge=1, le=64)
    frame: Frame | None = None

    def __init__(self, shape: Shape = "uv", **fields: Any) -> None:
        super().__init__(shape=shape, **fields)

    @field_validator("repeat")
    @classmethod
    def _often(cls, repeat: tuple[float, float]) -> tuple[float, float]:
        if any(not 1e-3 <= abs(each) <= 1e4 for each in repeat):
            raise ValueError("a picture repeats 0.001 to 10000 times")
        return repeat


class Wash(NodeValue):
    """A layer that covers everything: with values, or with pictures laid by a mapping, one a map, by their ids."""

    kind: Literal["wash"] = "wash"
    pigment: Pigment = Pigment()
    images: dict[MapName, str] = Field(default={})
    mapping: Mapping = Mapping()


Effect = Literal["levels", "curve", "tone", "gray", "invert", "blur", "sharpen", "distort"]
#: Effects that look at neighbors.
FILTERS: tuple[Effect, ...] = ("blur", "sharpen", "distort")


class Adjustment(NodeValue):
    """Changes what lies below it in its stack, and stays changeable.

    levels: black to white stretched to low to high, gamma above 1 lifts middle tones. curve: through points. tone: hue
    in degrees, saturation and lightness from -1 to 1. gray: what the color's gray, through levels, is as a value.
    blur: a Gaussian whose standard deviation is a radius in texels. sharpen: away from that, by a strength.
    distort: moved about by noise, at most by an amount, in waves of a grain, both shares of the model's longest side.
    """

    kind: Literal["adjustment"] = "adjustment"
    effect: Effect = "levels"
    black: Share = 0.0
    white: Share = 1.0
    gamma: float = Field(default=1.0, ge=0.01, le=100)
    low: Share = 0.0
    high: Share = 1.0
    points: tuple[tuple[Share, Share], ...] = Field(default=((0, 0), (1, 1)), min_length=2, max_length=32)
    hue: float = Field(default=0.0, ge=-360, le=360)
    saturation: float = Field(default=0.0, ge=-1, le=1)
    lightness: float = Field(default=0.0, ge=-1, le=1)
    radius: float = Field(default=4.0, ge=0.3, le=WIDEST_BLUR)
    strength: float = Field(default=1.0, ge=0, le=8)
    amount: float = Field(default=0.02, ge=0, le=0.25)
    grain: float = Field(default=0.1, ge=0.002, le=2)
    seed: int = Field(default=0, ge=0, le=9999)

    @field_validator("maps")
    @classmethod
    def _leaves_holes(cls, maps: dict[MapName, NodeMap]) -> dict[MapName, NodeMap]:
        # What was made before opacity could be painted does not say so, and nothing is to vanish for that.
        return {"opacity": NodeMap(on=False), **maps}

    @model_validator(mode="after")
    def _sound(self) -> Adjustment:
        if self.black >= self.white:
            raise ValueError("black is below white")
        if any(a[0] >= b[0] for a, b in pairwise(self.points)):
            raise ValueError("the points of a curve go from left to right")
        return self
