"""Another model in place of a document's: what goes where, and the change itself."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cache, partial

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from ...core.formats import read_model
from ...core.formats.bundle import the_model, unpacked
from ...core.mesh import Mesh
from ...core.names import listed, told_of, unused_name
from ...core.progress import part
from ...core.texels import Raster
from ..change import Change
from ..document import Document
from ..hidden import hidden_by_name
from ..values import MAP_SLOTS, Meant, Node, Surface
from .losses import emptied_regions, losses, told
from .matching import Match, Why, match_surfaces, places_shared
from .motion import with_moved_frames
from .newcomers import layer_of, newcomer, pictures_of, sizes_for
from .receiving import Coming, receive
from .recognizing import Recognized, recognize
from .refit import Plan, refit
from .untouched import carried_uvs, handed_through, kept_pictures
from .uvs import Bare, unwrapped_where_bare

#: An old surface that lay under this share of a new one's places gives it paint.
SOME = 0.1
#: Losses that are told one by one once they have happened; before, all of them are.
MOST_TOLD = 4


class Successor(BaseModel):
    """A surface of the new model, and the old one whose layers it takes; none when it begins anew.

    besides: other old surfaces whose paint comes along where their faces lay.
    """

    name: str
    faces: int
    takes: str | None
    why: Why
    besides: list[str]


class Left(BaseModel):
    """A surface that no surface of the new model stands for, and its layers with paint."""

    name: str
    layers: list[str]


class Replacement(BaseModel):
    """What goes where when a new model takes the place of the old one; losses: paint and regions that stay without."""

    surfaces: list[Successor]
    left: list[Left]
    notes: list[str]
    losses: list[str]


def preview_of_replacement(
    document: Document, mesh: Mesh, keep_paint: bool = True, chosen: Mapping[str, str | None] | None = None
) -> Replacement:
    """What `replace_mesh` would do with the files of this mesh."""
    known = recognize(document, mesh)
    matches = match_surfaces(document, mesh, known, chosen)
    takings = _takings(document, mesh, known, matches, _surfaces_for(document, mesh, matches, [])) if keep_paint else []
    besides = {surface.number: [old.name for old in origins] for surface, origins in takings}
    successors = [
        Successor(
            name=m.name, faces=_polygons(mesh, m.number), takes=m.old.name if m.old else None, why=m.why,
            besides=besides.get(m.number, []),
        )
        for m in matches
    ]  # fmt: skip
    return Replacement(
        surfaces=successors, left=_left(document, matches), notes=[*mesh.notes, *_not_taken(mesh, matches)],
        losses=_lost(document, mesh, known, takings),
    )  # fmt: skip


def replace_mesh(
    document: Document, files: dict[str, bytes], model: str | None = None, keep_paint: bool = True,
    chosen: Mapping[str, str | None] | None = None,
) -> tuple[Change, list[str]]:  # fmt: skip
    """Put another model in place of this one; also returns what is to be known about it.

    Surfaces are matched by nearly all their faces, by name, by some faces that stayed, by place, by names that are
    nearly the same, and in their order; chosen: otherwise for some, as `match_surfaces` takes it. keep_paint: the
    paint stays on the model, through faces that stayed and the nearest places of those that did not; otherwise it
    stays in the maps. A painted surface that none stands for is kept, without faces.
    """
    mesh = read_new_model(files, model)
    known = recognize(document, mesh)
    matches = match_surfaces(document, mesh, known, chosen)
    notes = [*mesh.notes, *_notes(document, matches), *_not_taken(mesh, matches)]
    surfaces = _surfaces_for(document, mesh, matches, notes, known.motion.scale if known.motion else 1.0)
    # Most pictures of a model lie by the same UVs.
    uvs_now = cache(partial(carried_uvs, document, known))
    surfaces = [_with_what_is_not_painted(document, mesh, known, surface, uvs_now, notes) for surface in surfaces]
    mesh, more = unwrapped_where_bare(
        mesh, [Bare(s.name, s.number, s.uv_set, s.size) for s in surfaces], part(document.progress, 0, 0.4)
    )
    notes += more
    nodes: list[Node] = []
    rasters: dict[str, Raster] = {}
    for match, surface in zip(matches, surfaces, strict=True):
        look = mesh.surfaces[surface.number]
        if match.old is None and (layer := layer_of(surface, pictures_of(mesh, surface, look, notes))):
            nodes.append(layer[0])
            rasters |= layer[1]
    sources: dict[str, dict[int, str]] = {}
    takings = _takings(document, mesh, known, matches, surfaces) if keep_paint else []
    coming = Coming(mesh, cache(partial(_origin_of_faces, document, known, mesh)))
    for surface, origins in takings:
        received = receive(document, surface, origins, coming)
        nodes += received.nodes.values()
        sources |= received.sources
        rasters |= received.rasters
    lost = _lost(document, mesh, known, takings)
    project = document.project.but(
        hidden_parts=hidden_by_name(document.mesh.parts, document.project.hidden_parts, mesh.parts)
    )
    kept = _without_faces(document, matches, len(surfaces))
    plan = Plan(
        "Replace the model", mesh, project, [*surfaces, *kept], nodes, [s.id for s, _ in takings], sources, rasters,
        known,
    )  # fmt: skip
    change = refit(document, plan)
    rest = len(lost) - MOST_TOLD
    notes += [f"{each} Undo brings it back." for each in lost[:MOST_TOLD]]
    notes += [f"Losses of this kind besides: {rest}."] if rest > 0 else []
    return with_moved_frames(document, known, mesh, change), notes


def _polygons(mesh: Mesh, surface: int) -> int:
    return len(np.unique(mesh.polygon[mesh.faces_of(surface)]))


def _takings(
    document: Document, mesh: Mesh, known: Recognized, matches: list[Match], surfaces: list[Surface]
) -> list[tuple[Surface, list[Surface]]]:
    """New surfaces whose paint follows the model, and the old ones that each gets paint from besides its own.

    One that is to begin anew gets none.
    """
    anew = {match.number for match in matches if match.old is None and match.why == "chosen"}
    # What a surface without faces keeps lies in its map alone, and is there again when it gets faces.
    faceless = {s.id for s in document.surface_values() if not len(document.layout(s).faces)}
    shared = places_shared(document, known.in_old_place(mesh))
    return [
        (
            surface,
            _origins(document, known.face[mesh.faces_of(surface.number)], surface, surfaces, shared[surface.number]),
        )
        for surface in surfaces
        if surface.id not in faceless and surface.number not in anew
    ]


def _origin_of_faces(document: Document, known: Recognized, mesh: Mesh) -> NDArray[np.int64]:
    """(F,) the numbers of the old surfaces that new faces lay on, or lie nearest to; -1 for none."""
    match = known.everywhere(mesh)
    return np.where(match >= 0, document.mesh.face_surface[np.maximum(match, 0)], -1)


def _lost(document: Document, mesh: Mesh, known: Recognized, takings: list[tuple[Surface, list[Surface]]]) -> list[str]:
    """What is to be known of paint and regions that lie near nothing of the new model."""
    # One without a successor keeps its paint in its map, without faces.
    stay = {surface.id for surface, _ in takings}
    numbers = {old.id: old.number for old in document.surface_values() if old.id in stay}
    takes = {
        surface.number: {numbers[each.id] for each in (surface, *origins) if each.id in numbers}
        for surface, origins in takings
    }
    found = [told(loss) for loss in losses(document, mesh, known, takes)]
    if emptied := emptied_regions(document, mesh, known):
        found.append(f"Nothing of the new model lies where the faces of {listed(emptied)} lay.")
    return found


def read_new_model(files: dict[str, bytes], model: str | None = None) -> Mesh:
    """The model among files. Raises NightmistError when there is none, or not exactly one that is named."""
    given = unpacked(files)
    return read_model(model or the_model(given), given)


def _origins(
    document: Document, match: NDArray[np.int64], surface: Surface, surfaces: list[Surface], shared: dict[int, float]
) -> list[Surface]:
    """Old surfaces that a new one may get paint from besides its own: its faces lay there, or about there.

    match: for each of its faces the old one that it is, -1 for others. shared: as `places_shared` has it.
    """
    numbers = set(document.mesh.face_surface[match[match >= 0]].tolist())
    stays = {s.id for s in surfaces}
    if (match < 0).any():
        numbers |= {number for number, share in shared.items() if share >= SOME}
        numbers |= {old.number for old in document.surface_values() if old.id not in stays}
    return [old for old in document.surface_values() if old.id != surface.id and old.number in numbers]


def _painted(document: Document, surface: Surface) -> list[str]:
    return [node.name for node in document.nodes_in(surface.id) if document.painted_planes(node.id)]


def _left(document: Document, matches: list[Match]) -> list[Left]:
    stands = {match.old.id for match in matches if match.old}
    return [
        Left(name=surface.name, layers=_painted(document, surface))
        for surface in document.surface_values()
        if surface.id not in stands
    ]


def _without_faces(document: Document, matches: list[Match], first: int) -> list[Surface]:
    """Painted surfaces that none stands for, numbered from `first` on."""
    names = [left.name for left in _left(document, matches) if left.layers]
    return [document.surface_value(name).but(number=first + k, kept=()) for k, name in enumerate(names)]


def _notes(document: Document, matches: list[Match]) -> list[str]:
    left = _left(document, matches)
    return [
        *told_of(
            [f"{m.old.name} stands for {m.name}" for m in matches if m.old and m.old.name != m.name],
            "{} of the new model, and keeps its name and layers.",
            "{} of the new model; each keeps its name and layers.",
        ),
        *told_of(
            [f"{each.name} (painted: {listed(each.layers)})" for each in left if each.layers],
            "The new model has no surface {}; it is kept without faces. Remove it in Prepare when it is not wanted.",
            "The new model has no surfaces {}; they are kept without faces. Remove them in Prepare when they are not"
            " wanted.",
        ),
        *told_of(
            [each.name for each in left if not each.layers],
            "The new model has no surface {}; nothing was painted there, so it is gone.",
            "The new model has no surfaces {}; nothing was painted there, so they are gone.",
        ),
    ]


def _not_taken(mesh: Mesh, matches: list[Match]) -> list[str]:
    """Of surfaces that have layers already: the new file's pictures of what is painted here."""
    found = []
    for match in matches:
        pictures = mesh.surfaces[match.number].pictures
        if match.old and (slots := [slot.replace("_", " ") for slot in MAP_SLOTS if slot in pictures]):
            found.append(f"{match.name} ({listed(slots)})")
    return told_of(
        found,
        "Pictures of the new file are not taken where layers stay: {}. A surface that begins anew takes its own.",
    )


def _with_what_is_not_painted(
    document: Document, mesh: Mesh, known: Recognized, surface: Surface, uvs_now: Callable[[str], str], notes: list[str]
) -> Surface:
    if surface.id in document.values:
        return handed_through(document, mesh, known, surface, uvs_now, notes)
    fresh: Surface = surface.but(kept=kept_pictures(mesh.surfaces[surface.number], mesh, document.arrays, notes))
    return fresh


def _surfaces_for(
    document: Document, mesh: Mesh, matches: list[Match], notes: list[str], scale: float = 1.0
) -> list[Surface]:
    """A surface for each of the new model's: the old one that it stands for, else a fresh one.

    scale: how much larger the model has become; relief goes along.
    """
    taken = {surface.name for surface in document.surface_values()}
    usual = document.project.size
    sizes = iter(sizes_for([mesh.surfaces[match.number] for match in matches if not match.old], usual, notes))
    surfaces = []
    for match in matches:
        if match.old:
            # Other faces have other numbers.
            meant = Meant(kinds=match.old.meant.kinds)
            depth = match.old.depth if scale == 1 else float(f"{match.old.depth * scale:.6g}")
            surfaces.append(match.old.but(number=match.number, meant=meant, depth=depth))
        else:
            name = unused_name(match.name, taken)
            taken.add(name)
            surfaces.append(newcomer(mesh, match.number, name, next(sizes), usual))
    return surfaces
