"""REST for the picture library: those that ship with us and the painter's own, at hand in every project."""

from __future__ import annotations

from base64 import b64decode, b64encode
from functools import cache

import numpy as np
from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from ..core.errors import NightmistError
from ..core.formats.image_files import picture_size, read_picture
from ..demo.stencils import STENCILS, shipped_stencil
from ..document import Document
from ..document.derived.pool import digest_of
from ..document.files.thumbnail import small_file
from ..document.stacking.pictures import file_of
from ..document.values import Name, Picture, Role
from ..studio import Studio
from .projects import InStudio, Problem

router = APIRouter(prefix="/api")
SHELF = "pictures"
#: The painter's own pictures at most, and bytes of one.
MOST = 200
LARGEST = 60_000_000


class LibraryPicture(BaseModel):
    """A picture for all projects. file: the digest by which a project knows it; own: kept by the painter."""

    name: Name
    file: str
    own: bool
    width: int
    height: int
    role: Role | None = Field(default=None, description="what it is for; null: as it seems")
    note: str = Field(default="", max_length=500)


class WholePicture(LibraryPicture):
    """One of the painter's own with its file, in base64."""

    data: str = Field(max_length=LARGEST * 4 // 3 + 4)


@router.get("/pictures")
def library(studio: InStudio) -> list[LibraryPicture]:
    """All of them, the painter's own first."""
    return [*_own(studio), *_shipped()]


@router.get("/pictures/{file}/thumbnail", responses={422: {"model": Problem}})
def library_thumbnail(studio: InStudio, file: str) -> Response:
    """PNG of one, small."""
    picture = _in(studio, file)
    png = small_file(picture.name, _bytes(studio, picture))
    return Response(png, media_type="image/png", headers={"Cache-Control": "max-age=86400"})


@router.post("/projects/{project}/library/take/{file}", responses={422: {"model": Problem}})
def take_picture(studio: InStudio, project: str, file: str) -> str:
    """Bring one into a project; its id there."""
    picture = _in(studio, file)
    data = _bytes(studio, picture)

    def take(document: Document) -> str:
        name = picture.name if picture.own else f"{picture.name}.png"
        return document.add_picture_data(name, data, picture.role, picture.note)

    return studio.work_on(project, take)


@router.post("/projects/{project}/library/{picture}/keep", responses={422: {"model": Problem}})
def keep_picture(studio: InStudio, project: str, picture: str) -> LibraryPicture:
    """Keep a picture of a project for all projects, as it is cut out there."""
    known, data = studio.with_document(project, lambda document: _of(document, picture))
    if len(data) > LARGEST:
        size = f"{len(data) >> 20} MB; the library keeps pictures up to {LARGEST >> 20} MB."
        raise NightmistError(f"{known.name} has {size}")
    fields = known.model_dump(include={"name", "width", "height", "role", "note"})
    kept = LibraryPicture(**fields, file=_digest(data), own=True)
    _shelve(studio, kept, data)
    return kept


@router.delete("/pictures/{file}", responses={422: {"model": Problem}})
def forget_library_picture(studio: InStudio, file: str) -> WholePicture:
    """Take one of the painter's own out of the library; projects that have it keep it."""
    picture = _in(studio, file)
    if not picture.own:
        raise NightmistError(f"{picture.name} comes with Nightmist and stays.")
    with studio.store.shelves:
        data = _bytes(studio, picture)
        _keep(studio, [each for each in _own(studio) if each.file != file])
        studio.store.set_shelf(_place(file), [])
    return WholePicture(**picture.model_dump(), data=b64encode(data).decode())


@router.post("/pictures", status_code=204, responses={422: {"model": Problem}})
def restore_library_picture(studio: InStudio, picture: WholePicture) -> None:
    """Put one back that was taken out."""
    try:
        data = b64decode(picture.data, validate=True)
    except ValueError:
        raise NightmistError(f"{picture.name} arrived damaged.") from None
    height, width = read_picture(picture.name, data, upright=True).shape[:2]
    known = picture.model_dump(include={"name", "role", "note"})
    _shelve(studio, LibraryPicture(**known, file=_digest(data), own=True, width=width, height=height), data)


def _of(document: Document, key: str) -> tuple[Picture, bytes]:
    picture = document.picture_value(key)
    return picture, file_of(document, picture)


def _shelve(studio: Studio, picture: LibraryPicture, data: bytes) -> None:
    with studio.store.shelves:
        others = [each for each in _own(studio) if each.file != picture.file]
        if len(others) >= MOST:
            raise NightmistError(f"The library keeps {MOST} pictures at most. Take one out first.")
        studio.store.set_shelf(_place(picture.file), [b64encode(data).decode()])
        _keep(studio, [picture, *others])


def _keep(studio: Studio, kept: list[LibraryPicture]) -> None:
    studio.store.set_shelf(SHELF, [picture.model_dump(mode="json") for picture in kept])


def _in(studio: Studio, file: str) -> LibraryPicture:
    found = next((each for each in library(studio) if each.file == file), None)
    if not found:
        raise NightmistError("The library does not have that picture any more.")
    return found


def _bytes(studio: Studio, picture: LibraryPicture) -> bytes:
    if not picture.own:
        return shipped_stencil(picture.name)
    kept = studio.store.shelf(_place(picture.file))
    if not kept:
        raise NightmistError(f"The library does not have {picture.name} any more.")
    return b64decode(kept[0])


def _place(file: str) -> str:
    return f"picture:{file}"


def _own(studio: Studio) -> list[LibraryPicture]:
    return [LibraryPicture.model_validate(kept) for kept in studio.store.shelf(SHELF)]


def _digest(data: bytes) -> str:
    return digest_of(np.frombuffer(data, np.uint8))


@cache
def _shipped() -> tuple[LibraryPicture, ...]:
    return tuple(_shown(name, shipped_stencil(name)) for name in STENCILS)


def _shown(name: str, data: bytes) -> LibraryPicture:
    width, height = picture_size(data)
    return LibraryPicture(name=name, file=_digest(data), own=False, width=width, height=height, role="color")
