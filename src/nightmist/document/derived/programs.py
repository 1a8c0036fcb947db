"""Of each surface the program of its stack, and what lies around the nodes that were drawn on last."""

from __future__ import annotations

from collections.abc import Callable, Sequence, Set
from dataclasses import dataclass
from typing import Any

from ...core.compose import Painted, compiled
from ...core.compose.program import Program
from ...core.compose.surroundings import Room, Surroundings
from ...core.texels import TILE, Raster
from ..values import MapName, Node, Surface

#: Bytes of what lies around painted nodes, of all surfaces; beyond that the layers are worked out each time.
MOST_AROUND = 256 << 20

#: A node with its rasters by map, as it is shown.
Shown = tuple[Node, dict[MapName, Raster]]


@dataclass
class Compiled:
    """A program at an edition of the document; what lies around `painted` nodes, and all that this follows from."""

    edition: int
    program: Program
    drawing: bool
    painted: frozenset[str] = frozenset()
    around: Surroundings | None = None
    key: Any = None


class Programs:
    """Kept as long as they are true: a stroke on the layer of the stroke before finds what lies around it."""

    def __init__(self) -> None:
        self.room = Room(MOST_AROUND)
        self.found: dict[str, Compiled] = {}

    def of(
        self, surface: Surface, edition: int, stack: Callable[[], Sequence[Shown]], drawn: Set[str]
    ) -> Compiled:  # fmt: skip
        """The program of a surface's stack as it is shown. drawn: nodes on which something is being drawn."""
        before = self.found.get(surface.id) or Compiled(-1, compiled([]), False)
        if before.edition == edition:
            return before
        shown = [(node, rasters) for node, rasters in stack() if node.visible]
        painted = frozenset(node.id for node, _ in shown) & drawn
        now = Compiled(edition, _program_of(shown), bool(painted), painted or before.painted)
        now.key = (surface.start, surface.size, now.painted, tuple(_trace(*one, now.painted) for one in shown))
        places = [i for i, (node, _) in enumerate(shown) if node.id in now.painted]
        if before.around and before.key == now.key:
            now.around = before.around.meeting(now.program)
        else:
            if before.around:
                before.around.let_go()
            if painted and len(shown) > 1:
                tiles = surface.width // TILE * (surface.height // TILE)
                now.around = Surroundings(now.program, surface.under, places[0], places[-1] + 1, tiles, self.room)
        self.found[surface.id] = now
        return now

    def settle(self) -> None:
        """Nothing is being drawn: what has filled up is let go, so that the next stroke finds room where it goes."""
        if self.room.left < MOST_AROUND // 2:
            for surface in list(self.found):
                self.forget(surface)

    def forget(self, surface: str) -> None:
        """Let go of what was found for a surface."""
        gone = self.found.pop(surface, None)
        if gone and gone.around:
            gone.around.let_go()


def _program_of(stack: Sequence[Shown]) -> Program:
    rasters = [(node, {str(name): raster for name, raster in held.items()}) for node, held in stack]
    return compiled([Painted(held, node.opacity, node.blend) for node, held in rasters])


def _trace(node: Node, rasters: dict[MapName, Raster], painted: Set[str]) -> tuple[Any, ...]:
    """What of a node the nodes around it can tell: of a painted one only where it lies."""
    if node.id in painted:
        return (node.id,)
    return node.id, node.opacity, node.blend, tuple((name, one, one.edition) for name, one in rasters.items())
