"""REST: the gallery, new projects from model files, and what is handed off."""

from __future__ import annotations

import datetime
import io
import json
import zipfile
from collections.abc import Callable
from typing import Annotated, Any, Literal
from urllib.parse import quote

from fastapi import APIRouter, Depends, File, Form, Request, Response, UploadFile
from pydantic import BaseModel

from ..core.errors import NightmistError
from ..core.formats.beside import path_of
from ..core.formats.bundle import MAX_ENTRIES
from ..core.formats.file_names import file_name
from ..core.mesh.bodies import Body
from ..core.names import counted_on
from ..document import Document
from ..document.files.hand_off import NAMES, glb, map_files, map_names
from ..document.files.project_file import write
from ..studio import Studio

router = APIRouter(prefix="/api/projects")
#: Letters of a desk as JSON.
MOST_OF_DESK = 1 << 20
PROJECT_ENDING = ".nightmist"


def _studio(request: Request) -> Studio:
    studio: Studio = request.app.state.studio
    return studio


InStudio = Annotated[Studio, Depends(_studio)]


class ProjectCard(BaseModel):
    """A project in the gallery."""

    id: str
    name: str
    changed: datetime.datetime
    revision: int


class NewProject(BaseModel):
    """A project just made, and what is to be known about its model."""

    id: str
    notes: list[str]


class Problem(BaseModel):
    """What went wrong, for people."""

    message: str


@router.get("")
def gallery(studio: InStudio) -> list[ProjectCard]:
    """All projects, the one changed last first."""
    return [ProjectCard(id=p.id, name=p.name, changed=p.changed, revision=p.revision) for p in studio.projects()]


@router.post("", responses={422: {"model": Problem}})
def create(
    studio: InStudio,
    files: Annotated[list[UploadFile], File()],
    size: Annotated[int, Form()] = 2048,
    work: Annotated[str, Form(max_length=40)] = "",
) -> NewProject:
    """Start a project from a model file and the files it refers to, or from a project file.

    By the name `work` one can ask how far it is.
    """
    if len(files) == 1 and (name := files[0].filename or "").lower().endswith(PROJECT_ENDING):
        return NewProject(id=studio.create(Document.from_project_file(files[0].file, name), opened_next=True), notes=[])
    with studio.jobs.watched(work) as progress:
        document = Document.from_files(read_files(files), size, progress=progress)
        return _kept(studio, document)


@router.post("/{project}/copy")
def copy(studio: InStudio, project: str) -> NewProject:
    """Keep the project once more, under a name of its own; its undo history begins anew."""
    taken = {row.name for row in studio.projects()}
    made = studio.with_document(project, lambda document: document.duplicate(counted_on(document.name, taken)))
    return NewProject(id=studio.create(made), notes=[])


@router.get("/{project}/project.nightmist")
def whole(studio: InStudio, project: str) -> Response:
    """The project as one file."""

    def packed(document: Document) -> tuple[str, bytes]:
        file = io.BytesIO()
        write(document, file)
        return file_name(document.name), file.getvalue()

    name, data = studio.with_document(project, packed)
    return _download(data, f"{name}{PROJECT_ENDING}", "application/zip")


@router.post("/practice", responses={422: {"model": Problem}})
def practice(studio: InStudio, body: Body, size: int = 2048, meters: float = 1.0) -> NewProject:
    """Start a project from a practice body."""
    return _kept(studio, Document.practice(body, size, meters))


def _kept(studio: Studio, document: Document) -> NewProject:
    for surface in document.surfaces.values():
        surface.layers.add("brushed", name="First paint")
    return NewProject(id=studio.create(document, opened_next=True), notes=list(document.project.notes))


def read_files(files: list[UploadFile]) -> dict[str, bytes]:
    """Path -> bytes; with folders where one was dropped that holds the files."""
    if len(files) > MAX_ENTRIES:
        raise NightmistError(f"At most {MAX_ENTRIES} files can be brought in at once.")
    return {path_of(file.filename or "") or "model": file.file.read() for file in files}


def taken_of(given: dict[str, bytes], take: Callable[[str, bytes], str]) -> tuple[list[str], list[str]]:
    """What `take` answers for the files that it can read, and why not for the others; refused when it can read none."""
    taken, notes = [], []
    for name, data in given.items():
        try:
            taken.append(take(name, data))
        except NightmistError as error:
            notes.append(str(error))
    if not taken:
        raise NightmistError(" ".join(notes))
    return taken, notes


@router.delete("/{project}", status_code=204)
def delete(studio: InStudio, project: str) -> None:
    """Delete a project for good."""
    studio.delete(project)


@router.put("/{project}/desk", status_code=204, responses={422: {"model": Problem}})
def keep_desk(studio: InStudio, project: str, desk: dict[str, Any], client: str = "") -> None:
    """Keep a painter's desk as it is: tool, tip, pigment, palette, target. client: the browser's name for itself."""
    if len(json.dumps(desk)) > MOST_OF_DESK:
        raise NightmistError("That is more than a desk holds.")
    studio.keep_desk(project, desk, client)


@router.get("/{project}/picture.png")
def picture(studio: InStudio, project: str) -> Response:
    """The gallery's picture."""
    return Response(studio.picture(project), media_type="image/png", headers={"Cache-Control": "no-cache"})


@router.get("/{project}/painted.glb")
def painted(studio: InStudio, project: str, shown: bool = False) -> Response:
    """The model with its maps inside; only the shown parts of it."""
    name, data = studio.with_document(project, lambda document: (file_name(document.name), glb(document, shown)))
    return _download(data, f"{name}.glb", "model/gltf-binary")


@router.get("/{project}/map_names")
def names_of_maps(studio: InStudio, project: str, names: str = NAMES) -> list[str]:
    """How the files of all maps would be called."""
    return studio.with_document(project, lambda document: map_names(document, names))


@router.get("/{project}/maps.zip")
def maps(
    studio: InStudio, project: str, bits: Literal["8", "16"] = "8", model: bool = False, names: str = NAMES
) -> Response:
    """All maps as PNG, in one zip; with the painted model as well. names: as in `map_names`."""

    def write(document: Document) -> tuple[str, bytes]:
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as zipped:
            for name, data in map_files(document, f"png{bits}", names).items():
                zipped.writestr(f"maps/{name}", data)
            if model:
                zipped.writestr(f"{file_name(document.name)}.glb", glb(document))
        return file_name(document.name), packed.getvalue()

    name, data = studio.with_document(project, write)
    return _download(data, f"{name}-maps-{bits}bit.zip", "application/zip")


def _download(data: bytes, name: str, kind: str) -> Response:
    # Headers hold ASCII; names of other letters go the way of RFC 6266.
    plain = name.encode("ascii", "replace").decode().replace("?", "-")
    said = f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name)}"
    return Response(data, media_type=kind, headers={"Content-Disposition": said})
