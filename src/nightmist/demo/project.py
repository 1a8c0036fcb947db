"""The demo projects: the lantern buoy, painted by the example script, and a cabinet whose UVs are to be mended."""

from __future__ import annotations

import runpy
from pathlib import Path

from ..document import Document
from ..document.history import History
from .buoy import lantern_buoy
from .cabinet import tide_gauge_cabinet

NAME = "Lantern buoy"
CABINET = "Tide-gauge cabinet"
PAINTING = Path(__file__).resolve().parents[3] / "examples" / "weathered_buoy.py"


def cabinet_document(size: int = 1024) -> Document:
    """The cabinet as it came, with everything wrong that the checkup can find."""
    document = Document.from_mesh(tide_gauge_cabinet(), CABINET, (size, size))
    for surface in document.surfaces.values():
        surface.layers.add("brushed", name="First paint")
    document.history = History()
    return document


def demo_document(size: int = 2048) -> Document:
    """The buoy as the harbor knows it, and an empty layer on top to try the brush on."""
    document = Document.from_mesh(lantern_buoy(), NAME, (size, size))
    runpy.run_path(str(PAINTING))["paint"](document)
    document.history = History()
    return document
