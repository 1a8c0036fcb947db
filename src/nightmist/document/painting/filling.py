"""Fill, erase, gradient, and bump from color: what covers whole extents at once."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from ...core.brush.mirror import Mirror, reach_of
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
from ..values import CHANNELS, EMPTY_PIGMENT, MASK, PLANES, Hit, Load, Node, PlaneName, Region, Surface
from .gate import fenced_off, product
from .receivers import check_receives, receiving

Faces = Sequence[int] | NDArray[np.int64]
Tiles = dict[TileKey, Tile | None]
#: What is laid on each map; None erases.
Laid = Mapping[PlaneName, tuple[float, ...] | None]


def fill(document: Document, layer: Node, laid: Laid, region: Faces | Region | None = None,
         layers: Mapping[str, Node] | None = None, mirror: Mirror | None = None,
         fence: Region | None = None) -> Change:  # fmt: skip
    """Lay values on all of the layer's surface, gaps between islands included, or on a region with clean edges.

    A region may lie on several surfaces; `layers` says which layer takes the paint on each, else it is as with
    strokes. mirror: the images of faces are covered too. fence: nothing outside it is changed. Hidden parts are left
    alone. Raises NightmistError when nothing is to be laid, or nowhere.
    """
    if region is not None and not isinstance(region, Region) and mirror is not None:
        reach = reach_of(document.mesh.bounds)
        region = images_of(document.mesh, np.asarray(region, np.int64), mirror.matrices(), reach)
    masks = _masks(document, layer, region, layers, MASK in laid)
    return _lay(document, "Erase" if None in laid.values() else "Fill", masks, laid, fence)


def fill_color(
    document: Document, layer: Node, laid: Laid, like: Hit, tolerance: float = 0.03, softness: float = 0.0,
    fence: Region | None = None,
) -> Change:  # fmt: skip
    """Lay values on all texels of a layer's surface that show nearly the color at a place, inside a fence.

    softness: how far beyond the tolerance they are covered less and less.
    """
    for what, value in (("tolerance", tolerance), ("softness", softness)):
        if not 0 <= value <= 1:
            raise NightmistError(f"A {what} of {value!r} does not work; give 0 to 1.")
    surface = document.surface_of(layer)
    if like.surface != surface.name:
        raise NightmistError(f"The layer {layer.name} belongs to {surface.name}, the color to {like.surface}.")
    document.bring_up_to_date()
    image = document.composite(surface).pictures["color"].read()
    y, x = surface.texel_at(like.uv)
    layout = document.layout(surface)
    wanted = [int(c) for c in image[y, x, :3]]
    mask = color_mask(image, wanted, tolerance, layout.ownership, layout.gutter, softness)
    label = "Erase color" if None in laid.values() else "Fill color"
    return _lay(document, label, [(layer, _without_hidden(document, surface, mask))], laid, fence)


def gradient(
    document: Document, layer: Node, start: Sequence[float], end: Sequence[float], loads: tuple[Load, Load],
    layers: Mapping[str, Node] | None = None, fence: Region | None = None, mirror: Mirror | None = None,
) -> Change:  # fmt: skip
    """Cover surfaces with a mix of two loads, by position between two points of the model, inside a fence.

    mirror: by the images of both points, where these are nearer. layers: which layer takes it on each surface; the
    one given alone takes it, unless more are named.
    """
    first, second = loads
    changes: list[tuple[Node, PlaneName, Tiles]] = []
    closed = fence is not None
    for taker in (layers or {"": layer}).values():
        surface = document.surface_of(taker)
        own, hidden = document.layout(surface).ownership, document.hidden_faces(surface)
        mask = document.region_mask(fence, surface) if fence else None
        closed = closed and mask is not None and not _open_somewhere(mask)
        area = mask.area.tiles if mask else own.used_tiles
        for name in (n for n in PLANES if n in first and n in second):
            raster = document.raster(taker.id, name)
            laid = Raster(raster.width, raster.height, raster.channels) if mask else raster
            fresh, after = copies_of(laid, area)
            images = (mirror or Mirror()).matrices()
            lay_gradient(own, hidden, start, end, area, after, (first[name], second[name]), images)
            changes.append((taker, name, _inside(raster, mask, fresh, after) if mask else some_of(fresh)))
    if not changes:
        raise NightmistError("The two pigments of a gradient share no map; give both a color or another value.")
    if fence and closed:
        raise NightmistError(fenced_off(fence, "laid"))
    return exchange(document, "Gradient", changes)


def bump_from_color(document: Document, layer: Node) -> Change:
    """Give a layer height by how light its colors are, black lowest; its cover is that of the color."""
    check_receives(document, layer)
    colors = document.raster(layer.id, "base_color").tiles
    if not colors:
        raise NightmistError(f"The layer {layer.name} holds no color to make bump from. Paint some first.")
    tiles: Tiles = {key: heights_of(tile) for key, tile in colors.items()}
    gone: Tiles = {key: None for key in document.raster(layer.id, "height").tiles if key not in tiles}
    return exchange(document, "Bump from color", [(layer, "height", tiles | gone)])


def _open_somewhere(mask: TileMask) -> bool:
    return bool(mask.elsewhere or mask.complete().shares(mask.area.tiles).any())


def _inside(raster: Raster, mask: TileMask, laid: Tiles, table: NDArray[np.int64]) -> Tiles:
    """What tiles become that lie over a raster's as far as a mask is open."""
    fresh, after = copies_of(raster, mask.area.tiles)
    nothing = (0.0,) * (raster.channels - 1)
    composite_over(mask.area, mask.addresses, raster.addresses.ravel(), after, nothing, pictures=table)
    return {key: _some(tile) for key, tile in fresh.items() if laid.get(key) is not None}


def some_of(fresh: Tiles) -> Tiles:
    """Tiles, None for those that are transparent all over."""
    return {key: _some(tile) for key, tile in fresh.items()}


def erased(maps: Iterable[PlaneName]) -> Laid:
    """What `fill` takes to erase these maps."""
    return dict.fromkeys(maps)


def _masks(
    document: Document, layer: Node, region: Faces | Region | None, layers: Mapping[str, Node] | None, on_masks: bool
) -> list[tuple[Node, TileMask | None]]:
    """Each layer with what is to be covered of its surface; None is all of it."""
    if isinstance(region, Region):
        return _in_region(document, layer, region, layers, on_masks)
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
    for taker in (layers or receiving(document, layer, on_masks)).values():
        layout = document.layout(document.surface_of(taker))
        faces = np.intersect1d(region, layout.faces)
        if len(faces):
            found.append((taker, faces_mask(layout.mesh, layout.uvs, layout.ownership, layout.gutter, faces)))
    if not found:
        raise NightmistError("None of these faces is shown and lies on a surface with a layer to receive the fill.")
    return found


def _in_region(
    document: Document, layer: Node, region: Region, layers: Mapping[str, Node] | None, on_masks: bool
) -> list[tuple[Node, TileMask | None]]:
    found: list[tuple[Node, TileMask | None]] = []
    for taker in (layers or receiving(document, layer, on_masks)).values():
        surface = document.surface_of(taker)
        mask = document.region_mask(region, surface)
        if len(mask.area):
            found.append((taker, _without_hidden(document, surface, mask)))
    if not found:
        raise NightmistError(f"Nothing of the region {region.name} lies on a surface with a layer to receive the fill.")
    return found


def _without_hidden(document: Document, surface: Surface, mask: TileMask) -> TileMask:
    hidden = document.hidden_faces(surface)
    if not hidden.any():
        return mask
    layout = document.layout(surface)
    return mask.without(faces_mask(layout.mesh, layout.uvs, layout.ownership, layout.gutter, layout.faces[hidden > 0]))


def _lay(
    document: Document, label: str, masks: list[tuple[Node, TileMask | None]], laid: Laid, fence: Region | None
) -> Change:
    if not laid:
        raise NightmistError(EMPTY_PIGMENT)
    changes: list[tuple[Node, PlaneName, Tiles]] = []
    closed = fence is not None
    for layer, shape in masks:
        fenced = document.region_mask(fence, document.surface_of(layer)) if fence else None
        mask = product([shape, fenced])
        if layer.alpha_locked and mask is None:
            # What is transparent stays so: all of the map is covered texel by texel.
            surface = document.surface_of(layer)
            everywhere = np.ones((surface.width // TILE * (surface.height // TILE), TILE, TILE), np.float32)
            mask = TileMask.of(np.arange(len(everywhere), dtype=np.int32), everywhere, len(everywhere))
        if mask:
            mask.complete()
            closed = closed and not _open_somewhere(mask)
        else:
            closed = False
        for name, value in laid.items():
            raster = document.raster(layer.id, name)
            if value is not None or raster.tiles:
                keep = layer.alpha_locked and name != MASK
                tiles = _covered(raster, mask, value, keep) if mask else _whole(document, layer, name, value)
                changes.append((layer, name, tiles))
    if fence and closed:
        raise NightmistError(fenced_off(fence, "erased" if label.startswith("Erase") else "filled"))
    return exchange(document, label, changes)


def exchange(document: Document, label: str, changes: list[tuple[Node, PlaneName, Tiles]]) -> Change:
    """A change that replaces tiles of layers; those that stay equal are left out."""
    edits = []
    for layer, name, tiles in changes:
        check_receives(document, layer, name == MASK, label.startswith("Erase"))
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


def _whole(document: Document, layer: Node, name: PlaneName, value: tuple[float, ...] | None) -> Tiles:
    """Every tile of a map, gaps included, with one value: all of them are the same array."""
    if value is None:
        return dict.fromkeys(document.raster(layer.id, name).tiles)
    rows, columns = document.raster(layer.id, name).addresses.shape
    tile = np.empty((TILE, TILE, CHANNELS[name]), np.uint16)
    tile[...] = [round(v * 65535) for v in (*value, 1.0)]
    return dict.fromkeys(((row, column) for row in range(rows) for column in range(columns)), tile)


def _covered(raster: Raster, mask: TileMask, value: tuple[float, ...] | None, keep_alpha: bool) -> Tiles:
    """The tiles that a mask opens, with a value composited over them or erased."""
    before, area = raster.addresses.ravel(), mask.area
    if value is None:
        area = area.only(before[area.tiles] != 0)
    fresh, after = copies_of(raster, area.tiles)
    if value is None:
        erase(area, mask.addresses, before, after, raster.channels)
    else:
        composite_over(area, mask.addresses, before, after, value, keep_alpha=keep_alpha)
    return {key: _some(tile) for key, tile in fresh.items()}


def _some(tile: Tile | None) -> Tile | None:
    """A tile, or None when it is transparent all over."""
    return tile if tile is not None and tile[..., -1].any() else None


def copies_of(raster: Raster, tiles: NDArray[np.int32]) -> tuple[Tiles, NDArray[np.int64]]:
    """Tiles to work on, with what a raster holds, and the table of their addresses."""
    columns = raster.addresses.shape[1]
    fresh: Tiles = {}
    table = np.zeros(raster.addresses.size, np.int64)
    for tile in tiles:
        key = tile_key(tile, columns)
        made = fresh[key] = raster.copy_of(key)
        table[tile] = address_of(made)
    return fresh, table
