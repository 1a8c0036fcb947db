"""A surface's stack as a program: nodes in, a flat list of steps out, which `evaluate` runs tile by tile."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..kernels import address_of, as_int64, carray, kernel
from ..texels.raster import Raster
from .adjust import GRAY
from .blend import BLEND_MODES, HUE, BlendMode

#: The maps in the order of a program's columns: the color, then the channels of the picture of values.
COLOR = "base_color"
VALUES = ("height", "roughness", "metallic", "opacity")
MAP_ORDER = (COLOR, *VALUES)
MAP_COUNT = len(MAP_ORDER)
#: Numbers that tell what lies under a stack: three of color, and the values.
UNDER = 3 + len(VALUES)
#: Kinds of steps.
LAY, PUSH, POP, BEND, ADJUST, REPLACE = 0, 1, 2, 3, 4, 5
#: The mode of a map that a node leaves alone.
OFF = -1


@dataclass(frozen=True)
class MapUse:
    """How a node meets one map: not at all, or by how much and in which mode."""

    on: bool = True
    amount: float = 1.0
    blend: BlendMode = "normal"


@dataclass(frozen=True)
class Mask:
    """Shares by which a node counts: a 2-channel raster (share, alpha) over a share everywhere."""

    raster: Raster | None = None
    start: float = 1.0


NO_MASK = Mask()


@dataclass(frozen=True)
class Mix:
    """How a masked node meets what lies below by relief: low places of that are covered first.

    softness: heights over which one gives way to the other. influence: of the node's own height. border: how far the
    border stands up.
    """

    softness: float
    influence: float = 0.0
    border: float = 0.0


@dataclass(frozen=True)
class Painted:
    """A node of pixels. rasters: 4 channels for base_color, 2 for the others; maps it does not name it leaves alone.

    amount, blend: for all maps; `maps` says otherwise for single ones, where amounts multiply.
    """

    rasters: Mapping[str, Raster]
    amount: float = 1.0
    blend: BlendMode = "normal"
    maps: Mapping[str, MapUse] = field(default_factory=dict)
    mask: Mask = NO_MASK
    mix: Mix | None = None


@dataclass(frozen=True)
class Group:
    """Nodes composited on their own, from transparent, then laid on as one."""

    nodes: Sequence[Node]
    amount: float = 1.0
    blend: BlendMode = "normal"
    maps: Mapping[str, MapUse] = field(default_factory=dict)
    mask: Mask = NO_MASK
    mix: Mix | None = None


@dataclass(frozen=True)
class Adjust:
    """Changes what lies below it in its stack. effects: by map, float32 as `adjust.py` makes them; else left alone."""

    effects: Mapping[str, NDArray[np.float32]]
    count: int
    amount: float = 1.0
    blend: BlendMode = "normal"
    maps: Mapping[str, MapUse] = field(default_factory=dict)
    mask: Mask = NO_MASK
    mix: None = None


@dataclass(frozen=True)
class Replace:
    """Takes the place of what lies below it in its stack, by how much it counts: what a filter made of that.

    rasters: as those of Painted; a map that it names has a tile wherever anything lies below.
    """

    rasters: Mapping[str, Raster]
    amount: float = 1.0
    blend: BlendMode = "normal"
    maps: Mapping[str, MapUse] = field(default_factory=dict)
    mask: Mask = NO_MASK
    mix: None = None


Node = Painted | Group | Adjust | Replace
#: Kinds of steps of nodes that hold no others.
KIND_OF: dict[type[Node], int] = {Painted: LAY, Adjust: ADJUST, Replace: REPLACE}


#: What a step lays of a map: tiles of a raster, or others by a table of their addresses; None where it has nothing.
Tiles = Raster | NDArray[np.int64] | NDArray[np.float32] | None


class Program:
    """n steps, and how deep groups lie in each other.

    kinds: (n,) LAY to REPLACE. partners: (n,) of a PUSH the step of its POP. amounts: (n, MAP_COUNT) float32.
    modes: (n, MAP_COUNT) places in BLEND_MODES or OFF. shares: (n,) float32, the mask's start. mixes: (n, 3) float32,
    softness (0: does not mix by height), influence, border. tiles: for each step the maps' and the mask's tiles; of a
    BEND what black and then white become, of the color and of the values; behind them whatever has to be kept alive.
    planes: how many of the values are worked on, from the first one; on those behind them no step lays anything.
    lifts: steps change the height wherever they lay anything. tables: (n, MAP_COUNT + 1) the addresses of the tiles'
    tables.
    """

    def __init__(
        self, kinds: NDArray[np.int32], amounts: NDArray[np.float32], modes: NDArray[np.int32],
        shares: NDArray[np.float32], mixes: NDArray[np.float32], tiles: list[tuple[Tiles, ...]], depth: int,
        coupled: bool, planes: int, tables: NDArray[np.int64] | None = None,
    ) -> None:  # fmt: skip
        """tables: where they are known."""
        self.kinds, self.amounts, self.modes, self.shares, self.mixes = kinds, amounts, modes, shares, mixes
        self.tiles, self.depth, self.planes = tiles, depth, planes
        #: Maps look at each other: all of them have to be worked out together.
        self.coupled = coupled
        self.lifts = bool((mixes[:, 2] != 0).any())
        self.partners = _partners(kinds)
        if tables is None:
            columns = MAP_COUNT + 1
            tables = np.array([[_table(one) for one in row[:columns]] for row in tiles], np.int64).reshape(-1, columns)
        self.tables = tables

    def __len__(self) -> int:
        return len(self.kinds)

    def part(self, first: int, end: int) -> Program:
        """Some of its steps, with no group that begins or ends outside them."""
        of = slice(first, end)
        return Program(
            self.kinds[of], self.amounts[of], self.modes[of], self.shares[of], self.mixes[of], self.tiles[of],
            self.depth, self.coupled, self.planes, self.tables[of],
        )  # fmt: skip

    def followed_by(self, other: Program) -> Program:
        """The steps of both."""
        columns = [(each.kinds, each.amounts, each.modes, each.shares, each.mixes) for each in (self, other)]
        kinds, amounts, modes, shares, mixes = (np.concatenate(pair) for pair in zip(*columns, strict=True))
        tables = np.concatenate([self.tables, other.tables])
        return Program(
            kinds, amounts, modes, shares, mixes, self.tiles + other.tiles, max(self.depth, other.depth),
            self.coupled or other.coupled, max(self.planes, other.planes), tables,
        )  # fmt: skip


def compiled(nodes: Sequence[Node], whole: bool = False) -> Program:
    """The program of a stack, bottom first. whole: all values are worked on, whatever lies there."""
    steps: list[tuple[int, Node]] = []
    deepest = _flatten(nodes, 0, steps)
    uses = [[_use(node, name) for name in MAP_ORDER] for _, node in steps]
    modes = np.array([[mode for _, mode in row] for row in uses], np.int32).reshape(-1, MAP_COUNT)
    return Program(
        np.array([kind for kind, _ in steps], np.int32),
        np.array([[amount for amount, _ in row] for row in uses], np.float32).reshape(-1, MAP_COUNT),
        modes,
        np.array([node.mask.start for _, node in steps], np.float32),
        np.array([_mix(kind, node) for kind, node in steps], np.float32).reshape(-1, 3),
        [_tiles(kind, node) for kind, node in steps],
        deepest,
        any(node.mix is not None or _looks_across(node) for _, node in steps),
        _planes(steps, modes, whole),
    )


def bend(color: NDArray[np.int64], values: NDArray[np.int64]) -> Program:
    """One step that brings what lies below between what black and white become, tile by tile, as these tables say."""
    return Program(
        np.array([BEND], np.int32), np.ones((1, MAP_COUNT), np.float32), np.full((1, MAP_COUNT), OFF, np.int32),
        np.ones(1, np.float32), np.zeros((1, 3), np.float32),
        [(color, values, *[None] * (MAP_COUNT - 1))], 0, False, 0,
    )  # fmt: skip


def _planes(steps: Sequence[tuple[int, Node]], modes: NDArray[np.int32], whole: bool) -> int:
    """Up to the last value on which anything lies, and the height at least, which others look at.

    A group, which takes what comes, holds nothing itself.
    """
    if whole:
        return len(VALUES)
    holds = np.array([kind not in (PUSH, POP) for kind, _ in steps], np.bool_)
    used = np.flatnonzero((modes[holds, 1:] != OFF).any(axis=0))
    return int(used[-1]) + 1 if len(used) else 1


def _table(tiles: Tiles) -> int:
    if tiles is None:
        return 0
    return address_of(tiles.addresses if isinstance(tiles, Raster) else tiles)


def _partners(kinds: NDArray[np.int32]) -> NDArray[np.int32]:
    partners = np.zeros(len(kinds), np.int32)
    opened: list[int] = []
    for i, kind in enumerate(kinds):
        if kind == PUSH:
            opened.append(i)
        elif kind == POP:
            partners[opened.pop()] = i
    return partners


@kernel
def look_up(tables, tiles, found):  # type: ignore[no-untyped-def]
    """(tiles, n, MAP_COUNT + 1) where each step's tiles lie, 0 where there is none, by the steps' tables."""
    for step in range(len(tables)):
        for column in range(tables.shape[1]):
            address = tables[step, column]
            for i in range(len(tiles)):
                found[i, step, column] = 0
                if address != 0:
                    found[i, step, column] = carray(as_int64(address), (tiles[i] + 1,))[tiles[i]]


def _flatten(nodes: Sequence[Node], depth: int, steps: list[tuple[int, Node]]) -> int:
    deepest = depth
    for node in nodes:
        if not isinstance(node, Group):
            steps.append((KIND_OF[type(node)], node))
            continue
        steps.append((PUSH, node))
        deepest = max(deepest, _flatten(node.nodes, depth + 1, steps))
        steps.append((POP, node))
    return deepest


def _use(node: Node, name: str) -> tuple[float, int]:
    use = node.maps.get(name)
    blend = node.blend if use is None else use.blend
    holds = not isinstance(node, Painted | Replace) or name in node.rasters
    holds = holds and (not isinstance(node, Adjust) or name in node.effects)
    holds = holds or (name == "height" and node.mix is not None and node.mix.border != 0)
    if (use is not None and not use.on) or not holds:
        return 0.0, OFF
    mode = BLEND_MODES.index(blend)
    # The modes of all three channels mean nothing for one.
    return node.amount * (use.amount if use else 1.0), 0 if mode >= HUE and name != COLOR else mode


def _tiles(kind: int, node: Node) -> tuple[Tiles, ...]:
    painted: list[Tiles] = [
        node.rasters.get(name) if isinstance(node, Painted | Replace) else None for name in MAP_ORDER
    ]
    if isinstance(node, Adjust):
        painted = [_everywhere(node.effects[name], node.count) if name in node.effects else None for name in MAP_ORDER]
        return (*painted, node.mask.raster, *node.effects.values())
    return (*painted, node.mask.raster if kind != PUSH else None)


def _everywhere(effect: NDArray[np.float32], count: int) -> Tiles:
    """A table that names an effect's numbers for each of a map's tiles."""
    return np.full(count, address_of(effect), np.int64)


def _mix(kind: int, node: Node) -> tuple[float, float, float]:
    mix = node.mix if kind != PUSH and (node.mask.raster or node.mask.start < 1) else None
    return (max(mix.softness, 1e-4), mix.influence, mix.border) if mix else (0.0, 0.0, 0.0)


def _looks_across(node: Node) -> bool:
    return isinstance(node, Adjust) and any(effect[0] == GRAY for effect in node.effects.values())
