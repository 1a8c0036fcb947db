"""A picture fixed to the screen, which paint goes through."""

from __future__ import annotations

from pydantic import Field, field_validator

from .base import Share, Value
from .paint import MapName


class FromGray(Value):
    """A map's value by a picture's gray: what black and what white become, or the other way round."""

    low: Share = 0.0
    high: Share = 1.0
    invert: bool = False


class Stencil(Value):
    """A picture of the project on the screen (in the map: on texels), by its id.

    center, size: in pixels. rotation: degrees with the clock. tint: the pigment instead of its own colors, as gray
    pictures take it anyway. through: paints covered and averted places, too. limit: degrees from the line of sight.
    maps: those that take a value by its gray, instead of the pigment's.
    """

    picture: str
    center: tuple[float, float]
    size: tuple[float, float]
    rotation: float = 0.0
    mirrored: bool = False
    tint: bool = False
    through: bool = False
    limit: float = Field(default=80.0, gt=0, le=90)
    maps: dict[MapName, FromGray] = Field(default={})

    @field_validator("size")
    @classmethod
    def _some(cls, size: tuple[float, float]) -> tuple[float, float]:
        if not all(1 <= side <= 100_000 for side in size):
            raise ValueError("a stencil is 1 to 100000 pixels wide and high")
        return size
