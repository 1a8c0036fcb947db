"""REST for tips: their pictures, the painter's own, and a scratch area to try a stroke on."""

from __future__ import annotations

from functools import cache
from typing import Annotated

import numpy as np
from fastapi import APIRouter, File, Response, UploadFile
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from ..core.brush.tips import TIPS, made_tip
from ..core.formats.image_files import write_png
from ..core.mapping import Camera
from ..core.mesh.bodies import practice_body
from ..document import Document
from ..document.values import Name, Pigment, Tip, Tool
from .projects import InStudio, Problem, read_files

router = APIRouter(prefix="/api")
#: The scratch area in texels, and how far its camera stands so that a pixel is a texel.
SCRATCH = 512


class TipChoice(BaseModel):
    """A picture that a tip lets paint through."""

    name: str
    title: str
    own: bool


class Trial(BaseModel):
    """A stroke to be tried: samples x, y, pressure in pixels of the scratch area."""

    tip: Tip
    pigment: Pigment
    samples: list[tuple[float, float, float]] = Field(max_length=4000)
    width: int = Field(ge=16, le=SCRATCH)
    height: int = Field(ge=16, le=SCRATCH)
    seed: int = 0
    project: str | None = Field(default=None, description="whose own tip pictures are meant")


@router.get("/projects/{project}/tips")
def tips(studio: InStudio, project: str) -> list[TipChoice]:
    """Pictures that ship with us, and those of the project."""
    own = studio.with_document(project, lambda document: [tip.name for tip in document.tip_values()])
    made = [TipChoice(name=name, title=title, own=False) for name, title in TIPS.items()]
    return made + [TipChoice(name=name, title=name, own=True) for name in own]


@router.get("/projects/{project}/tips/{name}.png")
def tip_picture(studio: InStudio, project: str, name: str) -> Response:
    """A tip's picture, dark where paint passes."""
    if name in TIPS:
        picture = made_tip(name)
    else:
        picture = studio.with_document(project, lambda document: document.tip_picture(name))
    return Response(_dark(picture), media_type="image/png")


@router.post("/projects/{project}/tips", responses={422: {"model": Problem}})
def add_tip(studio: InStudio, project: str, files: Annotated[list[UploadFile], File()]) -> TipChoice:
    """Keep a picture as a tip of the project."""
    name, data = next(iter(read_files(files).items()))
    title = studio.work_on(project, lambda document: document.add_tip(name, data))
    return TipChoice(name=title, title=title, own=True)


class Preset(BaseModel):
    """A tip with all its settings under a name, with the tool and the pigment if they belong to it; for all projects.

    picture: the tip's picture where it is the painter's own, as a PNG in base64: other projects do not have it.
    """

    name: Name
    tip: Tip
    tool: Tool | None = None
    pigment: Pigment | None = None
    picture: str | None = Field(default=None, max_length=4_000_000)


@router.get("/presets")
def presets(studio: InStudio) -> list[Preset]:
    """The presets of all projects."""
    return [Preset.model_validate(kept) for kept in studio.store.shelf("presets")]


@router.put("/presets", status_code=204)
def keep_presets(studio: InStudio, presets: list[Preset]) -> None:
    """Replace the presets."""
    studio.store.set_shelf("presets", [preset.model_dump(mode="json") for preset in presets[:200]])


@router.post("/scratch", responses={422: {"model": Problem}})
def scratch(studio: InStudio, trial: Trial) -> Response:
    """The stroke on a bare sheet, drawn by the same engine, without a trace anywhere else."""
    document = _sheet()
    layer = document.surfaces["plane"].layers.add("brushed")
    picture = trial.tip.picture
    if picture and picture not in TIPS:
        picture = (
            document.add_tip(picture, bytes(tip_picture(studio, trial.project, picture).body))
            if trial.project
            else None
        )
    tip = trial.tip.model_copy(update={"unit": "px", "picture": picture})
    document.stroke(layer, trial.samples, _camera(), tip, trial.pigment, seed=trial.seed, in_map=True)
    image = document.surfaces["plane"].read("base_color")[: trial.height, : trial.width, :3]
    return Response(write_png((image >> 8).astype(np.uint8)), media_type="image/png")


def _dark(picture: NDArray[np.float32]) -> bytes:
    """A tip's picture as PNG, dark where paint passes."""
    return write_png(np.rint((1 - picture) * 255).astype(np.uint8))


@cache
def _camera() -> Camera:
    return Camera.look_at((0, 0, 2), (0, 0, 0))


def _sheet() -> Document:
    return Document.from_mesh(practice_body("plane"), "Scratch", (SCRATCH, SCRATCH))
