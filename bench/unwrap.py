"""The automatic unwrap of rough bodies against bare xatlas: pieces, painted share at one margin, stretch, time."""

from __future__ import annotations

import time
from dataclasses import dataclass
from multiprocessing import TimeoutError, get_context

import numpy as np
import xatlas
from numpy.typing import NDArray

from nightmist.core.mesh import Mesh
from nightmist.core.mesh.checkup import density_and_stretch
from nightmist.core.mesh.layout import local_islands
from nightmist.core.mesh.methods import unwrap
from nightmist.core.mesh.solvers import get_ready
from nightmist.core.mesh.unwrap import flat_areas
from nightmist.core.progress import quietly
from nightmist.warm import warm_unwrap

from .rough_bodies import ROUGH_BODIES

MARGIN = 8
#: Seconds after which xatlas is not waited for any longer: at 200,000 faces it takes longer than ten minutes.
LONGEST = 180
#: Up to so many seconds both take turns, so often.
SHORT, TURNS = 10, 3
WANTED = {"share": 1.5, "stretch": 8.0, "time": 1.3}


@dataclass
class Unwrapped:
    """pieces: islands. share: of the map that faces cover. stretch: greatest ratio of singular values."""

    pieces: int
    share: float
    stretch: float
    seconds: float


def ours(mesh: Mesh, size: int) -> Unwrapped:
    """The whole automatic unwrap, layout in a map included."""
    faces = np.arange(len(mesh.faces))
    started = time.perf_counter()
    made, _ = unwrap(mesh, faces, faces, 0, (size, size), "auto", 60, MARGIN, None, quietly)
    seconds = time.perf_counter() - started
    uv = made.uvs[0].astype(np.float64)
    stretch = density_and_stretch(mesh.corners, uv * size)[1]
    pieces = int(local_islands(made, faces, uv).max()) + 1
    return Unwrapped(pieces, float(np.abs(flat_areas(uv)).sum()), float(stretch.max()), seconds)


def bare(mesh: Mesh, size: int) -> Unwrapped:
    """xatlas as it comes; its charts, packed again by itself until they fit the map, which is not timed."""
    points, weld = np.unique(mesh.positions, axis=0, return_inverse=True)
    faces = weld.reshape(-1)[mesh.faces].astype(np.uint32)
    started = time.perf_counter()
    atlas = xatlas.Atlas()
    atlas.add_mesh(points.astype(np.float32), faces)
    pack = xatlas.PackOptions()
    pack.padding, pack.resolution = MARGIN, size
    atlas.generate(xatlas.ChartOptions(), pack)
    seconds = time.perf_counter() - started
    _, index, uv = atlas.get_mesh(0)
    corners = uv[index].astype(np.float64) * [atlas.width, atlas.height]
    return Unwrapped(
        int(atlas.chart_count), _fitted(uv * np.array([atlas.width, atlas.height], np.float32), index, size),
        float(density_and_stretch(mesh.corners, corners)[1].max()), seconds,
    )  # fmt: skip


def bare_within(mesh: Mesh, size: int) -> Unwrapped | None:
    """The same in a process of its own, which is ended when it takes too long: None then."""
    with get_context("spawn").Pool(1) as pool:
        try:
            return pool.apply_async(bare, (mesh, size)).get(LONGEST)
        except TimeoutError:
            return None


def _fitted(points: NDArray[np.float32], index: NDArray[np.uint32], size: int) -> float:
    """The painted share when xatlas packs charts as large as they can be in the map."""
    low, high, share = 0.0, 1.5, 0.0
    for _ in range(6):
        scale = (low + high) / 2
        atlas = xatlas.Atlas()
        atlas.add_uv_mesh(points * np.float32(scale), index)
        pack = xatlas.PackOptions()
        pack.padding, pack.texels_per_unit = MARGIN, 1.0
        atlas.generate(xatlas.ChartOptions(), pack)
        if max(atlas.width, atlas.height) <= size and atlas.atlas_count == 1:
            _, found, uv = atlas.get_mesh(0)
            corners = uv[found].astype(np.float64) * [atlas.width, atlas.height]
            low, share = scale, max(share, float(np.abs(flat_areas(corners)).sum()) / size**2)
        else:
            high = scale
    return share


def main(quick: bool = False) -> None:
    # As a server has done that has just begun.
    warm_unwrap()
    size = 512 if quick else 2048
    print(f"unwrap: rough bodies without UVs, a map of {size} × {size}, {MARGIN} texels between islands")
    for faces in (500,) if quick else (10_000, 50_000, 200_000):
        for name, make in ROUGH_BODIES.items():
            mesh = make(faces)
            # As the checkup has done that says there are no UVs.
            get_ready(faces)
            theirs, mine = bare_within(mesh, size), ours(mesh, size)
            if theirs and theirs.seconds < SHORT and not quick:
                # A slow moment of the machine weighs much here: both at their best of several turns.
                for _ in range(TURNS - 1):
                    theirs, mine = _faster(theirs, bare_within(mesh, size)), _faster(mine, ours(mesh, size))
            print(f"  {name} of {len(mesh.faces):,} faces, ours / xatlas: {_compared(mine, theirs)}", flush=True)


def _faster(one: Unwrapped, other: Unwrapped | None) -> Unwrapped:
    return other if other and other.seconds < one.seconds else one


def _compared(mine: Unwrapped, theirs: Unwrapped | None) -> str:
    ok = mine.stretch <= WANTED["stretch"]
    if theirs is None:
        said = f"{mine.pieces:,} pieces, {mine.share:.0%} painted, stretch {mine.stretch:.1f}, {mine.seconds:.1f} s"
        return f"{said} / not done after {LONGEST} s {'ok' if ok else 'NOT as wanted'}"
    ok = (
        ok and mine.pieces <= theirs.pieces and mine.share >= WANTED["share"] * theirs.share
        and mine.seconds <= WANTED["time"] * theirs.seconds
    )  # fmt: skip
    return (
        f"{mine.pieces:,} / {theirs.pieces:,} pieces, {mine.share:.0%} / {theirs.share:.0%} painted, stretch"
        f" {mine.stretch:.1f} / {theirs.stretch:.1f}, {mine.seconds:.1f} / {theirs.seconds:.1f} s"
        f" {'ok' if ok else 'NOT as wanted'}"
    )
