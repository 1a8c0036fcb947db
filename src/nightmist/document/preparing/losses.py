"""What of a document's paint finds no place on another model."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Set

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from ...core.mesh import Mesh
from ...core.texels.ownership import Ownership
from ...core.texels.raster import TILE
from ...core.texels.transfer import lost_places, places_of, texels_of_faces
from ..document import Document
from ..values import Node, Surface
from .recognizing import Recognized

#: Texels of a layer, spread evenly, that are asked where they go.
ASKED = 4000
#: Texels by which paint may be drawn together at an edge without counting as lost.
SLACK = 1.0


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
    own = document.layout(surface).ownership
    gone = ~np.isin(own.faces, match)
    if not gone.any():
        return
    where = texels_of_faces(own, gone)
    # What a face that is gone shares with one that is there stays.
    bare = ~own.covered_by(~gone)
    asking = np.flatnonzero(match == -1)
    for layer in layers:
        painted = _painted(document, layer, own)
        mine = np.flatnonzero((painted & bare)[where[:, 0], where[:, 1]])
        if not len(mine):
            continue
        asked = mine[:: -(-len(mine) // ASKED)]
        face, points = places_of(own, where[asked])
        slack = SLACK * own.texel_size[face]
        lost = lost_places(document.mesh, mesh, points, own.normals[face], asking, slack)
        if lost.any():
            share = float(lost.mean()) * len(mine) / np.count_nonzero(painted)
            yield Loss(layer=layer.name, surface=surface.name, share=min(share, 1.0))


def _painted(document: Document, layer: Node, own: Ownership) -> NDArray[np.bool_]:
    """(H, W): texels of faces in which a layer or its mask holds something."""
    painted = np.zeros((own.height, own.width), np.bool_)
    for plane in document.painted_planes(layer.id):
        for (row, column), tile in document.raster(layer.id, plane).tiles.items():
            painted[row * TILE : (row + 1) * TILE, column * TILE : (column + 1) * TILE] |= tile[..., -1] > 0
    return painted & own.covered()
