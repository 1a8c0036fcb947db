"""Regions: named sets of faces and free shapes in maps; and the fence that keeps paint inside one."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from ...core.mesh.select import Extent
from .base import Name, Value

#: Corners of a free shape at most.
MOST_CORNERS = 10_000
#: Colors that regions are shown in, one after the other.
REGION_COLORS = ("#c98a2b", "#3d6f8e", "#8a4f7d", "#55734a", "#b8402c", "#4a6d7c", "#8d6a3a", "#6b5aa0")
#: 8-bit steps a channel within which a flat color is the same.
ID_TOLERANCE = 8.0


class Area(BaseModel):
    """A free shape in the map of a surface, by its id: UV 0-1, v down. taken: it is cut out instead of added."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    surface: str
    polygon: tuple[tuple[float, float], ...] = Field(min_length=3, max_length=MOST_CORNERS)
    taken: bool = False


class Region(Value):
    """Faces, by the digest of their rising numbers, and shapes in maps."""

    kind: Literal["region"] = "region"
    id: str
    name: Name
    color: str = REGION_COLORS[0]
    faces: str
    areas: tuple[Area, ...] = ()

    @field_validator("color")
    @classmethod
    def _hex(cls, value: str) -> str:
        if len(value) != 7 or not value.startswith("#"):
            raise ValueError("a color is written as # and six digits")
        int(value[1:], 16)
        return value.lower()


class Fence(BaseModel):
    """What keeps a stroke inside: a region by id, and what belongs together with the face that it touches first."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    region: str | None = None
    touch: Extent | None = None

    def __bool__(self) -> bool:
        return bool(self.region or self.touch)
