"""REST for what the page shows of stacks and regions: thumbnails, and which texels and faces a region is."""

from __future__ import annotations

from typing import Annotated, Literal

import cv2
import numpy as np
from fastapi import APIRouter, File, Query, Response, UploadFile
from pydantic import BaseModel

from ..core.errors import NightmistError
from ..core.formats.image_files import write_png
from ..core.mesh.select import SAME_ANGLE, Extent, faces_with
from ..core.texels import TILE
from ..document import Document
from ..document.derived.composites import PictureName
from ..document.derived.model import runs_of_faces
from ..document.files.thumbnail import small_picture, thumbnail_of, whole_picture
from ..document.files.version_look import version_map
from ..document.painting.regions import faces_like
from ..document.stacking.mask_sources import marking_colors
from ..document.stacking.versions import picture_of, version_value
from .projects import InStudio, Problem, read_files, taken_of

router = APIRouter(prefix="/api")
#: The longer side of a picture of a region, in pixels.
MOST = 2048
#: The longer side of a picture that is laid over the stage.
SCREEN = 1600


class TakenPictures(BaseModel):
    """Pictures by their ids, and why others could not be taken."""

    pictures: list[str]
    notes: list[str]


@router.get("/projects/{project}/nodes/{node}/thumbnail")
def thumbnail(studio: InStudio, project: str, node: str, of: Literal["paint", "mask"]) -> Response:
    """PNG of what a node holds."""
    png = studio.with_document(project, lambda document: thumbnail_of(document, node, of))
    return Response(png, media_type="image/png", headers={"Cache-Control": "no-store"})


@router.post("/projects/{project}/library", responses={422: {"model": Problem}})
def add_pictures(studio: InStudio, project: str, files: Annotated[list[UploadFile], File()]) -> TakenPictures:
    """Take pictures into the project, those of them that can be read; refused when none can."""
    given = read_files(files)

    def take(document: Document) -> TakenPictures:
        pictures, notes = taken_of(given, document.add_picture_data)
        return TakenPictures(pictures=pictures, notes=notes)

    return studio.work_on(project, take)


@router.get("/projects/{project}/library/{picture}/thumbnail", responses={422: {"model": Problem}})
def picture_thumbnail(studio: InStudio, project: str, picture: str) -> Response:
    """PNG of a picture, small, as it is cut out."""
    png = studio.with_document(project, lambda document: small_picture(document, document.picture_value(picture)))
    return Response(png, media_type="image/png", headers={"Cache-Control": "max-age=86400"})


@router.get("/projects/{project}/library/{picture}/picture", responses={422: {"model": Problem}})
def picture_to_show(studio: InStudio, project: str, picture: str) -> Response:
    """PNG of a picture, upright, as large as a screen shows."""
    png = studio.with_document(
        project, lambda document: small_picture(document, document.picture_value(picture), SCREEN)
    )  # fmt: skip
    return Response(png, media_type="image/png", headers={"Cache-Control": "max-age=86400"})


@router.get("/projects/{project}/library/{picture}/file", responses={422: {"model": Problem}})
def whole_picture_to_show(studio: InStudio, project: str, picture: str) -> Response:
    """PNG of a picture before anything was cut out of it, as large as a screen shows."""
    png = studio.with_document(
        project, lambda document: whole_picture(document, document.picture_value(picture), SCREEN)
    )  # fmt: skip
    return Response(png, media_type="image/png", headers={"Cache-Control": "max-age=86400"})


@router.get("/projects/{project}/library/{picture}/colors", responses={422: {"model": Problem}})
def colors_of_picture(studio: InStudio, project: str, picture: str) -> list[str]:
    """The colors, #rrggbb, with which a picture of flat colors marks areas, the one of most texels first."""
    return studio.with_document(project, lambda document: marking_colors(document, document.picture_value(picture)))


@router.get("/projects/{project}/versions/{version}/picture", responses={422: {"model": Problem}})
def version_picture(studio: InStudio, project: str, version: str) -> Response:
    """PNG of what the model looked like in a version."""
    png = studio.with_document(project, lambda document: picture_of(document, version_value(document, version)))
    return Response(png, media_type="image/png", headers={"Cache-Control": "max-age=86400"})


@router.get("/projects/{project}/versions/{version}/maps/{surface}/{picture}", responses={422: {"model": Problem}})
def version_maps(studio: InStudio, project: str, version: str, surface: str, picture: PictureName) -> Response:
    """PNG of a composited picture of a surface, by its id, as it was in a version."""
    pixels = studio.with_document(
        project, lambda document: version_map(document, version_value(document, version), surface, picture)
    )
    return Response(write_png(pixels), media_type="image/png", headers={"Cache-Control": "no-store"})


@router.get("/projects/{project}/faces", responses={422: {"model": Problem}})
def faces_together(
    studio: InStudio, project: str, face: int, by: Extent, angle: Annotated[float, Query(ge=0, le=180)] = SAME_ANGLE
) -> list[tuple[int, int]]:
    """Runs of the faces that belong together with one. angle: degrees, of patches and of what faces the same way."""
    return studio.with_document(project, lambda document: _together(document, face, by, angle))


@router.get("/projects/{project}/faces_like", responses={422: {"model": Problem}})
def faces_of_one_color(
    studio: InStudio, project: str, surface: str, picture: str, u: float, v: float
) -> list[tuple[int, int]]:
    """Runs of the faces over which a picture of flat colors shows the one that it has at a place of the map."""

    def found(document: Document) -> list[tuple[int, int]]:
        where, shown = document.surface_value(surface), document.picture_value(picture)
        return runs_of_faces(faces_like(document, where, shown, (u, v)))

    return studio.with_document(project, found)


@router.get("/projects/{project}/regions/{region}/faces", responses={422: {"model": Problem}})
def region_faces(studio: InStudio, project: str, region: str) -> list[tuple[int, int]]:
    """A region's faces as runs."""
    return studio.with_document(
        project, lambda document: runs_of_faces(document.region_faces(document.region_value(region)))
    )


@router.get("/projects/{project}/regions/{region}/texels", responses={422: {"model": Problem}})
def region_texels(studio: InStudio, project: str, region: str, surface: str) -> Response:
    """PNG, gray: how much of each texel of a surface's map a region covers, at most 2048 pixels a side."""
    png = studio.with_document(project, lambda document: _texels(document, region, surface))
    return Response(png, media_type="image/png", headers={"Cache-Control": "no-store"})


def _together(document: Document, face: int, by: Extent, angle: float) -> list[tuple[int, int]]:
    mesh = document.mesh
    if not 0 <= face < len(mesh.faces):
        raise NightmistError(f"There is no face {face}; the model has {len(mesh.faces)}.")
    surface = document.surface_values()[int(mesh.face_surface[face])]
    return runs_of_faces(faces_with(mesh, face, by, document.layout(surface).uvs, angle))


def _texels(document: Document, region: str, surface: str) -> bytes:
    value = document.surface_value(surface)
    mask = document.region_mask(document.region_value(region), value)
    rows, columns = value.height // TILE, value.width // TILE
    step = max(1, -(-max(value.size) // MOST))
    side = TILE // step
    picture = np.zeros((rows * side, columns * side), np.uint8)
    tiles = mask.complete().area.tiles
    for tile, share in zip(tiles, mask.shares(tiles), strict=True):
        row, column = divmod(int(tile), columns)
        small = cv2.resize(share, (side, side), interpolation=cv2.INTER_AREA)
        picture[row * side : (row + 1) * side, column * side : (column + 1) * side] = np.rint(small * 255)
    return write_png(picture)
