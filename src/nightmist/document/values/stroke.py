"""How a stroke was made: the same record gives the same texels."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from ...core.brush.mirror import Mirror
from ...core.mapping import Camera
from .paint import Pigment, Tip, Tool
from .regions import Fence
from .stencil import Stencil

Vector = tuple[float, float, float]


class CloneSource(BaseModel):
    """Where paint is taken from, and the place of the stroke that this source belongs to.

    On the model points are in model space with the surface's normals there; in the map they are (x, y, 0) texels.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    point: Vector
    normal: Vector
    anchor: Vector
    anchor_normal: Vector


class StrokeRecord(BaseModel):
    """What a stroke was made from; `in_map` and the keys of `layers` name surfaces."""

    tool: Tool
    tip: Tip
    pigment: Pigment | None
    camera: Camera | None
    in_map: str | None = None
    mirror: Mirror | None = None
    seed: int = 0
    source: CloneSource | None = None
    mask_value: float | None = None
    fence: Fence | None = None
    stencil: Stencil | None = None
    layers: dict[str, str]
    samples: list[tuple[float, ...]]
