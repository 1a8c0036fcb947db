"""What a stroke works on: layers as they were and as the stroke makes them, and what confines it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from itertools import product

import numpy as np
from numpy.typing import NDArray

from ...core.brush import Coverage, Dabs
from ...core.brush.reach import reach_boxes
from ...core.texels import TileArea
from ...core.texels.flat import flat_ownership
from ...core.texels.raster import Tile, TileKey, shares_of, tile_key
from ...core.texels.tile_mask import TileMask
from ..change import TileEdit, raster_id
from ..document import Document
from ..preview import Preview
from ..stale import mark_node
from ..values import MASK, MaskOf, Node, PlaneName, Surface
from .gate import Gate


class Target:
    """One map of one layer under the stroke: pixels from before it, and the tiles worked on."""

    def __init__(self, preview: Preview, surface: Surface, layer: Node, name: PlaneName) -> None:
        self.surface, self.layer, self.name = surface, layer, name
        self.document, self.raster = preview.document, preview.raster(layer.id, name)
        #: Paint stays where there is some already.
        self.keeps_alpha = layer.alpha_locked and name != MASK
        #: As it was before the press; tiles that are worked on lie elsewhere now.
        self.before = self.raster.copy()
        #: What lay there before it was spelled out.
        self.sparse: dict[TileKey, Tile] | None = None

    @property
    def before_addresses(self) -> NDArray[np.int64]:
        """(all tiles,) where what lay there before lies."""
        return self.before.addresses.ravel()

    @property
    def after_addresses(self) -> NDArray[np.int64]:
        """(all tiles,) where what is worked on lies."""
        return self.raster.addresses.ravel()

    @property
    def worked_on(self) -> NDArray[np.int32]:
        """The tiles that have working copies."""
        return np.flatnonzero(self.after_addresses != self.before_addresses).astype(np.int32)

    def prepare(self, tiles: NDArray[np.int32]) -> None:
        """Give each tile a working copy the first time the stroke touches it."""
        # The raster marks its arrays read-only for Python; kernels write through the address.
        self.raster.part_from(self.before, tiles)

    def spell_out(self) -> None:
        """Write a mask's start where nothing is painted: tools that filter look at shares, not at paint."""
        self.sparse = dict(self.raster.tiles)
        surface = self.document.surface_of(self.layer)
        start = self.document.mask_start(self.layer.mask or MaskOf(), surface)
        rows, columns = self.raster.addresses.shape
        for key in product(range(rows), range(columns)):
            self.raster.put(key, shares_of(self.sparse.get(key), start(key)))
        self.before = self.raster.copy()

    def restore(self) -> None:
        """Put everything back as it was before the press."""
        tiles = self.worked_on
        for key in self._keys(tiles):
            self.raster.put(key, self.before.tiles.get(key))
        mark_node(self.document, self.layer, self.name, TileArea.of_tiles(tiles))

    def _keys(self, tiles: NDArray[np.int32]) -> list[TileKey]:
        return [tile_key(tile, self.raster.addresses.shape[1]) for tile in tiles.tolist()]

    def edits(self) -> Iterable[TileEdit]:
        """What the stroke made of its tiles; those that stayed equal are put back."""
        changed: list[tuple[TileKey, Tile | None, Tile | None]] = []
        for key in self._keys(self.worked_on):
            before = self.before.tiles.get(key)
            after: Tile | None = self.raster.tiles[key]
            if after is not None and not after[..., -1].any():
                after = None
            same = before is after is None or (
                before is not None and after is not None and np.array_equal(before, after)
            )
            lay = self.sparse.get(key) if self.sparse is not None else before
            self.raster.put(key, lay if same else after)
            if not same:
                changed.append((key, lay, after))
        tiles = [tile for _, lay, after in changed for tile in (lay, after) if tile is not None]
        digests = iter(self.document.pool.add_all(tiles))
        for key, lay, after in changed:
            pair = [next(digests) if tile is not None else None for tile in (lay, after)]
            yield TileEdit(raster_id(self.layer.id, self.name), *key, *pair)


class Ground:
    """The layers that receive a stroke, by the name of their surface, with a preview laid over them."""

    def __init__(self, document: Document, layers: Mapping[str, Node], maps: Sequence[PlaneName], gate: Gate) -> None:
        """maps: those it works on, all that a layer holds when there are none. gate: what confines it."""
        self.document, self.gate, self.flat = document, gate, gate.camera is None
        self.layers = dict(layers)
        self.surfaces = {name: document.surface_of(layer) for name, layer in layers.items()}
        self.preview = Preview(document)
        self.targets = {
            name: [
                Target(self.preview, self.surfaces[name], layer, map_name)
                for map_name in maps or document.painted_maps(layer.id)
            ]
            for name, layer in layers.items()
        }

    def new_coverage(self, name: str) -> Coverage:
        """A stroke's coverage of a surface, without anything in it yet."""
        surface = self.surfaces[name]
        if self.flat:
            return Coverage(flat_ownership(*surface.size))
        layout = self.document.layout(surface)
        return Coverage(layout.ownership, self.document.hidden_faces(surface), layout.facing)

    @cached_property
    def boxes(self) -> NDArray[np.float64]:
        """(n, 6) boxes in space around the surfaces, lowest and highest corner."""
        return np.array([self.document.layout(surface).ownership.box for surface in self.surfaces.values()])

    def reached(self, dabs: Dabs) -> list[str]:
        """The surfaces that dabs may reach, or what a band joins them to."""
        if self.flat:
            return [dabs.sheet] if dabs.sheet else list(self.surfaces)
        near = np.empty(len(self.boxes), np.bool_)
        reach_boxes(self.boxes, dabs.centers, dabs.radii, near)
        return [name for name, is_near in zip(self.surfaces, near.tolist(), strict=True) if is_near]

    def mask(self, name: str, image: int) -> TileMask | None:
        """Where the dabs of one of the mirror's images may go on a surface; it stays so during the stroke."""
        return self.gate.mask(self.surfaces[name], image)


class Coverages(dict[str, Coverage]):
    """Of the surfaces that a stroke has reached so far, by name."""

    def __init__(self, ground: Ground) -> None:
        super().__init__()
        self.ground = ground

    def __missing__(self, name: str) -> Coverage:
        made = self[name] = self.ground.new_coverage(name)
        return made
