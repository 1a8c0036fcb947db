"""What one browser has not seen yet.

Only places are remembered, not pixels: pixels are read when they are sent. So a slow browser gets newer
rectangles instead of a growing queue, and two strokes over one tile cost one rectangle.
"""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ..core.kernels import kernel
from ..core.texels import TILE, TileArea
from ..core.texels.composite_picture import Picture
from ..document.derived.composites import PICTURES, PictureName
from ..document.document import Document
from ..document.values import AnyValue, Surface
from .messages import ServerMessage

#: Batches that may be under way to a browser before it acknowledges.
IN_FLIGHT = 2
#: Bytes of pixels in one batch, so that a stroke never waits long behind a whole map.
BATCH_BYTES = 3 << 20
#: Tiles of one picture from which all of them are sent coarse at first: what would come in eight batches.
COARSE_FROM = 8 * BATCH_BYTES // (4 * TILE * TILE)
#: Texels along a side that become one then.
COARSE = 4
#: (n, 4) top, bottom, left and right, the ends excluded.
Rects = NDArray[np.int32]
#: What is known of a tile: the browser is up to date, has it coarse, or has not seen it as it is now.
SEEN, ROUGH, UNSEEN = 0, 1, 2


@dataclass
class Rectangle:
    """Pixels of one picture of one surface: (h, w, 4) uint8, (1, 1, 4) when all are the same; coarse ones are (h, w)
    divided by 2, 4, 8 or 16."""

    surface: int
    picture: int
    x: int
    y: int
    width: int
    height: int
    pixels: NDArray[np.uint8]


@dataclass
class Timing:
    """Where the time of a batch went, in seconds, and the stamp of the newest pointer sample in it."""

    stamp: float = 0.0
    engine: float = 0.0
    composite: float = 0.0
    encode: float = 0.0


@dataclass
class Batch:
    """Rectangles sent together."""

    number: int
    rectangles: list[Rectangle]
    timing: Timing


class Client(Protocol):
    """A browser, as the studio sees it; `name` is its own. Both may be called from the project's thread."""

    name: str

    def tell(self, message: ServerMessage) -> None: ...

    def show(self, batch: Batch) -> None: ...


@dataclass
class ClientUpdates:
    """The places of one client that are out of date, and how much is under way to it."""

    client: Client
    waiting: dict[tuple[str, PictureName], NDArray[np.uint8]] = field(default_factory=dict)
    #: Whole pictures, coarse, of what is not worked out yet: to be sent first, and those of which nothing else is sent.
    drafts: dict[tuple[str, PictureName], NDArray[np.uint8]] = field(default_factory=dict)
    drafted: set[tuple[str, PictureName]] = field(default_factory=set)
    #: Those of which the browser shows a draft until all of it has come as it is.
    sketched: set[tuple[str, PictureName]] = field(default_factory=set)
    timing: Timing = field(default_factory=Timing)
    sent: int = 0
    acknowledged: int = 0

    def add(self, surface: Surface, picture: PictureName, area: TileArea) -> None:
        """These tiles of a picture changed."""
        key = (surface.id, picture)
        if key not in self.waiting:
            self.waiting[key] = np.zeros((surface.height // TILE, surface.width // TILE), np.uint8)
        self.waiting[key].ravel()[area.tiles] = UNSEEN

    def add_whole(self, surface: Surface, picture: PictureName) -> None:
        """All of a picture is to be sent, and nothing that waited for it."""
        shape = surface.height // TILE, surface.width // TILE
        self.waiting[surface.id, picture] = np.full(shape, UNSEEN, np.uint8)

    def add_draft(self, surface: Surface, picture: PictureName, pixels: NDArray[np.uint8]) -> None:
        """Show a picture coarsely until it is worked out."""
        self.drafts[surface.id, picture] = pixels
        self.drafted.add((surface.id, picture))
        self.add_whole(surface, picture)

    def release(self) -> None:
        """All is worked out: what is shown coarsely is sent as it is."""
        self.drafts.clear()
        self.drafted.clear()

    def follow(self, values: dict[str, tuple[AnyValue | None, AnyValue | None]]) -> None:
        """Surfaces came, went, or have another number or size: what waits for them is cut anew."""
        for key, (before, after) in values.items():
            if isinstance(before, Surface) and not isinstance(after, Surface):
                for picture in PICTURES:
                    self.waiting.pop((key, picture), None)
                    self.drafts.pop((key, picture), None)
                    self.drafted.discard((key, picture))
                    self.sketched.discard((key, picture))
            if isinstance(after, Surface) and not (isinstance(before, Surface) and _place(before) == _place(after)):
                for picture in PICTURES:
                    self.sketched.discard((key, picture))
                    self.add_whole(after, picture)

    @property
    def up_to_date(self) -> bool:
        """Whether the client has shown all there is."""
        return not self.waiting and not self.drafts and self.sent == self.acknowledged

    def pump(self, document: Document) -> None:
        """Send as many batches as the client has room for."""
        while (self.drafts or self.waiting.keys() - self.drafted) and self.sent - self.acknowledged < (
            1 if self.drafts else IN_FLIGHT
        ):
            started = time.perf_counter()
            rectangles = self._take(document)
            timing, self.timing = self.timing, Timing()
            timing.encode = time.perf_counter() - started
            self.sent += 1
            self.client.show(Batch(self.sent, rectangles, timing))

    def _take(self, document: Document) -> list[Rectangle]:
        taken: list[Rectangle] = []
        room = BATCH_BYTES
        for (key, picture), pixels in list(self.drafts.items()):
            surface = document.values[key]
            assert isinstance(surface, Surface)
            del self.drafts[key, picture]
            self.sketched.add((key, picture))
            number = PICTURES.index(picture)
            taken.append(Rectangle(surface.number, number, 0, 0, surface.width, surface.height, pixels))
            room -= pixels.nbytes
            if room <= 0:
                return taken
        for (key, picture), state in list(self.waiting.items()):
            if (key, picture) in self.drafted:
                continue
            surface = document.values[key]
            assert isinstance(surface, Surface)
            image, number = document.composite(surface).pictures[picture], PICTURES.index(picture)
            coarse = (key, picture) not in self.sketched and int(np.count_nonzero(state == UNSEEN)) >= COARSE_FROM
            rects, first = rectangles_of(state >= (UNSEEN if coarse else ROUGH)), len(taken)
            for rect, pixels in zip(rects.tolist(), _encoded(image, rects, room, coarse), strict=False):
                top, bottom, left, right = rect
                taken.append(Rectangle(surface.number, number, left, top, right - left, bottom - top, pixels))
                room -= pixels.nbytes
            # Under a brush there is room for all of it, and nothing is left to be remembered.
            all_of_it = not coarse and len(taken) - first == len(rects)
            if all_of_it or not _any_left(state, taken[first:], coarse):
                del self.waiting[key, picture]
                self.sketched.discard((key, picture))
            if room <= 0:
                return taken
        return taken


def _place(surface: Surface) -> tuple[int, tuple[int, int]]:
    """What a browser knows a surface's pictures by."""
    return surface.number, surface.size


def _any_left(state: NDArray[np.uint8], sent: list[Rectangle], coarse: bool) -> bool:
    """Mark the tiles of rectangles that are sent; returns whether any are left."""
    for each in sent:
        rows = slice(each.y // TILE, (each.y + each.height) // TILE)
        columns = slice(each.x // TILE, (each.x + each.width) // TILE)
        state[rows, columns] = ROUGH if coarse and each.pixels.shape[0] > 1 else SEEN
    return bool(state.any())


def _encoded(image: Picture, rects: Rects, room: int, coarse: bool) -> Iterable[NDArray[np.uint8]]:
    """The pixels of rectangles, as far as there is room."""
    if coarse:
        return _until_full((image.encode_coarse(a, b, c, d, COARSE) for a, b, c, d in rects.tolist()), room)
    return image.encode_each(rects, room) if len(rects) else ()


def _until_full(pictures: Iterable[NDArray[np.uint8]], room: int) -> Iterator[NDArray[np.uint8]]:
    """Pictures, the last of which fills the room."""
    for pixels in pictures:
        yield pixels
        room -= pixels.nbytes
        if room <= 0:
            return


def rectangles_of(mask: NDArray[np.bool_], longest: int = 8) -> Rects:
    """Rectangles in texels that cover the marked tiles, each exactly once.

    Runs along a row grow downwards while the rows below have the same run; neither side gets longer than
    `longest` tiles. Browsers make smaller pictures of a rectangle by itself, so it holds whole tiles.
    """
    found = np.empty((mask.size, 4), np.int32)
    return found[: _runs(mask, longest, found)]


@kernel
def _runs(mask, longest, found):  # type: ignore[no-untyped-def]
    waits = mask.copy()
    rows, columns = waits.shape
    count = 0
    for top in range(rows):
        for left in range(columns):
            if not waits[top, left]:
                continue
            right = left
            while right < columns and right - left < longest and waits[top, right]:
                right += 1
            bottom = top + 1
            while bottom < rows and bottom - top < longest and waits[bottom, left:right].all():
                bottom += 1
            waits[top:bottom, left:right] = False
            rect = found[count]
            rect[0], rect[1], rect[2], rect[3] = top * TILE, bottom * TILE, left * TILE, right * TILE
            count += 1
    return count
