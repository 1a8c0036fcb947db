"""Masks of nodes: added, taken away, switched, inverted, copied; and the share that each texel has."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.texels import TILE, Raster
from ...core.texels.raster import shares_of
from ..change import Change, raster_id
from ..derived.scaled import scaled_mask
from ..derived.tables import table_of
from ..document import Document
from ..values import MASK, MaskOf, Node, Pigment, Wash
from .fitting import finer, fitting
from .nodes import Values, rasters_of


def mask_of(node: Node) -> MaskOf:
    """A node's mask. Raises NightmistError when it has none."""
    if node.mask is None:
        raise NightmistError(f"{node.name} has no mask. Add one first.")
    return node.mask


def add_mask(document: Document, node: Node, start: float) -> Change:
    """A mask with one share everywhere: 0 hides the node, 1 shows it."""
    if node.mask is not None:
        raise NightmistError(f"{node.name} has a mask already.")
    return Change(label=f"Mask for {node.name}", values={node.id: (node, node.but(mask=MaskOf(start=start)))})


def remove_mask(document: Document, node: Node) -> Change:
    """Take a node's mask away, with what is painted on it: the node shows everywhere."""
    mask_of(node)
    key = raster_id(node.id, MASK)
    rasters = {k: pair for k, pair in rasters_of(document, node).items() if k == key}
    return Change(
        label=f"Delete the mask of {node.name}", values={node.id: (node, node.but(mask=None))}, rasters=rasters
    )


def set_mask(document: Document, node: Node, **properties: object) -> Change:
    """Properties of a mask: on, start, picture, inverted, soften, low, high."""
    if picture := properties.get("picture"):
        document.picture_value(str(picture))
    after = node.but(mask=mask_of(node).but(**properties))
    if after == node:
        return Change(label="")
    switched = set(properties) == {"on"}
    label = (
        f"{'Use' if after.mask.on else 'Do without'} the mask of {node.name}" if switched else f"Mask of {node.name}"
    )
    return Change(label=label, values={node.id: (node, after)})


def invert_mask(document: Document, node: Node) -> Change:
    """What was hidden shows, and the other way round."""
    mask, raster = mask_of(node), document.raster(node.id, MASK)
    inverted = Raster(raster.width, raster.height, raster.channels)
    for key, tile in raster.tiles.items():
        other = tile.copy()
        other[..., 0] = 65535 - tile[..., 0]
        inverted.put(key, other)
    tables = [table_of(each, document.pool, document.arrays) for each in (raster, inverted)]
    return Change(
        label=f"Invert the mask of {node.name}",
        values={node.id: (node, node.but(mask=_inverted(mask)))},
        rasters={raster_id(node.id, MASK): (tables[0], tables[1])} if raster.tiles else {},
    )


def _inverted(mask: MaskOf) -> MaskOf:
    turned: MaskOf = mask.but(
        start=1 - mask.start, low=1 - mask.high, high=1 - mask.low,
        inverted=mask.picture is not None and not mask.inverted,
    )  # fmt: skip
    return turned


def copy_mask(document: Document, node: Node, origin: Node) -> Change:
    """A node takes another's mask, in place of its own, by its share of the map."""
    here, there = document.surface_of(node), document.surface_of(origin)
    mask = scaled_mask(mask_of(origin), finer(there, here))
    before, after = (fitting(document, each, here, [MASK]).get(MASK) for each in (node, origin))
    rasters = {raster_id(node.id, MASK): (before, after)} if before != after else {}
    label = f"Copy the mask of {origin.name} to {node.name}"
    return Change(label=label, values={node.id: (node, node.but(mask=mask))}, rasters=rasters)


def mask_alone(document: Document, node: Node) -> Change:
    """What is to be laid over a document so that nothing but a mask is seen, white on black."""
    mask = mask_of(node)
    surface = document.surface_of(node)
    over = {group.id for group in document.groups_over(node)}
    values: Values = {surface.id: (surface, surface.but(start=surface.start.but(base_color=(0.0, 0.0, 0.0))))}
    for each in document.nodes_in(surface.id):
        seen = each.but(visible=each.id in over, opacity=1.0, blend="normal", maps={}, mask=None, mix=None)
        if each.id == node.id:
            seen = Wash(
                id=each.id, parent=each.parent, order=each.order, name=each.name, mask=mask.but(on=True),
                pigment=Pigment(base_color="#ffffff"),
            )  # fmt: skip
        values[each.id] = (each, seen)
    return Change(label=f"The mask of {node.name} alone", values=values)


def read_mask(document: Document, node: Node) -> NDArray[np.uint16]:
    """The share that each texel has, (H, W) uint16."""
    mask, raster = mask_of(node), document.raster(node.id, MASK)
    start = document.mask_start(mask, document.surface_of(node))
    found = np.empty((raster.height, raster.width), np.uint16)
    for key in np.ndindex(*raster.addresses.shape):
        top, left = key[0] * TILE, key[1] * TILE
        tile = raster.tiles.get((key[0], key[1]))
        found[top : top + TILE, left : left + TILE] = shares_of(tile, start((key[0], key[1])))[..., 0]
    return found
