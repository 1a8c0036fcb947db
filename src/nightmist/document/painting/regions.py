"""Regions kept, changed and forgotten, and the faces that go into them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.mesh import Mesh
from ...core.names import listed, unused_name
from ...core.texels.shares import flat_color_at
from ..change import Change
from ..document import Document
from ..values import ID_TOLERANCE, REGION_COLORS, Area, Decals, Picture, Region, Surface, color_in_hex, new_id
from .filling import Faces


def add_region(
    document: Document, name: str | None, faces: Faces, color: str | None = None,
    area: tuple[str, Sequence[Sequence[float]]] | None = None,
) -> tuple[Change, str]:  # fmt: skip
    """Keep faces, or a shape in the map of a surface, under a name; and the region's id."""
    taken = {region.name for region in document.region_values()}
    if name in taken:
        raise NightmistError(f"There is a region {name!r} already.")
    region = Region(
        id=new_id(), name=name or unused_name("Region", taken), faces=document.arrays.add(_checked(document, faces)),
        color=color or REGION_COLORS[len(taken) % len(REGION_COLORS)], areas=(_area(document, *area),) if area else (),
    )  # fmt: skip
    if not len(faces) and not area:
        raise NightmistError("A region needs faces, or a shape in a map. Pick some first.")
    return Change(label=f"Add region {region.name}", values={region.id: (None, region)}), region.id


def set_region(document: Document, region: Region, faces: Faces | None = None, **properties: object) -> Change:
    """Another name, color or other faces for a region."""
    if properties.get("name") in {other.name for other in document.region_values() if other.id != region.id}:
        raise NightmistError(f"There is a region {properties['name']!r} already.")
    if faces is not None:
        if not len(faces) and not region.areas:
            raise NightmistError(f"Nothing would be left of {region.name}. Forget the region instead.")
        properties["faces"] = document.arrays.add(_checked(document, faces))
    after = region.but(**properties)
    if after == region:
        return Change(label="")
    return Change(label=f"Change region {region.name}", values={region.id: (region, after)})


def with_area(
    document: Document, region: Region, surface: str, polygon: Sequence[Sequence[float]], taken: bool
) -> Change:
    """A region with one shape more, added or cut out."""
    area = _area(document, surface, polygon, taken)
    return set_region(document, region, areas=(*region.areas, area))


def inverted(document: Document, region: Region) -> Change:
    """What was outside is inside, and the other way round."""
    every = np.arange(len(document.mesh.faces))
    others = np.setdiff1d(every, document.region_faces(region))
    areas = tuple(area.model_copy(update={"taken": not area.taken}) for area in region.areas)
    return set_region(document, region, faces=others, areas=areas)


def remove_region(document: Document, region: Region) -> Change:
    """Forget a region. Raises NightmistError naming the layers whose decals are bound to it."""
    bound = document.users(
        lambda node: isinstance(node, Decals) and any(decal.region == region.id for decal in node.placed)
    )
    if bound:
        raise NightmistError(f"Decals of {listed(bound)} are bound to {region.name}. Free them first.")
    return Change(label=f"Forget region {region.name}", values={region.id: (region, None)})


def grown(mesh: Mesh, faces: Faces) -> NDArray[np.int64]:
    """Faces, and the polygons that share an edge with one of them; rising."""
    chosen = _chosen(mesh, faces)
    neighbor = mesh.topology.neighbor
    beside = neighbor[chosen]
    chosen[beside[beside >= 0]] = True
    return np.flatnonzero(np.isin(mesh.polygon, mesh.polygon[chosen]))


def shrunk(mesh: Mesh, faces: Faces) -> NDArray[np.int64]:
    """Faces without the polygons that share an edge with others; rising."""
    others = np.flatnonzero(~_chosen(mesh, faces))
    return np.setdiff1d(np.arange(len(mesh.faces)), grown(mesh, others))


def faces_by_color(
    document: Document, surface: Surface, name: str, picture: NDArray[np.uint16], color: NDArray[np.float64],
    tolerance: float = ID_TOLERANCE,
) -> NDArray[np.int64]:  # fmt: skip
    """The faces of a surface over more than half of whose texels a picture, (h, w, 4), shows a color, (3,) of 65535.

    tolerance: in 8-bit steps a channel. Raises NightmistError when there are none.
    """
    own = document.layout(surface).ownership
    owner = own.owner()
    y, x = np.nonzero(owner >= 0)
    rows, columns = y * picture.shape[0] // own.height, x * picture.shape[1] // own.width
    off = np.abs(picture[rows, columns, :3].astype(np.int64) - color).max(axis=1)
    count = len(own.faces)
    like = np.bincount(owner[y, x], off <= tolerance * 257, minlength=count)
    every = np.bincount(owner[y, x], minlength=count)
    found = own.faces[(2 * like > every) & (every > 0)]
    if not len(found):
        wanted = color_in_hex([round(value / 257) * 257 for value in color.tolist()])
        raise NightmistError(
            f"{name} shows {wanted} nowhere on {surface.name}, or over less than half of each face there. Take another"
            " color, or a mask, which follows the texels."
        )
    return np.sort(found).astype(np.int64)


def faces_like(document: Document, surface: Surface, picture: Picture, uv: tuple[float, float]) -> NDArray[np.int64]:
    """The same of a picture of the project, for the color that it has at a place of the surface's map."""
    pixels = document.washes.picture(picture)
    return faces_by_color(document, surface, picture.name, pixels, flat_color_at(pixels, uv, ID_TOLERANCE * 257))


def _chosen(mesh: Mesh, faces: Faces) -> NDArray[np.bool_]:
    chosen = np.zeros(len(mesh.faces), np.bool_)
    chosen[np.asarray(faces, np.int64)] = True
    return chosen


def _checked(document: Document, faces: Faces) -> NDArray[np.int64]:
    numbers = np.unique(np.asarray(faces, np.int64))
    if len(numbers) and (numbers[0] < 0 or numbers[-1] >= len(document.mesh.faces)):
        raise NightmistError(f"There is no face {numbers[-1]}; the model has {len(document.mesh.faces)}.")
    return numbers


def _area(document: Document, surface: str, polygon: Sequence[Sequence[float]], taken: bool = False) -> Area:
    if len(polygon) < 3:
        raise NightmistError("A shape in the map needs three corners or more.")
    corners = tuple((float(u), float(v)) for u, v in polygon)
    return Area(surface=document.surface_value(surface).id, polygon=corners, taken=taken)
