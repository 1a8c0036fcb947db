"""REST for finishes: those that ship with us and the painter's own, laid on a surface or where a face lies."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from ..core.errors import NightmistError
from ..core.mesh.select import Extent, faces_with
from ..core.names import unused_name
from ..demo.finishes import MADE, shipped_finish, swatch
from ..document import Document
from ..document.derived.regions import covered
from ..document.stacking.finishes import Finish, add_finish, finish_of
from ..document.stacking.mask_sources import color_mask
from ..document.values import Group, Name
from ..studio import Studio
from .projects import InStudio, Problem

router = APIRouter(prefix="/api")
SHELF = "finishes"
#: The painter's own finishes at most.
MOST = 100


class FinishChoice(BaseModel):
    """A finish by name; own: kept by the painter."""

    name: str
    own: bool


class LayFinish(BaseModel):
    """Where a finish is wanted: on a surface, in a group, in a region, or on what belongs together with a face."""

    name: str
    surface: str
    into: str | None = Field(default=None, description="a group, by its id")
    region: str | None = None
    face: int | None = None
    by: Extent = "island"
    picture: str | None = Field(default=None, description="a picture of flat colors: where it shows that at `uv`")
    uv: tuple[float, float] = (0, 0)


class KeepFinish(BaseModel):
    """A group to be kept under a name for every project."""

    name: Name
    group: str


class LaidFinish(BaseModel):
    """The group that was made."""

    node: str


@router.get("/finishes")
def finishes(studio: InStudio) -> list[FinishChoice]:
    """All finishes by name, the painter's own first."""
    own = [FinishChoice(name=finish.name, own=True) for finish in _own(studio)]
    taken = {choice.name for choice in own}
    return own + [FinishChoice(name=name, own=False) for name in MADE if name not in taken]


@router.get("/finishes/{name}/swatch", responses={422: {"model": Problem}})
def finish_swatch(studio: InStudio, name: str) -> Response:
    """PNG of a piece of a finish."""
    if name not in MADE:
        raise NightmistError(f"There is no picture of {name!r}.")
    return Response(swatch(name), media_type="image/png", headers={"Cache-Control": "max-age=86400"})


@router.post("/projects/{project}/finishes", responses={422: {"model": Problem}})
def keep_finish(studio: InStudio, project: str, wish: KeepFinish) -> FinishChoice:
    """Keep a group as a finish, under another name where there is one of that name."""
    made = studio.with_document(project, lambda document: finish_of(document, document.node(wish.group), wish.name))
    return _shelve(studio, made)


@router.delete("/finishes/{name}", responses={422: {"model": Problem}})
def forget_finish(studio: InStudio, name: str) -> Finish:
    """Forget one of the painter's own; where it was laid it stays."""
    with studio.store.shelves:
        own = _own(studio)
        gone = next((finish for finish in own if finish.name == name), None)
        if not gone:
            raise NightmistError(f"There is no finish {name!r} of your own.")
        _keep(studio, [finish for finish in own if finish.name != name])
    return gone


@router.post("/finishes", responses={422: {"model": Problem}})
def restore_finish(studio: InStudio, finish: Finish) -> FinishChoice:
    """Put one back that was forgotten, under another name where its own is taken by now."""
    return _shelve(studio, finish)


@router.post("/projects/{project}/finishes/lay", responses={422: {"model": Problem}})
def lay_finish(
    studio: InStudio, project: str, wish: LayFinish, client: Annotated[str, Field(max_length=40)] = ""
) -> LaidFinish:
    """Lay a finish on top of a stack, with a mask where only a part is meant; one undo step."""
    finish = _named(studio, wish.name)
    return LaidFinish(node=studio.work_on(project, lambda document: _lay(document, finish, wish), client))


def _lay(document: Document, finish: Finish, wish: LayFinish) -> str:
    surface = document.surface_value(wish.surface)
    parent = document.values.get(wish.into or "")
    mask = None
    if wish.region:
        mask = document.region_mask(document.region_value(wish.region), surface)
    elif wish.picture:
        mask = color_mask(document, surface, document.picture_value(wish.picture), wish.uv)
    elif wish.face is not None and wish.by != "surface":
        layout = document.layout(surface)
        if not 0 <= wish.face < len(document.mesh.faces):
            raise NightmistError(f"There is no face {wish.face}; the model has {len(document.mesh.faces)}.")
        faces = faces_with(document.mesh, wish.face, wish.by, layout.uvs)
        mask = covered(document.cache, layout, faces, f"{wish.face} {wish.by}")
    change, node = add_finish(document, parent if isinstance(parent, Group) else surface, finish, mask)
    document.make(change)
    return node


def _named(studio: Studio, name: str) -> Finish:
    own = next((finish for finish in _own(studio) if finish.name == name), None)
    if own is None and name not in MADE:
        raise NightmistError(f"There is no finish {name!r} any more.")
    return own or shipped_finish(name)


def _own(studio: Studio) -> list[Finish]:
    return [Finish.model_validate(kept) for kept in studio.store.shelf(SHELF)]


def _shelve(studio: Studio, finish: Finish) -> FinishChoice:
    with studio.store.shelves:
        others = _own(studio)
        if len(others) >= MOST:
            raise NightmistError(f"{MOST} finishes are kept at most. Forget one first.")
        name = unused_name(finish.name, {*MADE, *(other.name for other in others)})
        _keep(studio, [*others, finish.model_copy(update={"name": name})])
    return FinishChoice(name=name, own=True)


def _keep(studio: Studio, kept: list[Finish]) -> None:
    studio.store.set_shelf(SHELF, [finish.model_dump(mode="json") for finish in kept])
