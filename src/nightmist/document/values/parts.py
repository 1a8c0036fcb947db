"""What a document is made of, each a value with an id: the project, the model, surfaces, tips."""

from __future__ import annotations

from math import isfinite
from typing import Annotated, Literal, NamedTuple, get_args

from pydantic import BaseModel, ConfigDict, Field, field_validator

from ...core.errors import NightmistError
from ...core.mesh.checkup import FindingKind
from ...core.mesh.look import Placement, Untouched, UntouchedSlot
from ...core.texels import TILE
from .base import Name, Share, Value
from .decals import Decals
from .nodes import Adjustment, Brushed, Group, Wash
from .paint import PlaneName
from .regions import Region

MIN_SIDE, MAX_SIDE = TILE, 8192
#: Ids of the two values that every document has once.
PROJECT, MODEL = "project", "model"


class Project(Value):
    """What concerns all of a document."""

    kind: Literal["project"] = "project"
    id: Literal["project"] = "project"
    name: Name
    size: tuple[int, int] = Field(default=(2048, 2048), description="map size of surfaces that are no exception")
    hidden_parts: tuple[int, ...] = ()
    notes: tuple[str, ...] = ()


class Model(Value):
    """The model: digests of its arrays by name (uv0, uv1 … are the UV sets), and its parts."""

    kind: Literal["model"] = "model"
    id: Literal["model"] = "model"
    arrays: dict[str, str]
    parts: tuple[Name, ...]


class StartValues(Value):
    """What a surface shows where nothing is painted; color is sRGB-encoded, 0-1."""

    base_color: tuple[Share, Share, Share]
    roughness: Share
    metallic: Share
    height: Share = 0.5
    opacity: Share = 1.0


#: Model units that height 0-1 spans where no model says how large it is.
DEFAULT_DEPTH = 0.02
#: Texels that a gutter may be wide.
LEAST_GUTTER, MOST_GUTTER = 4, 120


MapSlot = Literal["base_color", "metallic_roughness", "roughness", "metallic", "height", "opacity"]
MAP_SLOTS: tuple[MapSlot, ...] = get_args(MapSlot)


class MissingPicture(Value):
    """A picture that the model's file names and that was not given with it."""

    slot: MapSlot | UntouchedSlot
    file: str
    path: str = Field(
        default="", description="as the model's file has it, with a slash between folders; the file's name at its end"
    )
    multiplied: bool = Field(default=False, description="the start values multiply it, as the file has it")
    placed: Placement = Placement()


class KeptPicture(BaseModel):
    """A picture of the model's file that is handed through: digests of its bytes, and of the UVs that it lies by."""

    model_config = ConfigDict(frozen=True)

    slot: UntouchedSlot
    file: str
    uv: str


class Meant(BaseModel):
    """What the checkup finds and the painter wants so: kinds of findings, and islands that share texels on purpose.

    shared: groups of islands, each by one of its faces.
    """

    model_config = ConfigDict(frozen=True)

    kinds: tuple[FindingKind, ...] = ()
    shared: tuple[tuple[int, ...], ...] = ()


class Surface(Value):
    """What one material of the model covers. `number` is what the model's faces call it."""

    kind: Literal["surface"] = "surface"
    id: str
    name: Name
    number: int
    width: int
    height: int
    own_size: bool = Field(default=False, description="an exception: does not follow the project's map size")
    start: StartValues
    depth: float = Field(default=DEFAULT_DEPTH, description="model units that height 0-1 spans")
    uv_set: int = Field(default=0, ge=0, description="which UV set its maps are made for")
    crease: float | None = Field(
        default=None, ge=0, le=180,
        description="degrees between faces from which on an edge is sharp: 0 all, 180 none; null as the file has it",
    )  # fmt: skip
    gutter: int | None = Field(
        default=None, ge=LEAST_GUTTER, le=MOST_GUTTER,
        description="texels around islands that repeat the nearest one inside; null as the maps' size asks for",
    )  # fmt: skip
    missing: tuple[MissingPicture, ...] = ()
    meant: Meant = Meant()
    untouched: Untouched = Untouched()
    kept: tuple[KeptPicture, ...] = ()

    @property
    def size(self) -> tuple[int, int]:
        """(width, height) of its maps in texels."""
        return self.width, self.height

    @property
    def under(self) -> tuple[float, float, float, float, float, float, float]:
        """What lies under its stack: sRGB-encoded color, height, roughness, metallic, opacity."""
        start = self.start
        return *start.base_color, start.height, start.roughness, start.metallic, start.opacity

    def texel_at(self, uv: tuple[float, float]) -> tuple[int, int]:
        """Row and column of the texel at a place of the map; the map repeats.

        Raises NightmistError where a face has no UVs, and so no place.
        """
        if not (isfinite(uv[0]) and isfinite(uv[1])):
            raise NightmistError(f"{self.name} has no UVs there. Unwrap it in Prepare.")
        return int(uv[1] * self.height // 1) % self.height, int(uv[0] * self.width // 1) % self.width


class TipPicture(Value):
    """A tip's picture of the painter's own: the digest of a float32 array, (h, w) or, colored, (h, w, 4).

    Its id is "tip:" and its name.
    """

    kind: Literal["tip"] = "tip"
    id: str
    name: Name
    picture: str
    colored: bool = False


#: What a picture is for: colors, values of one map, heights, normals, tips, flat colors that mark areas.
Role = Literal["color", "value", "height", "normal", "tip", "id"]


class Cutout(Value):
    """What is cut out of a picture's file before it is used; the file stays as it is.

    crop: left, top, right, bottom as shares. alpha: the file of another picture whose gray is the alpha. key: a
    background color that is taken away, with what lies as near as the tolerance, fading over the softness; despill:
    out of half-transparent pixels, too. soften: a blur of the alpha, in pixels. inverted: opaque where it was not.
    times: what colors and values are multiplied by.
    """

    crop: tuple[Share, Share, Share, Share] = (0, 0, 1, 1)
    alpha: str | None = None
    key: str | None = Field(default=None, pattern="^#[0-9a-fA-F]{6}$")
    tolerance: Share = 0.08
    softness: Share = 0.1
    despill: bool = True
    soften: float = Field(default=0.0, ge=0, le=200)
    inverted: bool = False
    times: float = Field(default=1.0, ge=0, le=16)

    @field_validator("crop")
    @classmethod
    def _some(cls, crop: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
        if crop[0] >= crop[2] or crop[1] >= crop[3]:
            raise ValueError("what is cut out has a width and a height")
        return crop


class PaintedMap(Value):
    """What a node holds of one map, or its mask."""

    node: str
    map: PlaneName


class Picture(Value):
    """A picture of the project: the digest of its file's bytes, its size in pixels as cut out, what it is for.

    of: it is no file but what is painted there, and follows that: `file` is the digest of the raster's table of tiles.
    """

    kind: Literal["picture"] = "picture"
    id: str
    name: Name
    file: str
    width: int
    height: int
    role: Role = "color"
    note: str = Field(default="", max_length=500, description="where it comes from, and its license")
    cutout: Cutout = Cutout()
    of: PaintedMap | None = None

    @property
    def looks(self) -> tuple[str, Cutout]:
        """All that its pixels follow from."""
        return self.file, self.cutout


#: What a version brings back; pictures, tips and versions stay what they are.
VersionedValue = Annotated[
    Project | Model | Surface | Brushed | Group | Wash | Decals | Adjustment | Region, Field(discriminator="kind")
]


class Version(Value):
    """The whole document as it was, kept under a name: its values, its rasters by the digest of their tables.

    picture: digest of a small PNG of it. made: when, in seconds since 1970.
    """

    kind: Literal["version"] = "version"
    id: str
    name: Name
    made: float
    picture: str
    values: tuple[VersionedValue, ...]
    rasters: dict[str, str]


AnyValue = Annotated[
    Project | Model | Surface | Brushed | Group | Wash | Decals | Adjustment | Picture | Region | TipPicture | Version,
    Field(discriminator="kind"),
]


class DocumentValues(BaseModel):
    """All values of a document, as they are stored and sent."""

    values: list[AnyValue]


class Hit(NamedTuple):
    """What lies under a place of the screen, in model space; uv as the surface's maps use it."""

    surface: str
    face: int
    position: tuple[float, float, float]
    normal: tuple[float, float, float]
    uv: tuple[float, float]


def checked_size(size: int | tuple[int, int]) -> tuple[int, int]:
    """(width, height) from a number or a pair. Raises NightmistError unless both are usable map sides."""
    width, height = (size, size) if isinstance(size, int) else (int(size[0]), int(size[1]))
    for side in (width, height):
        if side % TILE or not MIN_SIDE <= side <= MAX_SIDE:
            raise NightmistError(
                f"A map cannot be {width} × {height}: each side is a multiple of {TILE} from {MIN_SIDE} to {MAX_SIDE}."
            )
    return width, height
