"""REST for reference pictures: pinned in a project to be looked at and sampled from, never part of the paint."""

from __future__ import annotations

from pathlib import PurePath
from typing import Annotated

import numpy as np
from fastapi import APIRouter, File, Response, UploadFile
from numpy.typing import NDArray
from pydantic import BaseModel

from ..core.errors import NightmistError
from ..core.formats.beside import name_of
from ..core.formats.image_files import read_picture, write_png
from .projects import InStudio, Problem, read_files, taken_of

router = APIRouter(prefix="/api/projects/{project}/references")
MOST = 60


class Pinned(BaseModel):
    """Pictures by their names, and why others could not be pinned."""

    names: list[str]
    notes: list[str]


@router.get("")
def references(studio: InStudio, project: str) -> list[str]:
    """The names of all pinned pictures, the oldest first."""
    return studio.store.references(project)


@router.get("/{name}")
def picture(studio: InStudio, project: str, name: str) -> Response:
    """One picture as PNG, whose 8-bit numbers are those of the file."""
    data = studio.store.reference(project, name)
    return Response(data, media_type="image/png") if data else Response(status_code=404)


@router.post("", responses={422: {"model": Problem}})
def pin(studio: InStudio, project: str, files: Annotated[list[UploadFile], File()]) -> Pinned:
    """Pin pictures, those of them that can be read; refused when none can."""
    given = read_files(files)
    taken = studio.store.references(project)
    if len(taken) + len(given) > MOST:
        raise NightmistError(f"At most {MOST} reference pictures can be pinned in a project. Take some off first.")
    read: dict[str, bytes] = {}

    def take(name: str, data: bytes) -> str:
        picture = write_png(_opaque(read_picture(name, data, upright=True)))
        free = _free(name_of(name), {*taken, *read})
        read[free] = picture
        return free

    names, notes = taken_of(given, take)
    studio.store.pin(project, read)
    return Pinned(names=names, notes=notes)


@router.delete("/{name}", status_code=204)
def take_off(studio: InStudio, project: str, name: str) -> None:
    """Take a picture off."""
    studio.store.take_off(project, name)


def _opaque(image: NDArray[np.uint16]) -> NDArray[np.uint8]:
    """(H, W, 3) 8 bits, over white where it is transparent."""
    if (image[..., 3] < 65535).any():
        alpha = image[..., 3:] / 65535
        image = np.rint(image[..., :3] * alpha + 65535 * (1 - alpha)).astype(np.uint16)
    return np.ascontiguousarray(image[..., :3] >> 8).astype(np.uint8)


def _free(name: str, taken: set[str]) -> str:
    """The name, or with a number if another picture has it."""
    path = PurePath(name)
    stem, suffix = path.stem[:100], path.suffix[:8]
    numbered = (f"{stem} {k}{suffix}" for k in range(2, len(taken) + 3))
    return next(found for found in (f"{stem}{suffix}", *numbered) if found not in taken)
