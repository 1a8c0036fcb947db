"""What adjustments that look at neighbors make of all that lies below them, worked out as tiles are composited."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...core.compose import Group as CoreGroup
from ...core.compose import compiled
from ...core.compose.surroundings import Held
from ...core.filters.blur import spread_of
from ...core.filters.distort import Distortion
from ...core.filters.ground import Ground, ground_of
from ...core.filters.run import Blur, Distort, Filter, to_texels
from ...core.filters.small import small_side
from ...core.texels import TILE, Raster, TileArea
from ...core.texels.ownership import own_texels
from ...core.texels.raster import tile_key
from ..values import CHANNELS, MAPS, Adjustment, MapName, NodeMap, Surface
from .cache import Cache
from .layouts import Layout
from .programs import Lazy, Ready, Shown, core_node, lies_on, visible

#: Tiles that are made at once: rows of them, so that few are looked at twice.
AT_ONCE = 128
#: Places of the values in what a program makes.
VALUE_PLACE: dict[MapName, int] = {"height": 0, "roughness": 1, "metallic": 2}


class LaidFilter:
    """What a filter lays over what is below it: rasters whose tiles come when they are asked for."""

    def __init__(
        self, node: str, run: Filter, names: Sequence[MapName], surface: Surface, inside: bool, key: Any
    ) -> None:
        """node: its id. names: the maps that it works on. inside: a group, which may be transparent."""
        self.node, self.run, self.names, self.inside, self.key = node, run, names, inside, key
        self.under = np.array(surface.under, np.float32)
        self.rasters = {name: Raster(*surface.size, CHANNELS[name]) for name in names}
        self.known = np.zeros(surface.width // TILE * (surface.height // TILE), np.bool_)
        self.below, self.nodes = Ready(compiled([])), frozenset[str]()

    @property
    def nbytes(self) -> int:
        """What its tiles take."""
        return sum(len(raster.tiles) * TILE * TILE * raster.channels * 2 for raster in self.rasters.values())

    def meeting(self, below: Sequence[Shown], lazy: Sequence[Lazy]) -> None:
        """It goes on over these nodes, whose pixels are what they were. lazy: their tiles that are worked out."""
        nodes = [core_node(one, len(self.known)) for one in below]
        self.below = Ready(compiled([CoreGroup(nodes)] if self.inside else nodes), lazy)
        self.nodes = frozenset(each for one in below for each in one.ids())

    def hold(self, tiles: NDArray[np.int32]) -> None:
        """See that these tiles are worked out."""
        new = tiles[~self.known[tiles]]
        self.known[new] = True
        for first in range(0, len(new), AT_ONCE):
            some = new[first : first + AT_ONCE]
            planes = self.run.make(some, self._planes)
            for name, (at, alpha) in zip(self.names, self._columns(), strict=True):
                raster = self.rasters[name]
                made = np.empty((len(some), TILE, TILE, raster.channels), np.uint16)
                to_texels(planes, at, alpha, made)
                for number, tile in zip(some, made, strict=True):
                    raster.put(tile_key(number, raster.addresses.shape[1]), tile)

    def felt(self, changed: TileArea) -> TileArea:
        """What lies below has changed in an area: where that is felt, and has to be worked out again."""
        self.run.forget(changed.tiles)
        area = self.run.reach(changed)
        self.known[area.tiles] = False
        return area

    def let_go(self) -> None:
        """Forget all tiles; they are worked out again when they are asked for."""
        for raster in self.rasters.values():
            for key in list(raster.tiles):
                raster.put(key, None)
        self.known[:] = False

    def _columns(self) -> list[tuple[int, int | None]]:
        """Of each map its first plane and its alpha's."""
        found: list[tuple[int, int | None]] = []
        at = 0
        for name in self.names:
            colors = CHANNELS[name] - 1
            found.append((at, at + colors if self.inside else None))
            at += colors + self.inside
        return found

    def _planes(self, tiles: NDArray[np.int32]) -> NDArray[np.float32]:
        """(n, 64, 64, planes) what lies below, colors times alpha."""
        self.below.hold(tiles)
        held = Held(self.below.program, len(self.known), 2 if self.inside else 1)
        wanted = np.array(["base_color" in self.names, any(name != "base_color" for name in self.names)])
        held.take(tiles, np.tile(wanted, (len(tiles), 1)), self.under)
        colors, values = held.blocks
        parts: list[NDArray[np.float32]] = []
        for name in self.names:
            if name == "base_color":
                # Over black lies what counts, over white besides it what is left of the white.
                parts += [colors[:, -1, ..., c] for c in range(3)]
                alpha = 1 - colors[:, 0, ..., 0]
            else:
                parts.append(values[:, -1, VALUE_PLACE[name]])
                alpha = 1 - values[:, 0, VALUE_PLACE[name]]
            parts += [alpha] if self.inside else []
        return np.stack(parts, axis=-1)


class Filters:
    """Of each filter in a stack what it lays, kept as long as what it follows from is as it was."""

    def __init__(self, cache: Cache) -> None:
        self.cache = cache
        self.found: dict[str, LaidFilter] = {}

    def rasters(
        self, node: Adjustment, below: Sequence[Shown], surface: Surface, layout: Layout, lazy: Sequence[Lazy]
    ) -> dict[MapName, Raster]:
        """What a filter lays on each map over the nodes below it in its stack.

        It goes on as it was when nothing but pixels has changed below.
        """
        made = self._made(node, below, surface, layout, node.parent != surface.id)
        known = self.found.get(node.id)
        laid = self.found[node.id] = known if known and known.key == made.key else made
        laid.meeting(visible(below), lazy)
        return laid.rasters

    def alone(
        self, node: Adjustment, below: Sequence[Shown], surface: Surface, layout: Layout, lazy: Sequence[Lazy]
    ) -> LaidFilter:
        """A filter over nodes that start from transparent, for once."""
        laid = self._made(node, below, surface, layout, True)
        laid.meeting(visible(below), lazy)
        return laid

    def _made(
        self, node: Adjustment, below: Sequence[Shown], surface: Surface, layout: Layout, inside: bool
    ) -> LaidFilter:
        there = lies_on(below)
        names = [name for name in MAPS if node.maps.get(name, NodeMap()).on and name in there]
        settings = (node.effect, node.radius, node.strength, node.amount, node.grain, node.seed)
        trace = tuple(_trace(one) for one in visible(below))
        key = (layout.key, settings, names, inside, None if inside else surface.under, trace)
        return LaidFilter(node.id, self._run(node, surface, layout), names, surface, inside, key)

    def lazy(self, rasters: Iterable[Raster]) -> list[LaidFilter]:
        """Those to whom some rasters belong."""
        known = {id(raster): laid for laid in self.found.values() for raster in laid.rasters.values()}
        return list({id(laid): laid for raster in rasters if (laid := known.get(id(raster)))}.values())

    def settle(self, most: int) -> None:
        """Nothing is being drawn: tiles beyond a budget in bytes are let go."""
        if sum(laid.nbytes for laid in self.found.values()) > most:
            for laid in self.found.values():
                laid.let_go()

    def forget(self, node: str) -> None:
        """A node is gone."""
        self.found.pop(node, None)

    def forget_unused(self, used: Sequence[LaidFilter], changed: Iterable[str]) -> None:
        """Those that are not shown, and lie over nodes that have changed, begin anew when they are."""
        nodes = set(changed)
        held = {id(laid) for laid in used}
        for key, laid in list(self.found.items()):
            if id(laid) not in held and not nodes.isdisjoint(laid.nodes):
                del self.found[key]

    def _run(self, node: Adjustment, surface: Surface, layout: Layout) -> Filter:
        ground = self._ground(surface, layout, 1)
        if node.effect == "distort":
            low, high = layout.mesh.bounds
            longest = float((high - low).max()) or 1.0
            how = Distortion(node.amount * longest, node.grain * longest, node.seed)
            own = layout.ownership
            return self.cache.get(
                ("distort", layout.key, how),
                lambda: Distort(layout.mesh, surface.number, own, layout.uvs, ground, how), lambda made: 1 << 20,
            )  # fmt: skip
        spread = spread_of(node.radius, ground.wide)
        small = self._ground(surface, layout, spread.factor) if spread.factor > 1 else None
        return Blur(ground, spread, small, node.strength if node.effect == "sharpen" else 0.0)

    def _ground(self, surface: Surface, layout: Layout, factor: int) -> Ground:
        """How a map hangs together that is so many times smaller than the surface's."""

        def make() -> Ground:
            if factor == 1:
                return ground_of(layout.mesh, surface.number, layout.ownership, layout.uvs)
            size = small_side(surface.width, factor), small_side(surface.height, factor)
            shrunk = np.array([surface.width / factor / size[0], surface.height / factor / size[1]])
            uvs = (layout.uvs * shrunk).astype(np.float32)
            faces = layout.faces[:0] if layout.refused else layout.faces
            return ground_of(layout.mesh, surface.number, own_texels(layout.mesh, faces, uvs, *size), uvs)

        return self.cache.get(("ground", layout.key, factor), make, lambda made: made.nbytes)


def felt(filters: Sequence[LaidFilter], pixels: Mapping[str, TileArea], rest: TileArea) -> TileArea:
    """Where changes show that filters carry on. filters: of a stack, bottom first, those inside others before them.

    pixels: where, by node, pixels have changed. rest: where anything else has; that may lie anywhere in the stack.
    """
    changed = dict(pixels)
    for laid in filters:
        below = [area for node, area in changed.items() if node in laid.nodes]
        if below:
            # What lies above this one looks at what it makes.
            area = laid.felt(TileArea.union(below))
            changed[laid.node] = area.joined(changed.get(laid.node, TileArea.empty()))
        if len(rest):
            rest = laid.run.reach(rest)
    return TileArea.union([rest, *changed.values()])


def _trace(shown: Shown) -> tuple[Any, ...]:
    """What of a node a filter above it can tell, but for its pixels."""
    return shown.node, tuple(shown.rasters), tuple(_trace(one) for one in shown.nodes)
