"""What a file says besides the shape: its materials, and how its nodes hang together."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field
from typing_extensions import TypeIs

#: Pictures that are not painted here, and are handed through as they came; opacity only in projects that were made
#: before it could be painted.
UntouchedSlot = Literal["normal", "occlusion", "emissive", "opacity"]
UNTOUCHED_SLOTS: tuple[UntouchedSlot, ...] = ("normal", "occlusion", "emissive")


def is_untouched(slot: str) -> TypeIs[UntouchedSlot]:
    """Whether a slot holds a picture that is not painted here."""
    return slot in UNTOUCHED_SLOTS


class Untouched(BaseModel):
    """What a material says of what is not painted here, in glTF's terms (glTF 2.0, 3.9).

    alpha: besides what is painted, in projects that were made before opacity could be.
    """

    model_config = ConfigDict(frozen=True)

    double_sided: bool = False
    alpha_mode: Literal["OPAQUE", "MASK", "BLEND"] = "OPAQUE"
    alpha_cutoff: float = Field(default=0.5, ge=0)
    alpha: float = Field(default=1.0, ge=0, le=1)
    emissive: tuple[float, float, float] = (0.0, 0.0, 0.0)
    normal_scale: float = 1.0
    occlusion_strength: float = Field(default=1.0, ge=0, le=1)


class Placement(NamedTuple):
    """Where a picture lies: its own place of a UV (u, v) is (a u + b v + c, d u + e v + f)."""

    uv_set: int = 0
    transform: tuple[float, float, float, float, float, float] = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)

    def of(self, uv: NDArray[Any]) -> NDArray[np.float32]:
        """(..., 2) places in the picture of UVs."""
        a, b, c, d, e, f = self.transform
        u, v = uv[..., 0], uv[..., 1]
        return np.stack([a * u + b * v + c, d * u + e * v + f], axis=-1).astype(np.float32)


@dataclass
class SurfaceLook:
    """What a file says about one material: a name, its factors, and its pictures (encoded bytes).

    pictures, missing, placed: by slot, a map's name, "metallic_roughness" or one of UNTOUCHED_SLOTS. A picture that
    is not `placed` lies in UV set 0 as it is.
    """

    name: str
    base_color: tuple[float, float, float] = (0.8, 0.8, 0.8)  # linear, as glTF's baseColorFactor
    roughness: float = 0.5
    metallic: float = 0.0
    opacity: float = 1.0  # the alpha of glTF's baseColorFactor, 1 for what is opaque
    pictures: dict[str, bytes] = field(default_factory=dict)
    missing: dict[str, str] = field(default_factory=dict)  # to the path of a file that was not given
    multiplied: bool = False  # the factors multiply the pictures, as glTF has it
    placed: dict[str, Placement] = field(default_factory=dict)
    untouched: Untouched = field(default_factory=Untouched)


class SceneNode(NamedTuple):
    """A node of a file's scene. parent, part: numbers, -1 for none. matrix: row by row, into the parent's space."""

    name: str
    parent: int
    matrix: tuple[float, ...]
    part: int = -1
