"""Stencils through a camera against `cv2.remap` of as many 16-bit RGBA pixels; many decals against none of them."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from nightmist import Camera, Document, Pigment, Tip
from nightmist.core.formats.image_files import write_png
from nightmist.core.kernels import addresses_in
from nightmist.core.mapping.pyramid import pyramid_of
from nightmist.core.mapping.sight import Sight
from nightmist.core.mapping.stencil import COLOR, lay_stencil, projector
from nightmist.core.mesh.bodies import practice_body
from nightmist.core.texels.facing import facing_of
from nightmist.core.texels.ownership import Ownership, own_texels
from nightmist.document.api_decals import Decal
from nightmist.document.api_stack import Layer
from nightmist.document.preview import Preview
from nightmist.document.stacking.decal_frames import SurfacePlace
from nightmist.document.stacking.decals import move_decal

from .measure import best_of

CAMERA = Camera.look_at((0, 0, 3), (0, 0, 0), 24, (1280, 1280))


def main(quick: bool = False) -> None:
    stencil(512 if quick else 2048, 1 if quick else 5)
    decals(512 if quick else 2048, 20 if quick else 300)


def stencil(side: int, times: int) -> None:
    """A picture as large as the map over all of it, seen from the front, with the depth test."""
    mesh = practice_body("plane", 1.0)
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], side, side)
    tiles = own.used_tiles
    rng = np.random.default_rng(1)
    picture = rng.integers(0, 65536, (side, side, 4), dtype=np.uint16)
    pyramid = pyramid_of(picture, gray=False)
    where = projector(CAMERA, (640, 640), (1000, 1000), 10, False, 80)
    normals, hidden = facing_of(mesh, mesh.uvs[0], own).normals, np.zeros(len(own.normals), np.uint8)
    made = np.zeros((len(tiles), 64, 64, 4), np.uint16)
    table = np.zeros(len(own.tile_start) - 1, np.int64)
    table[tiles] = addresses_in(made)
    sight = Sight(CAMERA, mesh)

    def laid() -> None:
        lay_stencil(own, normals, hidden, pyramid, where, tiles, table, 4, COLOR, ())

    def seen() -> None:
        sight.mask(own, hidden, np.eye(3, 4)).hold(tiles)

    # The library is told where in the picture each texel lies, which we work out.
    places = _places(own, side)
    shape = sight.depth.shape
    pixels = rng.integers(0, shape[0] * shape[1], made.size // 4)

    def remap() -> None:
        cv2.remap(picture, places, np.zeros(0, np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)

    def gather() -> None:
        np.take(sight.depth.ravel(), pixels)

    texels = made.size // 4
    ours, theirs = best_of(times, laid, remap)
    print(f"projected: a stencil of {side} over the {texels:,} texels of a plane's map of {side}")
    print(f"  laid      {ours * 1000:6.1f} ms, {ours / theirs:.2f} times cv2.remap ({theirs * 1000:.1f} ms)")
    looked, plain = best_of(times, seen, gather)
    million = 1e6 / texels
    print(
        f"  seen      {looked * million * 1000:6.1f} ms a million texels, a plain gather {plain * million * 1000:.1f}"
    )
    print(f"  both      {(ours + looked) * 1000:6.1f} ms, {(ours + looked) / theirs:.2f} times cv2.remap")


def _places(own: Ownership, side: int) -> NDArray[np.float32]:
    """(side, side, 2) the pixel of the picture at each texel of the map."""
    owner = own.owner().clip(0)
    y, x = np.mgrid[:side, :side] + 0.5
    m = own.matrices[owner]
    point = m[..., :3] * x[..., None] + m[..., 3:6] * y[..., None] + m[..., 6:] - CAMERA.eye
    right, up, ahead = (point @ axis for axis in CAMERA.axes)
    focal = 640 / np.tan(np.radians(12))
    across, down = focal * right / ahead, -focal * up / ahead
    c, s = np.cos(np.radians(10)), np.sin(np.radians(10))
    u, v = (c * across + s * down) / 1000 + 0.5, (c * down - s * across) / 1000 + 0.5
    return np.stack([u, v], 2).astype(np.float32) * side - np.float32(0.5)


#: From where a page looks at a model, at first.
FIRST_LOOK = np.array([np.sin(0.5) * np.cos(0.25), np.sin(0.25), np.cos(0.5) * np.cos(0.25)])


def with_decals(side: int, count: int, width: float = 0.08) -> tuple[Document, Layer, list[Decal]]:
    """A ball with a layer to paint on and many decals below it, all over; the last one is where a page looks first."""
    doc = Document.practice("sphere", side)
    surface = doc.surfaces["sphere"]
    paint = surface.layers.add("brushed")
    rng = np.random.default_rng(2)
    layer = surface.layers.add("decals", index=0)
    made: list[Decal] = []
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "mark.png"
        path.write_bytes(write_png(rng.integers(0, 255, (256, 256, 4), dtype=np.uint8)))
        while len(made) < count:
            eye = rng.normal(size=3) if len(made) < count - 1 else FIRST_LOOK
            hit = doc.pick(Camera.look_at(3 * eye / np.linalg.norm(eye), (0, 0, 0), 30, (100, 100)), (50, 50))
            if hit:
                made.append(layer.place(path, hit, width=width))
    return doc, paint, made


def decals(side: int, count: int) -> None:
    """Many of them on a ball: what one that is moved costs, and a stroke on a layer over them."""
    doc, paint, made = with_decals(side, count)
    started = time.perf_counter()
    doc.refresh()
    whole = time.perf_counter() - started
    steps: list[float] = []
    preview = None
    for k in range(24):
        started = time.perf_counter()
        if preview:
            preview.drop()
        hit = doc.pick(Camera.look_at((0, 0, 3), (0, 0, 0), 30, (100, 100)), (45 + k / 2, 50))
        assert hit
        change = move_decal(doc, made[-1].id, SurfacePlace(hit.position, hit.normal))
        preview = Preview(doc)
        preview.lay({key: after for key, (_, after) in change.values.items() if after})
        doc.refresh()
        steps.append(time.perf_counter() - started)
    print(f"projected: {count} decals on a ball at {side}")
    print(f"  all of them {whole * 1000:6.1f} ms; one that is moved {np.median(steps[4:]) * 1000:.1f} ms a step")
    if preview:
        preview.drop()
    bare = Document.practice("sphere", side)
    above, alone = best_of(8, _stroke(doc, paint), _stroke(bare, bare.surfaces["sphere"].layers.add("brushed")))
    print(f"  a stroke above them {above / alone:.2f} times one without them ({alone:.3f} s)")


def _stroke(doc: Document, layer: object) -> Callable[[], None]:
    path = [(300 + 4 * k, 640 + 200 * np.sin(k / 9)) for k in range(160)]

    def draw() -> None:
        doc.stroke(layer, path, CAMERA, Tip(radius=30), Pigment(base_color="#7d3d1f", roughness=0.4))  # type: ignore[arg-type]
        doc.refresh()

    return draw
