"""Compositing 8 layers of mixed blend modes over a 2048 map, both threads: 16 bits here, 8 bits in skia."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np
import skia

from nightmist.core.compose import BlendMode, Painted, compiled, evaluate
from nightmist.core.texels import TILE, Raster, TileArea
from nightmist.core.texels.composite_picture import Picture

from .measure import best_of, verdict

SIDE = 2048
MODES: list[BlendMode] = ["normal", "multiply", "screen", "overlay"] * 2
SKIA = [skia.BlendMode.kSrcOver, skia.BlendMode.kMultiply, skia.BlendMode.kScreen, skia.BlendMode.kOverlay] * 2
WANTED = 4


def main(quick: bool = False) -> None:
    rng = np.random.default_rng(0)
    bytes_of = [rng.integers(0, 256, (SIDE, SIDE, 4), dtype=np.uint8) for _ in MODES]
    layers = [Painted({"base_color": _raster(image)}, 0.8, mode) for image, mode in zip(bytes_of, MODES, strict=True)]
    program, start = compiled(layers), (0.5, 0.5, 0.5, 0.5, 0.5, 0.0, 1.0)
    images = [skia.Image.fromarray(i, skia.kRGBA_8888_ColorType, skia.kUnpremul_AlphaType) for i in bytes_of]
    color, values = Picture(SIDE, SIDE), Picture(SIDE, SIDE)
    area = TileArea.whole(SIDE, SIDE)
    halves = [skia.Surface.MakeRasterN32Premul(SIDE, SIDE // 2) for _ in range(2)]
    pool = ThreadPoolExecutor(2)

    def half(number: int) -> None:
        canvas = halves[number].getCanvas()
        canvas.clear(0xFF808080)
        for image, mode in zip(images, SKIA, strict=True):
            paint = skia.Paint(BlendMode=mode)
            paint.setAlphaf(0.8)
            canvas.drawImage(image, 0, -number * SIDE // 2, skia.SamplingOptions(), paint)

    mine, other = best_of(
        1 if quick else 5,
        lambda: evaluate(program, start, area, color, values, ["base_color"]),
        lambda: list(pool.map(half, range(2))),
    )
    work = len(MODES) * SIDE * SIDE / 1e6
    print(f"compose: {len(MODES)} layers over {SIDE} × {SIDE}, two threads")
    print(f"  {work / mine:6.1f} M layer-px/s, skia {work / other:6.1f} M layer-px/s: {verdict(other / mine, WANTED)}")


def _raster(image: np.ndarray) -> Raster:
    made = Raster(SIDE, SIDE, 4)
    wide = image.astype(np.uint16) * 257
    for row in range(SIDE // TILE):
        for column in range(SIDE // TILE):
            part = wide[row * TILE : (row + 1) * TILE, column * TILE : (column + 1) * TILE]
            made.put((row, column), np.ascontiguousarray(part))
    return made
