"""Which nodes take paint, in their maps or in their masks; and why others do not."""

from __future__ import annotations

from ...core.errors import NightmistError
from ..document import Document
from ..values import Brushed, Decals, Node

#: What a node is, as one says it.
KINDS = {
    "wash": "a wash", "group": "a group", "adjustment": "an adjustment",
    "decals": "a layer of decals",
}  # fmt: skip


def receiving(document: Document, node: Node, on_masks: bool = False) -> dict[str, Node]:
    """Which node takes a stroke on each surface, by its name, when it is begun on `node`; hidden ones take none.

    Elsewhere it is the layer of the same name, else the topmost; a mask goes on only in masks of that name.
    """
    found = {document.surface_of(node).name: node}
    for surface in document.surface_values():
        able = [other for other in document.nodes_in(surface.id) if why_not(document, other, on_masks) is None]
        same = [other for other in able if other.name == node.name]
        if surface.name not in found and (same or (able and not on_masks)):
            found[surface.name] = (same or able[-1:])[0]
    return found


def check_receives(document: Document, node: Node, on_mask: bool = False, erases: bool = False) -> None:
    """Raises NightmistError, with what to do, where a node takes no paint in its maps or, if so asked, its mask."""
    if why := why_not(document, node, on_mask, erases):
        raise NightmistError(why)


def why_not(document: Document, node: Node, on_mask: bool = False, erases: bool = False) -> str | None:
    """Why a node takes no paint in its maps or in its mask, with what to do; None where it does."""
    if on_mask and node.mask is None:
        return f"{node.name} has no mask. Add one first."
    if not on_mask and not isinstance(node, Brushed):
        said = f"{node.name} is {KINDS[node.kind]} and holds no paint of its own."
        return f"{said} Choose a brushed layer, or paint on its mask."
    for each in (node, *document.groups_over(node)):
        what = "layer" if isinstance(each, Brushed | Decals) else each.kind
        if not each.visible:
            return f"The {what} {each.name} is hidden. Show it to paint on {'it' if each is node else node.name}."
        if each.locked:
            return f"The {what} {each.name} is locked. Unlock it to paint on {'it' if each is node else node.name}."
    if erases and node.alpha_locked and not on_mask:
        return f"{node.name} keeps its alpha: nothing is erased from it. Let its alpha go first."
    return document.held_back(document.surface_of(node))
