"""The maps that a painter sees: each surface's stack composited, its gutter and its normals, where they are stale."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence, Set
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from ...core.compose import evaluate
from ...core.relief import write_normals
from ...core.relief.heights import Heights
from ...core.texels import TileArea
from ...core.texels.area import distinct, with_neighbors
from ...core.texels.composite_picture import Picture
from ..values import MAPS, MapName, Surface
from .filtered import Filtered, felt
from .layouts import Layout, Together
from .programs import Compiled

#: Composited maps lie in three pictures of four channels each.
PictureName = Literal["color", "values", "relief"]
PICTURES: tuple[PictureName, ...] = ("color", "values", "relief")
PICTURE_OF: dict[MapName, PictureName] = {
    "base_color": "color", "height": "values", "roughness": "values", "metallic": "values",
    "opacity": "values",
}  # fmt: skip
#: Channels of "values": as glTF packs them, with height where glTF keeps occlusion, and opacity behind.
VALUE_CHANNEL: dict[MapName, int] = {"height": 0, "roughness": 1, "metallic": 2, "opacity": 3}
#: The normal of what has no relief, as a texel.
LEVEL = (32768, 32768, 65535, 65535)

#: Areas that are listed before they are summed up: one sum of many is cheaper than many of two.
MOST_PARTS = 64

Changed = dict[PictureName, TileArea]


class Composite:
    """The pictures of one surface, and where they have to be worked out again."""

    def __init__(self, size: tuple[int, int]) -> None:
        self.size = size
        self.pictures: dict[PictureName, Picture] = {name: Picture(*size) for name in PICTURES}
        self.pictures["relief"].fill(LEVEL)
        self.stale: dict[MapName, list[TileArea]] = self._all_of_it()
        #: The same for filters: where pixels have changed, by node, and where anything else has.
        self.pixels: dict[str, TileArea] = {}
        self.rest: list[TileArea] = []
        #: Where pictures were composited whose gutter still shows what lay there before.
        self.bare: Changed = {}
        #: Tiles composited while something was drawn, and where that was done roughly.
        self.loose: list[NDArray[np.int32]] = []
        self.rough: dict[MapName, list[TileArea]] = {}
        #: Where pictures are others than when that was asked last.
        self.untold: Changed = {}
        #: Where slopes have to be looked at again.
        self.relief_stale = TileArea.empty()
        #: What the pictures were made for: another layout, other start values, links or depth make them anew.
        self.layout_key: Any = None
        self.relief_key: Any = None
        self.heights: Heights | None = None

    @property
    def everywhere(self) -> TileArea:
        """The whole map as an area."""
        return TileArea.whole(*self.size)

    def tell(self, changed: Changed) -> None:
        """Pictures have changed in these areas."""
        for name, area in changed.items():
            self.untold[name] = self.untold[name].joined(area) if name in self.untold else area

    @property
    def nbytes(self) -> int:
        """What its pictures take."""
        return sum(picture.nbytes for picture in self.pictures.values())

    def read(self, name: MapName) -> NDArray[np.uint16]:
        """A composited map: base_color (H, W, 4), the others (H, W)."""
        picture = self.pictures[PICTURE_OF[name]].read()
        return picture if name == "base_color" else picture[..., VALUE_CHANNEL[name]].copy()

    def texel(self, name: MapName, y: int, x: int) -> NDArray[np.uint16]:
        """One texel of a composited map: three channels of color, or a value."""
        texel = self.pictures[PICTURE_OF[name]].texels(np.array([y]), np.array([x]))
        return texel[0, :3] if name == "base_color" else texel[0, VALUE_CHANNEL[name], None]

    def mark(self, name: MapName, area: TileArea, painted: str | None = None) -> None:
        """This part of a map has to be composited again. painted: the node of which nothing but pixels changed."""
        if not len(area):
            return
        self.stale.setdefault(name, []).append(area)
        if painted is None:
            self.rest.append(area)
        else:
            self.pixels[painted] = area.joined(self.pixels.get(painted, TileArea.empty()))

    def _all_of_it(self) -> dict[MapName, list[TileArea]]:
        """All of every map, as `stale` has it."""
        everywhere = self.everywhere
        return {name: [everywhere] for name in MAPS}

    def summed(self) -> dict[MapName, TileArea]:
        """What waits to be composited, by map; what was marked again and again is one area from now on."""
        stale = {name: TileArea.union(areas) for name, areas in self.stale.items()}
        self.stale = {name: [area] for name, area in stale.items()}
        self.rest = [TileArea.union(self.rest)]
        return stale

    def refresh(
        self, surface: Surface, compiled: Compiled, filters: Sequence[Filtered], layout: Layout, calm: bool,
        thoroughly: bool,
    ) -> None:  # fmt: skip
        """Composite what is stale; gutters follow with `spread`.

        filters: those of its stack, bottom first, which carry changes on. calm: nothing is being drawn, so that tiles
        which became one color may give their memory back. thoroughly: unless it is drawn on, also what is rough.
        """
        if self.layout_key != layout.key:
            # Texels mean other places now: gutters and slopes of before must not stay behind.
            self.stale = self._all_of_it()
            self.pictures["relief"].fill(LEVEL)
            self.layout_key, self.relief_key = layout.key, None
        stale, self.stale = self.stale, {}
        if thoroughly and not compiled.drawing:
            for name, parts in self.rough.items():
                stale[name] = [*stale.get(name, []), *parts]
            self.rough = {}
        if not stale:
            return
        area = TileArea.union([part for areas in stale.values() for part in areas])
        pixels, rest = self.pixels, TileArea.union(self.rest)
        self.pixels, self.rest = {}, []
        if filters:
            area = felt(filters, pixels, rest).joined(area)
            stale = {name: [area] for name in stale}
        if compiled.program.coupled:
            stale = {name: [area] for name in MAPS}
        color, values = self.pictures["color"], self.pictures["values"]
        compiled.hold(area.tiles)
        evaluate(
            compiled.program, surface.under, area, color, values, list(stale), compiled.around, compiled.drawing
        )  # fmt: skip
        if compiled.drawing and compiled.around:
            self._mark_rough(stale, area.only(compiled.around.bent[area.tiles]))
        if "height" in stale:
            self.relief_stale = TileArea.union(stale["height"]).joined(self.relief_stale)
        self.loose.append(area.tiles)
        if calm:
            tiles, self.loose = distinct(np.concatenate(self.loose)), []
            color.settle(tiles)
            values.settle(tiles)
        for picture in dict.fromkeys(PICTURE_OF[map_] for map_ in stale):
            self.bare[picture] = area.joined(self.bare.get(picture, TileArea.empty()))

    def spread(self, layout: Layout) -> Changed:
        """Bring gutters up to date; returns what changed in each picture since this was asked last."""
        bare, self.bare = self.bare, {}
        return {name: layout.spread(self.pictures[name], area) for name, area in bare.items()}

    def _mark_rough(self, maps: Iterable[MapName], area: TileArea) -> None:
        """All of these maps have been composited roughly in an area, also where only one of them was stale."""
        for name in maps if len(area) else ():
            parts = self.rough.setdefault(name, [])
            parts.append(area)
            if len(parts) == MOST_PARTS:
                self.rough[name] = [TileArea.union(parts)]


def refresh_relief(
    surfaces: Sequence[Surface], composites: Sequence[Composite], layouts: Sequence[Layout],
    groups: Sequence[Together], raised: Set[str], heights_for: Callable[[int], Heights],
) -> dict[str, TileArea]:  # fmt: skip
    """Bring the normals of all surfaces in line with their height, over seams; returns what changed, by surface.

    Lists go by the surfaces' numbers. raised: ids of surfaces on which any layer holds height. heights_for: empty
    heights of a surface, linked to the others.
    """
    fresh: set[int] = set()
    stale: dict[int, TileArea] = {}
    held_up = {groups[surface.number][0] for surface in surfaces if surface.id in raised}
    for number, (surface, composite) in enumerate(zip(surfaces, composites, strict=True)):
        key = (groups[number], surface.depth, groups[number][0] in held_up)
        if composite.relief_key != key:
            if composite.relief_key is None or composite.relief_key[::2] != key[::2]:
                fresh.add(number)
            composite.relief_key, composite.relief_stale = key, composite.everywhere
        if len(composite.relief_stale):
            stale[number], composite.relief_stale = composite.relief_stale, TileArea.empty()
    changed = {}
    for numbers in {groups[number][0] for number in stale}:
        if numbers in held_up:
            for number in numbers:
                held = composites[number].heights
                if number in fresh or held is None:
                    held, stale[number] = heights_for(number), composites[number].everywhere
                    composites[number].heights = held
                if number in stale:
                    held.take(composites[number].pictures["values"], stale[number])
            areas = _sloped(surfaces, composites, numbers, stale)
        else:
            areas = _level(composites, numbers)
        for number, area in areas.items():
            relief = composites[number].pictures["relief"]
            changed[surfaces[number].id] = layouts[number].spread(relief, area)
    return changed


def _sloped(
    surfaces: Sequence[Surface], composites: Sequence[Composite], numbers: Iterable[int], stale: Mapping[int, TileArea]
) -> dict[int, TileArea]:
    """Write the normals of surfaces that hang together after heights changed; returns where, by number."""
    heights = {number: held for number in numbers if (held := composites[number].heights)}
    changed = {}
    for number, held in heights.items():
        area = TileArea.empty()
        if number in stale:
            area = with_neighbors(stale[number], *surfaces[number].size)
        for other in sorted(held.neighbors & stale.keys()):
            width, height = surfaces[other].size
            area = area.joined(held.beside(other, width, height, stale[other]))
        if len(area):
            write_normals(composites[number].pictures["relief"], heights, number, surfaces[number].depth, area)
            changed[number] = area
    return changed


def _level(composites: Sequence[Composite], numbers: Iterable[int]) -> dict[int, TileArea]:
    """Nothing is raised on these: no links over seams are needed, which take a moment to find."""
    changed = {}
    for number in numbers:
        composites[number].heights = None
        relief = composites[number].pictures["relief"]
        if not relief.plain.all() or (relief.colors != LEVEL).any():
            relief.fill(LEVEL)
            changed[number] = composites[number].everywhere
    return changed
