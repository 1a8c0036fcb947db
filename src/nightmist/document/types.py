"""Every document type, defined once. OpenAPI and the browser's types are generated from these."""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal, NamedTuple

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from ..core.brush.falloff import Falloff
from ..core.compose import BlendMode
from ..core.errors import NightmistError
from ..core.texels import TILE

MapName = Literal["base_color", "roughness", "metallic", "height"]
MAPS: tuple[MapName, ...] = ("base_color", "roughness", "metallic", "height")
#: Channels of a layer's raster, alpha included.
CHANNELS: dict[MapName, int] = {"base_color": 4, "roughness": 2, "metallic": 2, "height": 2}

Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Tool = Literal["brush", "erase", "smear", "soften", "sharpen", "clone"]
TOOLS: tuple[Tool, ...] = Tool.__args__  # type: ignore[attr-defined]

MIN_SIDE, MAX_SIDE = TILE, 8192
EMPTY_PIGMENT = "The pigment leaves every map alone. Give it a color or another value."


class Value(BaseModel):
    """A frozen document value; wrong arguments become a sentence for the painter."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    def __init__(self, **data: Any) -> None:
        try:
            super().__init__(**data)
        except ValidationError as error:
            raise NightmistError(describe(type(self).__name__, error)) from error


def describe(what: str, error: ValidationError) -> str:
    """The first thing wrong with given values, in words."""
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"])
    return f"{what}: {where} = {first['input']!r} does not work: {first['msg'].removeprefix('Value error, ')}."


class Pigment(Value):
    """What the brush carries: a value for each map, or None to leave that map alone."""

    base_color: str | None = Field(default=None, description="#rrggbb, sRGB-encoded")
    roughness: Share | None = None
    metallic: Share | None = None
    height: Share | None = Field(default=None, description="0.5 is the untouched surface")

    @field_validator("base_color")
    @classmethod
    def _hex(cls, value: str | None) -> str | None:
        if value is not None and not re.fullmatch(r"#[0-9a-fA-F]{6}", value):
            raise ValueError("a color is written as # and six digits, like #7d3d1f")
        return value.lower() if value else value

    def values(self) -> dict[MapName, tuple[float, ...]]:
        """The maps this pigment touches, each with its channels as 0-1."""
        found: dict[MapName, tuple[float, ...]] = {}
        if self.base_color is not None:
            found["base_color"] = hex_channels(self.base_color)
        for name, value in (
            ("roughness", self.roughness),
            ("metallic", self.metallic),
            ("height", self.height),
        ):
            if value is not None:
                found[name] = (value,)  # type: ignore[index]
        return found


def hex_channels(color: str) -> tuple[float, float, float]:
    """#rrggbb as three numbers 0-1."""
    return int(color[1:3], 16) / 255, int(color[3:5], 16) / 255, int(color[5:7], 16) / 255


class PressureCurve(Value):
    """What a pen's pressure p makes of a value: least + (1 - least) · p^gamma of it (N53)."""

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
    angle_mode: Literal["fixed", "along", "random", "lean"] = Field(
        default="fixed", description="what turns the tip: nothing, the stroke, chance, or the way a pen leans"
    )
    steady: float = Field(default=0.0, ge=0, le=1000, description="pixels of string between pointer and brush")
    taper: float = Field(default=0.0, ge=0, le=10_000, description="pixels over which both ends grow thin")
    picture: str | None = Field(default=None, max_length=80, description="what the tip lets through, by name")
    build_up: bool = Field(default=False, description="dabs of one stroke add up instead of stopping at strength")
    facing_limit: float = Field(default=90, gt=0, le=180, description="degrees from the dab's normal")


class Hit(NamedTuple):
    """What lies under a place of the screen, in model space; uv as the surface's maps use it."""

    surface: str
    face: int
    position: tuple[float, float, float]
    normal: tuple[float, float, float]
    uv: tuple[float, float]


class LayerState(BaseModel):
    """A layer of a surface's stack, without its pixels."""

    id: str
    name: str = Field(min_length=1, max_length=80)
    kind: Literal["brushed"] = "brushed"
    visible: bool = True
    opacity: Share = 1.0
    blend: BlendMode = "normal"


class StartValues(BaseModel):
    """What a surface shows where nothing is painted; color is sRGB-encoded, 0-1."""

    base_color: tuple[Share, Share, Share]
    roughness: Share
    metallic: Share
    height: Share = 0.5


class MissingPicture(BaseModel):
    """A picture that the model's file names and that was not given with it."""

    slot: Literal["base_color", "metallic_roughness"]
    file: str


class SurfaceState(BaseModel):
    """A surface: what one material of the model covers."""

    name: str
    width: int
    height: int
    own_size: bool = Field(default=False, description="an exception: does not follow the project's map size")
    start: StartValues
    depth: float = Field(default=0.02, description="model units that height 0-1 spans")
    uv_set: int = Field(default=0, ge=0, description="which UV set its maps are made for")
    missing: list[MissingPicture] = []
    layers: list[LayerState] = []  # bottom first


class MeshState(BaseModel):
    """The model: digests of its arrays by name (uv0, uv1 … are the UV sets), and its parts."""

    arrays: dict[str, str]
    parts: list[str]


class DocumentState(BaseModel):
    """Everything about a document but its pixels and the arrays of its mesh."""

    name: str
    size: tuple[int, int] = Field(default=(2048, 2048), description="map size of surfaces that are no exception")
    mesh: MeshState | None = Field(default=None, description="none in a project file, which holds a GLB")
    hidden_parts: list[int] = []
    tips: dict[str, str] = Field(default={}, description="digests of the painter's own tip pictures, by name")
    surfaces: list[SurfaceState]
    notes: list[str] = []


def encode(linear: float) -> float:
    """sRGB encoding of 0-1 (F17)."""
    return 12.92 * linear if linear <= 0.0031308 else 1.055 * linear ** (1 / 2.4) - 0.055


def decode(encoded: float) -> float:
    """The opposite of `encode`."""
    return encoded / 12.92 if encoded <= 0.04045 else ((encoded + 0.055) / 1.055) ** 2.4


def checked_size(size: int | tuple[int, int]) -> tuple[int, int]:
    """(width, height) from a number or a pair. Raises NightmistError unless both are usable map sides."""
    width, height = (size, size) if isinstance(size, int) else (int(size[0]), int(size[1]))
    for side in (width, height):
        if side & (side - 1) or not MIN_SIDE <= side <= MAX_SIDE:
            raise NightmistError(
                f"A map cannot be {width} × {height}: each side is a power of two from {MIN_SIDE} to {MAX_SIDE}."
            )
    return width, height
