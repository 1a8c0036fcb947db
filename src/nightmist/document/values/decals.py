"""Pictures in frames on the surface that stay editable, and the layer that holds them."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field, field_validator

from .base import Share, Value
from .nodes import Adjustment, Brushed, Frame, Group, NodeValue, Wash
from .paint import Pigment

#: Lengths of frames, in model units or in maps.
Length = Annotated[float, Field(gt=0, le=1e9)]
#: The largest radius of a bend; what it has to the other side of one is the smallest.
FARTHEST = 1e9
#: Ways to lie on a surface, and around a body.
SurfaceShape = Literal["planar", "cylindrical", "wrap"]
BodyShape = Literal["spherical", "box", "triplanar"]
FrameShape = SurfaceShape | BodyShape
#: As many decals as one layer holds.
MOST_DECALS = 2000


class SurfaceFrame(Value):
    """A box around a place of the surface, in model units; it hangs upright.

    normal: towards the viewer. roll: degrees with the clock, as seen from there. depth: half of it lies below.
    measured: the depth follows from the wall below. shape: flat, bent about an axis, or about a point (wrap). radius:
    of that bend in model units, below 0 in a hollow. axis: degrees with the clock by which its axis leans from upright,
    whatever the roll. follows: radius and axis are those of the surface there. adapts: so is the shape, wherever it
    is moved.
    """

    kind: Literal["surface"] = "surface"
    position: tuple[float, float, float]
    normal: tuple[float, float, float] = (0, 0, 1)
    roll: float = Field(default=0.0, ge=-3600, le=3600)
    width: Length
    height: Length
    depth: Length
    measured: bool = True
    shape: SurfaceShape = "planar"
    radius: float = Field(default=1.0, ge=-FARTHEST, le=FARTHEST)
    axis: float = Field(default=0.0, ge=-3600, le=3600)
    follows: bool = True
    adapts: bool = False

    @field_validator("radius")
    @classmethod
    def _curved(cls, radius: float) -> float:
        if abs(radius) < 1 / FARTHEST:
            raise ValueError("a radius is above 0 or, in a hollow, below it")
        return radius

    @field_validator("normal")
    @classmethod
    def _unit(cls, normal: tuple[float, float, float]) -> tuple[float, float, float]:
        length = math.hypot(*normal)
        if length < 1e-12:
            raise ValueError("a normal points somewhere")
        return normal[0] / length, normal[1] / length, normal[2] / length


class MapFrame(Value):
    """A frame in a surface's map: its middle in UV, v down; its sides as shares of the map's longer side."""

    kind: Literal["map"] = "map"
    center: tuple[float, float]
    roll: float = Field(default=0.0, ge=-3600, le=3600)
    width: Length
    height: Length


class BodyFrame(Frame):
    """A box around a body: all that is inside takes the picture, on each of its sides, three ways, or as a globe.

    lain: how the picture lay on the surface before it went around the body.
    """

    kind: Literal["body"] = "body"
    shape: BodyShape = "box"
    lain: SurfaceFrame | None = None


#: How decals lie.
AnyFrame = SurfaceFrame | MapFrame | BodyFrame


class DecalRelief(Value):
    """How a decal stands up: its height in model units, negative: sunk; how softly its edge rises, model units too.

    bevel: the standard deviation of the Gaussian that softens it.
    """

    height: float = Field(ge=-1e6, le=1e6)
    bevel: float = Field(default=0.0, ge=0, le=1e6)


class Decal(Value):
    """A picture of the project in a frame.

    limit: degrees from the frame's front beyond which faces take nothing; around a body all take it. soft: the share of
    its shorter side's half over which it fades. repeat: how often the picture lies across and down. inverted: it shows
    where its alpha does not. colored: it lays colors at all. pigment: a color in place of the picture's own, and
    values. region: an id; only there. Decals of one id on several surfaces are one that lies over their border.
    """

    id: str
    picture: str
    frame: AnyFrame = Field(discriminator="kind")
    visible: bool = True
    opacity: Share = 1.0
    mirrored: bool = False
    inverted: bool = False
    colored: bool = True
    repeat: tuple[float, float] = (1, 1)
    limit: float = Field(default=80.0, ge=1, le=180)
    soft: Share = 0.0
    pigment: Pigment = Pigment()
    relief: DecalRelief | None = None
    region: str | None = None

    @property
    def raises(self) -> bool:
        """Whether it lays heights."""
        return self.relief is not None and self.relief.height != 0

    @field_validator("repeat")
    @classmethod
    def _often(cls, repeat: tuple[float, float]) -> tuple[float, float]:
        if not all(0.01 <= each <= 1000 for each in repeat):
            raise ValueError("a picture repeats 0.01 to 1000 times in its frame")
        return repeat

    @field_validator("pigment")
    @classmethod
    def _flat(cls, pigment: Pigment) -> Pigment:
        if pigment.height is not None:
            raise ValueError("a decal stands up by its relief, in model units, not by a pigment's height")
        if pigment.opacity is not None:
            raise ValueError("a decal cuts no holes; paint opacity on a layer")
        return pigment


class Decals(NodeValue):
    """A layer of pictures in frames, the lowest first."""

    kind: Literal["decals"] = "decals"
    placed: tuple[Decal, ...] = Field(default=(), max_length=MOST_DECALS)

    def decal(self, key: str) -> Decal | None:
        """One of them by its id."""
        return next((decal for decal in self.placed if decal.id == key), None)


#: Kinds of nodes in a stack.
Node = Brushed | Group | Wash | Decals | Adjustment
NODES = (Brushed, Group, Wash, Decals, Adjustment)


def pictures_in(node: Node) -> set[str]:
    """The ids of the pictures that a node uses."""
    used = set(node.images.values()) if isinstance(node, Wash) else set()
    used |= {decal.picture for decal in node.placed} if isinstance(node, Decals) else set()
    return used | {node.mask.picture} if node.mask and node.mask.picture else used
