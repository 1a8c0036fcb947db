"""A wash of four pictures, three ways, on a large map: when it is seen coarsely, when whole, and how fast it moves.

The server's part: from the edit to 8-bit pictures as they are sent. What a page adds depends on what draws it.
"""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import cv2
import numpy as np

import nightmist as nm
from nightmist.core.formats.image_files import write_png
from nightmist.document.api_stack import Layer
from nightmist.document.document import Document
from nightmist.document.draft import Draft, waiting
from nightmist.document.preview import Preview
from nightmist.document.values import Wash

CHANNELS = {"base_color": 3, "roughness": 1, "metallic": 1, "height": 1}
MOVES = 20


def main(quick: bool = False) -> None:
    side = 1024 if quick else 4096
    document, layer = washed(side)
    # So that nothing is compiled in what is measured.
    document.refresh()
    started = time.perf_counter()
    layer.mapping = nm.Mapping("triplanar", repeat=(2, 2))
    document.refresh()
    whole = time.perf_counter() - started
    node = next(value for value in document.values.values() if isinstance(value, Wash))
    times = _moved(document, node)
    print(f"moving: a wash of four pictures, three ways, on a ball's map of {side}")
    print(f"  seen coarsely after {times[0] * 1000:.0f} ms, whole after {whole:.2f} s (wanted: 0.3 s and 3 s)")
    print(f"  moved: {1 / np.median(times[1:]):.1f} pictures a second (wanted: 10)")


def washed(side: int) -> tuple[nm.Document, Layer]:
    """A ball, and its wash."""
    document = nm.Document.practice("sphere", side)
    with tempfile.TemporaryDirectory() as folder:
        images = {name: _picture(Path(folder) / f"{name}.png", count) for name, count in CHANNELS.items()}
        layer = document.surfaces["sphere"].layers.add("wash", images=images, mapping=nm.Mapping("triplanar"))
    return document, layer


def _moved(document: Document, node: Wash) -> list[float]:
    """Seconds from each edit that is shown to its coarse pictures, as a slider moves."""
    draft, preview = Draft(document), None
    draft.prepare()
    times: list[float] = []
    for move in range(MOVES + 1):
        started = time.perf_counter()
        if preview:
            preview.drop()
        repeat = 2 + (move + 1) / MOVES
        preview = Preview(document)
        preview.lay({node.id: node.but(mapping=node.mapping.but(repeat=(repeat, repeat)))})
        draft.show(waiting(document))
        times.append(time.perf_counter() - started)
    return times


def _picture(path: Path, channels: int) -> Path:
    noise = np.random.default_rng(channels).integers(0, 255, (1024, 1024, channels), dtype=np.uint8)
    path.write_bytes(write_png(cv2.GaussianBlur(noise, (0, 0), 3).astype(np.uint8)))
    return path
