"""Fill, take away, gradient, and bump from color: what covers whole extents at once. Each call is one undo step."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..core.errors import NightmistError
from ..core.kernels import address_of
from ..core.relief.from_color import heights_of
from ..core.texels.raster import Raster, Tile, TileKey, tile_key
from ..core.tools import lay_gradient, lay_over, take_away
from ..core.tools.cover import Cover, face_cover, same_color
from .commands import PaintTiles, TileEdit
from .types import CHANNELS, EMPTY_PIGMENT, MAPS, Hit, MapName, Pigment

if TYPE_CHECKING:
    from ..core.mesh import Mesh
    from .commands import Command
    from .layer import Layer
    from .pool import Pool
    from .surface import Surface

Region = Sequence[int] | NDArray[np.int64]
Tiles = dict[TileKey, Tile | None]


class Filling:
    """The part of a document that covers extents: surfaces, regions, what shows one color."""

    if TYPE_CHECKING:
        mesh: Mesh
        surfaces: dict[str, Surface]
        pool: Pool

        def surface(self, name: str) -> Surface: ...

        def do(self, command: Command) -> None: ...

    def receiving(self, layer: Layer) -> dict[str, Layer]:
        """Which layer takes a stroke on each surface, when it is begun on `layer`; hidden ones take none."""
        found = {layer.surface.name: layer}
        for surface in self.surfaces.values():
            shown = [other for other in surface.layers if other.visible]
            if surface.name not in found and shown:
                found[surface.name] = next((other for other in shown if other.name == layer.name), shown[-1])
        return found

    def fill(
        self, layer: Layer, pigment: Pigment, surface: str | None = None, region: Region | None = None,
        layers: Mapping[str, Layer] | None = None,
    ) -> None:  # fmt: skip
        """Cover all of the layer's surface, gaps between islands included, or the faces of a region with clean edges.

        A region may lie on several surfaces; `layers` says which layer takes the paint on each, else it is as
        with strokes.
        """
        covers = self._covers(layer, surface, region, layers)
        self._lay("Fill", covers, dict(pigment.values()))

    def take_away(
        self, layer: Layer, surface: str | None = None, region: Region | None = None,
        layers: Mapping[str, Layer] | None = None, maps: Iterable[MapName] = MAPS,
    ) -> None:  # fmt: skip
        """Take away what some maps of a layer hold, in the extents of `fill`."""
        covers = self._covers(layer, surface, region, layers)
        self._lay("Take away", covers, dict.fromkeys(maps))

    def fill_color(self, layer: Layer, pigment: Pigment, like: Hit, tolerance: float = 0.03) -> None:
        """Cover all texels of a surface that show nearly the color at a place."""
        self._lay("Fill color", [(layer, self._like(layer, like, tolerance))], dict(pigment.values()))

    def take_away_color(self, layer: Layer, like: Hit, tolerance: float = 0.03, maps: Iterable[MapName] = MAPS) -> None:
        """Take away what a layer holds wherever its surface shows nearly the color at a place (N68)."""
        self._lay("Take away color", [(layer, self._like(layer, like, tolerance))], dict.fromkeys(maps))

    def gradient(
        self, layer: Layer, start: Sequence[float], end: Sequence[float], pigments: tuple[Pigment, Pigment]
    ) -> None:
        """Cover the layer's surface with a mix of two pigments, by position between two points of the model."""
        first, second = pigments[0].values(), pigments[1].values()
        own = layer.surface.ownership
        changes = []
        for name in (n for n in MAPS if n in first and n in second):
            fresh, after = _copies(layer.raster(name), own.used_tiles)
            lay_gradient(own, start, end, own.used_tiles, after, (first[name], second[name]))
            changes.append((layer, name, fresh))
        if not changes:
            raise NightmistError("The two pigments of a gradient share no map; give both a color or another value.")
        self._exchange("Gradient", changes)

    def bump_from_color(self, layer: Layer) -> None:
        """Give a layer height by how light its colors are, black lowest (N108); its cover is that of the color."""
        if "base_color" not in layer.rasters or not layer.rasters["base_color"].tiles:
            raise NightmistError(f"The layer {layer.name} holds no color to make bump from. Paint some first.")
        tiles: Tiles = {key: heights_of(tile) for key, tile in layer.rasters["base_color"].tiles.items()}
        gone: Tiles = {key: None for key in layer.raster("height").tiles if key not in tiles}
        self._exchange("Bump from color", [(layer, "height", tiles | gone)])

    def _covers(
        self, layer: Layer, surface: str | None, region: Region | None, layers: Mapping[str, Layer] | None
    ) -> list[tuple[Layer, Cover | None]]:
        """Each layer with what is to be covered of its surface; None is all of it."""
        if surface is not None and self.surface(surface) is not layer.surface:
            raise NightmistError(f"The layer {layer.name} belongs to {layer.surface.name}, not to {surface}.")
        if region is None:
            return [(layer, None)]
        found: list[tuple[Layer, Cover | None]] = []
        for taker in (layers or self.receiving(layer)).values():
            here = taker.surface
            faces = np.intersect1d(np.asarray(region, np.int64), here.faces)
            if len(faces):
                found.append((taker, face_cover(self.mesh, here.uvs, here.ownership, here.gutter, faces)))
        if not found:
            raise NightmistError("None of these faces lies on a surface with a layer to receive the fill.")
        return found

    def _like(self, layer: Layer, like: Hit, tolerance: float) -> Cover:
        if not 0 <= tolerance <= 1:
            raise NightmistError(f"A tolerance of {tolerance!r} does not work; give 0 to 1.")
        surface = layer.surface
        if like.surface != surface.name:
            raise NightmistError(f"The layer {layer.name} belongs to {surface.name}, the color to {like.surface}.")
        surface.refresh()
        image = surface.pictures["color"]
        y, x = surface.texel_at(like.uv)
        return same_color(image, [int(c) for c in image[y, x, :3]], tolerance, surface.ownership, surface.gutter)

    def _lay(
        self, label: str, covers: list[tuple[Layer, Cover | None]], values: Mapping[MapName, tuple[float, ...] | None]
    ) -> None:
        """One command that lays values over layers; a value of None takes away."""
        if not values:
            raise NightmistError(EMPTY_PIGMENT)
        changes = []
        for layer, cover in covers:
            for name, value in values.items():
                if value is None and name not in layer.rasters:
                    continue
                tiles = _whole(layer, name, value) if cover is None else _covered(layer, name, cover, value)
                changes.append((layer, name, tiles))
        self._exchange(label, changes)

    def _exchange(self, label: str, changes: list[tuple[Layer, MapName, Tiles]]) -> None:
        """One command that replaces tiles of layers; those that stay equal are left out."""
        edits = []
        for layer, name, tiles in changes:
            if not layer.visible:
                raise NightmistError(f"The layer {layer.name} is hidden. Show it to paint on it.")
            raster = layer.raster(name)
            digests: dict[int, str] = {}
            for key, tile in tiles.items():
                before = raster.tiles.get(key)
                old = self.pool.add(before) if before is not None else None
                if tile is not None and id(tile) not in digests:
                    digests[id(tile)] = self.pool.add(tile)
                new = digests[id(tile)] if tile is not None else None
                if old != new:
                    edits.append(TileEdit(layer.id, name, *key, old, new))
        if edits:
            self.do(PaintTiles(label=label, edits=edits))


def _whole(layer: Layer, name: MapName, value: tuple[float, ...] | None) -> Tiles:
    """Every tile of a surface, gaps included, with one value."""
    if value is None:
        return dict.fromkeys(layer.raster(name).tiles)
    own = layer.surface.ownership
    tile = np.empty((64, 64, CHANNELS[name]), np.uint16)
    tile[...] = [round(v * 65535) for v in (*value, 1.0)]
    return dict.fromkeys((tile_key(t, own.columns) for t in own.used_tiles), tile)


def _covered(layer: Layer, name: MapName, cover: Cover, value: tuple[float, ...] | None) -> Tiles:
    """The tiles under a cover, with a value laid over them or taken away."""
    raster = layer.raster(name)
    before, area = raster.addresses.ravel(), cover.area
    if value is None:
        area = area.only(before[area.tiles] != 0)
    fresh, after = _copies(raster, area.tiles)
    if value is None:
        take_away(area, cover.table, before, after, raster.channels)
    else:
        lay_over(area, cover.table, before, after, value)
    return {key: tile if tile is not None and tile[..., -1].any() else None for key, tile in fresh.items()}


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
