"""What the painter's options cost, as shares of the plain dab, and relief as a ratio against scipy.

One stroke over the buoy's hull at 2048, with everything a stroke does until its release: casting, coverage, pixels.
Its samples come two at a time, about two dabs, as the paint socket brings them from a hand that moves at usual
speed. Smear and soften read what lies there, picture tips look up a picture, a mirrored stroke is painted several
times.
"""

from __future__ import annotations

from functools import partial

import numpy as np
from scipy import ndimage

import nightmist as nm
from nightmist.core.brush.mirror import Mirror
from nightmist.core.texels import TileArea
from nightmist.demo.buoy import lantern_buoy
from nightmist.document.api_stack import Layer
from nightmist.document.values import Tool

from .measure import best_of, verdict

RADIUS = 40
PATH = [(500 + 10 * k, 400 + 8 * np.sin(k)) for k in range(20)]
CAMERA = nm.Camera.look_at((0, 0, 4), (0, 0, 0), 40, (1200, 800))
TIP = nm.Tip(radius=RADIUS, strength=0.9, hardness=0.3)
PIGMENT = nm.Pigment(base_color="#7d3d1f")


def main(quick: bool = False) -> None:
    size = 1024 if quick else 2048
    doc = nm.Document.from_mesh(lantern_buoy(), "bench", (size, size))
    layer = doc.surfaces["hull"].layers.add("brushed")
    doc.fill(layer, nm.Pigment(base_color="#c0c4c2"), "hull")
    rounds = 1 if quick else 5
    _options(doc, layer, rounds)
    _mirrored(doc, layer, rounds)
    _relief(doc, layer, rounds)


def stroke(doc: nm.Document, layer: Layer, tip: nm.Tip, tool: Tool = "brush", planes: str = "") -> None:
    """From press to release, in batches."""
    layers = {layer.surface.name: layer}
    drawn = doc.begin_stroke(layers, CAMERA, tip, PIGMENT, tool, mirror=Mirror(planes=planes))
    for k in range(0, len(PATH), 2):
        drawn.extend([(x, y, 1.0) for x, y in PATH[k : k + 2]])
    doc.finish_stroke(drawn)


def _options(doc: nm.Document, layer: Layer, rounds: int) -> None:
    picture = TIP.model_copy(update={"picture": "bristle"})
    turned = picture.model_copy(update={"angle_mode": "along"})
    works = {
        "plain": lambda: stroke(doc, layer, TIP),
        "picture": lambda: stroke(doc, layer, picture),
        "picture, along": lambda: stroke(doc, layer, turned),
        "smear": lambda: stroke(doc, layer, TIP, "smear"),
        "soften": lambda: stroke(doc, layer, TIP, "soften"),
        "sharpen": lambda: stroke(doc, layer, TIP, "sharpen"),
    }
    seconds = dict(zip(works, best_of(rounds, *works.values()), strict=True))
    print(f"tools: a stroke of 190 pixels, r = {RADIUS}, on the hull; plain {seconds['plain'] * 1000:.1f} ms")
    for name in list(works)[1:]:
        # As a speed of the plain dab: a third of it is allowed.
        print(f"  {name:14}: {seconds[name] * 1000:5.1f} ms, {verdict(seconds['plain'] / seconds[name], 1 / 3)}")


def _mirrored(doc: nm.Document, layer: Layer, rounds: int) -> None:
    for planes, count in (("x", 2), ("xz", 4)):
        plain, mirrored = best_of(
            rounds, partial(stroke, doc, layer, TIP), partial(stroke, doc, layer, TIP, planes=planes)
        )
        print(f"  mirrored {planes:5}: {mirrored * 1000:5.1f} ms, share of {count} strokes"
              f" {verdict(count * plain / mirrored, 1.0)}")  # fmt: skip


def _relief(doc: nm.Document, layer: Layer, rounds: int) -> None:
    doc.stroke(layer, PATH, CAMERA, TIP, nm.Pigment(height=0.8))
    doc.refresh()
    hull = doc.surfaces["hull"]
    area = TileArea.of_tiles(
        (np.arange(8, 12)[:, None] * (hull.size[0] // 64) + np.arange(8, 12)).ravel().astype(np.int32)
    )
    composite = doc.composite(hull.value)
    height = composite.pictures["values"].read()[512:768, 512:768, 0].astype(np.float32)

    def ours() -> None:
        composite.relief_stale = area
        doc.refresh()

    def theirs() -> None:
        x, y = ndimage.sobel(height, 1), ndimage.sobel(height, 0)
        long = np.sqrt(x * x + y * y + 1)
        np.rint((np.stack([-x / long, y / long, 1 / long], 2) + 1) * 32767.5).astype(np.uint16)

    mine, other = best_of(2 * rounds, ours, theirs)
    print(f"relief: normals of 256 × 256 texels with seams and gutter {mine * 1000:.2f} ms, scipy's Sobel and"
          f" numpy {other * 1000:.2f} ms: {other / mine:.2f} times")  # fmt: skip
