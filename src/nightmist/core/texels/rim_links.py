"""Where the texels of a rim come from: which texels inside islands each is mixed from, over all surfaces' seams."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array, diags_array

from ..kernels import kernel
from ..mesh.mesh import Mesh
from .area import in_tiles
from .gutter import Gutter
from .ownership import Ownership
from .rim import Rim
from .seam_links import SeamLinks, walks_over_seams

#: Texels off an island up to which they belong to its rim: those that a screen mixes with it.
REACH = 1.5
#: Places that lie in a rim themselves are followed so often.
ROUNDS = 6
#: Shares of a texel below which it does not count.
LEAST = 1 / 2048
#: The sixteen texels around a place, from the nearest that lies before it along both axes, and for each which of them
#: is the one of the nearest four on its side.
AROUND = np.array([(dx, dy) for dy in range(-1, 3) for dx in range(-1, 3)])
NEAREST = (AROUND.clip(0, 1) + 1) @ (1, 4)

Texels = NDArray[np.integer[Any]]


class _Maps:
    """The maps of a rim's surfaces after one another, with a number for each of their texels."""

    def __init__(self, owns: Sequence[Ownership], sizes: NDArray[np.int64]) -> None:
        self.sizes = sizes
        self.offsets = np.concatenate([[0], np.cumsum(sizes[:, 0] * sizes[:, 1])])
        self.covered = np.concatenate([own.covered().ravel() for own in owns])

    def numbers(self, surface: Texels, x: Texels, y: Texels) -> NDArray[np.int64]:
        """Of texels of surfaces; each map wraps."""
        width, height = self.sizes[surface].T
        found: NDArray[np.int64] = self.offsets[surface] + y % height * width + x % width
        return found

    def at(self, surface: Texels, place: NDArray[np.float32]) -> NDArray[np.int64]:
        """The texels in which places (n, 2) lie."""
        return self.numbers(surface, *np.floor(place.T).astype(np.int64))

    def apart(self, one: NDArray[np.int64], other: NDArray[np.int64], surface: Texels) -> NDArray[np.int64]:
        """Texels along the axis along which texels of one map lie farther apart."""
        width, height = self.sizes[surface].T
        (y, x), (v, u) = (np.divmod(number - self.offsets[surface], width) for number in (one, other))
        found: NDArray[np.int64] = np.maximum(*(
            np.minimum(np.abs(a - b), side - np.abs(a - b)) for a, b, side in ((x, u, width), (y, v, height))
        ))  # fmt: skip
        return found

    def around(self, number: NDArray[np.int64], surface: Texels) -> NDArray[np.uint16]:
        """(n,): which of the nine texels around some lie inside islands, a bit each."""
        found = np.zeros(len(number), np.uint16)
        _around(self.covered, self.offsets, self.sizes, number, surface, found)
        return found


@kernel
def _around(covered, offsets, sizes, numbers, surfaces, found):  # type: ignore[no-untyped-def]
    for i in range(len(numbers)):
        first = offsets[surfaces[i]]
        width, height = sizes[surfaces[i]]
        y, x = (numbers[i] - first) // width, (numbers[i] - first) % width
        for k in range(9):
            if covered[first + (y + k // 3 - 1) % height * width + (x + k % 3 - 1) % width]:
                found[i] |= np.uint16(1 << k)


def rim_of(
    mesh: Mesh, numbers: Sequence[int], owns: Sequence[Ownership], gutters: Sequence[Gutter],
    texels: NDArray[np.float64], sizes: NDArray[np.int64],
) -> Rim:  # fmt: skip
    """The rims of the surfaces of these numbers, which owns and gutters go by; no edge may lead to another.

    In the rim they are counted as they stand here. texels: (F, 3, 2), every face in its own map, numbers everywhere;
    sizes: (k, 2) of all surfaces. Where the surface ends there is no rim, nor where not even two steps lead into an
    island again, as on slivers.
    """
    first, second, third = zip(
        *(
            walks_over_seams(mesh, number, own, gutter, texels, sizes, REACH, (1, 2, 3))
            for number, own, gutter in zip(numbers, owns, gutters, strict=True)
        ),
        strict=True,
    )
    order, sizes = np.asarray(numbers), sizes[list(numbers)]
    maps = _Maps(owns, sizes)
    surface = np.repeat(np.arange(len(owns)), [len(link.target) for link in first])
    target, inside, place = (_all(first, name) for name in ("target", "inside", "place"))
    beyond, *later = (np.searchsorted(order, _all(link, "surface")) for link in (first, second, third))
    width = sizes[surface, 0]
    x, y = inside % width, inside // width
    # Where a walk came to no end, its place is the middle of the inside texel.
    arrives = (beyond != surface) | (place != np.stack([x + 0.5, y + 0.5], axis=1)).any(axis=1)
    ahead, farther = (maps.at(beyond, _all(link, "place")) for link in (second, third))
    arrives &= (later[0] == beyond) & maps.covered[ahead]
    farther = np.where((later[1] == beyond) & maps.covered[farther], farther, ahead)
    behind = maps.numbers(surface, 2 * x - target % width, 2 * y - target // width)
    behind = np.where(maps.covered[behind], behind, maps.offsets[surface] + inside)
    offset = maps.offsets[surface]
    weights, inner = _mixed(maps, offset + target, offset + inside, beyond, place, arrives)
    used = np.flatnonzero(np.diff(weights.indptr) > 0)
    surface, beyond, weights = surface[used], beyond[used], weights[used]
    line = np.stack([
        behind[used] - maps.offsets[surface], ahead[used] - maps.offsets[beyond], farther[used] - maps.offsets[beyond],
    ], axis=1)  # fmt: skip
    there = maps.at(beyond, place[used])
    around = [maps.around(maps.offsets[surface] + inside[used], surface), maps.around(there, beyond)]
    source = inner[weights.indices]
    of = np.searchsorted(maps.offsets, source, side="right") - 1
    width, width_beyond = sizes[surface, 0], sizes[beyond, 0]
    return Rim(
        surface.astype(np.int32), in_tiles(target[used], width), in_tiles(inside[used], width),
        weights.indptr.astype(np.int64),
        np.stack([of, in_tiles(source - maps.offsets[of], sizes[of, 0])], axis=1).astype(np.int32),
        weights.data.astype(np.float32), beyond.astype(np.int32),
        in_tiles(there - maps.offsets[beyond], width_beyond),
        np.stack([in_tiles(line[:, 0], width), *in_tiles(line[:, 1:].T, width_beyond)], axis=1),
        np.stack(around, axis=1), sizes,
    )  # fmt: skip


def _all(links: Sequence[SeamLinks], name: str) -> NDArray[Any]:
    return np.concatenate([getattr(link, name) for link in links])


def _mixed(
    maps: _Maps, rim: NDArray[np.int64], inside: NDArray[np.int64], beyond: Texels, place: NDArray[np.float32],
    arrives: NDArray[np.bool_],
) -> tuple[csr_array, NDArray[np.int64]]:  # fmt: skip
    """Weights (n, k) of k texels inside islands, whose numbers are returned too, in n texels of the rim.

    rim, inside: the numbers of the rim's texels, and of the nearest ones inside. A place is mixed from the texels
    around it. Those that lie in a rim themselves are mixed from what that is mixed from, so that only texels inside
    islands remain.
    """
    if not len(rim):
        return csr_array((0, 0)), rim
    corner = np.floor(place - 0.5).astype(np.int64)
    source = np.stack([maps.numbers(beyond, *(corner + step).T) for step in AROUND])
    order = np.argsort(rim)
    found = order[np.searchsorted(rim, source, sorter=order).clip(max=len(rim) - 1)]
    known = maps.covered[source]
    other = ~known & (rim[found] == source)
    # What lies behind a gap is another island, and the rim there is that one's.
    near = source[NEAREST]
    nearest = np.where(known, near, inside[found])
    same = (known & known[NEAREST]) | (other & (maps.apart(nearest, near, beyond) <= 1))
    share = _shares(place - 0.5 - corner, same) * arrives
    known, other = known & (share != 0), other & (share != 0)
    row = np.broadcast_to(np.arange(len(rim)), source.shape)
    inner, number = np.unique(source[known], return_inverse=True)
    mixed = csr_array((share[known], (row[known], number)), shape=(len(rim), len(inner)))
    through = csr_array((share[other], (row[other], found[other])), shape=(len(rim), len(rim)))
    whole = term = mixed
    for _ in range(ROUNDS):
        term = _without_faint(through @ term)
        whole = whole + term
    return _even(_without_faint(_even(whole))), inner


def _shares(part: NDArray[np.float32], had: NDArray[np.bool_]) -> NDArray[np.float32]:
    """(16, n) of the texels `AROUND` n places that lie `part`, (n, 2), behind the middle of a texel.

    Along an axis a curve through four texels where they are `had`, (16, n), so that what bends from texel to texel
    stays what it is; a line through two elsewhere.
    """
    (curve_x, line_x), (curve_y, line_y) = ((_curve(part[:, axis]), _line(part[:, axis])) for axis in (0, 1))
    share = _product(line_x, line_y)
    for along_x, along_y in ((line_x, curve_y), (curve_x, line_y), (curve_x, curve_y)):
        better = _product(along_x, along_y)
        share = np.where(((better == 0) | had).all(axis=0), better, share)
    return share


def _product(x: NDArray[np.float32], y: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.stack([x[dx + 1] * y[dy + 1] for dx, dy in AROUND])


def _curve(t: NDArray[np.float32]) -> NDArray[np.float32]:
    """(4, n): cubic convolution with a = -1/2 (Keys 1981, Cubic convolution interpolation), t behind the second."""
    return np.stack([
        ((2 - t) * t - 1) * t / 2, ((3 * t - 5) * t * t + 2) / 2, ((4 - 3 * t) * t + 1) * t / 2, (t - 1) * t * t / 2,
    ])  # fmt: skip


def _line(t: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.stack([np.zeros_like(t), 1 - t, t, np.zeros_like(t)])


def _without_faint(weights: csr_array) -> csr_array:
    """The same weights, those left out that do not count."""
    weights.data[np.abs(weights.data) < LEAST] = 0
    weights.eliminate_zeros()
    return weights


def _even(weights: csr_array) -> csr_array:
    """Rows that sum to one."""
    sums = np.asarray(weights.sum(axis=1)).ravel()
    even: csr_array = csr_array(diags_array(1 / np.maximum(sums, 1e-12)) @ weights)
    return even
