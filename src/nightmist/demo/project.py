"""The demo project: the lantern buoy with its first coats, painted through the engine."""

from __future__ import annotations

import numpy as np

from ..core.mapping import Camera
from ..document import Document, Pigment, Tip
from ..document.history import History
from ..document.layer import Layer
from .buoy import lantern_buoy
from .cabinet import tide_gauge_cabinet

NAME = "Lantern buoy"
CABINET = "Tide-gauge cabinet"
#: Coats around the hull: color, roughness, height of the stroke, tip radius.
BANDS = (
    ("#b8402c", 0.42, 0.32, 0.15),
    ("#b8402c", 0.42, 0.14, 0.17),
    ("#e5e1d5", 0.45, -0.04, 0.06),
    ("#55634a", 0.62, -0.27, 0.165),
    ("#55634a", 0.62, -0.44, 0.165),
    ("#55634a", 0.62, -0.62, 0.165),
)
VIEWS = 12


def cabinet_document(size: int = 1024) -> Document:
    """The cabinet as it came, with everything wrong that the checkup can find."""
    document = Document.from_mesh(tide_gauge_cabinet(), CABINET, (size, size))
    for surface in document.surfaces.values():
        surface.layers.add("brushed", name="First paint")
    document.history = History()
    return document


def demo_document(size: int = 2048) -> Document:
    """The buoy with band paint, a first weep of rust and an empty layer on top to try the brush on."""
    document = Document.from_mesh(lantern_buoy(), NAME, (size, size))
    hull = document.surfaces["hull"]
    coats = {name: surface.layers.add("brushed", name="Band paint") for name, surface in document.surfaces.items()}
    document.fill(coats["hull"], Pigment(base_color="#c9c7bd", roughness=0.5), "hull")
    document.fill(coats["cage"], Pigment(base_color="#e5e1d5", roughness=0.45), "cage")
    document.fill(coats["lantern"], Pigment(base_color="#1d3a3c", roughness=0.28), "lantern")
    for color, roughness, height, radius in BANDS:
        _band(document, coats["hull"], color, roughness, height, radius)
    rust = hull.layers.add("brushed", name="Rust weeps")
    for surface in list(document.surfaces.values())[1:]:
        surface.layers.add("brushed", name="Rust weeps")
    _weeps(document, rust)
    for surface in document.surfaces.values():
        surface.layers.add("brushed", name="New paint")
    document.history = History()
    return document


def _view(turn: float, height: float, far: float = 6.0) -> Camera:
    eye = (far * np.sin(turn), height, far * np.cos(turn))
    return Camera.look_at(eye, (0, height, 0), 30, (1200, 800))


def _band(document: Document, layer: Layer, color: str, roughness: float, height: float, radius: float) -> None:
    """A ring of paint, laid on from all sides with a firm edge."""
    tip = Tip(radius=radius, unit="world", strength=1, hardness=0.96, spacing=0.06)
    pigment = Pigment(base_color=color, roughness=roughness)
    reach = 800 / (2 * np.tan(np.radians(15)) * 6.0) * 0.9 * np.sin(np.pi / VIEWS) * 1.25
    for k in range(VIEWS):
        stroke = document.begin_stroke({"hull": layer}, _view(2 * np.pi * k / VIEWS, height), tip, pigment)
        stroke.extend([(600 - reach, 400, 1), (600 + reach, 400, 1)])
        document.finish_stroke(stroke)


def _weeps(document: Document, layer: Layer) -> None:
    """Thin runs of rust below the lifting eyes, down over the band."""
    seed = np.random.default_rng(214)
    rust = Pigment(base_color="#6f3a1e", roughness=0.82, height=0.52)
    for turn in (0.0, np.pi):
        camera = _view(turn, 0.2)
        for _ in range(9):
            x = 600 + seed.normal(0, 26)
            y = 372 + seed.uniform(-8, 10)
            length = seed.uniform(30, 110)
            steps = np.linspace(0, 1, 12)
            drift = np.cumsum(seed.normal(0, 0.7, 12))
            path = [(x + d, y + length * t, 1 - 0.8 * t) for t, d in zip(steps, drift, strict=True)]
            tip = Tip(
                radius=float(seed.uniform(2.0, 5.5)), strength=float(seed.uniform(0.4, 0.85)), hardness=0.15,
                spacing=0.1, pressure_radius=True, pressure_strength=True,
            )  # fmt: skip
            document.stroke(layer, path, camera, tip, rust)
