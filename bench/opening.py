"""Opening a project of 30 layers at 4096, from the database to the last pixel that a page is sent; and one of 300
materials.

A process of its own opens each, so that its memory is what opening took. Beside the first stands the database's
driver, reading the same tiles and doing nothing with them.
"""

from __future__ import annotations

import itertools
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import psycopg

import nightmist as nm
from nightmist.core.compose import BlendMode
from nightmist.core.mesh import Mesh
from nightmist.core.mesh.bodies import practice_body
from nightmist.core.mesh.look import SurfaceLook
from nightmist.core.mesh.mesh import build_mesh
from nightmist.core.texels import TILE
from nightmist.store import Store
from nightmist.store.cluster import Cluster
from nightmist.studio.client_updates import ClientUpdates
from nightmist.studio.persistence import create_project, open_project

from .dab import flat_mesh
from .measure import memory_peak, verdict
from .whole_stroke import Screen

MODES: tuple[BlendMode, ...] = ("normal", "multiply", "screen", "overlay")
WANTED = 0.25
#: For the model of many materials.
MOST_SECONDS, MOST_MB = 10, 1500


def main(quick: bool = False) -> None:
    side, layers, materials = (1024, 3, 5) if quick else (4096, 30, 300)
    with tempfile.TemporaryDirectory(prefix="nightmist-bench-", dir="/tmp") as folder:
        Path(folder).chmod(0o755)
        cluster = Cluster(Path(folder))
        url = cluster.start()
        try:
            Store(url).migrate()
            print(f"opening: {layers} layers at {side}, each painted on a tenth of the map, color and roughness")
            _keep(url, "layers", _painted(side, layers))
            _open(url, "layers", _bare(url))
            model = boxes(materials)
            print(f"opening: {materials} materials, each a box of its own, {len(model.faces):,} faces, maps of 256")
            _keep(url, "materials", nm.Document.from_mesh(model, "boxes", (256, 256)))
            _open(url, "materials", 0.0)
        finally:
            cluster.stop()


def _keep(url: str, project: str, document: nm.Document) -> None:
    store = Store(url)
    started = time.perf_counter()
    create_project(store, project, document, pictured=True)
    print(f"  kept in {time.perf_counter() - started:.1f} s", flush=True)
    store.close()


def _open(url: str, project: str, bare: float) -> None:
    subprocess.run([sys.executable, "-m", "bench.opening", url, project, f"{bare}"], check=True)


def boxes(count: int) -> Mesh:
    """Boxes in rows of twenty, each of a material of its own."""
    box = practice_body("box", 0.5)
    each = np.repeat(np.arange(count, dtype=np.int32), len(box.faces))
    moves = np.stack(np.divmod(np.arange(count), 20) + (np.zeros(count),), axis=1)
    positions = (box.positions + moves[:, None]).reshape(-1, 3).astype(np.float32)
    faces = (box.faces + len(box.positions) * np.arange(count)[:, None, None]).reshape(-1, 3).astype(np.int32)
    names = [f"material {number}" for number in range(count)]
    return build_mesh(
        positions, faces, [np.tile(box.uvs[0], (count, 1, 1))], np.tile(box.normals, (count, 1, 1)), each, each,
        [SurfaceLook(name) for name in names], names, "boxes",
    )  # fmt: skip


def _painted(side: int, count: int) -> nm.Document:
    document = nm.Document.from_mesh(flat_mesh(), "flat", (side, side))
    surface = document.surfaces["flat"]
    columns = side // TILE
    rows = columns // 10 + 1
    dice = np.random.default_rng(0)
    y, x = np.mgrid[0:TILE, 0:TILE]
    for number in range(count):
        layer = surface.layers.add("brushed")
        layer.opacity, layer.blend = 0.6, MODES[number % len(MODES)]
        for name, channels in (("base_color", 4), ("roughness", 2)):
            tiles = {}
            for tile in range(rows * columns):
                place = (tile // columns + number * rows) % columns, tile % columns
                # A soft gradient with some grain, as paint has it.
                shade = 400 * (x + y) + dice.integers(0, 64, (TILE, TILE))
                tiles[place] = np.stack([shade + 900 * c for c in range(channels)], -1).astype(np.uint16)
            document.place(f"{layer.id}/{name}", tiles)
    return document


def _bare(url: str) -> float:
    """Seconds in which the driver reads the tiles."""
    started = time.perf_counter()
    with psycopg.connect(url.replace("+psycopg", ""), autocommit=True) as driver:
        size = sum(len(row[0]) for row in driver.execute("select data from tile", binary=True))
    seconds = time.perf_counter() - started
    print(f"  {size >> 20} MB of tiles: the driver alone {seconds:.2f} s", flush=True)
    return seconds


def steps(url: str, project: str, bare: float) -> None:
    """Open, composite, send: seconds of each, and the memory at its highest."""
    store = Store(url)
    seconds = [time.perf_counter()]
    document = open_project(store, project).document
    seconds.append(time.perf_counter())
    document.refresh()
    seconds.append(time.perf_counter())
    screen = ClientUpdates(Screen())
    for surface in document.surface_values():
        for picture in document.composite(surface).pictures:
            screen.add_whole(surface, picture)
    while screen.waiting:
        screen.pump(document)
        screen.acknowledged = screen.sent
    seconds.append(time.perf_counter())
    opened, composited, sent = (after - before for before, after in itertools.pairwise(seconds))
    whole, peak = opened + composited + sent, memory_peak()
    fits = "ok" if whole <= MOST_SECONDS and peak <= MOST_MB else "ABOVE"
    limits = f"{whole:.1f} s (wanted: at most {MOST_SECONDS} s and {MOST_MB} MB) {fits}"
    print(
        f"  read {opened:.2f} s, composited {composited:.2f} s, sent {sent:.2f} s, memory at its highest"
        f" {peak} MB: {verdict(bare / whole, WANTED) if bare else limits}",
        flush=True,
    )


if __name__ == "__main__":
    steps(sys.argv[1], sys.argv[2], float(sys.argv[3]))
