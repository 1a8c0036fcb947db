"""Covered texels a second of dabs, on both cores, against skia's circle with a radial gradient.

Both sides draw the same circles of the same pixel radius at the same places of a map: ours through the table
of a mesh of 3200 triangles into float coverage, skia antialiased onto an 8-bit raster surface. A stroke's
dabs come in batches as the paint socket brings them.
"""

from __future__ import annotations

import numpy as np
import skia

from nightmist.core.brush import Coverage, Dabs
from nightmist.core.mesh import Mesh, SurfaceLook
from nightmist.core.mesh.mesh import build_mesh
from nightmist.core.texels.ownership import own_texels

from .measure import best_of, verdict

CELLS = 40
DABS = 240
BATCH = 8
WANTED = 3.0


def flat_mesh() -> Mesh:
    """A unit square of CELLS × CELLS quads that fills the map."""
    s = np.linspace(0, 1, CELLS + 1)
    x, y = np.meshgrid(s, s)
    index = np.arange((CELLS + 1) ** 2).reshape(CELLS + 1, CELLS + 1)
    a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
    faces = np.stack([np.stack([a, b, c], -1), np.stack([a, c, d], -1)], 2).reshape(-1, 3).astype(np.int32)
    points = np.stack([x, 1 - y, 0 * x], 2).reshape(-1, 3).astype(np.float32)
    uv = np.stack([x, y], 2).reshape(-1, 2).astype(np.float32)
    zeros = np.zeros(len(faces), np.int32)
    return build_mesh(points, faces, [uv[faces]], None, zeros, zeros, [SurfaceLook("flat")], ["flat"], "flat")


def main(quick: bool = False) -> None:
    print("dab: covered texels a second, strokes of", DABS, "dabs in batches of", BATCH)
    mesh = flat_mesh()
    for side in (2048,) if quick else (2048, 4096):
        own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], side, side)
        surface = skia.Surface.MakeRasterN32Premul(side, side)
        canvas = surface.getCanvas()
        for radius in (30, 60, 120):
            places = np.random.default_rng(radius).uniform(0.2, 0.8, (DABS, 2))
            dabs = [_dabs(places[i : i + BATCH], radius / side) for i in range(0, DABS, BATCH)]
            coverage = Coverage(own)
            shader = skia.GradientShader.MakeRadial((0, 0), radius, [0xFF000000, 0x00000000])
            paint = skia.Paint(AntiAlias=True, Shader=shader)

            def ours(coverage: Coverage = coverage, dabs: list[Dabs] = dabs) -> None:
                for batch in dabs:
                    coverage.add(batch)

            def theirs(places: np.ndarray = places, radius: int = radius, paint: skia.Paint = paint) -> None:
                for x, y in places * side:  # noqa: B023 - called within this turn of the loop
                    canvas.save()  # noqa: B023
                    canvas.translate(x, y)  # noqa: B023
                    canvas.drawCircle(0, 0, radius, paint)  # noqa: B023
                    canvas.restore()  # noqa: B023

            mine, other = best_of(1 if quick else 7, ours, theirs)
            texels = DABS * np.pi * radius * radius / 1e6
            print(
                f"  {side} map, r = {radius:3}: {texels / mine:6.1f} M/s, skia {texels / other:6.1f} M/s:"
                f" {verdict(other / mine, WANTED)}"
            )


def _dabs(places: np.ndarray, radius: float) -> Dabs:
    count = len(places)
    centers = np.column_stack([places[:, 0], 1 - places[:, 1], np.zeros(count)])
    return Dabs(centers, np.tile([0.0, 0, 1], (count, 1)), np.full(count, radius), np.full(count, 0.8), 0.2)
