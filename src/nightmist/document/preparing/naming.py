"""Names of the project, its surfaces and the model's parts; and surfaces that have lost all their faces."""

from __future__ import annotations

import numpy as np

from ...core.errors import NightmistError
from ..change import Change
from ..document import Document
from ..values import Model, Project, Surface
from .refit import Plan, of_one_value, refit


def rename_project(document: Document, name: str) -> Change:
    """The project is called otherwise."""
    after: Project = document.project.but(name=name)
    return of_one_value(f"Rename the project to {after.name}", document.project, after)


def rename_surface(document: Document, surface: str, name: str) -> Change:
    """A surface is called otherwise. Raises NightmistError when another one has the name."""
    value = document.surface_value(surface)
    after: Surface = value.but(name=name)
    if any(other.name == after.name for other in document.surface_values() if other.id != value.id):
        raise NightmistError(f"There is another surface {after.name}. Surfaces need names of their own.")
    return of_one_value(f"Rename {value.name} to {after.name}", value, after)


def rename_part(document: Document, part: int, name: str) -> Change:
    """A part of the model, by number, is called otherwise; two may have one name."""
    model = document.model
    if not 0 <= part < len(model.parts):
        raise NightmistError(f"There is no part {part}; the model has {len(model.parts)}.")
    after: Model = model.but(parts=(*model.parts[:part], name, *model.parts[part + 1 :]))
    return of_one_value(f"Rename {model.parts[part]} to {after.parts[part]}", model, after)


def remove_surface(document: Document, surface: str) -> Change:
    """A surface that has no faces any more goes, with its layers; those behind it move up by one number."""
    value = document.surface_value(surface)
    mesh, surfaces = document.mesh, document.surface_values()
    faces = mesh.faces_of(value.number)
    if len(faces):
        raise NightmistError(
            f"{value.name} still has {len(faces):,} faces. Give them to another surface first, then it can go."
        )
    left = [other for other in surfaces if other.id != value.id]
    face_surface = mesh.face_surface - (mesh.face_surface > value.number).astype(np.int32)
    numbered = [other.but(number=number) for number, other in enumerate(left)]
    return refit(document, Plan(f"Remove {value.name}", mesh.changed(face_surface=face_surface), surfaces=numbered))
