"""What lies around the nodes that are painted: the picture below them, and what those above make of any picture."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..kernels import addresses_in, kernel
from ..texels.area import TileArea
from ..texels.raster import TILE
from .blend import EXCLUSION, MULTIPLY, NORMAL, SCREEN
from .program import ADJUST, LAY, MAP_COUNT, OFF, PUSH, REPLACE, UNDER, Program, bend, look_up
from .steps import Tables, run

#: Modes whose result is a factor times the backdrop and an offset.
AFFINE = (OFF, NORMAL, MULTIPLY, SCREEN, EXCLUSION)
#: Bytes of a tile: its unrounded color, one of its values, and a rounded tile of either.
COLOR_BYTES, VALUE_BYTES, ROUNDED_BYTES = TILE * TILE * 4 * 4, TILE * TILE * 4, TILE * TILE * 4 * 2
EVERY = np.ones(MAP_COUNT, np.bool_)


class Room:
    """Bytes that may be held, of one purse for several holders."""

    def __init__(self, left: int) -> None:
        self.left = left


def touched_by(program: Program, tiles: NDArray[np.int32]) -> NDArray[np.bool_]:
    """(n, 2) whether a program lays anything on the colors and on the values of tiles."""
    found = np.zeros((len(tiles), 2), np.bool_)
    _find_touched(program.tables, program.modes, program.lifts, tiles, found)
    return found


def unrounded(
    program: Program, tiles: NDArray[np.int32], touched: NDArray[np.bool_], under: NDArray[np.float32],
    tables: Tables | None = None,
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:  # fmt: skip
    """What a program makes of tiles: (n, 64, 64, 4) colors, RGBA, and (m, planes, 64, 64) values, not clipped.

    tiles: each once and rising. touched: (tiles, 2) of which colors and values are wanted. under: (UNDER,) what lies
    below all. tables: point at what is returned from now on.
    """
    if tables is None:
        count = int(tiles.max(initial=-1)) + 1
        tables = np.zeros(count, np.int64), np.zeros(count, np.int64)
    n, m = np.count_nonzero(touched, axis=0).tolist()
    colors = np.empty((n, TILE, TILE, 4), np.float32)
    values = np.empty((m, program.planes, TILE, TILE), np.float32)
    _run_into(tables, (colors, values), program, tiles, touched, under, rounded=False)
    return colors, values


def _run_into(
    tables: Tables, blocks: tuple[NDArray[Any], NDArray[Any]], program: Program, tiles: NDArray[np.int32],
    touched: NDArray[np.bool_], under: NDArray[np.float32], rounded: bool,
) -> None:  # fmt: skip
    for i, block in enumerate(blocks):
        tables[i][tiles[touched[:, i]]] = addresses_in(block)
    some = touched[:, 0] | touched[:, 1]
    area = TileArea.of_distinct(tiles).only(some)
    run(program, under, area, EVERY, touched[some], into=tables, rounded=rounded)


class Held:
    """What a part of a program makes of tiles, kept."""

    def __init__(self, program: Program, count: int, bytes_each: tuple[int, int]) -> None:
        """count: of the map's tiles. bytes_each: of a tile's colors and of its values."""
        self.program, self.bytes_each = program, bytes_each
        self.tables: Tables = (np.zeros(count, np.int64), np.zeros(count, np.int64))
        self.blocks: list[NDArray[Any]] = []

    def let_go(self) -> None:
        """Hold nothing any more."""
        self.blocks.clear()
        for table in self.tables:
            table[:] = 0

    def cost(self, touched: NDArray[np.bool_]) -> NDArray[np.int64]:
        """(n,) bytes that tiles take of which (n, 2) colors and values are touched."""
        return np.asarray(touched @ np.array(self.bytes_each))

    def take(self, tiles: NDArray[np.int32], touched: NDArray[np.bool_], under: NDArray[np.float32]) -> None:
        """Work these tiles out, each once and rising. under: (UNDER,) what lies below all."""
        raise NotImplementedError


class Below(Held):
    """What lies there, unrounded: whatever is laid over it comes out as if all were worked out at once."""

    def __init__(self, program: Program, count: int) -> None:
        super().__init__(program, count, (COLOR_BYTES, program.planes * VALUE_BYTES))

    def take(self, tiles: NDArray[np.int32], touched: NDArray[np.bool_], under: NDArray[np.float32]) -> None:
        """Work these tiles out, each once and rising. under: (UNDER,) what lies below all."""
        self.blocks += unrounded(self.program, tiles, touched, under, self.tables)


class Bend(Held):
    """What black and white become, rounded; whatever else lies below comes to lie between."""

    def __init__(self, program: Program, count: int) -> None:
        super().__init__(program, count, (2 * ROUNDED_BYTES, 2 * ROUNDED_BYTES))

    def take(self, tiles: NDArray[np.int32], touched: NDArray[np.bool_], under: NDArray[np.float32]) -> None:
        """Work these tiles out, each once and rising; nothing follows from what lies below."""
        colors, values = (np.empty((int(n), 2, TILE, TILE, 4), np.uint16) for n in np.count_nonzero(touched, axis=0))
        self.blocks += colors, values
        # Black last: it lies first, and there the tables point.
        for end in (1, 0):
            ends = colors[:, end], values[:, end]
            _run_into(self.tables, ends, self.program, tiles, touched, np.full(UNDER, end, np.float32), rounded=True)


class Surroundings:
    """Of a program some steps, and for tile after tile what lies around them, worked out when it is first asked for.

    True as long as nothing changes that the steps around lay; whoever holds it sees to that.
    """

    def __init__(self, program: Program, start: tuple[float, ...], first: int, end: int, count: int, room: Room):
        """first, end: the steps that are painted, outside of all groups. count: of the map's tiles."""
        self.under, self.room = np.array(start, np.float32), room
        self.first, self.end = first, end
        self.below = Below(program.part(0, first), count)
        self.above: list[Program | Bend] = []
        for a, b, folds in _runs(program, end):
            part = program.part(a, b)
            self.above.append(Bend(part, count) if folds else part)
        #: Of which tiles all this is there, and which of them come out rough.
        self.held, self.bent = np.zeros(count, np.bool_), np.zeros(count, np.bool_)
        self.bytes = 0
        self.meeting(program)

    @property
    def bends(self) -> list[Bend]:
        """The affine runs above."""
        return [part for part in self.above if isinstance(part, Bend)]

    def meeting(self, program: Program) -> Surroundings:
        """These around a program whose painted steps alone are others."""
        #: The steps that are not below; and the same with each affine run above as one step.
        self.rest = program.part(self.first, len(program))
        self.rough = program.part(self.first, self.end)
        for part in self.above:
            self.rough = self.rough.followed_by(bend(*part.tables) if isinstance(part, Bend) else part)
        return self

    def hold(self, tiles: NDArray[np.int32], some: NDArray[np.bool_]) -> None:
        """See that tiles of which there are `some` texels are there, as far as there is room."""
        new = tiles[some & ~self.held[tiles]]
        if not len(new):
            return
        parts, costs = self._asked(new)
        if costs[-1] > self.room.left:
            # Full: a stroke goes on elsewhere than the ones before.
            self.let_go()
            new = tiles[some]
            parts, costs = self._asked(new)
        fits = int(np.searchsorted(costs, self.room.left, side="right"))
        if fits:
            for part, touched in parts:
                part.take(new[:fits], touched[:fits], self.under)
                if part is not self.below:
                    self.bent[new[:fits]] |= touched[:fits].any(axis=1)
            self.held[new[:fits]] = True
            self.bytes += int(costs[fits - 1])
            self.room.left -= int(costs[fits - 1])

    def _asked(self, tiles: NDArray[np.int32]) -> tuple[list[tuple[Held, NDArray[np.bool_]]], NDArray[np.int64]]:
        """What is to be held with what it touches of tiles; and the bytes of the first tile, the first two, and on."""
        parts = [(part, touched_by(part.program, tiles)) for part in (self.below, *self.bends)]
        return parts, np.cumsum(np.sum([part.cost(touched) for part, touched in parts], axis=0))

    def let_go(self) -> None:
        """Hold no tile any more, and give the room back."""
        for part in (self.below, *self.bends):
            part.let_go()
        self.held[:] = self.bent[:] = False
        self.room.left += self.bytes
        self.bytes = 0


def _runs(program: Program, first: int) -> list[tuple[int, int, bool]]:
    """The steps from `first` on in runs: from where to where, and whether it can be one factor and one offset."""
    found: list[tuple[int, int, bool]] = []
    step = first
    while step < len(program):
        end = int(program.partners[step]) + 1 if program.kinds[step] == PUSH else step + 1
        folds = bool(np.isin(program.modes[end - 1], AFFINE).all()) and program.kinds[end - 1] not in (ADJUST, REPLACE)
        folds = folds and program.mixes[end - 1, 0] == 0
        if found and found[-1][2] == folds:
            found[-1] = (found[-1][0], end, folds)
        else:
            found.append((step, end, folds))
        step = end
    # A single layer is read faster than what it would become.
    return [(a, b, folds and (b - a > 1 or program.kinds[a] != LAY)) for a, b, folds in found]


@kernel
def _find_touched(tables, modes, lifts, tiles, found):  # type: ignore[no-untyped-def]
    addresses = np.empty((len(tiles), tables.shape[0], tables.shape[1]), np.int64)
    look_up(tables, tiles, addresses)
    for i in range(len(found)):
        for step in range(addresses.shape[1]):
            for m in range(MAP_COUNT):
                if addresses[i, step, m] != 0 and modes[step, m] != -1:
                    found[i, min(m, 1)] = True
                    found[i, 1] |= lifts
