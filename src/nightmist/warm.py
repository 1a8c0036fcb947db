"""Compiles the kernels, or loads them from their cache, so that the first stroke is not slow."""

from __future__ import annotations

import subprocess
import sys
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from .core.formats.gltf_write import write_glb
from .core.formats.image_files import write_png
from .core.mapping import Camera
from .core.mesh import Mesh
from .core.mesh.bodies import practice_body
from .core.mesh.methods import unwrap
from .core.progress import quietly
from .core.texels.encode import to_bytes
from .core.texels.raster import TILE, Raster
from .core.texels.rescale import rescaled
from .core.texels.shrink import shrunk
from .core.texels.tile_mask import TileMask
from .core.texels.transfer import places_of, texels_of_faces
from .demo.buoy import lantern_buoy
from .document import Document, Pigment, Tip
from .document.api_stack import Layer
from .document.api_stencils import Stencil
from .document.files.portrait import portrait
from .document.painting.retouching import RETOUCHES
from .document.values import CloneSource, DecalRelief, Mapping, MixByHeight
from .studio.client_updates import COARSE, rectangles_of

#: Compiled kernels are kept beside their sources.
CORE = Path(__file__).parent / "core"


def warm_up() -> None:
    """Run every kernel once on a small document.

    The first time two processes do so, one from either end, as a compiler takes one core: what the one has compiled
    the other finds.
    """
    compiled = any(CORE.rglob("*.nbi"))
    helper = None if compiled else subprocess.Popen([sys.executable, "-m", "nightmist.warm"])
    for run in STEPS:
        run()
    if helper:
        helper.wait()


@cache
def _buoy() -> Mesh:
    return lantern_buoy()


def _small_document(side: int = TILE) -> tuple[Document, Layer, Camera, Pigment]:
    """A buoy with a layer on each surface, that of the first one, who looks at it, and what to paint with."""
    document = Document.from_mesh(_buoy(), "warm", (side, side))
    camera = Camera.look_at((0, 0.5, 6), (0, 0.5, 0), 30, (300, 300))
    pigment = Pigment(base_color="#808080", roughness=0.5, metallic=0.5, height=0.5, opacity=0.5)
    layers = [surface.layers.add("brushed", name="w") for surface in document.surfaces.values()]
    return document, layers[0], camera, pigment


def _painted_document(side: int = TILE) -> Document:
    document, layer, _, pigment = _small_document(side)
    document.gradient(layer, (0, 0, 0), (0, 1, 0), (pigment, Pigment(base_color="#402010")))
    return document


def warm_showing() -> None:
    """What a composite takes on its way to a browser and to the gallery."""
    document = _painted_document()
    document.refresh()
    rectangles_of(np.ones((1, 1), np.bool_))
    for composite in document.composites.values():
        composite.pictures["color"].encode(0, TILE, 0, TILE)
        composite.pictures["color"].encode_coarse(0, TILE, 0, TILE, COARSE)
        to_bytes(composite.read("roughness"))
    portrait(document, 8, 6)
    # Maps of many tiles are worked on by both cores.
    _painted_document(4 * TILE).refresh()
    large = Raster(128, 128, 4)
    large.take(np.ones((128, 128, 4), np.uint16))
    shrunk(large, 2)
    rescaled(large, 192, 64, np.ones((128, 128), np.bool_))
    TileMask.of(np.zeros(1, np.int32), np.ones((1, TILE, TILE), np.float32), 4).shares(np.zeros(1, np.int32))


def warm_preparing() -> None:
    """Layout, checkup, carrying paint over, the model for the stage."""
    document = _painted_document()
    document.unwrap("hull", "box", margin=1)
    document.check_uvs()
    write_glb(document.mesh)
    for surface in document.surfaces.values():
        own = surface.layout.ownership
        own.inside(np.zeros(1, np.int32))
        places_of(own, texels_of_faces(own, np.ones(len(own.faces), np.bool_)))


def warm_unwrap() -> None:
    """The automatic unwrap of a body that is rough, which takes all ways that there are."""
    ball = practice_body("sphere", 1.0)
    dents = np.random.default_rng(1).normal(1, 0.05, (len(ball.positions), 1)).astype(np.float32)
    rough, faces = ball.changed(positions=ball.positions * dents), np.arange(len(ball.faces))
    unwrap(rough, faces, faces, 0, (256, 256), "auto", 60, 1, None, quietly)


def warm_stack() -> None:
    """A stroke that is shown while it is drawn, between layers below and above it; two of them made one."""
    document, layer, camera, pigment = _small_document()
    for _ in range(3):
        document.fill(layer.surface.layers.add("brushed"), pigment)
    middle = layer.surface.layers[1]
    stroke = document.begin_stroke({layer.surface.name: middle}, camera, Tip(radius=30), pigment)
    stroke.extend([(150, 150, 1.0), (160, 155, 1.0)])
    document.refresh()
    document.finish_stroke(stroke)
    document.refresh()
    layer.surface.layers.merge_down(middle)


def warm_nodes() -> None:
    """What is worked out as tiles are composited: pictures laid over a surface, filters, softened masks."""
    document, layer = _small_document()[:2]
    stack, picture = layer.surface.layers, _small_picture(document)
    wash = stack.add("wash", mapping=Mapping("uv"))
    wash.change(images={"base_color": picture, "roughness": picture})
    document.refresh()
    document.cut_picture(picture, key="#ffffff")
    wash.mapping = Mapping("triplanar")
    mask = wash.add_mask(value=0.5)
    mask.change(soften=2)
    mask.facing((0, 1, 0))
    wash.mix = MixByHeight()
    node = stack.add("adjustment")
    for effect, radius in (("tone", 1), ("blur", 2), ("sharpen", 6), ("distort", 1)):
        node.change(effect=effect, radius=radius)
        document.refresh()


def warm_decals() -> None:
    """Decals on the surface and around a part, standing up."""
    document, _, camera, _ = _small_document()
    if hit := document.pick(camera, (150, 150)):
        stack = document.surfaces[hit.surface].layers
        decal = stack.add("decals").place(_small_picture(document), hit, width=0.3)
        decal.relief = DecalRelief(height=0.01, bevel=0.01)
        for shape in ("cylindrical", "box", "spherical"):
            decal.frame.shape = shape
            document.refresh()


def warm_stencil() -> None:
    """A picture that lies on the screen."""
    document, layer, camera, pigment = _small_document()
    with TemporaryDirectory() as folder:
        path = Path(folder) / "warm.png"
        path.write_bytes(write_png(np.full((2, 2, 4), 200, np.uint8)))
        document.apply_stencil(layer, Stencil(path, (150, 150), (40, 40)), camera, pigment)


def _small_picture(document: Document) -> str:
    return document.add_picture_data("warm.png", write_png(np.full((2, 2, 3), 200, np.uint8)))


def warm_strokes() -> None:
    """Strokes that are even, and those that build up, mirrored."""
    document, layer, camera, pigment = _small_document()
    document.mirror = "x"
    for build_up in (False, True):
        tip = Tip(radius=30, build_up=build_up)
        document.stroke(layer, [(150, 150), (170, 170)], camera, tip, pigment)
    document.stroke(layer, [(150, 150)], camera, Tip(radius=30), None, tool="erase")


def warm_tools() -> None:
    """The other tools, and what a tip may do besides."""
    document, layer, camera, pigment = _small_document()
    document.fill(layer, pigment)
    path = [(150, 150), (158, 150)]
    source = CloneSource(point=(0, 0.2, 0.8), normal=(0, 0, 1), anchor=(0, 0.1, 0.8), anchor_normal=(0, 0, 1))
    for tool in RETOUCHES:
        document.stroke(layer, path, camera, Tip(radius=20), pigment, tool=tool)
    document.stroke(layer, path, camera, Tip(radius=20), pigment, tool="clone", source=source)
    document.stroke(layer, path, camera, Tip(radius=20, falloff="dome", jitter_color=0.5), pigment)
    document.stroke(layer, path, camera, Tip(radius=20, picture="bristle", blend="multiply"), pigment)
    document.stroke(layer, [(20, 20), (24, 24)], camera, Tip(radius=6), pigment, in_map=True)
    layer.change(alpha_locked=True)
    document.stroke(layer, path, camera, Tip(radius=20), pigment, tool="soften")


def warm_fills() -> None:
    """Fills of regions and by color, and a gradient."""
    document, layer, camera, pigment = _small_document()
    document.gradient(layer, (0, 0, 0), (0, 1, 0), (pigment, pigment))
    shape = document.regions.add_area("warm", layer.surface.name, [(0.1, 0.1), (0.9, 0.1), (0.4, 0.9)])
    document.fill(layer, pigment, region=shape)
    if hit := document.pick(camera, (150, 150)):
        document.fill(layer, pigment, region=document.select(hit))
        document.fill_color(layer, pigment, hit)
        document.erase_color(layer, hit)
    document.hide_parts([0])
    document.fill(layer, pigment)
    document.stroke(layer, [(20, 20), (24, 24)], camera, Tip(radius=6), pigment, in_map=True)


#: Composites first and strokes last: either end takes long to compile, and takes nothing from the other.
STEPS = (
    warm_showing, warm_stack, warm_nodes, warm_decals, warm_stencil, warm_preparing, warm_unwrap, warm_fills,
    warm_tools, warm_strokes,
)  # fmt: skip

if __name__ == "__main__":
    for run in reversed(STEPS):
        run()
