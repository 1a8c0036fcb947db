"""From a model file to the values and pixels of a new document."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.formats import read_model
from ...core.formats.bundle import the_model, unpacked
from ...core.formats.image_files import picture_size
from ...core.mesh import Mesh
from ...core.mesh.look import Placement, SurfaceLook
from ...core.names import clean_name, told_of
from ...core.progress import Progress
from ...core.texels import TILE, Raster
from ..change import raster_id
from ..derived.layouts import Layout
from ..derived.model import model_of
from ..derived.pool import Pool
from ..document import Document
from ..preparing.model import start_of, usual_depth
from ..preparing.model_pictures import FROM_FILE, maps_of
from ..preparing.untouched import kept_pictures
from ..preparing.uvs import Bare, unwrapped_where_bare
from ..room import check_room
from ..values import CHANNELS, MAP_SLOTS, MAX_SIDE, AnyValue, Brushed, MapName, MissingPicture, Project, Surface, new_id

#: Texels of maps that are made larger than the project's, in all.
MOST_ENLARGED = 1 << 26


def mesh_from_files(
    files: dict[str, bytes], size: tuple[int, int], name: str | None, progress: Progress
) -> tuple[Mesh, str]:
    """A model with UVs, made where it has none, and its title; zips may be among the files."""
    given = unpacked(files)
    model = name or the_model(given)
    mesh = read_model(model, given)
    surfaces = [Bare(look.name, number, 0, size) for number, look in enumerate(mesh.surfaces)]
    mesh, notes = unwrapped_where_bare(mesh, surfaces, progress)
    mesh.notes[:] = [*mesh.notes, *notes]
    return mesh, Path(model).stem.replace("_", " ")


def new_document(mesh: Mesh, name: str, size: tuple[int, int], make: type[Document] = Document) -> Document:
    """A document for a mesh, its materials' factors as start values and their pictures as lowest layers."""
    arrays = Pool()
    notes = list(mesh.notes)
    values: list[AnyValue] = []
    rasters: dict[str, Raster] = {}
    depth = usual_depth(mesh)
    sizes = _sizes(mesh.surfaces, size, notes)
    check_room(sizes)
    for number, look in enumerate(mesh.surfaces):
        missing = tuple(
            MissingPicture(
                slot=slot,
                file=file,
                multiplied=look.multiplied,
                placed=look.placed.get(slot, Placement()),
            )
            for slot, file in look.missing.items()
        )
        width, height = sizes[number]
        surface = Surface(
            id=new_id(), name=look.name, number=number, width=width, height=height, own_size=(width, height) != size,
            start=start_of(look), depth=depth, missing=missing, untouched=look.untouched,
            kept=kept_pictures(look, mesh, arrays, notes),
        )  # fmt: skip
        values.append(surface)
        if maps := _pictures(mesh, surface, look, notes):
            layer = Brushed(id=new_id(), parent=surface.id, order=0.0, name=FROM_FILE)
            values.append(layer)
            for map_name, image in maps.items():
                raster = rasters[raster_id(layer.id, map_name)] = Raster(width, height, CHANNELS[map_name])
                raster.take(image)
    project = Project(name=clean_name(name, "Untitled"), size=size, notes=tuple(notes))
    document = make([project, model_of(mesh, arrays), *values], pools=(Pool(), arrays))
    for key, raster in rasters.items():
        document.place(key, raster.tiles)
    return document


def _sizes(looks: list[SurfaceLook], size: tuple[int, int], notes: list[str]) -> list[tuple[int, int]]:
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


def _pictures(
    mesh: Mesh, surface: Surface, look: SurfaceLook, notes: list[str]
) -> dict[MapName, NDArray[np.uint16]]:  # fmt: skip
    """Maps from pictures by slot; those that cannot be read are noted."""
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
