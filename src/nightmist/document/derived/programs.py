"""Of each surface the program of its stack, and what lies around the nodes that were drawn on last."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence, Set
from dataclasses import dataclass, replace
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from ...core import compose
from ...core.compose import MapUse, Mask, Mix, compiled
from ...core.compose.program import NO_MASK, Program
from ...core.compose.program import Node as CoreNode
from ...core.compose.surroundings import Room, Surroundings
from ...core.texels import TILE, Raster
from ..values import FILTERS, MAPS, MASK, Adjustment, Decals, Group, MapName, Node, PlaneName, Surface, Wash
from .effects import effects_of

#: Bytes of what lies around painted nodes, of all surfaces; beyond that the layers are worked out each time.
MOST_AROUND = 256 << 20


#: Masks that hide what has no tile on them; None is a mask without any.
Covers = tuple[Raster | None, ...]


@dataclass(frozen=True)
class Shown:
    """A node as it is shown, with its rasters by map, its mask's among them; of a group the nodes in it."""

    node: Node
    rasters: Mapping[PlaneName, Raster]
    nodes: Sequence[Shown] = ()
    #: Its mask as it is painted, where it counts otherwise.
    painted_mask: Raster | None = None

    def with_node(self, node: Node) -> Shown:
        """The same pixels of another value."""
        return replace(self, node=node)

    def covered(self, covers: Covers = ()) -> Iterator[tuple[Raster, Covers]]:
        """Its rasters and those in it, each with the masks that hide it where nothing is painted on them."""
        mask, cut = self.node.mask, self.rasters.get(MASK)
        # The mask first: it may be one that is worked out, and then tells where it hides.
        if cut is not None:
            yield cut, covers
        if mask and mask.on and mask.start == 0:
            covers = (*covers, cut)
        for raster in self.rasters.values():
            if raster is not cut:
                yield raster, covers
        for one in self.nodes:
            yield from one.covered(covers)

    def all_rasters(self) -> Iterator[Raster]:
        """Its own, and those of all in it."""
        yield from self.rasters.values()
        for one in self.nodes:
            yield from one.all_rasters()

    def ids(self) -> Iterator[str]:
        """Its own, and those of all in it."""
        yield self.node.id
        for one in self.nodes:
            yield from one.ids()


class Laid(Protocol):
    """Rasters whose tiles come when they are asked for."""

    def hold(self, tiles: NDArray[np.int32]) -> None: ...


#: What is laid, and the masks that may hide it.
Lazy = tuple[Laid, Covers]
#: Those to whom some rasters belong.
LazyOf = Callable[[list[Raster]], Sequence[Laid]]


@dataclass
class Ready:
    """A program, and what has to be worked out before it runs."""

    program: Program
    lazy: Sequence[Lazy] = ()

    def hold(self, tiles: NDArray[np.int32]) -> None:
        """Work the tiles of pictures out, where no mask hides them whole."""
        for laid, covers in self.lazy:
            some = tiles
            for mask in covers:
                some = some[:0] if mask is None else some[mask.addresses.ravel()[some] != 0]
            laid.hold(some)


@dataclass
class Compiled(Ready):
    """The same at an edition of the document; what lies around `painted` nodes, and all that this follows from."""

    edition: int = -1
    drawing: bool = False
    painted: frozenset[str] = frozenset()
    around: Surroundings | None = None
    key: Any = None


def lazy_in(stack: Sequence[Shown], lazy: LazyOf) -> list[Lazy]:
    """All of a stack, bottom first, what lies in a group before it."""
    return [(laid, covers) for one in stack for raster, covers in one.covered() for laid in lazy([raster])]


def lies_on(stack: Sequence[Shown]) -> set[MapName]:
    """The maps on which anything visible of a stack lies."""
    found: set[MapName] = set()
    for one in visible(stack):
        if isinstance(one.node, Group):
            found |= lies_on(one.nodes)
        elif isinstance(one.node, Adjustment):
            found.update(MAPS)
        else:
            found.update(name for name in one.rasters if name != MASK)
        found.update(["height"] if one.node.lifts else [])
    return found


class Programs:
    """Kept as long as they are true: a stroke on the layer of the stroke before finds what lies around it."""

    def __init__(self) -> None:
        self.room = Room(MOST_AROUND)
        #: By surface, the one that was painted last at the end.
        self.found: dict[str, Compiled] = {}

    def of(
        self, surface: Surface, edition: int, stack: Callable[[], Sequence[Shown]], drawn: Set[str], lazy: LazyOf
    ) -> Compiled:
        """The program of a surface's stack as it is shown. drawn: nodes on which something is being drawn."""
        before = self.found.get(surface.id) or Compiled(compiled([]))
        if before.edition == edition:
            return before
        shown = visible(stack())
        # What lies around is told from the outermost groups on.
        painted = frozenset(one.node.id for one in shown if not drawn.isdisjoint(one.ids()))
        tiles = surface.width // TILE * (surface.height // TILE)
        nodes = [core_node(one, tiles) for one in shown]
        now = Compiled(
            compiled(nodes), lazy_in(shown, lazy), edition, bool(painted), painted or before.painted
        )  # fmt: skip
        now.key = (surface.start, surface.size, now.painted, tuple(_trace(one, now.painted) for one in shown))
        ends = np.cumsum([0, *(_steps(one) for one in shown)]).tolist()
        places = [i for i, one in enumerate(shown) if one.node.id in now.painted]
        if before.around and before.key == now.key and before.program.planes == now.program.planes:
            now.around = before.around.meeting(now.program)
        else:
            if before.around:
                before.around.let_go()
            if painted and len(shown) > 1:
                now.around = Surroundings(
                    now.program, surface.under, ends[places[0]], ends[places[-1] + 1], tiles, self.room
                )  # fmt: skip
        if painted:
            self.found.pop(surface.id, None)
        self.found[surface.id] = now
        return now

    def settle(self) -> None:
        """Nothing is being drawn: surfaces give their room to the one that was painted last."""
        for surface in list(self.found)[:-1]:
            if self.room.left < MOST_AROUND // 2:
                self.forget(surface)

    def forget(self, surface: str) -> None:
        """Let go of what was found for a surface."""
        gone = self.found.pop(surface, None)
        if gone and gone.around:
            gone.around.let_go()


def visible(stack: Sequence[Shown]) -> list[Shown]:
    """Without what is hidden."""
    return [replace(one, nodes=visible(one.nodes)) if one.nodes else one for one in stack if one.node.visible]


def core_node(shown: Shown, count: int) -> CoreNode:
    """A node in the words of the compositor. count: of the map's tiles."""
    node = shown.node
    maps = {
        str(name): MapUse(use.on, use.opacity, use.blend or node.blend) for name, use in node.maps.items()
    }  # fmt: skip
    mask = Mask(shown.rasters.get(MASK), node.mask.start) if node.mask and node.mask.on else NO_MASK
    mix = Mix(node.mix.softness, node.mix.influence, node.mix.border) if node.mix else None
    if isinstance(node, Group):
        inside = [core_node(one, count) for one in shown.nodes]
        return compose.Group(inside, node.opacity, node.blend, maps, mask, mix)
    if isinstance(node, Adjustment) and node.effect in FILTERS:
        made = {str(name): raster for name, raster in shown.rasters.items() if name != MASK}
        return compose.Replace(made, node.opacity, "normal", maps, mask)
    if isinstance(node, Adjustment):
        effects = {str(name): effect for name, effect in effects_of(node).items()}
        return compose.Adjust(effects, count, node.opacity, "normal", maps, mask)
    rasters = {str(name): raster for name, raster in shown.rasters.items() if name != MASK}
    return compose.Painted(rasters, node.opacity, node.blend, maps, mask, mix)


def _steps(shown: Shown) -> int:
    """How many steps of a program a node takes."""
    return 2 + sum(_steps(one) for one in shown.nodes) if isinstance(shown.node, Group) else 1


def _follows(node: Node, name: PlaneName) -> bool:
    """Whether a raster is worked out from others."""
    if name == MASK:
        return node.mask is not None and node.mask.adjusted
    return isinstance(node, Wash | Decals | Adjustment)


def _trace(shown: Shown, painted: Set[str]) -> tuple[Any, ...]:
    """What of a node the nodes around it can tell: of a painted one only where it lies."""
    node = shown.node
    if node.id in painted:
        return (node.id,)
    # What washes and filters lay follows from values, and from what lies below.
    rasters = tuple((name, one, 0 if _follows(node, name) else one.edition) for name, one in shown.rasters.items())
    mask = shown.painted_mask
    return node, rasters, mask and (mask, mask.edition), tuple(_trace(one, painted) for one in shown.nodes)
