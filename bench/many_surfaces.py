"""The same work on a box alone, and among three hundred others of materials of their own: what these add to it.

No library stands beside it. A stroke counts from its press, which may go on to any surface, until what it left is
shown; the first that leaves relief besides, as it finds how all surfaces hang together.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial

import numpy as np

import nightmist as nm
from nightmist.document.painting.receivers import receiving

from .measure import best_of
from .opening import boxes

CAMERA = nm.Camera.look_at((0.6, 0.5, 1.2), (0, 0, 0), 40, (1280, 800))
PATH = [(560 + 4 * k, 380 + 20 * np.sin(k / 5)) for k in range(40)]
PIGMENTS = {
    "color": nm.Pigment(base_color="#7d3d1f"),
    "color and relief": nm.Pigment(base_color="#7d3d1f", height=0.6),
}
#: Milliseconds that the others add to what one pair of samples takes, at most.
WANTED = 4.0
#: Seconds until both are shown, at most.
WANTED_PACKED = 1.0


def main(quick: bool = False) -> None:
    counts = (1, 5) if quick else (1, 300)
    print(f"surfaces: {len(PATH)} samples two at a time, r = 30 px, on a box of a map of 256, alone and among others")
    documents = [_document(count) for count in counts]
    for what, pigment in PIGMENTS.items():
        firsts = [_seconds(partial(_draw, document, pigment)) for document in documents]
        draws = [partial(_draw, document, pigment) for document in documents]
        alone, among = (1000 * seconds / (len(PATH) / 2) for seconds in best_of(1 if quick else 5, *draws))
        fits = "ok" if among - alone <= WANTED else "ABOVE"
        print(
            f"  {what}, a pair of samples: alone {alone:.1f} ms, {among - alone:.1f} more among {counts[1]}"
            f" (wanted: at most {WANTED:.0f}) {fits}; the first stroke {firsts[0]:.2f} s and {firsts[1]:.2f} s"
        )
    alone, among = best_of(1 if quick else 3, *(partial(_pack, document) for document in documents))
    fits = "ok" if among <= WANTED_PACKED else "ABOVE"
    print(
        f"  islands of one surface packed, and back: alone {alone:.2f} s, among {counts[1]} {among:.2f} s"
        f" (wanted: at most {WANTED_PACKED}) {fits}"
    )


def _seconds(run: Callable[[], None]) -> float:
    started = time.perf_counter()
    run()
    return time.perf_counter() - started


def _pack(document: nm.Document) -> None:
    document.pack(document.surface_values()[0].name)
    document.refresh()
    document.undo()
    document.refresh()


def _document(count: int) -> nm.Document:
    document = nm.Document.from_mesh(boxes(count), "boxes", (256, 256))
    for surface in document.surfaces.values():
        surface.layers.add("brushed", name="Coat")
    document.refresh()
    return document


def _draw(document: nm.Document, pigment: nm.Pigment) -> None:
    layer = next(iter(document.layers.values())).value
    known = document.layers
    layers = {name: known[node.id] for name, node in receiving(document, layer).items()}
    drawn = document.begin_stroke(layers, CAMERA, nm.Tip(radius=30, hardness=0.4), pigment)
    for k in range(0, len(PATH), 2):
        drawn.extend([(x, y, 1.0) for x, y in PATH[k : k + 2]])
        document.refresh()
    document.finish_stroke(drawn)
    document.refresh()
