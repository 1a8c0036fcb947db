"""A change of the model, of surfaces or of their maps, with what it makes of the paint."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from ...core.errors import NightmistError
from ...core.mesh import Mesh
from ...core.names import told_of
from ...core.progress import part
from ...core.texels import Raster
from ..change import Change, raster_id
from ..derived.model import look_of, model_of
from ..derived.tables import table_of
from ..document import Document
from ..room import check_room
from ..values import MODEL, PLANES, AnyValue, Node, Project, Surface
from .left_in_map import left_in_map
from .recognizing import Recognized, recognize
from .transfer import Sources, transfer

OVERLAID = (
    "On {} paint came to lie on other paint in the map, and only one of the two could stay. To keep both, undo this and"
    " give the islands places of their own first."
)
UNCHANGED = "That changes nothing: it is so already."


@dataclass
class Plan:
    """What a document is to become; what is not named stays.

    surfaces: all there will be, by number. nodes: those that are new, or others now. moved: ids of surfaces whose
    paint follows the model to its new place in their maps; other paint stays where it is in the map. sources: for
    layers of those, from which old layers they take over, where it is not from themselves alone. rasters: given whole.
    known: which of the mesh's faces are old ones.
    """

    label: str
    mesh: Mesh | None = None
    project: Project | None = None
    surfaces: list[Surface] | None = None
    nodes: list[Node] = field(default_factory=list)
    moved: Iterable[str] = ()
    sources: Sources = field(default_factory=dict)
    rasters: Mapping[str, Raster] = field(default_factory=dict)
    known: Recognized | None = None


def refit(document: Document, plan: Plan) -> Change:
    """The change that brings a plan into force. Raises NightmistError when it changes nothing.

    Everything is computed before anything changes, so a refusal or a cancel leaves the document as it was.
    """
    old = {surface.id: surface for surface in document.surface_values()}
    new = {surface.id: surface for surface in plan.surfaces} if plan.surfaces is not None else old
    check_room([surface.size for surface in new.values()], [surface.size for surface in old.values()])
    values: dict[str, tuple[AnyValue | None, AnyValue | None]] = {}
    for key in {**old, **new}:
        values[key] = (old.get(key), new.get(key))
    if plan.project:
        values[plan.project.id] = (document.project, plan.project)
    mesh = plan.mesh or document.mesh
    known = plan.known or recognize(document, mesh)
    if plan.mesh:
        mesh.surfaces = [look_of(surface) for surface in new.values()]
        values[MODEL] = (document.model, model_of(mesh, document.arrays))
        values.update(_regions(document, mesh, known, new))
    for node in plan.nodes:
        values[node.id] = (document.values.get(node.id), node)
    nodes = [node for key in old for node in document.nodes_in(key)]
    values.update({node.id: (node, None) for node in nodes if document.surface_of(node).id not in new})
    values = {key: pair for key, pair in values.items() if pair[0] != pair[1]}
    if not (values or plan.sources or plan.rasters):
        # Paint that follows what stays would only be rounded once more.
        raise NightmistError(UNCHANGED)
    rasters, overlaid = _rasters(document, plan, mesh, known, new, nodes)
    change = Change(
        label=plan.label, values=values, rasters={key: pair for key, pair in rasters.items() if pair[0] != pair[1]},
        notes=(
            *told_of(list(dict.fromkeys(overlaid)), OVERLAID),
            *left_in_map(document, mesh, known, new, plan.moved),
        ),
    )  # fmt: skip
    if not change:
        raise NightmistError(UNCHANGED)
    return change


def of_one_value(label: str, before: AnyValue, after: AnyValue, merge: str | None = None) -> Change:
    """The change of a value that means nothing to maps. Raises NightmistError when it changes nothing."""
    if before == after:
        raise NightmistError(UNCHANGED)
    return Change(label=label, values={before.id: (before, after)}, merge=merge)


def _regions(
    document: Document, mesh: Mesh, known: Recognized, surfaces: Mapping[str, Surface]
) -> dict[str, tuple[AnyValue | None, AnyValue | None]]:
    """Regions on the faces of another mesh; shapes in maps go with their surface."""
    found: dict[str, tuple[AnyValue | None, AnyValue | None]] = {}
    regions = document.region_values()
    if not regions:
        return found
    match = known.everywhere(mesh)
    for region in regions:
        chosen = np.zeros(len(document.mesh.faces) + 1, np.bool_)
        chosen[document.region_faces(region)] = True
        areas = tuple(area for area in region.areas if area.surface in surfaces)
        faces = np.flatnonzero(chosen[match]).astype(np.int64)
        found[region.id] = (region, region.but(faces=document.arrays.add(faces), areas=areas))
    return found


def _rasters(
    document: Document, plan: Plan, mesh: Mesh, known: Recognized, new: dict[str, Surface], nodes: list[Node]
) -> tuple[dict[str, tuple[str | None, str | None]], list[str]]:
    """Rasters that are exchanged: transferred, given, or dropped with their layer or the size of their map.

    Also returns the names of layers on which paint came to lie on other paint.
    """
    after: dict[str, Raster | None] = {}
    for node in nodes:
        surface = document.surface_of(node)
        stays = surface.id in new and new[surface.id].size == surface.size
        if not stays:
            after.update({raster_id(node.id, name): None for name in PLANES})
    wanted: dict[str, tuple[Surface, Sources]] = {}
    for key in plan.moved:
        mine = [node for node in nodes if document.surface_of(node).id == key]
        mine += [node for node in plan.nodes if _home(node, plan.nodes) == key]
        if mine:
            wanted[key] = (new[key], {node.id: plan.sources.get(node.id) or _itself(document, node) for node in mine})
    overlaid: list[str] = []
    if wanted:
        carried, overlaid = transfer(document, mesh, known, wanted, part(document.progress, 0.6, 0.8))
        after.update(carried)
    after.update(plan.rasters)
    found = {}
    for step, (key, raster) in enumerate(after.items()):
        document.progress("Carrying the paint over", 0.8 + 0.2 * step / len(after))
        before = document.rasters.get(key)
        tables = [table_of(r, document.pool, document.arrays) if r else None for r in (before, raster)]
        found[key] = (tables[0], tables[1])
    return found, overlaid


def _home(node: Node, beside: Sequence[Node]) -> str:
    """The id of the surface in which a new node will lie, maybe in groups that are as new."""
    group = next((other for other in beside if other.id == node.parent), None)
    return _home(group, beside) if group else node.parent


def _itself(document: Document, node: Node) -> Mapping[int, str]:
    return {document.surface_of(node).number: node.id} if node.id in document.values else {}
