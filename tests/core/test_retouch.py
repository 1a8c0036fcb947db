"""Smear, soften and sharpen against whole pictures computed at once by scipy, color times alpha, the map wrapping."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage

from nightmist.core.kernels import address_of
from nightmist.core.texels import TILE, TileArea
from nightmist.core.texels.flat import flat_ownership
from nightmist.core.tools.retouch import REACH, SHARPEN, Reworked, load_around, sharpen, smear, soften

WIDTH, HEIGHT = 192, 128
COLUMNS = WIDTH // TILE


class Bench:
    """A map with random paint and random weights in part of it, dense and in tiles."""

    def __init__(self, channels: int = 4, seed: int = 1) -> None:
        rng = np.random.default_rng(seed)
        self.picture = rng.integers(0, 65536, (HEIGHT, WIDTH, channels)).astype(np.uint16)
        alpha = self.picture[..., -1]
        alpha[rng.random(alpha.shape) < 0.3] = 65535
        alpha[30:60, 20:90] = 0
        self.weight = rng.random((HEIGHT, WIDTH)).astype(np.float32)
        self.weight[rng.random((HEIGHT, WIDTH)) < 0.2] = 0
        y, x = np.mgrid[:HEIGHT, :WIDTH]
        self.weight[(np.abs(x - 96) < 25) | (y > 110)] = 0
        self.before = self.picture.copy()
        self.tiles = [np.ascontiguousarray(part) for part in self._cut(self.picture)]
        self.weights = [np.ascontiguousarray(part) for part in self._cut(self.weight)]
        rects = []
        for part in self.weights:
            rows, columns = np.flatnonzero(part.any(1)), np.flatnonzero(part.any(0))
            rects.append((rows[0], rows[-1] + 1, columns[0], columns[-1] + 1))
        self.area = TileArea(np.arange(len(rects), dtype=np.int32), np.array(rects, np.int32))
        self.work = Reworked(
            self.picture, flat_ownership(WIDTH, HEIGHT), self.area, np.array([address_of(w) for w in self.weights]),
            np.array([address_of(t) for t in self.tiles]),
        )  # fmt: skip

    @staticmethod
    def _cut(image: np.ndarray) -> list[np.ndarray]:
        return [
            image[y : y + TILE, x : x + TILE] for y in range(0, HEIGHT, TILE) for x in range(0, WIDTH, TILE)
        ]  # fmt: skip

    def times_alpha(self) -> np.ndarray:
        """(H, W, channels) float64 of the paint before, color times alpha."""
        image = self.before.astype(float)
        image[..., :-1] *= image[..., -1:]
        return image

    def check(self, wanted: np.ndarray) -> None:
        """wanted: (H, W, channels), color times alpha, where there is weight."""
        alpha = np.clip(wanted[..., -1:], 0, 65535)
        color = np.clip(wanted[..., :-1] / np.maximum(wanted[..., -1:], 1e-9), 0, 65535)
        wanted = np.where(self.weight[..., None] > 0, np.concatenate([color, alpha], 2), self.before)
        off = np.abs(self.picture.astype(float) - wanted)
        assert off[..., -1].max() <= 0.6
        # Where next to nothing covers, rounding of alpha decides about the color.
        assert off[wanted[..., -1] > 50].max() <= 1.0
        for tile, part in zip(self.tiles, self._cut(self.picture), strict=True):
            np.testing.assert_array_equal(tile, part)
        assert (self.picture != self.before).any()


@pytest.mark.parametrize("channels", [2, 4])
@pytest.mark.parametrize("move", [(3.3, -1.7), (-11.6, 8.0), (0.25, 0.5), (12.0, -12.0)])
def test_smear_takes_from_where_the_brush_was(move, channels):
    bench = Bench(channels)
    smear(bench.work, np.array([*move, 0.0]))
    paint = bench.times_alpha()
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(float)
    came = np.stack(
        [ndimage.map_coordinates(paint[..., c], [y - move[1], x - move[0]], order=1, mode="grid-wrap")
         for c in range(channels)], 2,
    )  # fmt: skip
    share = bench.weight[..., None].astype(float)
    bench.check(came * share + paint * (1 - share))


def nine(image: np.ndarray, step: int) -> np.ndarray:
    kernel = np.zeros((2 * step + 1, 2 * step + 1))
    kernel[::step, ::step] = np.outer([1, 2, 1], [1, 2, 1]) / 16
    return np.stack([ndimage.convolve(image[..., c], kernel, mode="grid-wrap") for c in range(image.shape[2])], 2)


@pytest.mark.parametrize("channels", [2, 4])
@pytest.mark.parametrize("step", [1, 3, 8])
def test_soften_goes_to_the_mean_of_nine_and_sharpen_away_from_it(step, channels):
    soft, sharp = Bench(channels), Bench(channels)
    soften(soft.work, step)
    sharpen(sharp.work, step)
    paint = soft.times_alpha()
    toward = (nine(paint, step) - paint) * soft.weight[..., None].astype(float)
    soft.check(paint + toward)
    mean = nine(paint, step)
    color, alpha = sharp.before[..., :-1].astype(float), paint[..., -1:]
    gain = SHARPEN * sharp.weight[..., None].astype(float)
    sharper = np.clip(alpha + (alpha - mean[..., -1:]) * gain, 0, 65535)
    vivid = color + (color - mean[..., :-1] / np.maximum(mean[..., -1:], 1e-9)) * gain
    sharp.check(np.concatenate([np.clip(vivid, 0, 65535) * sharper, sharper], 2))


@pytest.mark.parametrize("seed", range(6))
def test_even_paint_stays_as_it_is_to_the_bit(seed):
    """Whatever its color and cover, ten dabs of each tool change nothing."""
    bench = Bench()
    even = np.random.default_rng(seed).integers(1, 65536, 4).astype(np.uint16)
    bench.picture[:] = even
    for tile in bench.tiles:
        tile[:] = even
    for k in range(10):
        smear(bench.work, np.array([1.7 * k - 8, 5.1 - k, 0.0]))
        soften(bench.work, 1 + k % 8)
        sharpen(bench.work, 8 - k % 8)
    assert (bench.picture == even).all()
    assert all((tile == even).all() for tile in bench.tiles)


def test_tiles_are_loaded_where_tools_look():
    """Every tile with a texel that close, across the map's edges too, once; absent ones are cleared."""
    rng = np.random.default_rng(5)
    rows, columns = 4, 5
    tiles = {key: rng.integers(0, 65536, (TILE, TILE, 2)).astype(np.uint16) for key in [(0, 0), (3, 4), (1, 1), (0, 4)]}
    addresses = np.zeros((rows, columns), np.int64)
    for key, tile in tiles.items():
        addresses[key] = address_of(tile)
    for rect in [(0, 3, 0, 3), (20, 30, 20, 30), (13, 51, 13, 51), (12, 40, 30, 52), (0, 64, 0, 64)]:
        picture = np.full((rows * TILE, columns * TILE, 2), 7, np.uint16)
        loaded = np.zeros((rows, columns), bool)
        area = TileArea(np.array([0], np.int32), np.array([rect], np.int32))
        fresh = load_around(picture, loaded, addresses, area)
        y = np.arange(rect[0] - REACH, rect[1] + REACH) // TILE % rows
        x = np.arange(rect[2] - REACH, rect[3] + REACH) // TILE % columns
        assert sorted(fresh) == sorted({int(a * columns + b) for a in y for b in x})
        assert sorted(np.flatnonzero(loaded)) == sorted(fresh)
        for row, column in np.ndindex(rows, columns):
            part = picture[row * TILE : (row + 1) * TILE, column * TILE : (column + 1) * TILE]
            wanted = tiles.get((row, column), 0) if loaded[row, column] else 7
            assert (part == wanted).all()
        assert not len(load_around(picture, loaded, addresses, area))
