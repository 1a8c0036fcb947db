"""Layers added, deleted, moved and set: the changes that concern a stack but no pixels."""

from __future__ import annotations

from ...core.errors import NightmistError
from ...core.names import unused_name
from ..change import Change, raster_id
from ..derived.tables import table_of
from ..document import Document
from ..values import MAPS, AnyValue, Brushed, Node, Surface, new_id

#: Orders closer than this are spread out anew.
CLOSEST = 1e-6


def add_layer(
    document: Document, surface: Surface, kind: str = "brushed", name: str | None = None, index: int | None = None
) -> tuple[Change, str]:
    """An empty layer, on top unless an index (bottom 0) is given; and its id."""
    if kind != "brushed":
        raise NightmistError(f"There is no kind of layer {kind!r}; use 'brushed'.")
    stack = document.stack(surface.id)
    title = name if name is not None else unused_name("Layer", {node.name for node in stack})
    at = len(stack) if index is None else min(max(index, 0), len(stack))
    values, order = _room(stack, at)
    try:
        layer = Brushed(id=new_id(), parent=surface.id, order=order, name=title)
    except NightmistError as error:
        raise NightmistError("A layer's name has 1 to 80 letters.") from error
    values[layer.id] = (None, layer)
    return Change(label=f"Add layer {layer.name}", values=values), layer.id


def remove_layer(document: Document, layer: Node) -> Change:
    """Delete a layer with its paint."""
    rasters = {}
    for name in MAPS:
        if table := table_of(document.raster(layer.id, name), document.pool, document.arrays):
            rasters[raster_id(layer.id, name)] = (table, None)
    return Change(label=f"Delete layer {layer.name}", values={layer.id: (layer, None)}, rasters=rasters)


def move_layer(document: Document, layer: Node, index: int) -> Change:
    """Put a layer at an index of its stack, bottom 0."""
    stack = document.stack(layer.parent)
    others = [node for node in stack if node.id != layer.id]
    at = min(max(index, 0), len(others))
    if [*others[:at], layer, *others[at:]] == stack:
        return Change(label="Reorder layers")
    values, order = _room(others, at)
    values[layer.id] = (layer, layer.but(order=order))
    return Change(label="Reorder layers", values=values)


def set_layer(document: Document, layer: Node, **properties: object) -> Change:
    """Properties of a layer, as one step: name, visible, opacity, blend."""
    try:
        after: Node = layer.but(**properties)
    except NightmistError as error:
        given = ", ".join(f"{key} = {value!r}" for key, value in properties.items())
        raise NightmistError(f"The layer {layer.name} cannot take {given}.") from error
    if after == layer:
        return Change(label="")
    changed = [name for name in properties if getattr(layer, name) != getattr(after, name)]
    label = f"Change {', '.join(changed)} of {layer.name}"
    if changed == ["visible"]:
        label = f"{'Show' if after.visible else 'Hide'} {layer.name}"
    merge = f"{layer.id} opacity" if changed == ["opacity"] else None
    return Change(label=label, values={layer.id: (layer, after)}, merge=merge)


def set_depth(surface: Surface, depth: float) -> Change:
    """How many model units a surface's height spans."""
    if not abs(depth) <= 1e6:
        raise NightmistError(f"A relief depth of {depth!r} does not work; give a number of model units.")
    if depth == surface.depth:
        return Change(label="")
    return Change(
        label=f"Relief depth of {surface.name}", values={surface.id: (surface, surface.but(depth=float(depth)))},
        merge=f"{surface.id} depth",
    )  # fmt: skip


def _room(stack: list[Node], at: int) -> tuple[dict[str, tuple[AnyValue | None, AnyValue | None]], float]:
    """An order between the nodes before and behind an index; where there is no room, all orders are spread anew."""
    before = stack[at - 1].order if at else None
    behind = stack[at].order if at < len(stack) else None
    if before is not None and behind is not None and behind - before <= CLOSEST:
        spread: dict[str, tuple[AnyValue | None, AnyValue | None]] = {
            node.id: (node, node.but(order=float(i + (i >= at)))) for i, node in enumerate(stack)
        }
        return spread, float(at)
    if before is None:
        return {}, 0.0 if behind is None else behind - 1
    return {}, before + 1 if behind is None else (before + behind) / 2
