"""Paints a mooring line's rub marks onto the lantern buoy, and hands the maps off.

Run it with: ./nightmist python examples/first_paint.py
"""

from __future__ import annotations

import math
from pathlib import Path

import nightmist as nm
from nightmist.core.formats.gltf_write import write_glb
from nightmist.demo.buoy import lantern_buoy

OUT = Path("out")


def main() -> None:
    OUT.mkdir(exist_ok=True)
    (OUT / "buoy.glb").write_bytes(write_glb(lantern_buoy()))
    doc = nm.Document.open(OUT / "buoy.glb", size=1024)
    hull = doc.surfaces["hull"]
    base = hull.layers.add("brushed", name="Base coat")
    dark, light = nm.Pigment(base_color="#8f2f20", roughness=0.5), nm.Pigment(base_color="#b8402c", roughness=0.35)
    doc.gradient(base, start=(0, -0.75, 0), end=(0, 0.6, 0), pigments=(dark, light))
    rubs = hull.layers.add("brushed", name="Rub marks")
    scraped = nm.Pigment(base_color="#6b6a66", roughness=0.8, metallic=0.4, height=0.44)
    tip = nm.Tip(radius=0.03, unit="world", strength=0.7, hardness=0.1, spacing=0.1, pressure_radius=True)
    for k in range(12):
        turn = 2 * math.pi * k / 12
        eye = (5 * math.sin(turn), 0.2, 5 * math.cos(turn))
        camera = nm.Camera.look_at(eye, (0, 0, 0), fov_y=30, viewport=(1000, 800))
        path = [(440 + 12 * i, 400 + 9 * math.sin(i + k), 0.3 + 0.07 * i) for i in range(10)]
        doc.stroke(rubs, path, camera, tip, scraped)
    rubs.opacity = 0.85
    for path in doc.export(OUT, maps="png16"):
        print(path)
    doc.save(OUT / "buoy.nightmist")


if __name__ == "__main__":
    main()
