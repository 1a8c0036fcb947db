"""What the messages of browsers do to the document, but for strokes and what takes long."""

from __future__ import annotations

from ..core.errors import NightmistError
from ..document import Document
from ..document.api import Layer
from ..document.derived.model import faces_of_runs
from ..document.values import Hit
from . import messages as say
from .messages import ClientMessage, ServerMessage

#: For places that are known by their UV alone.
NOWHERE = (0.0, 0.0, 0.0)


def do_edit(document: Document, request: ClientMessage) -> ServerMessage | None:
    """Change the document as a browser asks, or look at it; returns what there is to answer."""
    match request:
        case say.Undo():
            document.undo()
        case say.Redo():
            document.redo()
        case say.NewLayer():
            stack = document.surface(request.surface).layers
            above = next((i for i, layer in enumerate(stack) if layer.id == request.above), len(stack) - 1)
            return say.LayerAdded(layer=stack.add(index=above + 1).id)
        case say.DeleteLayer():
            layer = document.layer(request.layer)
            layer.surface.layers.remove(layer)
        case say.ReorderLayer():
            layer = document.layer(request.layer)
            layer.surface.layers.move(layer, request.index)
        case say.ChangeLayer():
            document.layer(request.layer).change(**properties(request))
        case say.SetDepth():
            document.surface(request.surface).depth = request.depth
        case say.TakeSample():
            place = Hit(request.surface, 0, NOWHERE, NOWHERE, request.uv)
            chosen = document.layer(request.layer) if request.layer else None
            return say.Sampled(pigment=document.sample(place, chosen))
        case say.Fill():
            _fill(document, request)
        case say.FillColor():
            _fill_color(document, request)
        case say.BumpFromColor():
            document.bump_from_color(document.layer(request.layer))
        case say.DrawGradient():
            layers = layers_of(document, request.layers) or None
            document.gradient(document.layer(request.layer), request.start, request.end, request.pigments, layers)
    return None


def layers_of(document: Document, ids: dict[str, str]) -> dict[str, Layer]:
    """Layers by the name of their surface. Raises NightmistError when one is not in that surface's stack."""
    layers = {name: document.layer(layer) for name, layer in ids.items()}
    for name, layer in layers.items():
        if layer.surface.name != name:
            raise NightmistError(f"The layer {layer.name} is not in the stack of {name}.")
    return layers


def properties(edit: say.ChangeLayer) -> dict[str, object]:
    """What of a layer is to be set."""
    return edit.model_dump(exclude_none=True, exclude={"type", "layer"})


def _fill(document: Document, request: say.Fill) -> None:
    layer, runs = document.layer(request.layer), request.faces
    region = faces_of_runs(runs, len(document.mesh.faces)) if runs is not None else None
    layers = layers_of(document, request.layers) or None
    if request.away:
        document.erase(layer, region=region, layers=layers, maps=request.pigment.values(), mirror=request.mirror)
    else:
        document.fill(layer, request.pigment, region=region, layers=layers, mirror=request.mirror)


def _fill_color(document: Document, request: say.FillColor) -> None:
    layer = document.layer(request.layer)
    like = Hit(layer.surface.name, request.face, NOWHERE, NOWHERE, request.uv)
    if request.away:
        document.erase_color(layer, like, request.tolerance, request.pigment.values())
    else:
        document.fill_color(layer, request.pigment, like, request.tolerance)
