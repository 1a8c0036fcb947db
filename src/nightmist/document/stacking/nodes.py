"""Nodes of a stack added, deleted, moved, grouped and set: the changes that concern no pixels."""

from __future__ import annotations

from collections.abc import Sequence

from ...core.errors import NightmistError
from ...core.names import counted_on, listed, unused_name
from ...core.progress import Progress, part
from ..change import Change, raster_id
from ..derived.scaled import scaled
from ..derived.tables import table_of
from ..document import Document
from ..values import (
    MAPS,
    MASK,
    PLANES,
    Adjustment,
    AnyValue,
    Brushed,
    Decals,
    Group,
    MapName,
    Node,
    NodeMap,
    Surface,
    Wash,
    new_id,
)
from .fitting import finer, fitting

#: Orders closer than this are spread out anew.
CLOSEST = 1e-6
#: Groups may lie in each other this deep: each level costs a line of every map while it is worked out.
DEEPEST = 16
#: What a new node is called, by kind.
TITLES = {"brushed": "Layer", "group": "Group", "wash": "Wash", "decals": "Decals", "adjustment": "Adjustment"}
KINDS: dict[str, type[Node]] = {
    "brushed": Brushed,
    "group": Group,
    "wash": Wash,
    "decals": Decals,
    "adjustment": Adjustment,
}

Values = dict[str, tuple[AnyValue | None, AnyValue | None]]
Rasters = dict[str, tuple[str | None, str | None]]


def add_node(
    document: Document, parent: Surface | Group, kind: str = "brushed", name: str | None = None,
    index: int | None = None, **fields: object,
) -> tuple[Change, str]:  # fmt: skip
    """An empty node, on top unless an index (bottom 0) is given; and its id. fields: what its kind has besides."""
    if kind not in KINDS:
        raise NightmistError(f"There is no kind of layer {kind!r}; use {', '.join(KINDS)}.")
    stack = document.stack(parent.id)
    title = name if name is not None else unused_name(TITLES[kind], _names(document, parent))
    values, orders = room_for(stack, len(stack) if index is None else index, 1)
    if kind == "adjustment":
        # A new one changes colors alone: the other maps' numbers mean something else. Gray gives them to roughness.
        on = "roughness" if fields.get("effect") == "gray" else "base_color"
        fields.setdefault("maps", {name: NodeMap(on=False) for name in MAPS if name != on})
    if kind == "decals":
        # Their relief stands on what lies below.
        fields.setdefault("maps", {"height": NodeMap(blend="raise")})
    node = KINDS[kind](id=new_id(), parent=parent.id, order=orders[0], name=title, **fields)
    _check_depth(document, parent, [node])
    values[node.id] = (None, node)
    return Change(label=f"Add {_noun(node)} {node.name}", values=values), node.id


def remove_nodes(document: Document, nodes: Sequence[Node], to: str = "delete it") -> Change:
    """Delete nodes with their paint, and with all that lies in them.

    Raises NightmistError, which says what it would have to be unlocked for, where one is locked or in a locked group.
    """
    values: Values = {}
    rasters: Rasters = {}
    going = _with_all_in(document, nodes)
    for each in (*going, *(group for node in nodes for group in document.groups_over(node))):
        if each.locked:
            raise NightmistError(f"The {_noun(each)} {each.name} is locked. Unlock it to {to}.")
    for node in going:
        values[node.id] = (node, None)
        rasters.update(rasters_of(document, node))
    return Change(label=f"Delete {_called(nodes)}", values=values, rasters=rasters)


def rasters_of(document: Document, node: Node) -> Rasters:
    """The exchange that takes all of a node's pixels away."""
    found: Rasters = {}
    for name in PLANES:
        if table := table_of(document.raster(node.id, name), document.pool, document.arrays):
            found[raster_id(node.id, name)] = (table, None)
    return found


def move_nodes(document: Document, nodes: Sequence[Node], parent: Surface | Group, index: int) -> Change:
    """Put nodes, in the order in which they lie now, at an index of a stack, bottom 0.

    The index counts the nodes that stay. Raises NightmistError when a group would lie in itself, or the stack is
    another surface's.
    """
    nodes = outermost(document, nodes)
    goes = {node.id for node in nodes}
    over = [parent.id, *(group.id for group in document.groups_over(parent))] if isinstance(parent, Group) else []
    if inside := goes.intersection(over):
        raise NightmistError(f"The group {document.node(min(inside)).name} cannot lie in itself.")
    surface = document.surface_of(parent) if isinstance(parent, Group) else parent
    for node in nodes:
        if (own := document.surface_of(node)).id != surface.id:
            raise NightmistError(f"{node.name} belongs to {own.name}. Copy it to {surface.name} instead.")
    stack = document.stack(parent.id)
    others = [node for node in stack if node.id not in goes]
    at = min(max(index, 0), len(others))
    if [*others[:at], *nodes, *others[at:]] == stack:
        return Change(label="Reorder layers")
    _check_depth(document, parent, nodes)
    values, orders = room_for(others, at, len(nodes))
    for node, order in zip(nodes, orders, strict=True):
        values[node.id] = (node, node.but(parent=parent.id, order=order))
    into = any(node.parent != parent.id for node in nodes)
    label = f"Move {_called(nodes)} into {parent.name}" if into and isinstance(parent, Group) else "Reorder layers"
    return Change(label=label, values=values)


def group_nodes(document: Document, nodes: Sequence[Node], name: str | None = None) -> tuple[Change, str]:
    """Put nodes into a new group where the topmost of them lies; and its id."""
    nodes = outermost(document, nodes)
    if not nodes:
        raise NightmistError("Choose the layers that the group is to hold.")
    parent = document.values[nodes[-1].parent]
    assert isinstance(parent, Surface | Group)
    surface = document.surface_of(nodes[-1])
    if any(document.surface_of(node).id != surface.id for node in nodes):
        raise NightmistError("Only layers of one surface can lie in a group together.")
    title = name or unused_name(TITLES["group"], _names(document, surface))
    group = Group(id=new_id(), parent=parent.id, order=nodes[-1].order, name=title)
    values: Values = {group.id: (None, group)}
    for number, node in enumerate(nodes):
        values[node.id] = (node, node.but(parent=group.id, order=float(number)))
    _check_depth(document, parent, nodes, 1)
    return Change(label=f"Group {_called(nodes)}", values=values), group.id


def ungroup(document: Document, group: Node) -> Change:
    """What lies in a group takes its place in the stack, and looks as in the group as far as a node alone can: seen,
    opaque and masked as that was. A node with a mask of its own keeps that one.
    """
    if not isinstance(group, Group):
        raise NightmistError(f"{group.name} is no group.")
    stack, inside = document.stack(group.parent), document.stack(group.id)
    at = [node.id for node in stack].index(group.id)
    values, orders = room_for([node for node in stack if node.id != group.id], at, len(inside))
    rasters = rasters_of(document, group)
    painted, _ = rasters.get(raster_id(group.id, MASK), (None, None))
    for node, order in zip(inside, orders, strict=True):
        apart = node.but(
            parent=group.parent, order=order, opacity=node.opacity * group.opacity,
            visible=node.visible and group.visible,
        )  # fmt: skip
        if group.mask and not node.mask:
            apart = apart.but(mask=group.mask, mix=group.mix)
            if painted:
                rasters[raster_id(node.id, MASK)] = (None, painted)
        values[node.id] = (node, apart)
    values[group.id] = (group, None)
    return Change(label=f"Take {group.name} apart", values=values, rasters=rasters)


def set_node(document: Document, node: Node, **properties: object) -> Change:
    """Properties of a node, as one step: name, visible, locked, opacity, blend and what its kind has."""
    try:
        after: Node = node.but(**properties)
    except (NightmistError, TypeError) as error:
        given = ", ".join(f"{key} = {value!r}" for key, value in properties.items())
        raise NightmistError(f"The layer {node.name} cannot take {given}.") from error
    if after == node:
        return Change(label="")
    changed = [name for name in properties if getattr(node, name) != getattr(after, name)]
    label = f"Change {', '.join(changed)} of {node.name}"
    if changed == ["visible"]:
        label = f"{'Show' if after.visible else 'Hide'} {node.name}"
    elif changed == ["locked"]:
        label = f"{'Lock' if after.locked else 'Unlock'} {node.name}"
    elif changed == ["alpha_locked"]:
        label = f"{'Keep' if after.alpha_locked else 'Let go'} the alpha of {node.name}"
    merge = f"{node.id} {changed[0]}" if len(changed) == 1 and changed[0] in ("opacity", "maps") else None
    return Change(label=label, values={node.id: (node, after)}, merge=merge)


def show_alone(document: Document, node: Node) -> Change:
    """Hide all other nodes of a surface but groups over this one and what lies in it; all show if so already."""
    surface = document.surface_of(node)
    stays = {node.id, *(g.id for g in document.groups_over(node)), *(n.id for n in document.nodes_in(node.id))}
    every = document.nodes_in(surface.id)
    alone = {each.id: each.id in stays for each in every}
    if all(each.visible == alone[each.id] for each in every):
        alone = dict.fromkeys(alone, True)
    values: Values = {
        each.id: (each, each.but(visible=alone[each.id])) for each in every if each.visible != alone[each.id]
    }
    label = f"Show all of {surface.name}" if all(alone.values()) else f"Show {node.name} alone"
    return Change(label=label, values=values)


def set_map(document: Document, node: Node, name: MapName, **properties: object) -> Change:
    """How a node meets one map: on, opacity, blend (None: the node's)."""
    use = node.maps.get(name, NodeMap()).but(**properties)
    explicit = isinstance(node, Adjustment)
    maps = {key: each for key, each in {**node.maps, name: use}.items() if explicit or each != NodeMap()}
    return set_node(document, node, maps=maps)


def duplicate_nodes(document: Document, nodes: Sequence[Node], onto: Surface | None = None) -> tuple[Change, list[str]]:
    """The same nodes once more, right above themselves or on top of another surface's stack; and their ids.

    Pixels are shared, so a copy costs nothing, but on a surface with another map size.
    """
    values: Values = {}
    rasters: Rasters = {}
    made: list[str] = []
    stacks: dict[str, list[Node]] = {}
    names: dict[str, set[str]] = {}
    tops = outermost(document, nodes)
    for place, node in enumerate(tops):
        surface = document.surface_of(node)
        target = onto or surface
        parent = node.parent if target.id == surface.id else target.id
        stack = stacks.setdefault(parent, document.stack(parent))
        at = next((i + 1 for i, each in enumerate(stack) if each.id == node.id), len(stack))
        moved, orders = room_for(stack, at, 1)
        taken = names.setdefault(target.id, _names(document, target))
        title = counted_on(node.name, taken)
        progress = part(document.progress, place / len(tops), (place + 1) / len(tops))
        copies, pixels = _copies(document, node, target, progress)
        copies[-1] = copies[-1].but(parent=parent, order=orders[0], name=title)
        for _, after in moved.values():
            assert isinstance(after, Node)
            stack[[each.id for each in stack].index(after.id)] = after
        stack.insert(at, copies[-1])
        taken.add(title)
        made.append(copies[-1].id)
        values |= {key: (document.values.get(key), after) for key, (_, after) in moved.items()}
        values |= {copy.id: (None, copy) for copy in copies}
        rasters |= pixels
    label = f"Copy {_called(nodes)} to {onto.name}" if onto else f"Duplicate {_called(nodes)}"
    return Change(label=label, values=values, rasters=rasters), made


def _copies(document: Document, node: Node, target: Surface, progress: Progress) -> tuple[list[Node], Rasters]:
    """A node and all in it, itself last, with ids of their own and as they look on a surface; and their pixels."""
    inside = [*document.nodes_in(node.id), node]
    ids = {each.id: new_id() for each in inside}
    times = finer(document.surface_of(node), target)
    copies: list[Node] = []
    rasters: Rasters = {}
    for place, each in enumerate(inside):
        copy = scaled(each, times).but(id=ids[each.id], parent=ids.get(each.parent, each.parent))
        if isinstance(copy, Decals):
            # Of the same ids they would be the same decals.
            copy = copy.but(placed=tuple(decal.but(id=new_id()) for decal in copy.placed))
        copies.append(copy)
        its = part(progress, place / len(inside), (place + 1) / len(inside))
        for name, table in fitting(document, each, target, progress=its).items():
            rasters[raster_id(copy.id, name)] = (None, table)
    return copies, rasters


def outermost(document: Document, nodes: Sequence[Node]) -> list[Node]:
    """Those of some nodes that lie in no other of them, bottom first."""
    chosen = {node.id for node in nodes}
    surfaces = list(dict.fromkeys(document.surface_of(node).id for node in nodes))
    every = [node for surface in surfaces for node in document.nodes_in(surface) if node.id in chosen]
    return [node for node in every if chosen.isdisjoint(group.id for group in document.groups_over(node))]


def _with_all_in(document: Document, nodes: Sequence[Node]) -> list[Node]:
    return [each for node in outermost(document, nodes) for each in (*document.nodes_in(node.id), node)]


def _names(document: Document, parent: Surface | Group) -> set[str]:
    surface = document.surface_of(parent) if isinstance(parent, Group) else parent
    return {node.name for node in document.nodes_in(surface.id)}


def _noun(node: Node) -> str:
    return "layer" if isinstance(node, Brushed) else node.kind


def _called(nodes: Sequence[Node]) -> str:
    if len(nodes) == 1:
        return f"{_noun(nodes[0])} {nodes[0].name}"
    return listed([node.name for node in nodes], 3)


def _check_depth(document: Document, parent: Surface | Group, nodes: Sequence[Node], more: int = 0) -> None:
    over = 1 + len(document.groups_over(parent)) if isinstance(parent, Group) else 0

    def depth(node: Node) -> int:
        if not isinstance(node, Group):
            return 0
        return 1 + max((depth(one) for one in document.stack(node.id)), default=0)

    if over + more + max((depth(node) for node in nodes), default=0) > DEEPEST:
        raise NightmistError(f"Groups can lie in each other {DEEPEST} deep at most.")


def room_for(stack: Sequence[Node], at: int, count: int) -> tuple[Values, list[float]]:
    """Rising orders between the nodes before and behind an index; where there is no room, all are spread anew."""
    at = min(max(at, 0), len(stack))
    before = stack[at - 1].order if at else None
    behind = stack[at].order if at < len(stack) else None
    if before is None:
        first = 0.0 if behind is None else behind - count
        return {}, [first + i for i in range(count)]
    if behind is None:
        return {}, [before + 1 + i for i in range(count)]
    step = (behind - before) / (count + 1)
    if step > CLOSEST:
        return {}, [before + step * (i + 1) for i in range(count)]
    spread: Values = {
        node.id: (node, node.but(order=float(i + count * (i >= at)))) for i, node in enumerate(stack)
    }  # fmt: skip
    return spread, [float(at + i) for i in range(count)]
