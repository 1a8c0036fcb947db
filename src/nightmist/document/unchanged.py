"""Why a stroke left no mark: the tools that work on paint find none on the layer, and another layer has it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, NamedTuple

from .layer import Layer
from .types import Tool

if TYPE_CHECKING:
    from .stroke import Stroke

DONE: dict[Tool, str] = {
    "erase": "erased", "smear": "smeared", "soften": "softened", "sharpen": "sharpened",
}  # fmt: skip
#: Places of the stroke that are looked at, at most.
PLACES = 9


class Reason(NamedTuple):
    """A sentence for the painter, and the layer that has what the stroke looked for."""

    sentence: str
    instead: Layer | None


def why_unchanged(stroke: Stroke) -> Reason | None:
    """Of a finished stroke that changed nothing; None when it is plain to see, as beside the model."""
    if stroke.tool not in DONE:
        return None
    place = None
    for layer, row, column in _places(stroke):
        if _holds(stroke, layer, row, column):
            return None
        place = place or (layer, row, column)
        stack = [other for other in reversed(layer.surface.layers) if other.visible and other is not layer]
        for other in stack:
            if _holds(stroke, other, row, column):
                said = f"Nothing was {DONE[stroke.tool]}: {layer.name} holds no paint here. It lies on {other.name}."
                return Reason(said, other)
    if place is None:
        return None
    return Reason(f"Nothing was {DONE[stroke.tool]}: {place[0].name} holds no paint here.", None)


def _places(stroke: Stroke) -> Iterator[tuple[Layer, int, int]]:
    """The layer under the stroke, and the texel, at places along it."""
    samples = stroke.record.samples
    for sample in samples[:: max(1, -(-len(samples) // PLACES))]:
        if stroke.record.camera is None:
            (layer,) = stroke.layers.values()
            width, height = layer.surface.size
            yield layer, *layer.surface.texel_at((sample[0] / width, sample[1] / height))
        else:
            hit = stroke.document.pick(stroke.record.camera, sample[:2])
            if hit and hit.surface in stroke.layers:
                layer = stroke.layers[hit.surface]
                yield layer, *layer.surface.texel_at(hit.uv)


def _holds(stroke: Stroke, layer: Layer, row: int, column: int) -> bool:
    """Whether a layer has paint at a texel, in a map that the stroke works on."""
    names = stroke.values or layer.rasters
    tiles = (layer.rasters[name].tiles.get((row // 64, column // 64)) for name in names if name in layer.rasters)
    return any(tile is not None and tile[row % 64, column % 64, -1] > 0 for tile in tiles)
