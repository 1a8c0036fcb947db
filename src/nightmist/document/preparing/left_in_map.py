"""What lies in maps, not on the model: it stays where it is there while islands move below it, and that is told."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

import numpy as np
from numpy.typing import NDArray

from ...core.mesh import Mesh
from ...core.names import told_of
from ..derived.layouts import uvs_of
from ..document import Document
from ..values import Decals, MapFrame, Surface
from .recognizing import SAME_UV, Recognized

PICTURE = (
    "{} lies in the map and stays where it is there, while the islands below it move. To take it along, undo this and"
    " bake its layer first."
)
PICTURES = (
    "{} lie in the map and stay where they are there, while the islands below them move. To take them along, undo this"
    " and bake their layers first."
)
SHAPES = "What was drawn in the map of {} stays where it is there, while the islands below it move."

#: Lowest and highest corner of a box in a map: u, v, u, v.
Box = tuple[float, float, float, float]


def left_in_map(
    document: Document, mesh: Mesh, known: Recognized, surfaces: Mapping[str, Surface], moved: Iterable[str]
) -> list[str]:
    """What is to be known of pictures and regions in maps whose paint goes along with the model.

    mesh, surfaces: what the document is about to become. known: what of the mesh is known. moved: ids of surfaces.
    """
    before = {surface.id: surface for surface in document.surface_values()}
    pictures, shapes = [], []
    for key in (one for one in moved if one in before):
        lying = list(_pictures(document, before[key]))
        drawn = [
            (f"the region {region.name}", _around(area.polygon))
            for region in document.region_values()
            for area in region.areas
            if area.surface == key
        ]
        if not (lying or drawn):
            continue
        boxes = _moving(document, mesh, known, before[key], surfaces[key])
        pictures += [name for name, box in lying if _meets(box, boxes)]
        shapes += [name for name, box in drawn if _meets(box, boxes)]
    return [
        *told_of(list(dict.fromkeys(pictures)), PICTURE, PICTURES),
        *told_of(list(dict.fromkeys(shapes)), SHAPES),
    ]


def _pictures(document: Document, surface: Surface) -> Iterator[tuple[str, Box]]:
    """The names of pictures that lie in a surface's map, and around what of it."""
    for node in document.nodes_in(surface.id):
        for decal in node.placed if isinstance(node, Decals) else ():
            if isinstance(frame := decal.frame, MapFrame):
                reach = np.hypot(frame.width, frame.height) / 2 * max(surface.size)
                (u, v), (x, y) = frame.center, (reach / surface.width, reach / surface.height)
                yield document.picture_value(decal.picture).name, (u - x, v - y, u + x, v + y)


def _around(polygon: Iterable[tuple[float, float]]) -> Box:
    u, v = zip(*polygon, strict=True)
    return min(u), min(v), max(u), max(v)


def _moving(document: Document, mesh: Mesh, known: Recognized, before: Surface, after: Surface) -> NDArray[np.float64]:
    """(n, 4) boxes, before, of a surface's faces that go elsewhere in its map, or away."""
    layout = document.layout(before)
    now = np.full((len(document.mesh.faces), 3, 2), np.nan)
    mine = mesh.faces_of(after.number)
    mine = mine[known.face[mine] >= 0]
    now[known.face[mine][:, None], known.order[mine]] = uvs_of(mesh, after.uv_set)[mine]
    uv = layout.uvs[layout.faces].astype(np.float64)
    stays = np.isclose(uv, now[layout.faces], rtol=0, atol=SAME_UV).all(axis=(1, 2))
    goes = uv[~stays & np.isfinite(uv).all(axis=(1, 2))]
    return np.concatenate([goes.min(axis=1), goes.max(axis=1)], axis=1)


def _meets(box: Box, boxes: NDArray[np.float64]) -> bool:
    return bool(((boxes[:, :2] < box[2:]) & (boxes[:, 2:] > box[:2])).all(axis=1).any())
