"""Paint through a stencil: what it shows of a picture on each target's tiles, and all of it laid on at once."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from ...core.brush import Coverage
from ...core.errors import NightmistError
from ...core.kernels import address_of
from ...core.mapping import Camera
from ...core.mapping.stencil import COLOR, GRAY, VALUE, lay_stencil, projector
from ...core.texels import TILE, TileArea
from ...core.texels.flat import FLAT_NORMALS, flat_ownership
from ...core.texels.ownership import Ownership
from ...core.texels.raster import Tile
from ...core.texels.tile_mask import TileMask
from ...core.tools import composite_over
from ..change import Change
from ..document import Document
from ..values import CHANNELS, EMPTY_PIGMENT, Fence, Load, Node, PlaneName, Stencil, Surface
from .filling import Tiles, copies_of, exchange, some_of
from .gate import Gate
from .ground import Target


class StencilTexels:
    """Where texels come from that a stencil lays on: worked out tile by tile as a stroke reaches them."""

    def __init__(self, document: Document, stencil: Stencil, camera: Camera | None, load: Load | None) -> None:
        """camera: None in the map. load: what the pigment, or a mask's value, lays where the picture has no say; None
        for the picture's shape alone.
        """
        self.document, self.stencil, self.load, self.flat = document, stencil, load, camera is None
        picture, washes = document.picture_value(stencil.picture), document.washes
        self.pyramid = washes.pyramid(picture, gray=False)
        self.grays = washes.grays(picture) if stencil.maps else self.pyramid
        self.gray, self.opaque = washes.looks(picture)
        limit = None if stencil.through else stencil.limit
        self.where = projector(
            camera, stencil.center, stencil.size, stencil.rotation, stencil.mirrored, limit
        )  # fmt: skip
        self.tables: dict[tuple[str, str], NDArray[np.int64]] = {}
        self.tiles: dict[tuple[str, str, int], Tile] = {}

    @property
    def colored(self) -> bool:
        """The picture lays its own colors."""
        return not (self.gray or self.stencil.tint or "mask" in (self.load or {}))

    def planes(self) -> list[PlaneName]:
        """The maps that it lays something on. Raises NightmistError when that is none."""
        found = dict.fromkeys(self.load or {})
        if "mask" not in found:
            if self.colored:
                found = {"base_color": None, **found}
            found.update(dict.fromkeys(self.stencil.maps))
        if not found:
            raise NightmistError(f"A gray picture takes the pigment. {EMPTY_PIGMENT}")
        return list(found)

    def pictures(self, target: Target, coverage: Coverage, area: TileArea) -> NDArray[np.int64]:
        """The table of tiles with what is to be laid on, brought up to date for an area."""
        return self.laid(target.surface, target.name, coverage.ownership, area.tiles)

    def laid(
        self, surface: Surface, name: PlaneName, own: Ownership, tiles: NDArray[np.int32]
    ) -> NDArray[np.int64]:  # fmt: skip
        """The same of a surface's map, or of its mask."""
        table = self.tables.setdefault((surface.id, name), np.zeros(len(own.tile_start) - 1, np.int64))
        new = tiles[table[tiles] == 0]
        if not len(new):
            return table
        for tile in new:
            made = self.tiles[surface.id, name, int(tile)] = np.zeros((TILE, TILE, CHANNELS[name]), np.uint16)
            table[tile] = address_of(made)
        if self.flat:
            normals, hidden = FLAT_NORMALS, np.zeros(1, np.uint8)
        else:
            normals, hidden = self.document.layout(surface).facing.normals, self.document.hidden_faces(surface)
        kind, value = self._what(name)
        by_gray = self.gray and self.opaque and kind == VALUE
        pyramid = self.grays if kind == GRAY else self.pyramid
        lay_stencil(own, normals, hidden, pyramid, self.where, new, table, CHANNELS[name], kind, value, by_gray)
        return table

    def _what(self, name: PlaneName) -> tuple[int, tuple[float, ...]]:
        if self.load is None:
            return VALUE, ()
        by_gray = self.stencil.maps.get(name) if name != "mask" else None
        if by_gray:
            ends = by_gray.low, by_gray.high
            return GRAY, ends[::-1] if by_gray.invert else ends
        if name == "base_color" and self.colored:
            return COLOR, ()
        return VALUE, self.load[name]


def apply_stencil(
    document: Document, layers: Mapping[str, Node], camera: Camera | None, stencil: Stencil, load: Load,
    fence: Fence | None = None, in_map: str | None = None,
) -> Change:  # fmt: skip
    """Lay a stencil on whole, without a brush, wherever the camera sees it, or in the map of a surface.

    Raises NightmistError when it meets nothing.
    """
    source = StencilTexels(document, stencil, camera, load)
    gate = Gate(document, camera, np.eye(3, 4)[None], stencil.through, Fence(region=fence.region) if fence else None)
    changes: list[tuple[Node, PlaneName, Tiles]] = []
    for name, layer in layers.items():
        if in_map is not None and name != in_map:
            continue
        surface = document.surface_of(layer)
        own = flat_ownership(*surface.size) if camera is None else document.layout(surface).ownership
        for plane in source.planes():
            table = source.laid(surface, plane, own, own.used_tiles)
            shown = [t for t in own.used_tiles if source.tiles[surface.id, plane, int(t)][..., -1].any()]
            area = TileArea.of_tiles(np.array(shown, np.int32))
            if len(area):
                mask = gate.mask(surface, 0) or _open(own, area)
                mask.hold(area.tiles)
                open_to = _addresses(mask, area)
                raster = document.raster(layer.id, plane)
                fresh, after = copies_of(raster, area.tiles)
                nothing = (0.0,) * (raster.channels - 1)
                composite_over(
                    area, open_to, raster.addresses.ravel(), after, nothing, pictures=table,
                    keep_alpha=layer.alpha_locked and plane != "mask",
                )  # fmt: skip
                changes.append((layer, plane, some_of(fresh)))
    change = exchange(document, "Apply stencil", changes)
    if not change:
        lifted = f", or lift the fence {gate.region.name} with K" if gate.region else ""
        raise NightmistError(f"The stencil meets nothing that takes paint. Move it over the model, or turn it{lifted}.")
    return change


def _open(own: Ownership, area: TileArea) -> TileMask:
    """Open in an area."""
    return TileMask.of(area.tiles, np.ones((len(area), TILE, TILE), np.float32), len(own.tile_start) - 1)


def _addresses(mask: TileMask, area: TileArea) -> NDArray[np.int64]:
    """A mask's tiles by number, with those spelled out that are open all over."""
    if mask.elsewhere == 0:
        return mask.addresses
    missing = area.tiles[mask.addresses[area.tiles] == 0]
    spelled = TileMask.of(missing, np.full((len(missing), TILE, TILE), mask.elsewhere, np.float32), len(mask.addresses))
    mask.parts += spelled.parts
    return np.where(mask.addresses != 0, mask.addresses, spelled.addresses)
