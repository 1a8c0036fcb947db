"""What the brush carries, and how it touches."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any, Literal

from pydantic import Field, field_validator, model_validator

from ...core.brush.falloff import Falloff
from ...core.compose import BlendMode
from .base import Share, Value

MapName = Literal["base_color", "roughness", "metallic", "height", "opacity"]
MAPS: tuple[MapName, ...] = ("base_color", "roughness", "metallic", "height", "opacity")
#: What a node holds pixels of: the maps, and its mask.
PlaneName = MapName | Literal["mask"]
MASK: Literal["mask"] = "mask"
PLANES: tuple[PlaneName, ...] = (*MAPS, MASK)
#: Channels of a node's raster, alpha included.
CHANNELS: dict[PlaneName, int] = {
    "base_color": 4, "roughness": 2, "metallic": 2, "height": 2, "opacity": 2, "mask": 2
}  # fmt: skip

Tool = Literal["brush", "erase", "smear", "soften", "sharpen", "clone"]
TOOLS: tuple[Tool, ...] = Tool.__args__  # type: ignore[attr-defined]

EMPTY_PIGMENT = "The pigment leaves every map alone. Give it a color or another value."


class Pigment(Value):
    """What the brush carries: a value for each map, or None to leave that map alone."""

    base_color: str | None = Field(default=None, description="#rrggbb or #rrrrggggbbbb, sRGB-encoded")
    roughness: Share | None = None
    metallic: Share | None = None
    height: Share | None = Field(default=None, description="0.5 is the untouched surface")
    opacity: Share | None = Field(default=None, description="0 is a hole, 1 is solid")

    @field_validator("base_color")
    @classmethod
    def _hex(cls, value: str | None) -> str | None:
        if value is not None and not re.fullmatch(r"#([0-9a-fA-F]{6}){1,2}", value):
            raise ValueError("a color is written as # and six digits, like #7d3d1f, or twelve")
        return value.lower() if value else value

    def values(self) -> dict[MapName, tuple[float, ...]]:
        """The maps this pigment touches, each with its channels as 0-1."""
        found: dict[MapName, tuple[float, ...]] = {}
        if self.base_color is not None:
            found["base_color"] = hex_channels(self.base_color)
        for name in MAPS[1:]:
            value = getattr(self, name)
            if value is not None:
                found[name] = (value,)
        return found


#: What is laid on planes, each channel 0-1.
Load = Mapping[PlaneName, tuple[float, ...]]


def load_of(pigment: Pigment | None, mask_value: float | None = None) -> Load:
    """What a pigment lays on maps, or a value on masks in its stead."""
    if mask_value is not None:
        return {MASK: (mask_value,)}
    return dict(pigment.values().items()) if pigment else {}


def hex_channels(color: str) -> tuple[float, float, float]:
    """#rrggbb or #rrrrggggbbbb as three numbers 0-1."""
    digits = len(color) // 3
    most = 16**digits - 1
    red, green, blue = (int(color[1 + k * digits : 1 + (k + 1) * digits], 16) / most for k in range(3))
    return red, green, blue


def color_in_hex(channels: Sequence[int]) -> str:
    """Three 16-bit channels as #rrggbb where 8 bits say the same, else as #rrrrggggbbbb."""
    exact = all(channel % 257 == 0 for channel in channels)
    return "#" + "".join(f"{channel // 257:02x}" if exact else f"{channel:04x}" for channel in channels)


class PressureCurve(Value):
    """What a pen's pressure p makes of a value: least + (1 - least) · p^gamma of it."""

    least: Share = Field(default=0.1, description="what pressure 0 leaves of the value")
    gamma: float = Field(default=1.0, ge=0.1, le=10, description="above 1 light touches count less")


class Tip(Value):
    """How the brush touches."""

    radius: float = Field(default=38, gt=0, le=100_000)
    unit: Literal["px", "world"] = Field(default="px", description="screen pixels or model units")
    strength: Share = 1.0
    hardness: Share = 0.5
    falloff: Falloff = Field(default="smooth", description="how weight falls from the hard middle to the rim")
    curve: tuple[tuple[Share, Share], ...] | None = Field(default=None, description="points of the falloff 'curve'")
    spacing: float = Field(default=0.12, ge=0.01, le=10, description="share of the diameter between dabs")
    blend: BlendMode = Field(default="normal", description="how paint meets what the layer held")
    pressure_radius: bool = False
    pressure_strength: bool = True
    pressure_hardness: bool = False
    pressure_radius_curve: PressureCurve = PressureCurve()
    pressure_strength_curve: PressureCurve = PressureCurve()
    pressure_hardness_curve: PressureCurve = PressureCurve()
    jitter_place: float = Field(default=0.0, ge=0, le=10, description="in radii")
    jitter_radius: Share = 0.0
    jitter_angle: Share = 0.0
    jitter_color: Share = 0.0
    angle: float = Field(default=0.0, description="degrees with the clock")
    angle_mode: Literal["fixed", "along", "random", "tilt"] = Field(
        default="fixed", description="what turns the tip: nothing, the stroke, chance, or the way a pen is tilted"
    )
    stabilizer: float = Field(default=0.0, ge=0, le=1000, description="pixels of string between pointer and brush")
    taper: float = Field(default=0.0, ge=0, le=10_000, description="pixels over which both ends grow thin")
    picture: str | None = Field(default=None, max_length=80, description="what the tip lets through, by name")
    tint: bool = Field(default=False, description="a colored picture takes the pigment's color")
    build_up: bool = Field(default=False, description="dabs of one stroke add up instead of stopping at strength")
    facing_limit: float = Field(
        default=120, gt=0, le=180,
        description="degrees from the dab's normal from which on faces are left alone: around edges, not around plates",
    )  # fmt: skip
    covered_too: bool = Field(default=False, description="also paint what another part hides from the eye")

    @model_validator(mode="before")
    @classmethod
    def _as_before(cls, given: Any) -> Any:
        """Tips that were kept, and scripts, may say it in the words of the first versions."""
        if not isinstance(given, dict):
            return given
        tip = {"stabilizer" if key == "steady" else key: value for key, value in given.items()}
        return {**tip, "angle_mode": "tilt"} if tip.get("angle_mode") == "lean" else tip
