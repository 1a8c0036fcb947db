"""What layers of decals lay on each map, worked out tile by tile; a decal that moves stales only what it touches."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ...core.mapping.around_body import ROUNDING
from ...core.mapping.bending import bounds_of
from ...core.mapping.decals import (
    Around,
    Gathered,
    Placed,
    lay_decal,
    relief_of,
    to_tile,
)
from ...core.mapping.frames import inverse_of, inward_of, turn_of
from ...core.mapping.placing import axes_of, tiles_in_box
from ...core.texels import Raster, TileArea
from ...core.texels.facing import ANY_ANGLE, limits_of
from ...core.texels.flat import FLAT_NORMAL, FLAT_NORMALS, flat_ownership
from ...core.texels.ownership import Ownership
from ...core.texels.raster import tile_key
from ...core.texels.tile_mask import TileMask
from ..values import MAPS, BodyFrame, Decal, Decals, MapFrame, MapName, Picture, Region, Surface
from .cache import Cache
from .decal_frames import bend_of
from .laid import LaidTiles, owners, within
from .layouts import Layout
from .washes import Washes

#: Tiles that are worked on at once.
AT_ONCE = 64
#: The same where the first that shows anything is enough.
FEW = 8


@dataclass(frozen=True)
class Laying:
    """A decal with all that its texels follow from but the surface; a picture that is gone lays nothing."""

    decal: Decal
    picture: Picture
    region: Region | None

    @cached_property
    def maps(self) -> frozenset[MapName]:
        """The maps on which it lays anything; hundreds of decals are asked for them at each stroke."""
        return frozenset(maps_of(self.decal))


def maps_of(decal: Decal) -> set[MapName]:
    """The maps on which a decal lays anything."""
    found: set[MapName] = {name for name in MAPS if name in decal.pigment.values()}
    found.discard("base_color")
    if decal.colored:
        found.add("base_color")
    if decal.raises:
        found.add("height")
    return found


class LaidDecals(LaidTiles[MapName]):
    """What the decals of one layer lay on one surface."""

    def __init__(self, source: Source, surface: Surface, layout: Layout, names: Iterable[MapName]) -> None:
        super().__init__(surface.size, names)
        self.source, self.surface, self.layout = source, surface, layout
        self.laid: Sequence[Laying] = ()
        #: By decal, what it is laid from and the tiles that it may touch.
        self.touched: dict[str, tuple[Laying, NDArray[np.int32]]] = {}

    def follow(self, laid: Sequence[Laying]) -> None:
        """Lay these from now on; only tiles that a difference touches are worked out again.

        Rasters that show something else are other ones, so that nothing that was made from them is taken for true.
        """
        others = differing(self.laid, laid)
        if not others:
            return
        for each in others:
            self.known[self._tiles(each)[1]] = False
        self.laid, self.touched = tuple(laid), {each.decal.id: self._tiles(each) for each in laid}
        self.rasters = {name: raster.copy() for name, raster in self.rasters.items()}

    def _tiles(self, laying: Laying) -> tuple[Laying, NDArray[np.int32]]:
        known = self.touched.get(laying.decal.id)
        if known and known[0] is laying:
            return known
        return laying, self.source.tiles(laying.decal, self.surface, self.layout)

    def _work_out(self, tiles: NDArray[np.int32]) -> None:
        each_touches = [self.touched[each.decal.id][1] for each in self.laid]
        # All in one list: of hundreds of decals few reach the tiles asked for.
        touched = np.concatenate([tiles[:0], *each_touches])
        whose = np.repeat(np.arange(len(self.laid)), [len(some) for some in each_touches])
        row_of = np.full(len(self.known), -1, np.int64)
        for first in range(0, len(tiles), AT_ONCE):
            some = tiles[first : first + AT_ONCE]
            into = Gathered.of(some)
            row_of[:] = -1
            row_of[some] = np.arange(len(some))
            rows = row_of[touched]
            here = rows >= 0
            rows, found = rows[here], whose[here]
            for number in np.unique(found).tolist():
                self.source.lay(self.laid[number], self.surface, self.layout, into, rows[found == number])
            for name, raster in self.rasters.items():
                for row, number in enumerate(some.tolist()):
                    raster.put(tile_key(number, raster.addresses.shape[1]), to_tile(name, into, row))


def differing(one: Sequence[Laying], other: Sequence[Laying]) -> list[Laying]:
    """Those that are only in one of two layers, or lie in another order there."""
    kept = {each.decal.id: each for each in one}
    now = {each.decal.id: each for each in other}
    found: list[Laying] = []
    for key in {**kept, **now}:
        before, after = kept.get(key), now.get(key)
        if before is not after and before != after:
            found += [each for each in (before, after) if each]
    both = [key for key in kept if key in now]
    if both != [key for key in now if key in kept]:
        found += [kept[key] for key in both]
    return found


class Source:
    """Decals as the kernels know them, and where they reach."""

    def __init__(self, cache: Cache, washes: Washes, region_mask: Callable[[Region, Surface], TileMask]) -> None:
        self.cache, self.washes, self.region_mask = cache, washes, region_mask

    def tiles(self, decal: Decal, surface: Surface, layout: Layout) -> NDArray[np.int32]:
        """The tiles of a surface's map that a decal may touch."""
        relief = decal.relief
        key = ("decal tiles", layout.key, decal.frame, relief and relief.bevel)

        def make() -> NDArray[np.int32]:
            inward, _, size = self._frame(decal, surface)
            if isinstance(decal.frame, BodyFrame):
                # As far as rounding, and a texel, may take what fills it.
                inward = inward / (1 + 4 * ROUNDING)
            elif relief:
                # As far as its softened edge goes.
                unit = max(surface.size) if isinstance(decal.frame, MapFrame) else 1.0
                grown = [*(1 + 2 * (3.1 * relief.bevel * unit / size[:2] + 0.02)), 1.0]
                inward, size = inward / np.array(grown)[:, None], size * grown
            bend = bend_of(decal.frame)
            if bend[0] != 0:
                low, high = bounds_of(size, bend)
                # The smallest box around what is bent, of the same axes.
                inward = inward * (size / (high - low))[:, None]
                inward[:, 3] -= (low + high) / 2 / (high - low)
            return tiles_in_box(self._ownership(decal, surface, layout), inward)

        return self.cache.get(key, make, lambda made: made.nbytes)

    def lay(
        self, laying: Laying, surface: Surface, layout: Layout, into: Gathered, rows: NDArray[np.int64]
    ) -> None:  # fmt: skip
        """Lay one over what is gathered."""
        own = self._ownership(laying.decal, surface, layout)
        region = self.region_mask(laying.region, surface) if laying.region else None
        lay_decal(own, self._normals(laying.decal, layout), self._placed(laying, surface), into, rows, region)

    def shows(self, laying: Laying, surface: Surface, layout: Layout) -> bool:
        """Whether one lays anything on a surface, whatever its opacity."""
        plain = Laying(laying.decal.but(opacity=1.0, visible=True), laying.picture, laying.region)
        tiles = self.tiles(plain.decal, surface, layout)
        for first in range(0, len(tiles), FEW):
            some = tiles[first : first + FEW]
            into = Gathered.of(some)
            self.lay(plain, surface, layout, into, np.arange(len(some)))
            if into.color.any() or into.values.any() or into.lift.any():
                return True
        return False

    def _ownership(self, decal: Decal, surface: Surface, layout: Layout) -> Ownership:
        return flat_ownership(*surface.size) if isinstance(decal.frame, MapFrame) else layout.ownership

    def _normals(self, decal: Decal, layout: Layout) -> NDArray[np.float64]:
        if isinstance(decal.frame, MapFrame):
            return FLAT_NORMALS
        return layout.smooth_normals if isinstance(decal.frame, BodyFrame) else layout.facing.normals

    def _frame(
        self, decal: Decal, surface: Surface
    ) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Into the frame's own coordinates, from model units or from texels; its front; and its size in these."""
        frame = decal.frame
        if isinstance(frame, MapFrame):
            longest = max(surface.size)
            angle = np.radians(frame.roll)
            c, s = np.cos(angle), np.sin(angle)
            axes = np.array([[c, s, 0.0], [s, -c, 0.0], FLAT_NORMAL])
            center = frame.center[0] * surface.width, frame.center[1] * surface.height, 0.0
            size = np.array([frame.width * longest, frame.height * longest, 1.0])
            return inward_of(axes, center, size), FLAT_NORMAL, size
        if isinstance(frame, BodyFrame):
            size = np.array(frame.size)
            return inverse_of(frame.position, frame.size, frame.turn), turn_of(frame.turn)[:, 2], size
        axes, size = axes_of(frame.normal, frame.roll), np.array([frame.width, frame.height, frame.depth])
        return inward_of(axes, frame.position, size), axes[2], size

    def _placed(self, laying: Laying, surface: Surface) -> Placed:
        decal = laying.decal
        key = ("decal", decal.but(id="", visible=True), laying.picture.looks, surface.size, surface.depth)
        return self.cache.get(key, lambda: self._make(laying, surface), _bytes)

    def _make(self, laying: Laying, surface: Surface) -> Placed:
        decal, frame = laying.decal, laying.decal.frame
        inward, front, size = self._frame(decal, surface)
        values = decal.pigment.values()
        color = values.get("base_color")
        gray, opaque = self.washes.looks(laying.picture)
        across, down = decal.repeat
        flat = isinstance(frame, MapFrame) or decal.limit >= 180
        around = Around(frame.shape, turn_of(frame.turn).T) if isinstance(frame, BodyFrame) else None
        placed = Placed(
            inward, front, self.washes.pyramid(laying.picture, gray=False),
            ANY_ANGLE if flat else limits_of(decal.limit), (-across if decal.mirrored else across, down), decal.soft,
            decal.opacity, decal.colored, color[:3] if color and len(color) == 3 else None, decal.inverted,
            color is not None and gray and opaque,
            (values.get("roughness", (math.nan,))[0], values.get("metallic", (math.nan,))[0]),
            size, bend_of(frame), around,
        )  # fmt: skip
        if not (decal.relief and decal.raises):
            return placed
        picture = self.washes.picture(laying.picture)
        # Where height spans nothing, nothing rises.
        rise = decal.relief.height / surface.depth if surface.depth else 0.0
        relief = relief_of(picture, placed, (float(size[0]), float(size[1])), decal.relief.bevel, rise)
        return replace(placed, relief=relief)


class DecalLayers:
    """Of each layer of decals what it lays."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.found: dict[str, LaidDecals] = {}
        #: Of each decal as it was asked for last, so that those that stay are the same objects.
        self.layings: dict[str, Laying] = {}

    def rasters(
        self, node: Decals, surface: Surface, layout: Layout, laid: Sequence[Laying]
    ) -> Mapping[MapName, Raster]:  # fmt: skip
        """What a layer lays on each map; its tiles come when they are asked for."""
        there = frozenset[MapName]().union(*(each.maps for each in laid))
        names = [name for name in MAPS if name in there]
        known = self.found.get(node.id)
        fits = known and known.layout.key == layout.key and known.surface.depth == surface.depth
        if not (known and fits and list(known.rasters) == names):
            known = self.found[node.id] = LaidDecals(self.source, surface, layout, names)
        known.follow(laid)
        return known.rasters

    def laying(self, decal: Decal, picture: Picture, region: Region | None) -> Laying:
        """A decal with what it is made from."""
        known = self.layings.get(decal.id)
        if known is None or known.decal is not decal or known.picture is not picture or known.region is not region:
            known = self.layings[decal.id] = Laying(decal, picture, region)
        return known

    def touched(self, decals: Iterable[Decal], surface: Surface, layout: Layout) -> dict[MapName, TileArea]:
        """Where some decals may show on each map."""
        found: dict[MapName, TileArea] = {}
        for decal in decals:
            area = TileArea.of_tiles(self.source.tiles(decal, surface, layout))
            for name in maps_of(decal):
                found[name] = found[name].joined(area) if name in found else area
        return found

    def lazy(self, rasters: Iterable[Raster]) -> list[LaidTiles[MapName]]:
        """Those to whom some rasters belong."""
        return owners(self.found.values(), rasters)

    def settle(self, most: int) -> None:
        """Nothing is being drawn: tiles beyond a budget in bytes are let go."""
        within(most, self.found)

    def forget(self, node: str) -> None:
        """A layer is gone."""
        self.found.pop(node, None)


def _bytes(placed: Placed) -> int:
    return placed.relief.picture.nbytes if placed.relief else 0
