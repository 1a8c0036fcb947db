"""From a model file to the values and pixels of a new document."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.formats import read_model
from ...core.formats.bundle import the_model, unpacked
from ...core.mesh import Mesh
from ...core.mesh.mesh import SurfaceLook
from ...core.mesh.methods import has_uvs, unwrap
from ...core.names import clean_name
from ...core.progress import Progress
from ...core.texels import Raster
from ..change import raster_id
from ..derived.model import model_of
from ..derived.pool import Pool
from ..document import Document
from ..preparing.model import start_of, usual_depth
from ..preparing.model_pictures import FROM_FILE, maps_of
from ..preparing.uvs import DEFAULT_ANGLE, DEFAULT_MARGIN
from ..values import CHANNELS, AnyValue, Brushed, MapName, MissingPicture, Project, Surface, new_id


def mesh_from_files(
    files: dict[str, bytes], size: tuple[int, int], name: str | None, progress: Progress
) -> tuple[Mesh, str]:
    """A model with UVs, made where it has none, and its title; zips may be among the files."""
    given = unpacked(files)
    model = name or the_model(given)
    mesh = read_model(model, given)
    for index, look in enumerate(mesh.surfaces):
        faces = mesh.faces_of(index)
        if not has_uvs(mesh, faces):
            looks = mesh.surfaces
            mesh, notes = unwrap(mesh, faces, faces, 0, size, "auto", DEFAULT_ANGLE, DEFAULT_MARGIN, None, progress)
            mesh.surfaces = looks
            said = f"The surface {look.name} came without UVs and was unwrapped automatically."
            mesh.notes[:] = [*mesh.notes, said, *notes]
    return mesh, Path(model).stem.replace("_", " ")


def new_document(mesh: Mesh, name: str, size: tuple[int, int], make: type[Document] = Document) -> Document:
    """A document for a mesh, its materials' factors as start values and their pictures as lowest layers."""
    arrays = Pool()
    notes = list(mesh.notes)
    values: list[AnyValue] = []
    rasters: dict[str, Raster] = {}
    depth = usual_depth(mesh)
    for number, look in enumerate(mesh.surfaces):
        missing = tuple(
            MissingPicture(slot=slot, file=file, multiplied=look.multiplied) for slot, file in look.missing.items()
        )
        surface = Surface(
            id=new_id(), name=look.name, number=number, width=size[0], height=size[1], start=start_of(look),
            depth=depth, missing=missing,
        )  # fmt: skip
        values.append(surface)
        if maps := _pictures(surface, look, notes):
            layer = Brushed(id=new_id(), parent=surface.id, order=0.0, name=FROM_FILE)
            values.append(layer)
            for map_name, image in maps.items():
                raster = rasters[raster_id(layer.id, map_name)] = Raster(*size, CHANNELS[map_name])
                raster.take(image)
    project = Project(name=clean_name(name, "Untitled"), size=size, notes=tuple(notes))
    document = make([project, model_of(mesh, arrays), *values], pools=(Pool(), arrays))
    for key, raster in rasters.items():
        document.place(key, raster.tiles)
    return document


def _pictures(surface: Surface, look: SurfaceLook, notes: list[str]) -> dict[MapName, NDArray[np.uint16]]:
    """Maps from pictures by slot; those that cannot be read are noted."""
    found: dict[MapName, NDArray[np.uint16]] = {}
    factors = surface.start if look.multiplied else None
    for slot, data in look.pictures.items():
        try:
            found.update(maps_of(slot, f"The {slot} picture of {surface.name}", data, surface.size, factors))
        except NightmistError as error:
            notes.append(str(error))
    return found
