"""Preparing a model of 200 thousand triangles: time and memory of each step, and unwrapping against bare libraries."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

import igl
import numpy as np
import xatlas

from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.mesh import Mesh
from nightmist.core.mesh.bodies import torus
from nightmist.core.mesh.look import SurfaceLook
from nightmist.core.mesh.mesh import build_mesh
from nightmist.core.mesh.seams import edges_at, with_seams
from nightmist.core.mesh.unwrap import unwrap_along_seams, unwrap_by_angle
from nightmist.core.progress import quietly

from .measure import memory_peak

WANTED = 1.3

T = TypeVar("T")


def ring(sides: int, around: int) -> Mesh:
    """A ring of sides × around quads."""
    points, uv = torus(sides, around)
    index = np.arange((around + 1) * (sides + 1)).reshape(around + 1, sides + 1)
    a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
    faces = np.stack([np.stack([a, b, c], -1), np.stack([a, c, d], -1)], 2).reshape(-1, 3).astype(np.int32)
    zeros = np.zeros(len(faces), np.int32)
    places = (np.round(points.reshape(-1, 3), 6) + 0).astype(np.float32)
    flat = uv.reshape(-1, 2)[faces].astype(np.float32)
    return build_mesh(places, faces, [flat], None, zeros, zeros.copy(), [SurfaceLook("ring")], ["ring"], "ring")


def main(quick: bool = False) -> None:
    sides, around = (64, 16) if quick else (640, 160)
    print(f"prepare: a ring of {2 * sides * around:,} triangles, maps of 2048 × 2048")
    with tempfile.TemporaryDirectory(prefix="nightmist-bench-") as folder:
        path = Path(folder) / "ring.glb"
        path.write_bytes(write_glb(ring(sides, around)))
        # A process of its own, so that what it took is what these steps took.
        subprocess.run([sys.executable, "-m", "bench.prepare", str(path)], check=True)
    _against_libraries(ring(32, 12) if quick else ring(192, 64))


def steps(path: str) -> None:
    """Open, table, checkup, model for the stage, resize with the paint: seconds and memory of each."""
    from nightmist.api.mesh_wire import Snapshot, write_mesh
    from nightmist.document import Document, Pigment

    _timed("start", lambda: None)
    document: Document = _timed("open", lambda: Document.open(path, 2048))
    surface = document.surfaces["ring"]
    _timed("ownership table", lambda: surface.layout.ownership)
    _timed("gutter", lambda: surface.layout.gutter)
    _timed("checkup", document.check_uvs)
    _timed("model for the stage", lambda: write_mesh(Snapshot.of(document)))
    coat = surface.layers.add("brushed")
    document.gradient(coat, (-1, 0, 0), (1, 0, 0), (Pigment(base_color="#000000"), Pigment(base_color="#ffffff")))
    _timed("pack, paint kept", lambda: document.pack("ring"))
    _timed("resize to 4096, paint kept", lambda: document.resize("ring", 4096))


def _timed(what: str, work: Callable[[], T]) -> T:
    started = time.perf_counter()
    result = work()
    seconds = time.perf_counter() - started
    print(f"  {what:28} {seconds:6.2f} s, memory so far at most {memory_peak():5} MB", flush=True)
    return result


def _against_libraries(mesh: Mesh) -> None:
    faces = np.arange(len(mesh.faces))
    points = np.unique(mesh.positions, axis=0)
    welded = np.unique(mesh.positions, axis=0, return_inverse=True)[1].reshape(-1)[mesh.faces]

    def bare_xatlas() -> None:
        atlas = xatlas.Atlas()
        atlas.add_mesh(points.astype(np.float32), welded.astype(np.uint32))
        atlas.generate()

    sides = [side for side in range(3) if not mesh.topology.inner[0, side]]
    cut = with_seams(mesh, np.concatenate([edges_at(mesh, 0, side, "loop") for side in sides]), True)
    flat_points = mesh.positions.astype(np.float64)

    def bare_igl() -> None:
        loop = np.asarray(igl.boundary_loop(mesh.faces.astype(np.int64)))
        pins = np.array([loop[0], loop[len(loop) // 2]])
        flat = igl.lscm(flat_points, mesh.faces.astype(np.int64), pins, np.array([[0.0, 0.0], [1.0, 0.0]]))[0]
        data = igl.slim_precompute(
            np.asfortranarray(flat_points), np.asfortranarray(mesh.faces.astype(np.int32)), np.asfortranarray(flat),
            igl.MappingEnergyType.SYMMETRIC_DIRICHLET, np.zeros(0, np.int32), np.zeros((0, 2), order="F"), 0.0,
        )  # fmt: skip
        igl.slim_solve(data, 12)

    for name, ours, bare in (
        ("automatic, against xatlas", lambda: unwrap_by_angle(mesh, faces, 60, quietly), bare_xatlas),
        ("along seams, against libigl", lambda: unwrap_along_seams(cut, faces, quietly), bare_igl),
    ):
        seconds = []
        for work in (ours, bare):
            started = time.perf_counter()
            work()
            seconds.append(time.perf_counter() - started)
        ratio = seconds[0] / seconds[1]
        print(
            f"  unwrap {len(faces):,} triangles {name}: {seconds[0]:.2f} s, {seconds[1]:.2f} s:"
            f" {ratio:.2f} times (wanted: at most {WANTED:g}) {'ok' if ratio <= WANTED else 'ABOVE'}"
        )


if __name__ == "__main__":
    steps(sys.argv[1])
