"""Changes of the model: parts hidden, faces given to another surface."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from ...core.errors import NightmistError
from ...core.mesh import Mesh, SurfaceLook
from ...core.mesh.overlap import shared_texels
from ...core.names import clean_name, unused_name
from ...core.srgb import encode
from ..change import Change
from ..document import Document
from ..values import DEFAULT_DEPTH, Meant, StartValues, new_id
from .receiving import Coming, receive
from .refit import Plan, refit
from .uvs import Faces

#: Surfaces that the wire can number.
MOST_SURFACES = 65535


def hide_parts(document: Document, parts: Iterable[int]) -> Change:
    """Exactly these parts, by number, are hidden: not shown, not picked, not painted on."""
    hidden = tuple(sorted(set(parts)))
    if hidden and (hidden[0] < 0 or hidden[-1] >= len(document.mesh.parts)):
        raise NightmistError(f"There is no part {hidden[-1]}; the model has {len(document.mesh.parts)}.")
    project = document.project.but(hidden_parts=hidden)
    return refit(document, Plan("Hide parts" if hidden else "Show all parts", project=project))


def assign_faces(
    document: Document, faces: Faces, surface: str | None = None, name: str = "surface"
) -> tuple[Change, str]:
    """Move faces to another surface, or to a new one; the paint on them goes along. Also returns its name.

    A new surface begins with the size and start values of the one that the first face comes from.
    """
    chosen = np.asarray(faces, np.int64)
    if not len(chosen) or chosen.min() < 0 or chosen.max() >= len(document.mesh.faces):
        raise NightmistError("Pick faces of the model first.")
    surfaces = document.surface_values()
    origin = surfaces[int(document.mesh.face_surface[chosen[0]])]
    if surface is None:
        if len(surfaces) >= MOST_SURFACES:
            raise NightmistError(f"A model has at most {MOST_SURFACES} surfaces.")
        title = unused_name(clean_name(name, "surface"), {s.name for s in surfaces})
        target = origin.but(id=new_id(), name=title, number=len(surfaces), missing=(), meant=Meant())
        surfaces.append(target)
    else:
        target = document.surface_value(surface)
    given = [surfaces[int(n)] for n in np.unique(document.mesh.face_surface[chosen])]
    face_surface = document.mesh.face_surface.copy()
    face_surface[chosen] = target.number
    mesh = document.mesh.changed(face_surface=face_surface)
    came = Coming(mesh, lambda: document.mesh.face_surface)
    received = receive(document, target, [s for s in given if s.id != target.id], came)
    moved = {s.id for s in given} | {target.id}
    label = f"Assign faces to {target.name}"
    plan = Plan(label, mesh, None, surfaces, [*received.nodes.values()], moved, received.sources, received.rasters)
    return refit(document, plan), target.name


def said_of_shared(document: Document, faces: Faces, surface: str) -> list[str]:
    """What is to be known after faces were given to a surface: whether some lie in its map where others of it do."""
    own = document.layout(document.surface_value(surface)).ownership
    shared = shared_texels(own)
    came = np.isin(own.faces, np.asarray(faces, np.int64))
    if not (came[shared.first] != came[shared.second]).any():
        return []
    return [
        f"In the map of {surface} some of these faces lie over others: both show the same paint now, and only one of"
        " two paints could stay. To keep both, undo this and move their islands to free places of that map first."
    ]


def usual_depth(mesh: Mesh) -> float:
    """What height 0-1 spans at first: a hundredth of the model, so that relief shows alike in every unit."""
    low, high = mesh.bounds
    return float(f"{0.01 * float(np.linalg.norm(high - low)):.1g}") or DEFAULT_DEPTH


def start_of(look: SurfaceLook) -> StartValues:
    """A material's factors as start values."""
    red, green, blue = encode(look.base_color).tolist()
    return StartValues(
        base_color=(red, green, blue), roughness=look.roughness, metallic=look.metallic, opacity=look.opacity
    )
