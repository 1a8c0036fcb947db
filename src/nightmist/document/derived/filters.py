"""What adjustments that look at neighbors make of all that lies below them, worked out as tiles are composited."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...core.compose import Group as CoreGroup
from ...core.compose import compiled
from ...core.compose.program import UNDER
from ...core.compose.surroundings import unrounded
from ...core.filters.blur import spread_of
from ...core.filters.distort import Distortion
from ...core.filters.ground import Ground, ground_of
from ...core.filters.run import Blur, Distort, Filter, Still, to_texels
from ...core.filters.small import small_side
from ...core.texels import TILE, Raster
from ...core.texels.ownership import own_texels
from ...core.texels.raster import Start, TileKey, shares_of, tile_key
from ..values import CHANNELS, MAPS, MASK, Adjustment, MapName, MaskOf, Node, NodeMap, PlaneName, Surface
from .cache import Cache
from .composites import VALUE_CHANNEL
from .filtered import Filtered
from .laid import LaidTiles, owners, within
from .layouts import Layout
from .programs import Lazy, Ready, Shown, core_node, lies_on, visible


class LaidFilter(Filtered):
    """What a filter lays over what is below it."""

    def __init__(
        self, node: str, run: Filter, names: Sequence[MapName], surface: Surface, inside: bool, key: Any
    ) -> None:
        """inside: a group, which may be transparent."""
        super().__init__(node, run, names, surface, key)
        self.names, self.inside = names, inside
        self.under = np.array(surface.under, np.float32)
        self.below = Ready(compiled([]))

    def meeting(self, below: Sequence[Shown], lazy: Sequence[Lazy]) -> None:
        """It goes on over these nodes, whose pixels are what they were. lazy: their tiles that are worked out."""
        nodes = [core_node(one, len(self.known)) for one in below]
        self.below = Ready(compiled([CoreGroup(nodes)] if self.inside else nodes, whole=True), lazy)
        self.nodes = frozenset(each for one in below for each in one.ids())

    def _write(self, tiles: NDArray[np.int32], planes: NDArray[np.float32]) -> None:
        for name, (at, alpha) in zip(self.names, self._columns(), strict=True):
            raster = self.rasters[name]
            made = np.empty((len(tiles), TILE, TILE, raster.channels), np.uint16)
            to_texels(planes, at, alpha, made)
            raster.put_all(tiles, made)

    def _columns(self) -> list[tuple[int, int | None]]:
        """Of each map its first plane and its alpha's."""
        found: list[tuple[int, int | None]] = []
        at = 0
        for name in self.names:
            colors = CHANNELS[name] - 1
            found.append((at, at + colors if self.inside else None))
            at += colors + self.inside
        return found

    def _below(self, tiles: NDArray[np.int32]) -> NDArray[np.float32]:
        """(n, 64, 64, planes) what lies below, colors times alpha."""
        self.below.hold(tiles)
        wanted = np.array(["base_color" in self.names, any(name != "base_color" for name in self.names)])
        run = partial(unrounded, self.below.program, tiles, np.tile(wanted, (len(tiles), 1)))
        colors, values = run(np.zeros(UNDER, np.float32) if self.inside else self.under)
        # Over black lies what counts, over white besides it what is left of the white.
        white, light = run(np.ones(UNDER, np.float32)) if self.inside else (colors, values)
        parts: list[NDArray[np.float32]] = []
        for name in self.names:
            if name == "base_color":
                parts += [colors[..., c] for c in range(3)]
                alpha = 1 - (white[..., 0] - colors[..., 0])
            else:
                place = VALUE_CHANNEL[name]
                parts.append(values[:, place])
                alpha = 1 - (light[:, place] - values[:, place])
            parts += [alpha] if self.inside else []
        return np.stack(parts, axis=-1)


class LaidMask(Filtered):
    """A mask as it counts: blurred, its shares stretched."""

    def __init__(self, node: str, run: Filter, surface: Surface, mask: MaskOf, key: Any) -> None:
        super().__init__(node, run, [MASK], surface, key)
        self.mask, self.nodes = mask, frozenset([node])
        self.painted: Raster | None = None
        self.start: Callable[[TileKey], Start] = lambda key: mask.start

    def _below(self, tiles: NDArray[np.int32]) -> NDArray[np.float32]:
        shares = np.empty((len(tiles), TILE, TILE, 1), np.float32)
        columns = self.rasters[MASK].addresses.shape[1]
        for i, number in enumerate(tiles):
            key = tile_key(number, columns)
            start = self.start(key)
            shares[i, ..., 0] = start
            if self.painted is not None and (tile := self.painted.tiles.get(key)) is not None:
                shares[i, ..., 0] = shares_of(tile, start)[..., 0] / np.float32(65535)
        return shares

    def _write(self, tiles: NDArray[np.int32], planes: NDArray[np.float32]) -> None:
        low, high = self.mask.low, self.mask.high
        raster = self.rasters[MASK]
        made = np.empty((len(tiles), TILE, TILE, 2), np.uint16)
        to_texels((planes - np.float32(low)) / np.float32(high - low), 0, None, made)
        for number, tile in zip(tiles, made, strict=True):
            # Where all is hidden, and is so by itself, nothing has to be told.
            blank = self.mask.start == 0 and not tile[..., 0].any()
            raster.put(tile_key(number, raster.addresses.shape[1]), None if blank else tile)


class Filters:
    """Of each filter in a stack what it lays, kept as long as what it follows from is as it was."""

    def __init__(self, cache: Cache) -> None:
        self.cache = cache
        self.found: dict[str, Filtered] = {}

    def rasters(
        self, node: Adjustment, below: Sequence[Shown], surface: Surface, layout: Layout, lazy: Sequence[Lazy]
    ) -> dict[PlaneName, Raster]:
        """What a filter lays on each map over the nodes below it in its stack.

        It goes on as it was when nothing but pixels has changed below.
        """
        made = self._made(node, below, surface, layout, node.parent != surface.id)
        known = self.found.get(node.id)
        laid = known if isinstance(known, LaidFilter) and known.key == made.key else made
        self.found[node.id] = laid
        laid.meeting(visible(below), lazy)
        return laid.rasters

    def mask(
        self, node: Node, mask: MaskOf, looks: Any, painted: Raster | None, start: Callable[[TileKey], Start],
        surface: Surface, layout: Layout,
    ) -> Raster:  # fmt: skip
        """A node's mask as it counts. start: what it has, tile by tile, where nothing is painted.

        looks: of the picture that this follows from.
        """
        place = f"{node.id}/{MASK}"
        key = (layout.key, mask, looks)
        laid = self.found.get(place)
        if not isinstance(laid, LaidMask) or laid.key != key:
            run = self._blur(mask.soften, surface, layout) if mask.soften else Still()
            laid = self.found[place] = LaidMask(node.id, run, surface, mask, key)
        laid.painted, laid.start = painted, start
        return laid.rasters[MASK]

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

    def lazy(self, rasters: Iterable[Raster]) -> list[LaidTiles[PlaneName]]:
        """Those to whom some rasters belong."""
        return owners(self.found.values(), rasters)

    def settle(self, most: int) -> None:
        """Nothing is being drawn: tiles beyond a budget in bytes are let go."""
        within(most, self.found)

    def forget(self, node: str) -> None:
        """A node is gone."""
        self.found.pop(node, None)
        self.found.pop(f"{node}/{MASK}", None)

    def forget_unused(self, used: Sequence[Filtered], changed: Iterable[str]) -> None:
        """Those that are not shown, and lie over nodes that have changed, begin anew when they are."""
        nodes = set(changed)
        held = {id(laid) for laid in used}
        for key, laid in list(self.found.items()):
            if id(laid) not in held and not nodes.isdisjoint(laid.nodes):
                del self.found[key]

    def _run(self, node: Adjustment, surface: Surface, layout: Layout) -> Filter:
        if node.effect == "distort":
            ground = self._ground(surface, layout, 1)
            low, high = layout.mesh.bounds
            longest = float((high - low).max()) or 1.0
            how = Distortion(node.amount * longest, node.grain * longest, node.seed)
            own = layout.ownership
            return self.cache.get(
                ("distort", layout.key, how),
                lambda: Distort(layout.mesh, surface.number, own, layout.uvs, ground, how), lambda made: 1 << 20,
            )  # fmt: skip
        return self._blur(node.radius, surface, layout, node.strength if node.effect == "sharpen" else 0.0)

    def _blur(self, radius: float, surface: Surface, layout: Layout, sharpen: float = 0.0) -> Filter:
        ground = self._ground(surface, layout, 1)
        spread = spread_of(radius, ground.wide)
        small = self._ground(surface, layout, spread.factor) if spread.factor > 1 else None
        return Blur(ground, spread, small, sharpen)

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


def _trace(shown: Shown) -> tuple[Any, ...]:
    """What of a node a filter above it can tell, but for its pixels."""
    return shown.node, tuple(shown.rasters), tuple(_trace(one) for one in shown.nodes)
