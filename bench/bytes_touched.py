"""Bytes that a whole stroke reads and writes, a second, against a plain memory copy of numpy.

Counted for the rectangles of each batch: coverage read and written, pixels before the stroke read, the
layer's written and read again, the composited map written, and its 8-bit copy for the screen.
"""

from __future__ import annotations

import numpy as np

from nightmist.core.mapping import Camera
from nightmist.core.texels import TileArea
from nightmist.demo.project import demo_document
from nightmist.document import Document, Pigment, Tip
from nightmist.document.painting.stroke import Stroke

from .dab import flat_mesh
from .measure import best_of

CAMERA = Camera.look_at((0.5, 0.5, 2), (0.5, 0.5, 0), 40, (1280, 800))
BYTES_A_TEXEL = 2 * 4 + 8 + 8 + 8 + 8 + 8 + 4


def main(quick: bool = False) -> None:
    document = Document.from_mesh(flat_mesh(), "flat", (2048, 2048))
    surface = document.surfaces["flat"]
    layer = surface.layers.add("brushed")
    document.refresh()
    composite = document.composite(surface.value)
    touched = 0

    def stroke() -> None:
        nonlocal touched
        touched = 0
        drawing: Stroke = document.begin_stroke({"flat": layer}, CAMERA, Tip(radius=60), Pigment(base_color="#7d3d1f"))
        for i in range(24):
            drawing.extend([(420 + 18 * i, 380 + 9 * (i % 5), 1.0)])
            area = TileArea.union(composite.stale.get("base_color", [TileArea.empty()]))
            touched += area.texels * BYTES_A_TEXEL
            document.refresh()
            for tile, (top, bottom, left, right) in zip(area.tiles, area.rects, strict=True):
                y, x = tile // 32 * 64, tile % 32 * 64
                composite.pictures["color"].encode(y + top, y + bottom, x + left, x + right)
        drawing.cancel()
        document.refresh()

    source = np.ones(1 << 25, np.uint8)
    target = np.empty_like(source)
    mine, copy = best_of(1 if quick else 5, stroke, lambda: np.copyto(target, source))
    rate, plain = touched / mine / 1e9, 2 * source.nbytes / copy / 1e9
    print("bytes: a stroke of 24 batches, radius 60 px, on a 2048 map")
    print(
        f"  {touched / 1e6:.0f} MB touched at {rate:.2f} GB/s; a plain copy moves {plain:.2f} GB/s: {rate / plain:.0%}"
    )
    if not quick:
        _keeping()


def _keeping() -> None:
    """How long the document's own upkeep takes at the end of a stroke."""
    document = demo_document(2048)
    layers = {name: surface.layers[-1] for name, surface in document.surfaces.items()}
    camera = Camera.look_at((1, 1, 6), (0, 0.6, 0), 30, (1280, 800))

    def stroke() -> None:
        drawing = document.begin_stroke(layers, camera, Tip(radius=40), Pigment(base_color="#7d3d1f", height=0.6))
        drawing.extend([(500 + 10 * i, 430.0, 1.0) for i in range(30)])
        document.finish_stroke(drawing)
        document.undo()

    (seconds,) = best_of(5, stroke)
    print(f"  a stroke of 30 samples over the buoy, two maps, with its undo: {seconds * 1000:.0f} ms")
