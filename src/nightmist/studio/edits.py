"""What the messages of browsers do to the document, but for strokes and what takes long."""

from __future__ import annotations

import numpy as np

from ..core.errors import NightmistError
from ..document import Document
from ..document.change import Change
from ..document.derived.model import faces_of_runs
from ..document.painting import filling
from ..document.painting.covered import why_covered
from ..document.painting.stencils import apply_stencil
from ..document.values import Fence, Hit, Node, Region, load_of
from . import messages as say
from .messages import ClientMessage, ServerMessage
from .stack_message import StackMessage

#: For places that are known by their UV alone.
NOWHERE = (0.0, 0.0, 0.0)
LIES_THERE = "Nothing was changed: what was to be laid lies there already."


def do_edit(document: Document, request: ClientMessage) -> list[ServerMessage]:
    """Change the document as a browser asks, or look at it; returns what there is to answer."""
    match request:
        case say.Undo():
            document.undo()
        case say.Redo():
            document.redo()
        case StackMessage():
            made = request.run(document)
            doubt = request.doubt(document, made)
            answers: list[ServerMessage] = [say.Made(ids=made)] if made else []
            return [*answers, say.Notice(message=doubt)] if doubt else answers
        case say.TakeSample():
            place = Hit(request.surface, 0, NOWHERE, NOWHERE, request.uv)
            chosen = document.layer(request.layer) if request.layer else None
            return [say.Sampled(pigment=document.sample(place, chosen))]
        case say.Fill():
            return _fill(document, request)
        case say.FillColor():
            return _laid_on(document, _fill_color(document, request))
        case say.ApplyStencil():
            fence = Fence(region=request.fence) if request.fence else None
            load = load_of(request.pigment, request.mask_value)
            layers, camera = nodes_of(document, request.layers), None if request.in_map else request.camera
            if camera is None and request.in_map is None:
                raise NightmistError("A stencil needs a camera, or the map that it lies in.")
            return _laid_on(
                document, apply_stencil(document, layers, camera, request.stencil, load, fence, request.in_map)
            )
        case say.BumpFromColor():
            return _laid_on(document, filling.bump_from_color(document, document.node(request.layer)))
        case say.DrawGradient():
            return _laid_on(document, _gradient(document, request))
    return []


def nodes_of(document: Document, ids: dict[str, str]) -> dict[str, Node]:
    """Nodes by the name of their surface. Raises NightmistError when one is not in that surface's stack."""
    nodes = {name: document.node(key) for name, key in ids.items()}
    for name, node in nodes.items():
        if document.surface_of(node).name != name:
            raise NightmistError(f"The layer {node.name} is not in the stack of {name}.")
    return nodes


def _laid_on(document: Document, change: Change, held_back: str | None = None) -> list[ServerMessage]:
    """Do what lays paint; what is to be said when nothing of it is seen. held_back: why nothing could be laid."""
    if not change:
        nothing = "Nothing was erased: nothing lies there." if change.label.startswith("Erase") else LIES_THERE
        return [say.Notice(message=held_back or nothing)]
    document.make(change)
    reason = why_covered(document, change)
    return [say.Notice(message=reason.sentence, layer=reason.instead and reason.instead.id)] if reason else []


def _fill(document: Document, request: say.Fill) -> list[ServerMessage]:
    node, runs = document.node(request.layer), request.faces
    faces = None if runs is None else faces_of_runs(runs, len(document.mesh.faces))
    region = document.region_value(request.region) if request.region and faces is None else faces
    layers = nodes_of(document, request.layers) or None
    laid = _laid(request)
    change = filling.fill(document, node, laid, region, layers, request.mirror, _fence(document, request))
    return _laid_on(document, change, None if change or faces is None else _without_uvs(document, faces))


def _without_uvs(document: Document, faces: filling.Faces) -> str | None:
    """Why nothing can be laid on any of some faces, of whatever surfaces; None where it can."""
    chosen = np.asarray(faces, np.int64)
    belongs = document.mesh.face_surface[chosen]
    shares = ((surface, chosen[belongs == surface.number]) for surface in document.surface_values())
    why = [document.without_uvs(surface, share) for surface, share in shares if len(share)]
    return why[0] if why and all(why) else None


def _fill_color(document: Document, request: say.FillColor) -> Change:
    node = document.node(request.layer)
    like = Hit(document.surface_of(node).name, request.face, NOWHERE, NOWHERE, request.uv)
    return filling.fill_color(
        document, node, _laid(request), like, request.tolerance, request.softness, _fence(document, request)
    )


def _gradient(document: Document, request: say.DrawGradient) -> Change:
    layers = nodes_of(document, request.layers) or None
    values = request.mask_values or (None, None)
    first, second = (load_of(*pair) for pair in zip(request.pigments, values, strict=True))
    node, fence = document.node(request.layer), _fence(document, request)
    loads, mirror = (first, second), request.mirror
    return filling.gradient(document, node, request.start, request.end, loads, layers, fence, mirror)


def _laid(request: say.Fill | say.FillColor) -> filling.Laid:
    load = load_of(request.pigment, request.mask_value)
    return filling.erased(load) if request.away else dict(load)


def _fence(document: Document, request: say.Fill | say.FillColor | say.DrawGradient) -> Region | None:
    return document.region_value(request.fence) if request.fence else None
