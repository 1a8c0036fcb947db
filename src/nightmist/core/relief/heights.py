"""A surface's height as slopes need it: continued a texel beyond its islands, and linked over their borders."""

from __future__ import annotations

import numpy as np

from ..kernels import in_two_threads, kernel
from ..texels.area import TileArea, in_tiles, with_neighbors
from ..texels.composite_picture import Picture
from ..texels.ownership import Ownership
from ..texels.raster import TILE
from ..texels.seam_links import SeamLinks

#: Squared distance from an island up to which texels belong to its rim.
RIM2 = 2


class Heights:
    """image: (H, W) uint16. covered: (H, W) inside islands. Rim texels next to islands continue them straight on.

    beyond: (H, W) int32, for rim texels their place in `links`: where the surface goes on there. known: (H, W), islands
    and rims; what lies elsewhere in the image means nothing.
    """

    def __init__(self, own: Ownership, across: SeamLinks) -> None:
        self.own, self.columns = own, own.columns
        width, height = own.width, own.height
        self.covered = own.covered()
        self.image = np.zeros((height, width), np.uint16)
        near = across.inside
        dx = (across.target % width - near % width + width // 2) % width - width // 2
        dy = (across.target // width - near // width + height // 2) % height - height // 2
        rim = np.flatnonzero(dx * dx + dy * dy <= RIM2)
        #: Of `across`, what concerns the rim.
        self.links = SeamLinks(
            across.target[rim], near[rim], across.surface[rim], across.source[rim], across.place[rim]
        )
        #: The surfaces whose heights slopes here look at.
        self.neighbors = frozenset(np.unique(self.links.surface).tolist())
        target, near, dx, dy = across.target[rim], near[rim], dx[rim], dy[rim]
        self.beyond = np.full((height, width), -1, np.int32)
        self.beyond.ravel()[target] = np.arange(len(rim), dtype=np.int32)
        self.known = self.covered | (self.beyond >= 0)
        mirror = (near // width - dy) % height * width + (near % width - dx) % width
        mirror = np.where(self.covered.ravel()[mirror], mirror, near)
        # By the tile of the inside texel: paint there changes what lies beyond it.
        tile = near // width // TILE * self.columns + near % width // TILE
        order = np.argsort(tile, kind="stable")
        self.rim = np.column_stack([target, near, mirror])[order].astype(np.int32)
        self.rim_starts = np.searchsorted(tile[order], np.arange(self.columns * (height // TILE) + 1))

    def take(self, picture: Picture, area: TileArea) -> None:
        """Take over heights, a picture's channel 0, in an area."""
        in_two_threads(
            len(area),
            lambda a, b: _copy(picture.pixels, picture.plain, picture.colors, self.columns, area.tiles[a:b],
                               area.rects[a:b], self.image),
        )  # fmt: skip
        tiles = with_neighbors(area, self.own.width, self.own.height, TILE).tiles
        _continue(self.image.ravel(), self.rim, self.rim_starts, tiles)

    def beside(self, surface: int, width: int, height: int, area: TileArea) -> TileArea:
        """Where slopes here look at heights in an area of a surface's map of width × height."""
        targets = self.links.target[
            self.links.sources_in(surface, width, height, with_neighbors(area, width, height, 2))
        ]
        if not len(targets):
            return TileArea.empty()
        return with_neighbors(TileArea.of_texels(in_tiles(targets, self.own.width)), self.own.width, self.own.height)


@kernel
def _copy(pixels, plain, colors, columns, tiles, rects, image):  # type: ignore[no-untyped-def]
    for i in range(len(tiles)):
        t = tiles[i]
        top, left = t // columns * TILE, t % columns * TILE
        for y in range(rects[i, 0], rects[i, 1]):
            for x in range(rects[i, 2], rects[i, 3]):
                image[top + y, left + x] = colors[t, 0] if plain[t] != 0 else pixels[t, y, x, 0]


@kernel
def _continue(image, rim, starts, tiles):  # type: ignore[no-untyped-def]
    for i in range(len(tiles)):
        for k in range(starts[tiles[i]], starts[tiles[i] + 1]):
            straight = 2 * int(image[rim[k, 1]]) - int(image[rim[k, 2]])
            image[rim[k, 0]] = np.uint16(min(max(straight, 0), 65535))
