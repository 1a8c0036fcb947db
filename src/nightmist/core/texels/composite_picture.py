"""Composited pictures: all texels of a map, tile after tile in memory, where a tile of one color takes none."""

from __future__ import annotations

import mmap

import numpy as np
from numpy.typing import NDArray

from ..kernels import address_of, as_uint32, bytes_at, carray, in_two_threads, kernel, shorts_at
from .encode import eight_bits, to_bytes
from .raster import TILE

#: Bytes of a tile that is more than one color.
TILE_BYTES = TILE * TILE * 4 * 2


class Picture:
    """W × H texels of four uint16 channels.

    pixels: (tiles, 64, 64, 4), true where not `plain`; memory comes as tiles are written. plain: (tiles,) uint8, 1
    for a tile of one color, which `colors`, (tiles, 4), tells. Tiles are numbered row · columns + column.
    """

    def __init__(self, width: int, height: int, color: tuple[int, int, int, int] = (0, 0, 0, 65535)) -> None:
        self.width, self.height, self.columns = width, height, width // TILE
        count = self.columns * (height // TILE)
        self._memory = mmap.mmap(-1, count * TILE_BYTES, flags=mmap.MAP_PRIVATE | mmap.MAP_ANONYMOUS)
        self.pixels = np.frombuffer(self._memory, np.uint16).reshape(count, TILE, TILE, 4)
        self.plain = np.ones(count, np.uint8)
        self.colors = np.tile(np.array(color, np.uint16), (count, 1))
        #: Of pixels, plain and colors, which stay where they are.
        self.addresses = address_of(self.pixels), address_of(self.plain), address_of(self.colors)

    @property
    def nbytes(self) -> int:
        """What its tiles take."""
        return int((self.plain == 0).sum()) * TILE_BYTES + self.colors.nbytes + self.plain.nbytes

    @property
    def one_color(self) -> bool:
        """Whether it is known to be one color everywhere."""
        return bool(_one_color(self.plain, self.colors, self.columns, 0, self.height, 0, self.width) >= 0)

    def fill(self, color: tuple[int, int, int, int]) -> None:
        """Be one color everywhere."""
        self.colors[:] = color
        for tile in np.flatnonzero(self.plain == 0):
            self._release(int(tile))
        self.plain[:] = 1

    def hold(self, tiles: NDArray[np.int32]) -> None:
        """See that these tiles have pixels."""
        _hold(self.pixels, self.plain, self.colors, tiles)

    def settle(self, tiles: NDArray[np.int32]) -> None:
        """Those of these tiles that are one color give their memory back."""
        one = np.zeros(len(tiles), np.bool_)
        if _find_plain(self.pixels, self.plain, tiles, one):
            for tile in tiles[one]:
                self.colors[tile] = self.pixels[tile, 0, 0]
                self.plain[tile] = 1
                self._release(int(tile))

    def _release(self, tile: int) -> None:
        self._memory.madvise(mmap.MADV_DONTNEED, tile * TILE_BYTES, TILE_BYTES)

    def read(self) -> NDArray[np.uint16]:
        """All of it as (H, W, 4)."""
        rows = self.height // TILE
        whole = np.empty((self.height, self.width, 4), np.uint16)
        in_two_threads(rows, lambda a, b: _read(self.pixels, self.plain, self.colors, self.columns, a, b, whole), 2)
        return whole

    def texels(self, y: NDArray[np.int64], x: NDArray[np.int64]) -> NDArray[np.uint16]:
        """(n, 4) texels at rows y and columns x."""
        tile = y // TILE * self.columns + x // TILE
        held = self.pixels[tile, y % TILE, x % TILE]
        found: NDArray[np.uint16] = np.where(self.plain[tile, None] == 1, self.colors[tile], held)
        return found

    def least(self, channel: int) -> int:
        """The smallest number of a channel."""
        spelled = np.flatnonzero(self.plain == 0)
        found = [int(self.pixels[tile, ..., channel].min()) for tile in spelled]
        return min(*found, 65535, int(self.colors[self.plain == 1, channel].min(initial=65535)))

    def encode(self, top: int, bottom: int, left: int, right: int) -> NDArray[np.uint8]:
        """A rectangle for the screen, (h, w, 4), rounded once to 256 even steps; (1, 1, 4) when it is one color."""
        return self.encode_each(np.array([(top, bottom, left, right)], np.int32), 1)[0]

    def encode_each(self, rects: NDArray[np.int32], room: int) -> list[NDArray[np.uint8]]:
        """The same of rectangles, (n, 4), one after another until so many bytes are full."""
        shapes = [(bottom - top, right - left, 4) for top, bottom, left, right in rects.tolist()]
        sizes = [4 * tall * wide for tall, wide, _ in shapes]
        out, starts = np.empty(min(sum(sizes), room + max(sizes)), np.uint8), np.empty(len(rects) + 1, np.int64)
        count = _encode_each(self.pixels, self.plain, self.colors, self.columns, rects, room, out, starts)
        bounds = starts[: count + 1].tolist()
        return [
            out[a:b].reshape(shape if b - a == size else (1, 1, 4))
            for shape, size, a, b in zip(shapes, sizes, bounds, bounds[1:], strict=False)
        ]

    def encode_coarse(self, top: int, bottom: int, left: int, right: int, step: int) -> NDArray[np.uint8]:
        """A rectangle of whole tiles shrunk to (h / step, w / step, 4), each the mean of step × step texels.

        (1, 1, 4) when it is one color. step: a divisor of a tile's side, at most 16.
        """
        tile = _one_color(self.plain, self.colors, self.columns, top, bottom, left, right)
        if tile >= 0:
            return to_bytes(self.colors[tile : tile + 1, None])
        out = np.empty(((bottom - top) // step, (right - left) // step, 4), np.uint8)
        first = top // TILE * self.columns + left // TILE
        rows, shape = (bottom - top) // TILE, (self.columns, (right - left) // TILE)
        in_two_threads(
            rows, lambda a, b: _shrink(self.pixels, self.plain, self.colors, first, *shape, step, a, b, out), 2
        )
        return out


@kernel
def _one_color(plain, colors, columns, top, bottom, left, right):  # type: ignore[no-untyped-def]
    """The first tile of a rectangle when all of its tiles are one color, the same; else -1."""
    first = top // TILE * columns + left // TILE
    for row in range(top // TILE, (bottom - 1) // TILE + 1):
        for column in range(left // TILE, (right - 1) // TILE + 1):
            t = row * columns + column
            if plain[t] == 0:
                return -1
            for c in range(4):
                if colors[t, c] != colors[first, c]:
                    return -1
    return first


@kernel
def spell_out(pixels, plain, colors, t):  # type: ignore[no-untyped-def]
    """Give a tile pixels."""
    if plain[t] != 0:
        plain[t] = 0
        texels = pixels[t].reshape(TILE * TILE, 4)
        for i in range(len(texels)):
            for c in range(4):
                texels[i, c] = colors[t, c]


@kernel
def _hold(pixels, plain, colors, tiles):  # type: ignore[no-untyped-def]
    for t in tiles:
        spell_out(pixels, plain, colors, t)


@kernel
def _find_plain(pixels, plain, tiles, one):  # type: ignore[no-untyped-def]
    found = False
    for k in range(len(tiles)):
        t = tiles[k]
        if plain[t] != 0:
            continue
        texels = pixels[t].reshape(TILE * TILE, 4)
        same = True
        for i in range(len(texels)):
            for c in range(4):
                same = same and texels[i, c] == texels[0, c]
            if not same:
                break
        one[k] = same
        found = found or same
    return found


@kernel
def _read(pixels, plain, colors, columns, first, end, whole):  # type: ignore[no-untyped-def]
    for t in range(first * columns, end * columns):
        part = whole[t // columns * TILE : t // columns * TILE + TILE, t % columns * TILE : t % columns * TILE + TILE]
        for y in range(TILE):
            for x in range(TILE):
                for c in range(4):
                    part[y, x, c] = colors[t, c] if plain[t] != 0 else pixels[t, y, x, c]


@kernel
def _encode_each(pixels, plain, colors, columns, rects, room, out, starts):  # type: ignore[no-untyped-def]
    """Returns how many rectangles there was room for; `starts` tells where each lies, and where the last one ends."""
    texels, bytes_ = pixels.ctypes.data, out.ctypes.data
    count, at = 0, 0
    while count < len(rects) and at < room:
        top, bottom, left, right = rects[count]
        starts[count] = at
        tile = _one_color(plain, colors, columns, top, bottom, left, right)
        if tile >= 0:
            for c in range(4):
                out[at + c] = eight_bits(colors[tile, c])
            at += 4
        else:
            uniform = True
            for y in range(top, bottom):
                line = bytes_ + at + 4 * (y - top) * (right - left)
                _encode_row(texels, plain, colors, columns, y, left, right, line)
                uniform = uniform and _is_one(as_uint32(bytes_ + at)[0], line, right - left)
            at += 4 if uniform else 4 * (bottom - top) * (right - left)
        count += 1
    starts[count] = at
    return count


@kernel
def _encode_row(texels, plain, colors, columns, y, left, right, line):  # type: ignore[no-untyped-def]
    """A row of a picture whose pixels lie at `texels`, to where its line lies."""
    x = left
    while x < right:
        t = y // TILE * columns + x // TILE
        end = min(right, x // TILE * TILE + TILE)
        target = bytes_at(line + 4 * (x - left), 4 * (end - x))
        if plain[t] != 0:
            for j in range(len(target)):
                target[j] = eight_bits(colors[t, j % 4])
        else:
            source = shorts_at(texels + 8 * ((t * TILE + y % TILE) * TILE + x % TILE), 4 * (end - x))
            for j in range(len(target)):
                target[j] = eight_bits(source[j])
        x = end


@kernel
def _is_one(texel, line, count):  # type: ignore[no-untyped-def]
    """Whether all of a line of texels are as this one; without leaving the loop early it is compared by vectors."""
    texels, other = carray(as_uint32(line), (count,)), np.uint32(0)
    for x in range(count):
        other |= texels[x] ^ texel
    return other == 0


@kernel
def _shrink(pixels, plain, colors, first, columns, wide, step, begin, end, out):  # type: ignore[no-untyped-def]
    side = TILE // step
    half, count = np.uint32(step * step // 2), np.uint32(step * step)
    sums = np.empty((side, 4), np.uint32)
    for row in range(begin, end):
        for column in range(wide):
            t = first + row * columns + column
            for y in range(side):
                sums[:] = np.uint32(0)
                for dy in range(step):
                    for x in range(side):
                        for dx in range(step):
                            for c in range(4):
                                texel = colors[t, c] if plain[t] != 0 else pixels[t, y * step + dy, x * step + dx, c]
                                sums[x, c] += np.uint32(texel)
                for x in range(side):
                    for c in range(4):
                        out[row * side + y, column * side + x, c] = eight_bits((sums[x, c] + half) // count)
