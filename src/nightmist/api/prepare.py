"""REST for the stage before the first stroke: the model, its checkup, the planner, other models and pictures."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from fastapi import APIRouter, File, Form, Response, UploadFile
from pydantic import BaseModel, TypeAdapter, ValidationError

from ..core.errors import NightmistError
from ..core.mesh.checkup import Cure, FindingKind
from ..core.mesh.planner import enough_size, memory, plan_table
from ..core.mesh.planner import pixels_per_unit as picture_pixels_per_unit
from ..core.mesh.seams import Extent
from ..core.mesh.solvers import get_ready
from ..document.derived.model import runs_of_faces
from ..document.preparing.maps import pixels_per_unit
from ..document.preparing.replacing import Replacement, preview_of_replacement, read_new_model
from ..document.preparing.uvs import sides_to_mark
from .mesh_wire import Snapshot, write_mesh
from .projects import InStudio, Problem, read_files

router = APIRouter(prefix="/api")


class FindingState(BaseModel):
    """One thing that the checkup of a surface's UVs found, where, and what would help."""

    kind: FindingKind
    sentence: str
    serious: bool
    faces: list[tuple[int, int]]
    cure: Cure
    meant: bool


class Checkup(BaseModel):
    """The UVs of one surface, in numbers and sentences; no findings when they are sound."""

    surface: str
    findings: list[FindingState]
    islands: int
    used: float
    density: tuple[float, float, float]
    stretch: tuple[float, float]
    gap: float | None
    faces: int
    polygons: int


class Plan(BaseModel):
    """What maps the model needs to look crisp, and what they cost."""

    needed: float
    advice: list[Advice]
    rows: list[PlanLine]


class Advice(BaseModel):
    """The map that a surface needs with the UVs it has, and what its maps cost now and then."""

    surface: str
    now: tuple[int, int]
    size: tuple[int, int]
    density: float
    now_bytes: int
    bytes: int


class PlanLine(BaseModel):
    """One way to spend memory."""

    shared: bool
    side: int
    density: dict[str, float]
    bytes: int
    enough: bool


class WorkProgress(BaseModel):
    """How far long work is; share is null when it is over."""

    label: str
    share: float | None


class Notes(BaseModel):
    """What is to be known about what was done."""

    notes: list[str]


@router.get("/projects/{project}/mesh")
def mesh(studio: InStudio, project: str) -> Response:
    """The model as the stage shows it."""
    return Response(write_mesh(studio.with_document(project, Snapshot.of)), media_type="application/octet-stream")


@router.get("/projects/{project}/checkup")
def checkup(studio: InStudio, project: str) -> list[Checkup]:
    """What should be known about the UVs before the first stroke; computed beside the painting."""
    mesh, layouts, surfaces = studio.with_document(
        project, lambda document: (document.mesh, document.all_layouts(), document.surface_values())
    )
    found = []
    for layout, surface in zip(layouts, surfaces, strict=True):
        faces = layout.faces
        if not len(faces):
            continue
        report = layout.report(surface.meant.shared)
        findings = [
            FindingState(
                kind=f.kind,
                sentence=f.sentence,
                serious=f.serious,
                faces=runs_of_faces(f.faces),
                cure=f.cure,
                meant=f.meant or f.kind in surface.meant.kinds,
            )
            for f in report.found
        ]
        if any(finding.cure == "unwrap" and not finding.meant for finding in findings):
            # One click away: its libraries are loaded by then.
            get_ready(len(faces))
        gap = report.gap if report.gap != float("inf") else None
        found.append(
            Checkup(
                surface=surface.name, findings=findings, islands=report.islands, used=report.used,
                density=report.density, stretch=report.stretch, gap=gap, faces=len(faces),
                polygons=len(np.unique(mesh.polygon[faces])),
            )
        )  # fmt: skip
    return found


@router.get("/projects/{project}/seams", responses={422: {"model": Problem}})
def seams(studio: InStudio, project: str, face: int, side: int, extent: Extent) -> list[int]:
    """Sides (face · 3 + side) that a mark at a side of a face would cover."""
    return studio.with_document(project, lambda document: sides_to_mark(document, face, side, extent))


@router.get("/projects/{project}/plan", responses={422: {"model": Problem}})
def plan(studio: InStudio, project: str, distance: float, fov_y: float, picture_height: float) -> Plan:
    """How dense maps must be for a view, which size each surface needs, and one shared map against one for each."""
    needed = picture_pixels_per_unit(distance, fov_y, picture_height)
    snapshot, sizes, densities = studio.with_document(
        project,
        lambda document: (
            Snapshot.of(document), [s.size for s in document.surfaces.values()], pixels_per_unit(document)
        ),
    )  # fmt: skip
    surfaces = [(faces, uv, size) for (_, faces, uv), size in zip(snapshot.surfaces, sizes, strict=True) if len(faces)]
    names = [name for name, faces, _ in snapshot.surfaces if len(faces)]
    rows = [
        PlanLine(
            shared=row.shared, side=row.side, density=dict(zip(names, row.density, strict=True)), bytes=row.bytes,
            enough=min(row.density) >= needed,
        )
        for row in plan_table(snapshot.mesh, surfaces)
    ]  # fmt: skip
    advice = [
        _advice(name, size, densities[name], needed)
        for (name, _, _), size in zip(snapshot.surfaces, sizes, strict=True)
        if name in densities
    ]
    return Plan(needed=needed, advice=advice, rows=rows)


def _advice(name: str, size: tuple[int, int], density: float, needed: float) -> Advice:
    best, found = enough_size(size, density, needed)
    return Advice(
        surface=name, now=size, size=best, density=found, now_bytes=memory(*size), bytes=memory(*best),
    )  # fmt: skip


@router.post("/projects/{project}/model", responses={422: {"model": Problem}})
def replace_model(
    studio: InStudio,
    project: str,
    files: Annotated[list[UploadFile], File()],
    keep_paint: Annotated[bool, Form()] = True,
    surfaces: Annotated[str, Form(max_length=1_000_000)] = "",
    client: Annotated[str, Form(max_length=40)] = "",
) -> Notes:
    """Put another model in place of this one; the paint is carried over through the surface, or stays in the maps.

    surfaces: JSON; for some surfaces of the new model, by name, the one here whose layers they take, or null.
    """
    given, chosen = read_files(files), _chosen(surfaces)
    notes = studio.work_on(
        project, lambda document: document.replace_mesh(files=given, keep_paint=keep_paint, surfaces=chosen), client
    )
    return Notes(notes=notes)


@router.post("/projects/{project}/model/preview", responses={422: {"model": Problem}})
def preview_model(
    studio: InStudio,
    project: str,
    files: Annotated[list[UploadFile], File()],
    keep_paint: Annotated[bool, Form()] = True,
    surfaces: Annotated[str, Form(max_length=1_000_000)] = "",
) -> Replacement:
    """What goes where when another model takes the place of this one with these choices; nothing is changed."""
    mesh, chosen = read_new_model(read_files(files)), _chosen(surfaces)
    return studio.with_document(project, lambda document: preview_of_replacement(document, mesh, keep_paint, chosen))


def _chosen(surfaces: str) -> dict[str, str | None]:
    try:
        return TypeAdapter(dict[str, str | None]).validate_json(surfaces or "{}")
    except ValidationError as error:
        raise NightmistError("surfaces has to be JSON: new names with names of surfaces here, or null.") from error


@router.post("/projects/{project}/pictures", responses={422: {"model": Problem}})
def add_pictures(studio: InStudio, project: str, files: Annotated[list[UploadFile], File()]) -> Notes:
    """Pictures that the model's file names and that were missing."""
    given = read_files(files)
    missing = studio.work_on(project, lambda document: document.add_pictures(given))
    return Notes(notes=[f"Still missing: {', '.join(missing)}."] if missing else [])


@router.get("/work/{name}")
def work(studio: InStudio, name: str) -> WorkProgress:
    """How far a piece of work is that the page has named."""
    found = studio.jobs.state(name)
    return WorkProgress(label=found[0], share=found[1]) if found else WorkProgress(label="", share=None)


@router.delete("/work/{name}", status_code=204)
def cancel_work(studio: InStudio, name: str) -> None:
    """A piece of work is not wanted any more."""
    studio.jobs.cancel(name)
