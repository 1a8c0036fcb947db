"""What of a document's paint finds no place on another model."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Set
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from ...core.mesh import Mesh
from ...core.mesh.unwrap import face_areas, flat_areas
from ...core.texels.ownership import Ownership
from ...core.texels.raster import TILE
from ...core.texels.transfer import lost_places, places_of, spread_over, texels_of_faces
from ..derived.layouts import Layout
from ..document import Document
from ..values import Node, Surface
from .recognizing import Recognized

#: Texels of a layer, spread evenly, that are asked where they go.
ASKED = 4000
#: Places on a surface whose texels cannot be listed, so that some of them lie in paint.
SPREAD = 40_000
#: Texels by which paint may be drawn together at an edge without counting as lost.
SLACK = 1.0


#: Of (n, 3) places in space: the places, the normals there, and (n,) how large a texel is.
InSpace = tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]


class Places(NamedTuple):
    """Texels of faces, by row and column, and where in space some of these lie."""

    rows: NDArray[np.integer[Any]]
    columns: NDArray[np.integer[Any]]
    of: Callable[[NDArray[np.intp]], InSpace]


class Loss(BaseModel):
    """A layer that loses paint, and the share of its painted texels that is lost: above 0, at most 1."""

    layer: str
    surface: str
    share: float


def losses(document: Document, mesh: Mesh, known: Recognized, takes: Mapping[int, Set[int]]) -> list[Loss]:
    """What is lost when each surface of a mesh takes the paint of old surfaces.

    known: what of the mesh is known. takes: old numbers for each new number.
    """
    found: list[Loss] = []
    mesh = known.in_old_place(mesh)
    for surface in document.surface_values():
        takers = [number for number, old in takes.items() if surface.number in old]
        layers = [node for node in document.nodes_in(surface.id) if document.painted_planes(node.id)]
        if takers and layers:
            theirs = np.isin(mesh.face_surface, takers)
            found += list(_of_surface(document, mesh, surface, layers, np.where(theirs, known.face, -2)))
    return found


def told(loss: Loss) -> str:
    """The same in words."""
    much = "All" if loss.share > 0.995 else f"{loss.share:.0%}" if loss.share >= 0.01 else "Less than 1%"
    paint = f"{much} of the paint on {loss.layer} of {loss.surface}"
    return f"{paint} is lost: nothing of the new model takes it over there."


def emptied_regions(document: Document, mesh: Mesh, known: Recognized) -> list[str]:
    """Names of regions that had faces and have nothing any more."""
    regions = [region for region in document.region_values() if len(document.region_faces(region)) and not region.areas]
    if not regions:
        return []
    match = known.everywhere(mesh)
    return [region.name for region in regions if not np.isin(document.region_faces(region), match).any()]


def _of_surface(
    document: Document, mesh: Mesh, surface: Surface, layers: list[Node], match: NDArray[np.int64]
) -> Iterator[Loss]:
    """match: for each new face the old one that it is, -1 for others, -2 for those that take nothing from here."""
    layout = document.layout(surface)
    gone = ~np.isin(layout.faces, match)
    if not gone.any():
        return
    places = _spread_out(layout, gone) if layout.refused else _of_texels(layout.ownership, gone)
    covered = layout.covered()
    # What a face that is gone shares with one that is there stays.
    kept = layout.covered_by(~gone)
    asking = np.flatnonzero(match == -1)
    for layer in layers:
        painted = _painted(document, layer, surface) & covered
        bare = painted & ~kept
        mine = np.flatnonzero(bare[places.rows, places.columns])
        if not len(mine):
            continue
        points, normals, slack = places.of(mine[:: -(-len(mine) // ASKED)])
        lost = lost_places(document.mesh, mesh, points, normals, asking, SLACK * slack)
        if lost.any():
            share = float(lost.mean()) * np.count_nonzero(bare) / np.count_nonzero(painted)
            yield Loss(layer=layer.name, surface=surface.name, share=share)


def _of_texels(own: Ownership, chosen: NDArray[np.bool_]) -> Places:
    """All texels of some of a table's faces."""
    where = texels_of_faces(own, chosen)

    def of(some: NDArray[np.intp]) -> InSpace:
        face, points = places_of(own, where[some])
        return points, own.normals[face], own.texel_size[face]

    return Places(where[:, 0], where[:, 1], of)


def _spread_out(layout: Layout, chosen: NDArray[np.bool_]) -> Places:
    """Texels of some faces that lie over each other too often for a table: those of places spread by area."""
    faces, flat = layout.faces[chosen], layout.corners[chosen]
    corners, normals = layout.mesh.corners[faces], layout.mesh.face_normals[faces]
    face, weights = spread_over(corners, SPREAD)
    texels = (flat[face] * weights[:, :, None]).sum(axis=1)
    there = np.isfinite(texels).all(axis=1)
    face, weights, texels = face[there], weights[there], np.floor(texels[there]).astype(np.int64)
    sizes = np.sqrt(face_areas(corners) / np.maximum(np.abs(flat_areas(flat)), 1e-12))

    def of(some: NDArray[np.intp]) -> InSpace:
        mine = face[some]
        return (corners[mine] * weights[some, :, None]).sum(axis=1), normals[mine], sizes[mine]

    return Places(texels[:, 1] % layout.size[1], texels[:, 0] % layout.size[0], of)


def _painted(document: Document, layer: Node, surface: Surface) -> NDArray[np.bool_]:
    """(H, W): texels in which a layer or its mask holds something."""
    painted = np.zeros((surface.height, surface.width), np.bool_)
    for plane in document.painted_planes(layer.id):
        for (row, column), tile in document.raster(layer.id, plane).tiles.items():
            painted[row * TILE : (row + 1) * TILE, column * TILE : (column + 1) * TILE] |= tile[..., -1] > 0
    return painted
