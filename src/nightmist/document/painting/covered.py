"""Why paint that was laid is not seen: layers over it cover it, or a mask or an opacity keeps it back."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ...core.compose import compiled
from ...core.compose.surroundings import touched_by, unrounded
from ...core.names import listed
from ...core.texels import TILE, Raster
from ..change import Change, TileEdit, node_and_map
from ..derived.programs import Ready, Shown, core_node, lazy_in, visible
from ..document import Document
from ..values import CHANNELS, FILTERS, MASK, Adjustment, Brushed, Node, PlaneName, Surface
from .unchanged import Reason

#: What differs by less is not seen.
FAINT = 1 / 255
#: Tiles that are looked at, at most, and how many at first: most strokes are seen in any of them.
MOST, FEW = 256, 3


def why_covered(document: Document, change: Change) -> Reason | None:
    """Of a change of pixels that is nowhere to be seen; None when some of it is, or when that cannot be told."""
    by_node: dict[str, list[TileEdit]] = {}
    for edit in change.edits:
        by_node.setdefault(node_and_map(edit.raster)[0], []).append(edit)
    looks = [_Look(document, document.node(key), edits) for key, edits in by_node.items()]
    if not looks or any(look.is_plain or look.shows() for look in looks):
        return None
    return looks[0].reason()


class _Look:
    """At what is seen of one node where it was painted: whether black and white there would be told apart."""

    def __init__(self, document: Document, node: Node, edits: Sequence[TileEdit]) -> None:
        self.document, self.node = document, node
        self.surface: Surface = document.surface_of(node)
        self.columns = self.surface.width // TILE
        self.maps: list[PlaneName] = list(dict.fromkeys(node_and_map(edit.raster)[1] for edit in edits))
        self.edits: dict[int, list[TileEdit]] = {}
        for edit in edits:
            self.edits.setdefault(edit.row * self.columns + edit.column, []).append(edit)
        self.places: dict[int, NDArray[np.bool_]] = {}
        #: The node, the group that it lies in, and on outward.
        self.chain = [node]
        while self.chain[-1].parent != self.surface.id:
            self.chain.append(document.node(self.chain[-1].parent))
        #: Whose masks may keep it back, by id; its own is none when it is what was painted.
        own = MASK in self.maps
        self.masked = {each.id: each.name for each in self.chain if each.mask and not (own and each is node)}

    @property
    def is_plain(self) -> bool:
        """Nothing lies over it and nothing keeps it back, or what does cannot be told of."""
        above = [node for nodes in self._above() for node in nodes]
        filtered = any(isinstance(node, Adjustment) and node.effect in FILTERS for node in above)
        adjusted = any(node.mask and node.mask.adjusted for node in [*self.chain, *above])
        bare = all(node.mask is None and node.opacity > 0 and not node.maps for node in self.chain)
        return filtered or adjusted or (bare and not above)

    def shows(self) -> bool:
        """Whether it is seen anywhere, or lies in gutters alone."""
        if self._differs(self._tiles(FEW)) or self._differs(self._tiles(MOST)):
            return True
        return not any(self._place(number).any() for number in self.edits)

    def _would_show(self, without: str = "", bare: bool = False) -> bool:
        """Whether it would be seen if a node were hidden, or its masks and those around it were off."""
        return self._differs(self._tiles(FEW), without, bare)

    def reason(self) -> Reason:
        """What keeps it from being seen."""
        name = self.node.name
        kept = "Kept, but not seen:"
        for node in self.chain:
            if node.opacity == 0:
                return Reason(f"{kept} the opacity of {node.name} is 0.", None)
        if self.masked and self._would_show(bare=True):
            names = listed(list(self.masked.values()), 3)
            return Reason(f"{kept} the mask of {names} hides it here.", None)
        above = [node for nodes in self._above() for node in nodes]
        for node in reversed(above):
            if self._would_show(without=node.id):
                instead = node if isinstance(node, Brushed) else None
                return Reason(f"{kept} {node.name} lies over {name} here.", instead)
        if above:
            return Reason(f"{kept} other layers lie over {name} here.", None)
        return Reason(f"{kept} {name} shows nothing here.", None)

    def _place(self, number: int) -> NDArray[np.bool_]:
        """(TILE, TILE) where paint was laid on a tile. Gutters show what lies inside, so they do not count."""
        if number not in self.places:
            found = np.zeros((TILE, TILE), np.bool_)
            for edit in self.edits[number]:
                empty = np.zeros((TILE, TILE, CHANNELS[node_and_map(edit.raster)[1]]), np.uint16)
                before, after = (
                    self.document.pool.get(digest) if digest else empty for digest in (edit.before, edit.after)
                )
                found |= np.any(before != after, axis=2)
            inside = self.document.layout(self.surface).ownership.inside(np.array([number], np.int32))[0]
            self.places[number] = found & inside
        return self.places[number]

    def _above(self) -> Iterator[list[Node]]:
        """What lies over it in its stack, and over each group around it, lowest first."""
        for node in self.chain:
            stack = self.document.stack(node.parent)
            at = [each.id for each in stack].index(node.id)
            yield [each for each in stack[at + 1 :] if each.visible]

    def _tiles(self, most: int) -> NDArray[np.int32]:
        """Some of the tiles, spread over all of them, rising."""
        numbers = np.sort(np.fromiter(self.edits, np.int32))
        return numbers[:: max(1, -(-len(numbers) // most))].copy()

    def _differs(self, tiles: NDArray[np.int32], without: str = "", bare: bool = False) -> bool:
        stack = self.document.shown_stack(self.surface.id)
        one, other = (self._composited(stack, tiles, value, without, bare) for value in (0, 65535))
        return any(
            (self._place(number) & (np.abs(light - dark) > FAINT).any(axis=2)).any()
            for (number, dark), (_, light) in zip(one, other, strict=True)
        )

    def _composited(
        self, stack: Sequence[Shown], tiles: NDArray[np.int32], value: int, without: str, bare: bool
    ) -> list[tuple[int, NDArray[np.float32]]]:
        """Colors, then values, (TILE, TILE, 3), of the tiles that have any, by number, were it all of one value."""
        flat = {name: self._flat(name, tiles, value) for name in self.maps}
        shown = visible([each for one in stack for each in self._variant(one, flat, without, bare)])
        count = self.columns * (self.surface.height // TILE)
        program = compiled([core_node(one, count) for one in shown])
        Ready(program, lazy_in(shown, self.document.lazy)).hold(tiles)
        touched = touched_by(program, tiles)
        colors, values = unrounded(program, tiles, touched, np.array(self.surface.under, np.float32))
        return [
            *zip(tiles[touched[:, 0]].tolist(), colors[..., :3], strict=True),
            *zip(tiles[touched[:, 1]].tolist(), np.moveaxis(values, 1, -1), strict=True),
        ]

    def _flat(self, name: PlaneName, tiles: NDArray[np.int32], value: int) -> Raster:
        raster = Raster(*self.surface.size, CHANNELS[name])
        tile = np.full((TILE, TILE, CHANNELS[name]), value, np.uint16)
        tile[..., -1] = 65535
        for number in tiles.tolist():
            raster.put(divmod(number, self.columns), tile)
        return raster

    def _variant(self, one: Shown, flat: Mapping[PlaneName, Raster], without: str, bare: bool) -> list[Shown]:
        """A node of the stack as it would be; none when it is left out."""
        if one.node.id == without:
            return []
        again = partial(self._variant, flat=flat, without=without, bare=bare)
        one = replace(one, nodes=[each for inner in one.nodes for each in again(inner)])
        if bare and one.node.id in self.masked:
            one = one.with_node(one.node.but(mask=None))
        return [replace(one, rasters={**one.rasters, **flat}) if one.node.id == self.node.id else one]
