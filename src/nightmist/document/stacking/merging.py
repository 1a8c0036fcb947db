"""Layers made one: into the one below, or copies of all that is visible; what lies there is what was seen."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ...core.compose import Group as CoreGroup
from ...core.compose import compiled
from ...core.compose.program import UNDER
from ...core.compose.surroundings import touched_by, unrounded
from ...core.compose.unpremultiply import unpremultiplied
from ...core.errors import NightmistError
from ...core.names import listed, unused_name
from ...core.texels import TILE, Raster
from ...core.texels.raster import some_shown, tile_key
from ..change import Change, raster_id
from ..derived.composites import VALUE_CHANNEL
from ..derived.programs import Shown, core_node
from ..derived.tables import table_of
from ..document import Document
from ..values import CHANNELS, FILTERS, MAPS, Adjustment, Brushed, MapName, Node, NodeMap, Surface, new_id
from .nodes import Rasters, Values, outermost, remove_nodes, room_for

#: Tiles that are worked on at once: two backdrops of a tile take 230 kB.
BATCH = 128
WORK = "Merging the layers"


def merge_down(document: Document, node: Node) -> tuple[Change, str]:
    """Make a layer and the one right below it one; and its id. Masks, opacities and modes are worked in."""
    stack = document.stack(node.parent)
    at = [each.id for each in stack].index(node.id)
    if at == 0:
        raise NightmistError(f"Nothing lies below {node.name} that it could be merged into.")
    return merge_nodes(document, [stack[at - 1], node])


def merge_nodes(document: Document, nodes: Sequence[Node]) -> tuple[Change, str]:
    """Make layers that lie right above each other one; and its id. Masks, opacities and modes are worked in."""
    nodes = outermost(document, nodes)
    if len(nodes) < 2:
        raise NightmistError("Mark two layers or more that are to be merged.")
    lower, last = nodes[0], nodes[-1]
    chosen, stack = {node.id for node in nodes}, document.stack(lower.parent)
    if any(node.parent != lower.parent for node in nodes):
        raise NightmistError("Only layers of one stack can be merged: take them out of their groups first.")
    places = [i for i, each in enumerate(stack) if each.id in chosen]
    between = [each.name for each in stack[places[0] : places[-1] + 1] if each.id not in chosen]
    if between:
        raise NightmistError(f"{listed(between, 3)} between them would come to lie elsewhere. Mark it too, or move it.")
    if isinstance(lower, Adjustment):
        raise NightmistError(
            f"{lower.name} below is an adjustment and holds no paint. Move {last.name} below it first."
        )
    surface = document.surface_of(lower)
    alone = {name: NodeMap(on=use.on, opacity=use.opacity, blend="normal") for name, use in lower.maps.items()}
    shown = {one.node.id: one for one in document.shown_stack(lower.parent)}
    merged_shown = [shown[lower.id].with_node(lower.but(blend="normal", maps=alone, visible=True))]
    for node in nodes[1:]:
        above = shown[node.id]
        if isinstance(node, Adjustment) and node.effect in FILTERS:
            above = document.filtered(node, merged_shown, above)
        merged_shown += [above] if node.visible else []
    made = _baked(document, surface, merged_shown)
    blends = {name: NodeMap(blend=use.blend) for name, use in lower.maps.items() if use.blend}
    # It goes on as the one that was merged, so that whoever meant that finds it.
    merged = Brushed(
        id=last.id, parent=lower.parent, order=lower.order, name=lower.name, blend=lower.blend, maps=blends,
        visible=lower.visible,
    )  # fmt: skip
    gone = remove_nodes(document, nodes, "merge it")
    others = listed([node.name for node in nodes[1:]], 3)
    return _with_layer(document, f"Merge {others} into {lower.name}", merged, made, gone), merged.id


def merge_copy(document: Document, surface: Surface) -> tuple[Change, str]:
    """Everything that is seen of a surface as one layer on top; the others stay as they are."""
    return _seen_as_one(document, surface, f"Merge a copy of {surface.name}", None)


def flatten(document: Document, surface: Surface) -> tuple[Change, str]:
    """One layer with everything that is seen of a surface, in place of all others."""
    nodes = document.stack(surface.id)
    if not nodes:
        raise NightmistError(f"{surface.name} has no layers.")
    return _seen_as_one(
        document, surface, f"Flatten {surface.name}", remove_nodes(document, nodes, f"flatten {surface.name}")
    )


def _seen_as_one(document: Document, surface: Surface, label: str, gone: Change | None) -> tuple[Change, str]:
    document.bring_up_to_date()
    composite = document.composite(surface)
    reach = document.laid_maps(surface)
    if not reach:
        raise NightmistError(f"Nothing lies on {surface.name} yet that could be merged.")
    made: dict[MapName, Raster] = {}
    for place, name in enumerate(reach):
        document.progress(WORK, place / len(reach))
        image = composite.read(name)
        color = image[..., :3] if name == "base_color" else image[..., None]
        raster = made[name] = Raster(*surface.size, CHANNELS[name])
        raster.take(np.concatenate([color, np.full((*image.shape[:2], 1), 65535, np.uint16)], axis=2))
    stack = [] if gone else document.stack(surface.id)
    title = unused_name("Merged", {node.name for node in document.nodes_in(surface.id)})
    _, orders = room_for(stack, len(stack), 1)
    merged = Brushed(id=new_id(), parent=surface.id, order=orders[0], name=title)
    return _with_layer(document, label, merged, made, gone), merged.id


def _with_layer(
    document: Document, label: str, layer: Brushed, made: dict[MapName, Raster], gone: Change | None
) -> Change:
    values: Values = dict(gone.values) if gone else {}
    values[layer.id] = (values.get(layer.id, (None, None))[0], layer)
    rasters: Rasters = dict(gone.rasters) if gone else {}
    for name, raster in made.items():
        if table := table_of(raster, document.pool, document.arrays):
            key = raster_id(layer.id, name)
            rasters[key] = (rasters.get(key, (None, None))[0], table)
    return Change(label=label, values=values, rasters=rasters)


def _baked(document: Document, surface: Surface, shown: Sequence[Shown]) -> dict[MapName, Raster]:
    """What nodes come to together, from transparent.

    The compositor knows only opaque backdrops: over black and over white it tells color and alpha apart.
    """
    count = surface.width // TILE * (surface.height // TILE)
    for laid in document.lazy([raster for one in shown for raster in one.all_rasters()]):
        laid.hold(np.arange(count, dtype=np.int32))
    program = compiled([CoreGroup([core_node(one, count) for one in shown])], whole=True)
    made = {name: Raster(*surface.size, CHANNELS[name]) for name in MAPS}
    for first in range(0, count, BATCH):
        document.progress(WORK, first / count)
        tiles = np.arange(first, min(first + BATCH, count), dtype=np.int32)
        touched = touched_by(program, tiles)
        (black, dark), (white, light) = (
            unrounded(program, tiles, touched, np.full(UNDER, end, np.float32)) for end in (0, 1)
        )
        _put(made["base_color"], tiles[touched[:, 0]], black[..., :3], 1 - (white[..., 0] - black[..., 0]))
        for name, place in VALUE_CHANNEL.items():
            value = dark[:, place]
            _put(made[name], tiles[touched[:, 1]], value[..., None], 1 - (light[:, place] - value))
    return {name: raster for name, raster in made.items() if raster.tiles}


def _put(
    raster: Raster, tiles: NDArray[np.int32], premultiplied: NDArray[np.float32], alpha: NDArray[np.float32]
) -> None:
    """Write (n, 64, 64, channels) premultiplied numbers as tiles with straight alpha, (n, 64, 64)."""
    made, columns = unpremultiplied(premultiplied, alpha), raster.addresses.shape[1]
    for place in np.flatnonzero(some_shown(made)).tolist():
        # Each on its own: of those that are alike one is held.
        raster.put(tile_key(int(tiles[place]), columns), made[place].copy())
