"""How the texels of a map hang together on the surface: which island each is of, and what lies beyond a border.

A filter that runs texel by texel over a map meets gaps, seams and other islands. Here each texel knows its island;
texels beside a border stand for those that really lie there, wherever in the map that is. One step of a filter then
reads eight neighbors, and what is of another island counts as the middle one.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel
from ..mesh import Mesh
from ..mesh.topology import islands_of
from ..texels.area import TileArea
from ..texels.gutter import Gutter
from ..texels.ownership import Ownership
from ..texels.raster import TILE
from ..texels.seam_links import links_over_seams

#: The label of texels that belong to nothing.
NOTHING = -1
#: Texels beyond a border that are looked at: one step, and the corner of one.
BESIDE = 2


@dataclass(frozen=True)
class Ground:
    """What filters have to know of a surface's map.

    labels: (H, W) int32, of a covered texel its island, of one beside a border -2 - the island, else NOTHING.
    target: (n,) int32 texels (y · width + x) beside borders, tile by tile, sorted; source: (n,) the covered ones there.
    starts: (tiles + 1,) where each tile's targets begin. leaving: (n,) the places of targets sorted by source.
    wide: how much wider than tall a texel is on the surface, by the mean over its faces.
    """

    labels: NDArray[np.int32]
    target: NDArray[np.int32]
    source: NDArray[np.int32]
    starts: NDArray[np.int64]
    leaving: NDArray[np.int64]
    wide: float

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the map, texels."""
        return self.labels.shape[1], self.labels.shape[0]

    @property
    def nbytes(self) -> int:
        """What it takes."""
        return self.labels.nbytes + self.target.nbytes + self.source.nbytes + self.leaving.nbytes

    def reach(self, area: TileArea, steps: int) -> TileArea:
        """Where a change in an area is felt by a filter that takes a number of steps; the area itself too."""
        return self._grown(area, steps, False)

    def looked_at(self, area: TileArea, steps: int) -> TileArea:
        """What such a filter looks at to make an area; over links that is not where a change in it is felt."""
        return self._grown(area, steps, True)

    def _grown(self, area: TileArea, steps: int, back: bool) -> TileArea:
        width, height = self.size
        if area.texels * 4 > width * height:
            return TileArea.whole(width, height)
        bounds = np.tile(np.array([TILE, 0, TILE, 0], np.int32), (width // TILE * (height // TILE), 1))
        bounds[area.tiles] = area.rects
        seen = np.zeros(self.labels.shape, np.bool_)
        linked = self.source[self.leaving]
        _walk(
            self.labels, self.target, self.source, self.starts, linked, self.leaving, area.tiles, area.rects, steps,
            back, seen, bounds,
        )  # fmt: skip
        tiles = np.flatnonzero(bounds[:, 1] > 0).astype(np.int32)
        return TileArea(tiles, bounds[tiles])


def ground_of(mesh: Mesh, surface: int, own: Ownership, uvs: NDArray[np.float32]) -> Ground:
    """How the map of a surface, by its number, hangs together. uvs: (F, 3, 2) of all faces, times which `own` holds."""
    width, height = own.width, own.height
    owner = own.owner()
    # What has no owner, -1, finds the last one.
    labels = np.append(islands_of(mesh.topology, uvs, own.faces), NOTHING)[owner].astype(np.int32)
    gutter = Gutter(owner >= 0, BESIDE)
    texels = np.zeros((len(mesh.faces), 3, 2))
    texels[own.faces] = np.nan_to_num(uvs[own.faces].astype(np.float64) * (width, height))
    sizes = np.full((int(mesh.face_surface.max(initial=0)) + 1, 2), (width, height), np.int64)
    links = links_over_seams(mesh, surface, own, gutter, texels, sizes, BESIDE)
    inside = np.full(width * height, -1, np.int32)
    pairs, _ = gutter.by_target
    inside[pairs[:, 0]] = pairs[:, 1]
    target, mine = links.target, inside[links.target]
    # What lies on another surface is another stack's: there the border ends.
    source = np.where(links.surface == surface, links.source, mine)
    # A place inside an island may lie in a texel whose middle is outside, which stands for others itself.
    held = np.where(owner.ravel()[source] >= 0, source, inside[source])
    source = np.where(held >= 0, held, mine)
    labels.ravel()[target] = -2 - labels.ravel()[mine]
    tile = target // width // TILE * (width // TILE) + target % width // TILE
    order = np.lexsort((target, tile))
    target, source = target[order], source[order].astype(np.int32)
    starts = np.searchsorted(tile[order], np.arange(width // TILE * (height // TILE) + 1)).astype(np.int64)
    return Ground(labels, target, source, starts, np.argsort(source, kind="stable"), _wide(own))


def _wide(own: Ownership) -> float:
    """How much wider than tall a texel is in space."""
    across, down = (np.linalg.norm(own.matrices[:, k : k + 3], axis=1) for k in (0, 3))
    weight = np.divide(1.0, own.texel_size**2, out=np.zeros(len(across)), where=own.texel_size > 0)
    weight *= np.linalg.norm(np.cross(own.matrices[:, 0:3], own.matrices[:, 3:6]), axis=1)
    total_down = float((down * weight).sum())
    return float((across * weight).sum()) / total_down if total_down > 0 else 1.0


@kernel
def of_island(label, found):  # type: ignore[no-untyped-def]
    """Whether a texel's label is that of an island, or of a texel beside it."""
    return found == label or found == -2 - label


@kernel
def _walk(  # type: ignore[no-untyped-def]
    labels, targets, sources, starts, linked, leaving, tiles, rects, steps, back, seen, bounds
):
    """Breadth first over neighbors and links, as paint would spread step by step; back: as it would have come."""
    width = labels.shape[1]
    columns = width // TILE
    now, later = [np.int64(0) for _ in range(0)], [np.int64(0) for _ in range(0)]
    for i in range(len(tiles)):
        top, left = tiles[i] // columns * TILE, tiles[i] % columns * TILE
        first, last = left + rects[i, 2], left + rects[i, 3]
        for y in range(top + rects[i, 0], top + rects[i, 1]):
            seen[y, first:last] = True
            # What lies within reaches nothing but by links.
            rim = y == top + rects[i, 0] or y == top + rects[i, 1] - 1
            for x in range(first, last, 1 if rim else max(last - first - 1, 1)):
                if labels[y, x] >= 0:
                    now.append(np.int64(y * width + x))  # noqa: PERF401
            k = np.searchsorted(linked, y * width + first + 1)
            while not back and not rim and k < len(linked) and linked[k] < y * width + last - 1:
                now.append(np.int64(linked[k]))
                k += 1
        for k in range(starts[tiles[i]], starts[tiles[i] + 1] if back else 0):
            y, x = targets[k] // width, targets[k] % width
            if top + rects[i, 0] <= y < top + rects[i, 1] and first <= x < last:
                _visit(labels, np.int64(sources[k]), seen, bounds, now)
    for _ in range(steps):
        later.clear()
        for place in now:
            label = labels[place // width, place % width]
            _spread(labels, place, label, seen, bounds, later)
            if back:
                _come_from(labels, targets, sources, starts, place, seen, bounds, later)
                continue
            k = np.searchsorted(linked, place)
            while k < len(linked) and linked[k] == place:
                # Who reads the texel beside the border: the covered ones around it.
                beside = np.int64(targets[leaving[k]])
                _spread(labels, beside, -2 - labels[beside // width, beside % width], seen, bounds, later)
                k += 1
        now, later = later, now


@kernel
def _spread(labels, place, label, seen, bounds, later):  # type: ignore[no-untyped-def]
    height, width = labels.shape
    for dy in range(-1, 2):
        for dx in range(-1, 2):
            y, x = (place // width + dy) % height, (place % width + dx) % width
            if labels[y, x] == label:
                _visit(labels, y * width + x, seen, bounds, later)


@kernel
def _come_from(labels, targets, sources, starts, place, seen, bounds, later):  # type: ignore[no-untyped-def]
    """What a covered texel reads of those beside it, and what these stand for."""
    height, width = labels.shape
    label = labels[place // width, place % width]
    for dy in range(-1, 2):
        for dx in range(-1, 2):
            y, x = (place // width + dy) % height, (place % width + dx) % width
            if labels[y, x] == -2 - label:
                tile = y // TILE * (width // TILE) + x // TILE
                first, last = starts[tile], starts[tile + 1]
                k = first + np.searchsorted(targets[first:last], y * width + x)
                if k < last and targets[k] == y * width + x:
                    _mark(bounds, width, y, x)
                    _visit(labels, np.int64(sources[k]), seen, bounds, later)


@kernel
def _visit(labels, place, seen, bounds, later):  # type: ignore[no-untyped-def]
    width = labels.shape[1]
    y, x = place // width, place % width
    if seen[y, x]:
        return
    seen[y, x] = True
    later.append(place)
    _mark(bounds, width, y, x)


@kernel
def _mark(bounds, width, y, x):  # type: ignore[no-untyped-def]
    tile = y // TILE * (width // TILE) + x // TILE
    row, column = y % TILE, x % TILE
    bounds[tile, 0], bounds[tile, 1] = min(bounds[tile, 0], row), max(bounds[tile, 1], row + 1)
    bounds[tile, 2], bounds[tile, 3] = min(bounds[tile, 2], column), max(bounds[tile, 3], column + 1)
