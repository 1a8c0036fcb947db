"""Changes of the model: parts hidden, faces given to another surface, another model in its place."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from itertools import count

import numpy as np

from ...core.errors import NightmistError
from ...core.formats import read_model
from ...core.formats.bundle import the_model, unpacked
from ...core.mesh import Mesh, SurfaceLook
from ...core.mesh.methods import has_uvs, unwrap
from ...core.names import clean_name, unused_name
from ...core.progress import part
from ...core.srgb import encode
from ..change import Change
from ..document import Document
from ..values import DEFAULT_DEPTH, Brushed, Node, StartValues, Surface, new_id
from .refit import Plan, refit
from .transfer import old_faces
from .uvs import DEFAULT_ANGLE, DEFAULT_MARGIN, Faces

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
        target = origin.but(id=new_id(), name=title, number=len(surfaces), missing=())
        surfaces.append(target)
    else:
        target = document.surface_value(surface)
    given = [surfaces[int(n)] for n in np.unique(document.mesh.face_surface[chosen])]
    nodes, sources = _receivers(document, target, [s for s in given if s.id != target.id])
    face_surface = document.mesh.face_surface.copy()
    face_surface[chosen] = target.number
    mesh = document.mesh.changed(face_surface=face_surface)
    moved = {s.id for s in given} | {target.id}
    label = f"Assign faces to {target.name}"
    return refit(document, Plan(label, mesh, None, surfaces, nodes, moved, sources)), target.name


def replace_mesh(
    document: Document, files: dict[str, bytes], model: str | None = None, keep_paint: bool = True
) -> tuple[Change, list[str]]:
    """Put another model in place of this one; also returns what is to be known about it.

    Surfaces are matched by name, then by the faces that stayed, then in their order. keep_paint: the paint stays
    on the model, through faces that stayed and the nearest places of those that did not; otherwise it stays in
    the maps.
    """
    given = unpacked(files)
    mesh = read_model(model or the_model(given), given)
    notes = list(mesh.notes)
    surfaces, more = _surfaces_for(document, mesh)
    notes += more
    for surface in surfaces:
        faces = mesh.faces_of(surface.number)
        if not has_uvs(mesh, faces, surface.uv_set):
            mesh, more = unwrap(
                mesh, faces, faces, surface.uv_set, surface.size, "auto", DEFAULT_ANGLE, DEFAULT_MARGIN, None,
                part(document.progress, 0, 0.4),
            )  # fmt: skip
            notes += [f"The surface {surface.name} came without UVs and was unwrapped automatically.", *more]
    nodes: list[Node] = []
    sources: dict[str, dict[int, str]] = {}
    if keep_paint:
        for surface in surfaces:
            made, taken = _receivers(document, surface, _origins(document, mesh, surface, surfaces))
            nodes += made
            sources |= taken
    change = refit(
        document,
        Plan("Replace the model", mesh, document.project.but(hidden_parts=()), surfaces, nodes,
             [s.id for s in surfaces] if keep_paint else [], sources),
    )  # fmt: skip
    return change, notes


def _receivers(
    document: Document, target: Surface, origins: list[Surface]
) -> tuple[list[Node], dict[str, dict[int, str]]]:
    """Which layer of a surface takes the paint of which layers elsewhere, and the layers to be added for that.

    The first "Rust" goes to the first "Rust", the second to the second; what has no counterpart gets a layer of
    its own on top.
    """
    stack = document.stack(target.id)
    sources: dict[str, dict[int, str]] = {}
    old = document.values.get(target.id)
    for node in stack:
        sources[node.id] = {old.number: node.id} if isinstance(old, Surface) else {}
    nodes: list[Node] = []
    top = max((node.order for node in stack), default=0.0)
    for origin in origins:
        places: defaultdict[str, count[int]] = defaultdict(count)
        for layer in document.stack(origin.id):
            nth = next(places[layer.name])
            same = [node for node in [*stack, *nodes] if node.name == layer.name]
            if nth < len(same):
                receiver = same[nth]
            else:
                top += 1
                receiver = Brushed(**{**layer.model_dump(), "id": new_id(), "parent": target.id, "order": top})
                nodes.append(receiver)
            sources.setdefault(receiver.id, {})[origin.number] = layer.id
    return nodes, sources


def _origins(document: Document, mesh: Mesh, surface: Surface, surfaces: list[Surface]) -> list[Surface]:
    """Old surfaces that a new one may get paint from besides its own: its faces lay there, or they are gone."""
    match = old_faces(document, mesh)[mesh.faces_of(surface.number)]
    numbers = set(np.unique(document.mesh.face_surface[match[match >= 0]]).tolist())
    stays = {s.id for s in surfaces}
    new_faces = bool((match < 0).any())
    return [
        old
        for old in document.surface_values()
        if old.id != surface.id and (old.number in numbers or (new_faces and old.id not in stays))
    ]


def _surfaces_for(document: Document, mesh: Mesh) -> tuple[list[Surface], list[str]]:
    """Each surface of a new model: the old one that it stands for, else a fresh one; and what to say about it."""
    old = {surface.name: surface for surface in document.surface_values()}
    found: dict[int, Surface] = {i: old.pop(look.name) for i, look in enumerate(mesh.surfaces) if look.name in old}
    left = [i for i in range(len(mesh.surfaces)) if i not in found]
    match = old_faces(document, mesh)
    for i in list(left):
        shared = match[mesh.faces_of(i)]
        numbers = document.mesh.face_surface[shared[shared >= 0]]
        best = max(old.values(), key=lambda s: int((numbers == s.number).sum()), default=None)
        if best is not None and (numbers == best.number).any():
            found[i] = old.pop(best.name)
            left.remove(i)
    for i in list(left):
        if old and len(left) <= len(old):
            found[i] = old.pop(next(iter(old)))
    notes = [
        f"{surface.name} stands for {mesh.surfaces[i].name} of the new model, and keeps its name and layers."
        for i, surface in sorted(found.items())
        if surface.name != mesh.surfaces[i].name
    ]
    for surface in old.values():
        painted = [node.name for node in document.stack(surface.id) if document.painted_maps(node.id)]
        if painted:
            notes.append(
                f"The new model has no surface {surface.name}; what was painted there, on {', '.join(painted)},"
                " stays where the model still is. Undo brings all of it back."
            )
    taken = {surface.name for surface in found.values()}
    surfaces = []
    for i, look in enumerate(mesh.surfaces):
        mine = found.get(i) or _fresh(document, mesh, i, unused_name(look.name, taken))
        taken.add(mine.name)
        surfaces.append(mine.but(number=i))
    return surfaces, notes


def _fresh(document: Document, mesh: Mesh, number: int, name: str) -> Surface:
    width, height = document.project.size
    return Surface(
        id=new_id(), name=name, number=number, width=width, height=height, start=start_of(mesh.surfaces[number]),
        depth=usual_depth(mesh),
    )  # fmt: skip


def usual_depth(mesh: Mesh) -> float:
    """What height 0-1 spans at first: a hundredth of the model, so that relief shows alike in every unit."""
    low, high = mesh.bounds
    return float(f"{0.01 * float(np.linalg.norm(high - low)):.1g}") or DEFAULT_DEPTH


def start_of(look: SurfaceLook) -> StartValues:
    """A material's factors as start values."""
    red, green, blue = encode(look.base_color).tolist()
    return StartValues(base_color=(red, green, blue), roughness=look.roughness, metallic=look.metallic)
