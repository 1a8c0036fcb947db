"""What became stale: where changes of values and pixels show on the maps of their surfaces."""

from __future__ import annotations

import logging
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager

import numpy as np

from ..core.texels import TILE, Raster, TileArea
from .change import node_and_map
from .composed import Composed
from .derived.decals import differing
from .values import (
    MAPS,
    MASK,
    NODES,
    Adjustment,
    AnyValue,
    Decal,
    Decals,
    Group,
    MapName,
    Node,
    Picture,
    PlaneName,
    Region,
    Surface,
    Wash,
    pictures_in,
)

log = logging.getLogger(__name__)

Before = Mapping[str, AnyValue | None]


def mark_node(document: Composed, node: Node, name: PlaneName, area: TileArea) -> None:
    """A node's raster has changed in an area."""
    surface = document.surface_of(node)
    composite = document.composite(surface)
    if name != MASK:
        composite.mark(name, area, node.id)
        return
    shown: Node = document.shown(node.id)  # type: ignore[assignment]
    # A mask cuts all maps that its node lays anything on.
    for each in reach(document, shown, surface):
        composite.mark(each, area, node.id)


@contextmanager
def _or_all(document: Composed) -> Iterator[None]:
    """A change stands once it is made: where it cannot be told what it leaves to be composited, everything is."""
    try:
        yield
    except Exception:
        log.exception("what has become stale cannot be told")
        document.forget_composites()


def mark_tiles(document: Composed, key: str, places: Iterable[tuple[int, int]]) -> None:
    """Tiles of a raster, by its key, have changed."""
    with _or_all(document):
        _mark_tiles(document, key, places)


def _mark_tiles(document: Composed, key: str, places: Iterable[tuple[int, int]]) -> None:
    key, name = node_and_map(key)
    node = document.values.get(key)
    surface = document.surface_of(node) if isinstance(node, NODES) else None
    if isinstance(surface, Surface) and surface.id in document.composites:
        rows, columns = surface.height // TILE, surface.width // TILE
        tiles = np.array([r * columns + c for r, c in places if r < rows and c < columns], np.int32)
        mark_node(document, node, name, TileArea.of_tiles(tiles))  # type: ignore[arg-type]


def mark_values(document: Composed, before: Before) -> None:
    """Composites follow values that have changed from these to what is shown now."""
    document.edition += 1
    with _or_all(document):
        for key, old in before.items():
            _mark_value(document, old, document.shown(key), before)


def _mark_value(document: Composed, old: AnyValue | None, new: AnyValue | None, before: Before) -> None:
    if isinstance(old or new, NODES):
        if _looks(old) != _looks(new):
            _mark_change(document, old, new, before)
    elif isinstance(old, Surface) and isinstance(new, Surface) and new.id in document.composites:
        _mark_surface(document, old, new)
    elif isinstance(old, Region):
        _mark_region(document, old)
    elif isinstance(old, Picture) and isinstance(new, Picture) and old.looks != new.looks:
        _mark_picture(document, old)


def reach(document: Composed, node: Node, surface: Surface) -> dict[MapName, TileArea]:
    """Where a node lays something on each map of the surface in whose stack it lies, or lay."""
    everywhere = document.composite(surface).everywhere
    found: dict[MapName, TileArea] = {}
    for one in document.nodes_in(node.id) if isinstance(node, Group) else [node]:
        if isinstance(one, Adjustment):
            found.update(dict.fromkeys(MAPS, everywhere))
        elif isinstance(one, Wash):
            found.update(dict.fromkeys((*one.pigment.values(), *one.images), everywhere))
            continue
        elif isinstance(one, Decals):
            _join(found, document.decals_touch(surface, one.placed))
        for name in MAPS:
            raster = document.shown_raster(one.id, name)
            if raster is not None:
                _join(found, {name: TileArea.of_tiles(np.flatnonzero(raster.addresses).astype(np.int32))})
    if any(one.lifts for one in (node, *document.nodes_in(node.id))):
        _join(found, {"height": TileArea.union(list(found.values()))})
    return found


def _join(found: dict[MapName, TileArea], more: Mapping[MapName, TileArea]) -> None:
    for name, area in more.items():
        found[name] = found[name].joined(area) if name in found else area


def _mark_change(document: Composed, old: AnyValue | None, new: AnyValue | None, before: Before) -> None:
    """A node is another now."""
    if isinstance(old, Decals) and isinstance(new, Decals) and _looks(old.but(placed=new.placed)) == _looks(new):
        laid = differing(document.laid_decals(old), document.laid_decals(new))
        _mark_decals(document, new, [each.decal for each in laid])
        return
    # A wash may have let go of a map, or taken one up.
    for one in (old, new):
        if isinstance(one, NODES):
            surface = _surface_over(document, one, before)
            if surface:
                _mark_areas(document, surface, reach(document, one, surface))


def _mark_areas(document: Composed, surface: Surface, areas: Mapping[MapName, TileArea]) -> None:
    composite = document.composite(surface)
    for name, area in areas.items():
        # Rasters may still have the size that the map had before.
        composite.mark(name, area.only(area.tiles < len(composite.everywhere)))


def _mark_decals(document: Composed, node: Decals, decals: Sequence[Decal]) -> None:
    """Some decals of a layer are others now."""
    if surface := _surface_over(document, node, {}):
        _mark_areas(document, surface, document.decals_touch(surface, decals))


def _surface_over(document: Composed, node: Node, before: Before) -> Surface | None:
    """The surface in whose stack a node lies, or lay, when it is composited."""
    surface: AnyValue | None = node
    while isinstance(surface, NODES):
        surface = document.values.get(surface.parent) or before.get(surface.parent)
    return surface if isinstance(surface, Surface) and surface.id in document.composites else None


def _mark_surface(document: Composed, old: Surface, new: Surface) -> None:
    composite = document.composite(new)
    for name in MAPS:
        if getattr(old.start, name) != getattr(new.start, name):
            composite.mark(name, composite.everywhere)
    if old.depth != new.depth:
        # What stands up by model units is another share of the height's range now.
        for node in document.nodes_in(new.id):
            if isinstance(node, Decals):
                _mark_decals(document, node, [decal for decal in node.placed if decal.raises])


def _mark_region(document: Composed, old: Region) -> None:
    for node in list(document.values.values()):
        if isinstance(node, Decals):
            _mark_decals(document, node, [decal for decal in node.placed if decal.region == old.id])


def _mark_picture(document: Composed, old: Picture) -> None:
    for node in list(document.values.values()):
        if not isinstance(node, NODES) or old.id not in pictures_in(node):
            continue
        if isinstance(node, Decals) and not (node.mask and node.mask.picture == old.id):
            _mark_decals(document, node, [decal for decal in node.placed if decal.picture == old.id])
        elif surface := _surface_over(document, node, {}):
            _mark_areas(document, surface, reach(document, node, surface))


def _looks(node: AnyValue | None) -> AnyValue | None:
    """What of a node decides how it is composited."""
    return node.but(name="-", locked=False, alpha_locked=False) if isinstance(node, NODES) else node


def differing_tiles(one: Raster | None, other: Raster | None) -> list[tuple[int, int]]:
    """The places of tiles that differ between two rasters."""
    a, b = one.tiles if one else {}, other.tiles if other else {}
    return [key for key in {*a, *b} if a.get(key) is not b.get(key)]
