"""Compiles the kernels, or loads them from their cache, so that the first stroke is not slow."""

from __future__ import annotations

from .core.formats.gltf_write import write_glb
from .core.mapping import Camera
from .core.texels.encode import is_uniform, to_bytes
from .demo.buoy import lantern_buoy
from .document import Document, Pigment, Tip


def warm_up() -> None:
    """Run every kernel once on a small document."""
    document = Document.from_mesh(lantern_buoy(), "warm", (64, 64))
    camera = Camera.look_at((0, 0.5, 6), (0, 0.5, 0), 30, (300, 300))
    pigment = Pigment(base_color="#808080", roughness=0.5, metallic=0.5, height=0.5)
    layers = [surface.layers.add("brushed", name="w") for surface in document.surfaces.values()]
    for build_up in (False, True):
        tip = Tip(radius=30, build_up=build_up)
        document.stroke(layers[0], [(150, 150), (170, 170)], camera, tip, pigment)
    document.stroke(layers[0], [(150, 150)], camera, Tip(radius=30), None, tool="erase")
    document.gradient(layers[0], (0, 0, 0), (0, 1, 0), (pigment, pigment))
    for surface in document.surfaces.values():
        surface.refresh()
        surface.read("normal")
        is_uniform(to_bytes(surface.pictures["color"]))
    # What preparing needs: layout, checkup, carrying paint over, the model for the stage.
    document.unwrap("hull", "box", margin=1)
    document.check_uvs()
    write_glb(document.mesh)
