"""What of the stacks of other surfaces comes along with faces that a surface is given."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from itertools import count
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...core.mesh import Mesh
from ...core.texels import Raster
from ..change import raster_id
from ..derived.layouts import Layout
from ..document import Document
from ..values import CHANNELS, MASK, Adjustment, Decals, Group, MaskOf, Node, Surface, Wash, new_id


class Coming(NamedTuple):
    """The model as it will be; origin: (F,) the numbers of the old surfaces that its faces come from, -1 for none."""

    mesh: Mesh
    origin: Callable[[], NDArray[np.integer[Any]]]


@dataclass
class Received:
    """What a surface's stack becomes: nodes by id that are new, or others now; for layers, from which they take over,
    by the number of the old surface; and rasters of their own.
    """

    nodes: dict[str, Node] = field(default_factory=dict)
    sources: dict[str, dict[int, str]] = field(default_factory=dict)
    rasters: dict[str, Raster] = field(default_factory=dict)


def receive(document: Document, target: Surface, origins: Sequence[Surface], coming: Coming) -> Received:
    """Which layer of a surface takes the paint of which layers elsewhere, and the layers to be added for that.

    The first "Rust" goes to the first "Rust", the second to the second; what has no counterpart gets a layer of its own
    on top. Where something covers all of one of the surfaces, each stack comes as a group instead, with a mask of the
    faces that come, so that it neither hides what is there nor is hidden by it; unless it has the surface for itself.
    """
    received = Received()
    old = document.values.get(target.id)
    for node in _top_down(document, target.id):
        received.sources[node.id] = {old.number: node.id} if isinstance(old, Surface) else {}
    alone = old is None and len(origins) == 1
    apart = not alone and any(_covers(document, surface) for surface in (target, *origins))
    for origin in origins:
        if apart and _shows(document, origin):
            _set_apart(document, target, origin, coming, received)
        else:
            _match(document, target, origin, received)
    return received


def _covers(document: Document, surface: Surface) -> bool:
    """Whether something in a surface's stack covers all of it, or changes all that lies below."""
    return any(isinstance(node, Wash | Adjustment) for node in document.nodes_in(surface.id))


def _shows(document: Document, surface: Surface) -> bool:
    """Whether a surface's stack holds anything."""
    nodes = document.nodes_in(surface.id)
    return _covers(document, surface) or any(
        document.painted_planes(node.id) or (isinstance(node, Decals) and node.placed) for node in nodes
    )


def _match(document: Document, target: Surface, origin: Surface, received: Received) -> None:
    """Layers of one kind and name take what those of another surface hold; the others are added."""
    stack = list(({node.id: node for node in _top_down(document, target.id)} | received.nodes).values())
    top = _top(document, target, received)
    places: defaultdict[tuple[str, str], count[int]] = defaultdict(count)
    taken: dict[str, str] = {origin.id: target.id}
    for layer in _top_down(document, origin.id):
        nth = next(places[layer.kind, layer.name])
        same = [node for node in stack if (node.kind, node.name) == (layer.kind, layer.name)]
        if nth < len(same):
            receiver = same[nth]
            if isinstance(receiver, Decals) and isinstance(layer, Decals):
                # Those that lay over the border of both are there already.
                lacking = [decal for decal in layer.placed if receiver.decal(decal.id) is None]
                received.nodes[receiver.id] = receiver.but(placed=(*receiver.placed, *lacking))
        else:
            # What lies in a group keeps its place there; others come on top, in their order.
            parent, order = taken[layer.parent], layer.order
            if parent == target.id:
                order = top = top + 1
            receiver = layer.but(id=new_id(), parent=parent, order=order)
            received.nodes[receiver.id] = receiver
        taken[layer.id] = receiver.id
        received.sources.setdefault(receiver.id, {})[origin.number] = layer.id


def _set_apart(document: Document, target: Surface, origin: Surface, coming: Coming, received: Received) -> None:
    """A stack in a group of its surface's name, which a mask keeps to the faces that come from there."""
    layout = Layout(coming.mesh, target)
    mine = coming.origin()[layout.faces] == origin.number
    if not mine.any():
        return
    order = _top(document, target, received) + 1
    group = Group(id=new_id(), parent=target.id, order=order, name=origin.name, mask=MaskOf(start=0.0))
    received.nodes[group.id] = group
    taken = {origin.id: group.id}
    for layer in _top_down(document, origin.id):
        made = layer.but(id=new_id(), parent=taken[layer.parent])
        taken[layer.id] = made.id
        received.nodes[made.id] = made
        received.sources[made.id] = {origin.number: layer.id}
    shown = layout.covered_by(mine)
    raster = Raster(*target.size, CHANNELS[MASK])
    raster.take(np.where(shown, 65535, 0).astype(np.uint16)[..., None].repeat(2, axis=2))
    received.rasters[raster_id(group.id, MASK)] = raster


def _top(document: Document, target: Surface, received: Received) -> float:
    """The highest place that is taken in a surface's stack."""
    stack = [*document.stack(target.id), *(node for node in received.nodes.values() if node.parent == target.id)]
    return max((node.order for node in stack), default=0.0)


def _top_down(document: Document, parent: str) -> Iterator[Node]:
    """All nodes in a surface or a group, bottom first, each group before what lies in it."""
    for node in document.stack(parent):
        yield node
        yield from _top_down(document, node.id)
