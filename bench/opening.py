"""Opening a project of 30 layers at 4096, from the database to the last pixel that a page is sent.

A process of its own opens it, so that its memory is what opening took. Beside it stands the database's driver, reading
the same tiles and doing nothing with them.
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
PROJECT = "bench"


def main(quick: bool = False) -> None:
    side, layers = (1024, 3) if quick else (4096, 30)
    print(f"opening: {layers} layers at {side}, each painted on a tenth of the map, color and roughness")
    with tempfile.TemporaryDirectory(prefix="nightmist-bench-", dir="/tmp") as folder:
        Path(folder).chmod(0o755)
        cluster = Cluster(Path(folder))
        url = cluster.start()
        try:
            store = Store(url)
            store.migrate()
            document = _painted(side, layers)
            started = time.perf_counter()
            create_project(store, PROJECT, document)
            print(f"  kept in {time.perf_counter() - started:.1f} s")
            store.close()
            del document
            subprocess.run([sys.executable, "-m", "bench.opening", url, f"{_bare(url)}"], check=True)
        finally:
            cluster.stop()


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


def steps(url: str, bare: float) -> None:
    """Open, composite, send: seconds of each, and the memory at its highest."""
    store = Store(url)
    seconds = [time.perf_counter()]
    document = open_project(store, PROJECT).document
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
    print(
        f"  read {opened:.2f} s, composited {composited:.2f} s, sent {sent:.2f} s, memory at its highest"
        f" {memory_peak()} MB: {verdict(bare / (opened + composited + sent), WANTED)}",
        flush=True,
    )


if __name__ == "__main__":
    steps(sys.argv[1], float(sys.argv[2]))
