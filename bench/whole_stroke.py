"""A whole stroke, samples in and 8-bit rectangles out, against skia drawing the same dabs and nothing else.

Ours: curve, rays, sight, coverage, pixels of the layer, composite, gutter, encoding; two samples at a time, on both
cores, over a mesh of 3200 triangles on a 2048 map. Skia: antialiased circles with a radial gradient, source-over, on
an 8-bit picture of the same size, at the places and of the radius of the dabs that the tip's spacing asks for.
"""

from __future__ import annotations

import numpy as np
import skia

import nightmist as nm
from nightmist.document.painting.stroke import Stroke
from nightmist.document.values import Surface
from nightmist.studio.client_updates import Batch, ClientUpdates
from nightmist.studio.messages import ServerMessage

from .dab import flat_mesh
from .measure import best_of, verdict

SIDE = 2048
CAMERA = nm.Camera.look_at((0.5, 0.5, 1.4), (0.5, 0.5, 0), 40, (1280, 800))
#: Texels of the map to a pixel of the screen.
TEXELS = float(CAMERA.units_per_pixel(np.array([[0.5, 0.5, 0.0]]))[0]) * SIDE
PATH = np.array([(340 + 7 * k, 400 + 60 * np.sin(k / 6)) for k in range(80)])
WANTED = 1.5


class Screen:
    """A browser that takes what it is shown."""

    name = "screen"

    def tell(self, message: ServerMessage) -> None: ...

    def show(self, batch: Batch) -> None: ...


def main(quick: bool = False) -> None:
    print(f"stroke: {len(PATH)} samples two at a time, samples in and 8-bit rectangles out, {SIDE} map")
    document = nm.Document.from_mesh(flat_mesh(), "flat", (SIDE, SIDE))
    surface = document.surfaces["flat"]
    layer = surface.layers.add("brushed")
    document.refresh()
    screen = ClientUpdates(Screen())
    canvas = skia.Surface.MakeRasterN32Premul(SIDE, SIDE).getCanvas()
    pigment = nm.Pigment(base_color="#7d3d1f")
    for radius in (30,) if quick else (15, 30, 60):
        tip = nm.Tip(radius=radius, strength=0.85, hardness=0.4)
        shader = skia.GradientShader.MakeRadial((0, 0), radius * TEXELS, [0xFF7D3D1F, 0x007D3D1F])
        paint = skia.Paint(AntiAlias=True, Shader=shader)
        dabs = _dabs(radius, tip.spacing)

        def ours(tip: nm.Tip = tip) -> None:
            drawn = document.begin_stroke({"flat": layer}, CAMERA, tip, pigment)
            draw_path(document, drawn, surface.value, screen)
            drawn.cancel()

        def theirs(dabs: np.ndarray = dabs, radius: int = radius, paint: skia.Paint = paint) -> None:
            for x, y in dabs:
                canvas.save()
                canvas.translate(x, y)
                canvas.drawCircle(0, 0, radius * TEXELS, paint)
                canvas.restore()

        mine, other = best_of(1 if quick else 5, ours, theirs)
        print(
            f"  r = {radius:2} px ({radius * TEXELS:.0f} texels), {len(dabs)} dabs: {mine * 1000:6.1f} ms, skia"
            f" {other * 1000:6.1f} ms: {verdict(other / mine, WANTED)}"
        )


def draw_path(document: nm.Document, drawn: Stroke, surface: Surface, screen: ClientUpdates) -> None:
    """All samples of a stroke, two at a time, each pair shown on a screen."""
    for k in range(0, len(PATH), 2):
        drawn.extend([(x, y, 1.0) for x, y in PATH[k : k + 2]])
        for (_, name), area in document.refresh().items():
            screen.add(surface, name, area)
        screen.pump(document)
        screen.acknowledged = screen.sent


def _dabs(radius: float, spacing: float) -> np.ndarray:
    """Places of dabs in the map, evenly along the path."""
    length = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(PATH, axis=0).T))])
    at = np.arange(0, length[-1], 2 * radius * spacing)
    places = np.column_stack([np.interp(at, length, PATH[:, axis]) for axis in (0, 1)])
    return (places - [640, 400]) * TEXELS + SIDE / 2
