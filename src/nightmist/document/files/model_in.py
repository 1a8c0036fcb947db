"""From a model file to the values and pixels of a new document."""

from __future__ import annotations

from pathlib import Path

from ...core.formats import read_model
from ...core.formats.beside import name_of
from ...core.formats.bundle import the_model, unpacked
from ...core.mesh import Mesh
from ...core.names import clean_name
from ...core.progress import Progress, quietly
from ...core.texels import Raster
from ..derived.model import model_of
from ..derived.pool import Pool
from ..document import Document
from ..preparing.newcomers import layer_of, newcomer, pictures_of, sizes_for
from ..preparing.untouched import kept_pictures
from ..preparing.uvs import Bare, unwrapped_where_bare
from ..room import check_room
from ..values import AnyValue, Project


def mesh_from_files(
    files: dict[str, bytes], size: tuple[int, int], name: str | None, progress: Progress
) -> tuple[Mesh, str]:
    """A model with UVs, made where it has none, and its title; zips may be among the files."""
    given = unpacked(files)
    model = name or the_model(given)
    progress("Reading the model", 0)
    mesh = read_model(model, given)
    surfaces = [Bare(look.name, number, 0, size) for number, look in enumerate(mesh.surfaces)]
    mesh, notes = unwrapped_where_bare(mesh, surfaces, progress)
    mesh.notes[:] = [*mesh.notes, *notes]
    return mesh, Path(name_of(model)).stem.replace("_", " ")


def new_document(
    mesh: Mesh, name: str, size: tuple[int, int], make: type[Document] = Document, progress: Progress = quietly
) -> Document:
    """A document for a mesh, its materials' factors as start values and their pictures as lowest layers."""
    arrays = Pool()
    notes = list(mesh.notes)
    values: list[AnyValue] = []
    rasters: dict[str, Raster] = {}
    sizes = sizes_for(mesh.surfaces, size, notes)
    check_room(sizes)
    for number, look in enumerate(mesh.surfaces):
        if look.pictures:
            progress("Laying its pictures", number / len(mesh.surfaces))
        surface = newcomer(mesh, number, look.name, sizes[number], size)
        surface = surface.but(kept=kept_pictures(look, mesh, arrays, notes))
        values.append(surface)
        if layer := layer_of(surface, pictures_of(mesh, surface, look, notes)):
            values.append(layer[0])
            rasters |= layer[1]
    project = Project(name=clean_name(name, "Untitled"), size=size, notes=tuple(notes))
    document = make([project, model_of(mesh, arrays), *values], pools=(Pool(), arrays))
    for key, raster in rasters.items():
        document.place(key, raster.tiles)
    return document
