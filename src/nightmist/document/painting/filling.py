"""Fill, erase, gradient, and bump from color: what covers whole extents at once."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from ...core.brush.mirror import NEAR, Mirror
from ...core.errors import NightmistError
from ...core.kernels import address_of
from ...core.mesh.select import images_of
from ...core.relief.from_color import heights_of
from ...core.texels import TILE
from ...core.texels.raster import Raster, Tile, TileKey, tile_key
from ...core.texels.tile_mask import TileMask
from ...core.tools import composite_over, erase, lay_gradient
from ...core.tools.fill_mask import color_mask, faces_mask
from ..change import Change, TileEdit, raster_id
from ..document import Document
from ..values import CHANNELS, EMPTY_PIGMENT, MAPS, Hit, MapName, Node, Pigment, Surface

Region = Sequence[int] | NDArray[np.int64]
Tiles = dict[TileKey, Tile | None]
#: What is laid on each map; None erases.
Laid = Mapping[MapName, tuple[float, ...] | None]


def receiving(document: Document, layer: Node) -> dict[str, Node]:
    """Which layer takes a stroke on each surface, by its name, when it is begun on `layer`; hidden ones take none."""
    found = {document.surface_of(layer).name: layer}
    for surface in document.surface_values():
        shown = [other for other in document.stack(surface.id) if other.visible]
        if surface.name not in found and shown:
            found[surface.name] = next((other for other in shown if other.name == layer.name), shown[-1])
    return found


def fill(document: Document, layer: Node, laid: Laid, region: Region | None = None,
         layers: Mapping[str, Node] | None = None, mirror: Mirror | None = None) -> Change:  # fmt: skip
    """Lay values on all of the layer's surface, gaps between islands included, or on a region with clean edges.

    A region may lie on several surfaces; `layers` says which layer takes the paint on each, else it is as with
    strokes. mirror: the region's images are covered too. Hidden parts are left alone. Raises NightmistError when
    nothing is to be laid, or nowhere.
    """
    if region is not None and mirror is not None:
        low, high = document.mesh.bounds
        reach = NEAR * float(np.linalg.norm(high - low))
        region = images_of(document.mesh, np.asarray(region, np.int64), mirror.matrices(), reach)
    masks = _masks(document, layer, region, layers)
    return _lay(document, "Erase" if None in laid.values() else "Fill", masks, laid)


def fill_color(document: Document, layer: Node, laid: Laid, like: Hit, tolerance: float = 0.03) -> Change:
    """Lay values on all texels of a layer's surface that show nearly the color at a place."""
    if not 0 <= tolerance <= 1:
        raise NightmistError(f"A tolerance of {tolerance!r} does not work; give 0 to 1.")
    surface = document.surface_of(layer)
    if like.surface != surface.name:
        raise NightmistError(f"The layer {layer.name} belongs to {surface.name}, the color to {like.surface}.")
    document.refresh()
    image = document.composite(surface).pictures["color"].read()
    y, x = surface.texel_at(like.uv)
    layout = document.layout(surface)
    wanted = [int(c) for c in image[y, x, :3]]
    mask = color_mask(image, wanted, tolerance, layout.ownership, layout.gutter)
    label = "Erase color" if None in laid.values() else "Fill color"
    return _lay(document, label, [(layer, _without_hidden(document, surface, mask))], laid)


def gradient(
    document: Document, layer: Node, start: Sequence[float], end: Sequence[float], pigments: tuple[Pigment, Pigment],
    layers: Mapping[str, Node] | None = None,
) -> Change:  # fmt: skip
    """Cover surfaces with a mix of two pigments, by position between two points of the model.

    layers: which layer takes it on each surface; the one given alone takes it, unless more are named.
    """
    first, second = pigments[0].values(), pigments[1].values()
    changes = []
    for taker in (layers or {"": layer}).values():
        surface = document.surface_of(taker)
        own, hidden = document.layout(surface).ownership, document.hidden_faces(surface)
        for name in (n for n in MAPS if n in first and n in second):
            fresh, after = _copies(document.raster(taker.id, name), own.used_tiles)
            lay_gradient(own, hidden, start, end, own.used_tiles, after, (first[name], second[name]))
            changes.append((taker, name, {key: _some(tile) for key, tile in fresh.items()}))
    if not changes:
        raise NightmistError("The two pigments of a gradient share no map; give both a color or another value.")
    return _exchange(document, "Gradient", changes)


def bump_from_color(document: Document, layer: Node) -> Change:
    """Give a layer height by how light its colors are, black lowest; its cover is that of the color."""
    colors = document.raster(layer.id, "base_color").tiles
    if not colors:
        raise NightmistError(f"The layer {layer.name} holds no color to make bump from. Paint some first.")
    tiles: Tiles = {key: heights_of(tile) for key, tile in colors.items()}
    gone: Tiles = {key: None for key in document.raster(layer.id, "height").tiles if key not in tiles}
    return _exchange(document, "Bump from color", [(layer, "height", tiles | gone)])


def erased(maps: Iterable[MapName]) -> Laid:
    """What `fill` takes to erase these maps."""
    return dict.fromkeys(maps)


def _masks(
    document: Document, layer: Node, region: Region | None, layers: Mapping[str, Node] | None
) -> list[tuple[Node, TileMask | None]]:
    """Each layer with what is to be covered of its surface; None is all of it."""
    if region is None:
        surface = document.surface_of(layer)
        hidden = document.hidden_faces(surface)
        if not hidden.any():
            return [(layer, None)]
        region = document.layout(surface).faces[hidden == 0]
        layers = {surface.name: layer}
    shown = ~np.isin(document.mesh.face_part, document.project.hidden_parts)
    region = np.asarray(region, np.int64)
    region = region[shown[region]]
    found: list[tuple[Node, TileMask | None]] = []
    for taker in (layers or receiving(document, layer)).values():
        layout = document.layout(document.surface_of(taker))
        faces = np.intersect1d(region, layout.faces)
        if len(faces):
            found.append((taker, faces_mask(layout.mesh, layout.uvs, layout.ownership, layout.gutter, faces)))
    if not found:
        raise NightmistError("None of these faces is shown and lies on a surface with a layer to receive the fill.")
    return found


def _without_hidden(document: Document, surface: Surface, mask: TileMask) -> TileMask:
    hidden = document.hidden_faces(surface)
    if not hidden.any():
        return mask
    layout = document.layout(surface)
    return mask.without(faces_mask(layout.mesh, layout.uvs, layout.ownership, layout.gutter, layout.faces[hidden > 0]))


def _lay(document: Document, label: str, masks: list[tuple[Node, TileMask | None]], laid: Laid) -> Change:
    if not laid:
        raise NightmistError(EMPTY_PIGMENT)
    changes = []
    for layer, mask in masks:
        for name, value in laid.items():
            raster = document.raster(layer.id, name)
            if value is not None or raster.tiles:
                tiles = _covered(raster, mask, value) if mask else _whole(document, layer, name, value)
                changes.append((layer, name, tiles))
    return _exchange(document, label, changes)


def _exchange(document: Document, label: str, changes: list[tuple[Node, MapName, Tiles]]) -> Change:
    """A change that replaces tiles of layers; those that stay equal are left out."""
    edits = []
    for layer, name, tiles in changes:
        if held_back := document.held_back(document.surface_of(layer)):
            raise NightmistError(held_back)
        if not layer.visible:
            raise NightmistError(f"The layer {layer.name} is hidden. Show it to paint on it.")
        raster = document.raster(layer.id, name)
        digests: dict[int, str] = {}
        for key, tile in tiles.items():
            before = raster.tiles.get(key)
            old = document.pool.add(before) if before is not None else None
            if tile is not None and id(tile) not in digests:
                digests[id(tile)] = document.pool.add(tile)
            new = digests[id(tile)] if tile is not None else None
            if old != new:
                edits.append(TileEdit(raster_id(layer.id, name), *key, old, new))
    return Change(label=label, edits=edits)


def _whole(document: Document, layer: Node, name: MapName, value: tuple[float, ...] | None) -> Tiles:
    """Every tile of a map, gaps included, with one value: all of them are the same array."""
    if value is None:
        return dict.fromkeys(document.raster(layer.id, name).tiles)
    rows, columns = document.raster(layer.id, name).addresses.shape
    tile = np.empty((TILE, TILE, CHANNELS[name]), np.uint16)
    tile[...] = [round(v * 65535) for v in (*value, 1.0)]
    return dict.fromkeys(((row, column) for row in range(rows) for column in range(columns)), tile)


def _covered(raster: Raster, mask: TileMask, value: tuple[float, ...] | None) -> Tiles:
    """The tiles that a mask opens, with a value composited over them or erased."""
    before, area = raster.addresses.ravel(), mask.area
    if value is None:
        area = area.only(before[area.tiles] != 0)
    fresh, after = _copies(raster, area.tiles)
    if value is None:
        erase(area, mask.addresses, before, after, raster.channels)
    else:
        composite_over(area, mask.addresses, before, after, value)
    return {key: _some(tile) for key, tile in fresh.items()}


def _some(tile: Tile | None) -> Tile | None:
    """A tile, or None when it is transparent all over."""
    return tile if tile is not None and tile[..., -1].any() else None


def _copies(raster: Raster, tiles: NDArray[np.int32]) -> tuple[Tiles, NDArray[np.int64]]:
    """Tiles to work on, with what a raster holds, and the table of their addresses."""
    columns = raster.addresses.shape[1]
    fresh: Tiles = {}
    table = np.zeros(raster.addresses.size, np.int64)
    for tile in tiles:
        key = tile_key(tile, columns)
        made = fresh[key] = raster.copy_of(key)
        table[tile] = address_of(made)
    return fresh, table
