"""What lies around the nodes that are painted: the picture below them, and what those above make of any picture."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..kernels import addresses_in, kernel
from ..texels.area import TileArea
from ..texels.raster import TILE
from .blend import EXCLUSION, MULTIPLY, NORMAL, SCREEN
from .program import ADJUST, LAY, MAP_COUNT, OFF, PUSH, REPLACE, UNDER, Program, bend, look_up
from .steps import NO_TABLES, Tables, run

#: Modes whose result is a factor times the backdrop and an offset.
AFFINE = (OFF, NORMAL, MULTIPLY, SCREEN, EXCLUSION)
#: Bytes of an unrounded tile: its color, and one of its values.
COLOR_BYTES, VALUE_BYTES = TILE * TILE * 4 * 4, TILE * TILE * 4
EVERY = np.ones(MAP_COUNT, np.bool_)


class Room:
    """Bytes that may be held, of one purse for several holders."""

    def __init__(self, left: int) -> None:
        self.left = left


class Held:
    """What a part of a program makes of tiles, not rounded: of one backdrop, or of two for factors and offsets."""

    def __init__(self, program: Program, count: int, backdrops: int) -> None:
        """count: of the map's tiles."""
        self.program, self.backdrops = program, backdrops
        self.tables: Tables = (np.zeros(count, np.int64), np.zeros(count, np.int64))
        #: The same of what the second backdrop leaves, which lies behind what the first one does.
        self.behind: Tables = (self.tables[0].copy(), self.tables[1].copy()) if backdrops == 2 else NO_TABLES
        self.blocks: list[NDArray[np.float32]] = []

    def let_go(self) -> None:
        """Hold nothing any more."""
        self.blocks.clear()
        for table in (*self.tables, *self.behind):
            table[:] = 0

    def cost(self, touched: NDArray[np.bool_]) -> NDArray[np.int64]:
        """(n,) bytes that tiles take of which (n, 2) colors and values are touched."""
        return np.asarray(self.backdrops * (touched @ np.array([COLOR_BYTES, self.program.planes * VALUE_BYTES])))

    def touched(self, tiles: NDArray[np.int32]) -> NDArray[np.bool_]:
        """(n, 2) whether anything is laid on the colors and the values of tiles."""
        found = np.zeros((len(tiles), 2), np.bool_)
        _find_touched(self.program.tables, self.program.modes, self.program.lifts, tiles, found)
        return found

    def take(self, tiles: NDArray[np.int32], touched: NDArray[np.bool_], under: NDArray[np.float32]) -> None:
        """Work these tiles out, each once and rising. under: (UNDER,) the only backdrop, where there is one."""
        shapes = (TILE, TILE, 4), (self.program.planes, TILE, TILE)
        blocks = [
            np.empty((int(np.count_nonzero(touched[:, i])), self.backdrops, *shape), np.float32)
            for i, shape in enumerate(shapes)
        ]
        self.blocks += blocks
        area, some = TileArea.of_distinct(tiles), touched[:, 0] | touched[:, 1]
        for backdrop, into in enumerate((self.tables, self.behind)[: self.backdrops]):
            for i, block in enumerate(blocks):
                into[i][tiles[touched[:, i]]] = addresses_in(block) + backdrop * block[:1, :1].nbytes
            start = under if self.backdrops == 1 else np.full(UNDER, 1 - backdrop, np.float32)
            run(self.program, start, area.only(some), EVERY, touched[some], into=into)
        if self.backdrops == 2:
            for block in blocks:
                block[:, 0] -= block[:, 1]


class Surroundings:
    """Of a program some steps, and for tile after tile what lies around them, worked out when it is first asked for.

    True as long as nothing changes that the steps around lay; whoever holds it sees to that.
    """

    def __init__(self, program: Program, start: tuple[float, ...], first: int, end: int, count: int, room: Room):
        """first, end: the steps that are painted, outside of all groups. count: of the map's tiles."""
        self.under, self.room = np.array(start, np.float32), room
        self.first, self.end = first, end
        self.below = Held(program.part(0, first), count, 1)
        self.above: list[Program | Held] = []
        for a, b, folds in _runs(program, end):
            part = program.part(a, b)
            self.above.append(Held(part, count, 2) if folds else part)
        #: Of which tiles all this is there, and which of them come out rough.
        self.held, self.bent = np.zeros(count, np.bool_), np.zeros(count, np.bool_)
        self.bytes = 0
        self.meeting(program)

    @property
    def bends(self) -> list[Held]:
        """The affine runs above."""
        return [part for part in self.above if isinstance(part, Held)]

    def meeting(self, program: Program) -> Surroundings:
        """These around a program whose painted steps alone are others."""
        #: The steps that are not below; and the same with each affine run above as one step.
        self.rest = program.part(self.first, len(program))
        self.rough = program.part(self.first, self.end)
        for part in self.above:
            self.rough = self.rough.followed_by(bend(*part.tables) if isinstance(part, Held) else part)
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
        parts = [(part, part.touched(tiles)) for part in (self.below, *self.bends)]
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
