"""REST for tips: their pictures, the painter's own, and a scratch area to try a stroke on."""

from __future__ import annotations

from base64 import b64decode, b64encode
from functools import cache
from typing import Annotated

import numpy as np
from fastapi import APIRouter, File, Form, Response, UploadFile
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from ..core.brush.tips import TIPS, made_tip, read_tip, write_tip
from ..core.errors import NightmistError
from ..core.formats.beside import name_of
from ..core.formats.image_files import write_png
from ..core.mapping import Camera
from ..core.mesh.bodies import practice_body
from ..core.names import unused_name
from ..document import Document
from ..document.values import Name, Pigment, Tip, TipPicture, Tool
from ..studio import Studio
from .projects import InStudio, Problem, read_files

router = APIRouter(prefix="/api")
#: How many tips the library holds, and how many presets are kept.
LIBRARY, PRESETS = 100, 200
#: The scratch area in texels, and how far its camera stands so that a pixel is a texel.
SCRATCH = 512


class TipChoice(BaseModel):
    """A picture that a tip lets paint through."""

    name: str
    title: str
    own: bool
    colored: bool = False
    here: bool = Field(default=True, description="of this project; else of the library, from where it can be taken")


class LibraryTip(BaseModel):
    """A painter's own tip for all projects: as a PNG in base64, and its digest, by which a project knows it."""

    name: Name
    picture: str = Field(max_length=20_000_000)
    digest: str
    colored: bool = False


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
    """Pictures that ship with us, those of the project, and those of the library that are not in it."""
    own = studio.with_document(project, lambda document: document.tip_values())
    made = [TipChoice(name=name, title=title, own=False) for name, title in TIPS.items()]
    mine = [_choice(tip) for tip in own]
    digests = {tip.picture for tip in own}
    others = [tip for tip in _library(studio) if tip.digest not in digests]
    return made + mine + [_choice(tip, here=False) for tip in others]


@router.get("/projects/{project}/tips/{name}.png")
def tip_picture(studio: InStudio, project: str, name: str) -> Response:
    """A tip's picture: dark where paint passes, or in its colors."""
    if name in TIPS:
        return _seen(made_tip(name))
    return _seen(_of(studio, project, name))


@router.post("/projects/{project}/tips", responses={422: {"model": Problem}})
def add_tip(
    studio: InStudio, project: str, files: Annotated[list[UploadFile], File()], light: Annotated[bool, Form()] = False
) -> TipChoice:
    """Keep a picture as a tip of the project, and in the library for all projects. light: see `Document.add_tip`."""
    path, data = next(iter(read_files(files).items()))
    _need_room(studio)
    tip, picture = studio.work_on(
        project, lambda document: _tip(document, document.add_tip(name_of(path), data, light))
    )
    kept = b64encode(write_tip(picture)).decode()
    _shelve(studio, LibraryTip(name=tip.name, picture=kept, digest=tip.picture, colored=tip.colored))
    return _choice(tip)


@router.post("/projects/{project}/tips/{name}/take", responses={422: {"model": Problem}})
def take_tip(studio: InStudio, project: str, name: str) -> TipChoice:
    """Bring a tip of the library into the project."""
    picture = _picture(_in(studio, name))
    tip, _ = studio.work_on(project, lambda document: _tip(document, document.keep_tip(name, picture)))
    return _choice(tip)


@router.get("/tips/{name}.png")
def library_picture(studio: InStudio, name: str) -> Response:
    """The picture of a tip in the library."""
    return _seen(_picture(_in(studio, name)))


@router.delete("/tips/{name}", responses={422: {"model": Problem}})
def forget_tip(studio: InStudio, name: str) -> LibraryTip:
    """Take a tip out of the library; projects that have it keep it."""
    with studio.store.shelves:
        gone = _in(studio, name)
        _keep_library(studio, [tip for tip in _library(studio) if tip.name != name])
    return gone


@router.post("/tips", status_code=204, responses={422: {"model": Problem}})
def restore_tip(studio: InStudio, tip: LibraryTip) -> None:
    """Put a tip back into the library."""
    _picture(tip)
    _need_room(studio)
    _shelve(studio, tip)


def _need_room(studio: Studio) -> None:
    if len(_library(studio)) >= LIBRARY:
        raise NightmistError(f"The library keeps {LIBRARY} tips at most. Take one out first.")


def _shelve(studio: Studio, tip: LibraryTip) -> None:
    with studio.store.shelves:
        others = [other for other in _library(studio) if other.digest != tip.digest]
        title = unused_name(tip.name, {other.name for other in others})
        _keep_library(studio, [*others, tip.model_copy(update={"name": title})])


def _of(studio: Studio, project: str, name: str) -> NDArray[np.float32]:
    return studio.with_document(project, lambda document: document.tip_picture(name))


def _tip(document: Document, name: str) -> tuple[TipPicture, NDArray[np.float32]]:
    return next(tip for tip in document.tip_values() if tip.name == name), document.tip_picture(name)


def _choice(tip: TipPicture | LibraryTip, here: bool = True) -> TipChoice:
    return TipChoice(name=tip.name, title=tip.name, own=True, colored=tip.colored, here=here)


def _in(studio: Studio, name: str) -> LibraryTip:
    kept = next((tip for tip in _library(studio) if tip.name == name), None)
    if not kept:
        raise NightmistError(f"The library has no tip {name!r} any more.")
    return kept


def _picture(tip: LibraryTip) -> NDArray[np.float32]:
    try:
        return read_tip(tip.name, b64decode(tip.picture), tip.colored)
    except ValueError:
        raise NightmistError(f"The picture of the tip {tip.name} cannot be read.") from None


def _library(studio: Studio) -> list[LibraryTip]:
    return [LibraryTip.model_validate(kept) for kept in studio.store.shelf("tips")]


def _keep_library(studio: Studio, tips: list[LibraryTip]) -> None:
    studio.store.set_shelf("tips", [tip.model_dump(mode="json") for tip in tips])


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


@router.put("/presets", status_code=204, responses={422: {"model": Problem}})
def keep_presets(studio: InStudio, presets: list[Preset]) -> None:
    """Replace the presets."""
    if len(presets) > PRESETS:
        raise NightmistError(f"{PRESETS} presets are kept at most. Forget one first.")
    studio.store.set_shelf("presets", [preset.model_dump(mode="json") for preset in presets])


@router.post("/scratch", responses={422: {"model": Problem}})
def scratch(studio: InStudio, trial: Trial) -> Response:
    """The stroke on a bare sheet, drawn by the same engine, without a trace anywhere else."""
    document = _sheet()
    layer = document.surfaces["plane"].layers.add("brushed")
    picture = trial.tip.picture
    if picture and picture not in TIPS:
        picture = document.keep_tip(picture, _of(studio, trial.project, picture)) if trial.project else None
    tip = trial.tip.model_copy(update={"unit": "px", "picture": picture})
    document.stroke(layer, trial.samples, _camera(), tip, trial.pigment, seed=trial.seed, in_map=True)
    image = document.surfaces["plane"].read("base_color")[: trial.height, : trial.width, :3]
    return Response(write_png((image >> 8).astype(np.uint8)), media_type="image/png")


def _seen(picture: NDArray[np.float32]) -> Response:
    """A tip's picture as PNG, dark where paint passes, or in its colors."""
    shown = np.rint((picture if picture.ndim == 3 else 1 - picture) * 255).astype(np.uint8)
    return Response(write_png(shown), media_type="image/png")


@cache
def _camera() -> Camera:
    return Camera.look_at((0, 0, 2), (0, 0, 0))


def _sheet() -> Document:
    return Document.from_mesh(practice_body("plane"), "Scratch", (SCRATCH, SCRATCH))
