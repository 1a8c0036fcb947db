"""Surfaces that come with a model's file: their maps' sizes, what they begin with, and their pictures as a layer."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.formats.beside import name_of
from ...core.formats.image_files import picture_size
from ...core.mesh import Mesh
from ...core.mesh.look import Placement, SurfaceLook
from ...core.names import told_of
from ...core.texels import TILE, Raster
from ..change import raster_id
from ..derived.layouts import Layout
from ..values import CHANNELS, MAP_SLOTS, MAX_SIDE, Brushed, MapName, MissingPicture, Surface, new_id
from .model import start_of, usual_depth
from .model_pictures import maps_of

#: The name of the layer that a file's pictures become.
FROM_FILE = "From the file"
#: Texels of maps that are made larger than the project's, in all.
MOST_ENLARGED = 1 << 26


def newcomer(mesh: Mesh, number: int, name: str, size: tuple[int, int], usual: tuple[int, int]) -> Surface:
    """A surface as its material says; the pictures that the file lacks are asked for. usual: the project's size."""
    look = mesh.surfaces[number]
    missing = tuple(missing_picture(look, slot) for slot in look.missing)
    return Surface(
        id=new_id(), name=name, number=number, width=size[0], height=size[1], own_size=size != usual,
        start=start_of(look), depth=usual_depth(mesh), missing=missing, untouched=look.untouched,
    )  # fmt: skip


def missing_picture(look: SurfaceLook, slot: str) -> MissingPicture:
    """A picture that a material names and that was not given."""
    path, placed = look.missing[slot], look.placed.get(slot, Placement())
    return MissingPicture(slot=slot, file=name_of(path), path=path, multiplied=look.multiplied, placed=placed)


def layer_of(
    surface: Surface, maps: Mapping[MapName, NDArray[np.uint16]], order: float = 0.0
) -> tuple[Brushed, dict[str, Raster]] | None:
    """A layer of whole maps, and its rasters by their ids; none for no maps."""
    if not maps:
        return None
    layer = Brushed(id=new_id(), parent=surface.id, order=order, name=FROM_FILE)
    rasters = {}
    for name, image in maps.items():
        raster = rasters[raster_id(layer.id, name)] = Raster(*surface.size, CHANNELS[name])
        raster.take(image)
    return layer, rasters


def pictures_of(
    mesh: Mesh, surface: Surface, look: SurfaceLook, notes: list[str]
) -> dict[MapName, NDArray[np.uint16]]:  # fmt: skip
    """Maps from a material's pictures; those that cannot be read are noted."""
    found: dict[MapName, NDArray[np.uint16]] = {}
    factors = surface.start if look.multiplied else None
    layout = Layout(mesh, surface)
    for slot in MAP_SLOTS:
        if slot in look.pictures:
            title, place = f"The {slot} picture of {surface.name}", look.placed.get(slot, Placement())
            try:
                found.update(maps_of(slot, title, look.pictures[slot], layout, place, factors))
            except NightmistError as error:
                notes.append(str(error))
    return found


def sizes_for(looks: list[SurfaceLook], size: tuple[int, int], notes: list[str]) -> list[tuple[int, int]]:
    """(width, height) of each surface's maps: the project's, or larger where its pictures are; that is noted."""
    found: list[tuple[int, int]] = []
    enlarged, shrunk = [], []
    room = MOST_ENLARGED
    for look in looks:
        sizes = [picture_size(look.pictures[slot]) for slot in MAP_SLOTS if slot in look.pictures]
        largest = [max([side, *(s[axis] for s in sizes)]) for axis, side in enumerate(size)]
        width, height = (min(-(-side // TILE) * TILE, MAX_SIDE) for side in largest)
        if (width, height) == size:
            found.append(size)
        elif width * height > room:
            shrunk.append(f"{look.name} ({largest[0]} × {largest[1]})")
            found.append(size)
        else:
            room -= width * height
            enlarged.append(f"{look.name} ({width} × {height})")
            found.append((width, height))
    notes += told_of(enlarged, "A map is as large as its pictures: {}.", "Maps are as large as their pictures: {}.")
    notes += told_of(shrunk, "Pictures were made smaller, as memory for larger maps was used up: {}.")
    return found
