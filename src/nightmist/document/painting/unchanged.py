"""Why a stroke left no mark: what it lays on is there already, or what its tool works on is not there."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from ...core.brush.path import Sample
from ...core.texels import TILE
from ...core.texels.raster import shares_of
from ..change import Change, node_and_map
from ..document import Document
from ..values import MASK, Hit, MaskOf, Node, Tool
from .gate import fenced_off, shown_mask
from .picking import pick
from .stroke import Stroke

DONE: dict[Tool, str] = {
    "erase": "erased", "smear": "smeared", "soften": "softened", "sharpen": "sharpened",
}  # fmt: skip
#: Places of the stroke that are looked at, at most.
PLACES = 9


#: Below this share paint is not seen.
FAINT = 1 / 255
#: What shares of 65535 may differ by rounding.
ROUNDING = 16


class Reason(NamedTuple):
    """A sentence for the painter, and the layer that has what the stroke looked for."""

    sentence: str
    instead: Node | None


def why_unchanged(stroke: Stroke) -> Reason | None:
    """Of a finished stroke that changed nothing; None when it is plain to see, as beside the model."""
    for hindered in (_held_back, _on_hidden, _fenced_off, _between_texels, _beside_stencil):
        if said := hindered(stroke):
            return Reason(said, None)
    if stroke.record.mask_value is not None:
        return _mask_unchanged(stroke)
    if stroke.tool not in DONE:
        return _nothing_laid(stroke)
    place = None
    for layer, row, column in _places(stroke):
        if _holds(stroke, layer, row, column):
            return None
        place = place or (layer, row, column)
        others = reversed(stroke.document.nodes_in(stroke.document.surface_of(layer).id))
        stack = [other for other in others if other.visible and other.id != layer.id]
        for other in stack:
            if _holds(stroke, other, row, column):
                said = f"Nothing was {DONE[stroke.tool]}: {layer.name} holds no paint here. It lies on {other.name}."
                return Reason(said, other)
    if place is None:
        return None
    return Reason(f"Nothing was {DONE[stroke.tool]}: {place[0].name} holds no paint here.", None)


def why_unseen(document: Document, change: Change) -> Reason | None:
    """Of what was painted on masks that count everywhere as before: it is kept, but nothing is to be seen."""
    layer: Node | None = None
    for edit in change.edits:
        key, name = node_and_map(edit.raster)
        if name != MASK:
            return None
        layer = document.node(key)
        start = document.mask_start(layer.mask or MaskOf(), document.surface_of(layer))((edit.row, edit.column))
        before, after = (
            shares_of(document.pool.get(digest) if digest else None, start) for digest in (edit.before, edit.after)
        )
        if np.abs(after[..., 0].astype(np.int32) - before[..., 0]).max() > ROUNDING:
            return None
    return Reason(_has_it_already(layer), None) if layer else None


def _has_it_already(layer: Node) -> str:
    return f"The mask of {layer.name} has this share here already. X swaps to the other one."


def _done(stroke: Stroke) -> str:
    """What its tool does, in the past."""
    return DONE.get(stroke.tool, "painted")


def _mask_unchanged(stroke: Stroke) -> Reason | None:
    """Of a stroke on masks, where it met one."""
    layer = _met(stroke)
    if layer is None:
        return None
    if stroke.tool == "erase":
        return Reason(f"Nothing was erased: nothing is painted on the mask of {layer.name} here.", None)
    if stroke.tool in DONE:
        said = f"Nothing was {DONE[stroke.tool]}: the mask of {layer.name} has the same share all around here."
        return Reason(said, None)
    return Reason(_has_it_already(layer), None)


def _nothing_laid(stroke: Stroke) -> Reason | None:
    """Of a brush or of clone, where they met a layer."""
    layer = _met(stroke)
    if layer is None:
        return None
    tip = stroke.tip
    if stroke.tool == "clone":
        said = f"Nothing was cloned: {layer.name} holds no paint at the source. Hold C and click where it does."
    elif max(sample[2] for sample in stroke.record.samples) * tip.strength < FAINT:
        said = "Nothing was painted: the strength is next to nothing."
    elif tip.blend != "normal":
        said = f"Nothing was painted: {tip.blend} with this pigment leaves what {layer.name} holds here as it is."
    else:
        said = f"Nothing was painted: {layer.name} holds this pigment here already."
    return Reason(said, None)


def _held_back(stroke: Stroke) -> str | None:
    """What is to be said where the stroke met a surface, or faces, that cannot be painted yet."""
    document = stroke.document
    for hit in _hits(stroke):
        surface = document.surface_value(hit.surface)
        if why := stroke.held_back.get(hit.surface) or document.without_uvs(surface, np.array([hit.face])):
            return why
    return None


def _on_hidden(stroke: Stroke) -> str | None:
    """What is to be said where all of a stroke in the map lay on hidden parts; on the model they are not met."""
    if stroke.record.camera is not None:
        return None
    surface = stroke.surfaces[stroke.record.in_map or ""]
    shown = shown_mask(stroke.document, surface)
    places = [(row, column) for _, row, column in _places(stroke)]
    if shown is None or any(shown.share_at(row, column, surface.width) > 0 for row, column in places):
        return None
    done = _done(stroke)
    return f"Nothing was {done}: what lies here is hidden. The chip over the stage shows it again."


def _fenced_off(stroke: Stroke) -> str | None:
    """What is to be said where all of the stroke lay outside the fence."""
    region = stroke.gate.region
    if region is None:
        return None
    shares = [
        stroke.document.region_mask(region, stroke.document.surface_of(layer)).share_at(
            row, column, stroke.document.surface_of(layer).width
        )
        for layer, row, column in _places(stroke)
    ]
    if not shares or max(shares) > 0:
        return None
    return fenced_off(region, _done(stroke))


def _between_texels(stroke: Stroke) -> str | None:
    """What is to be said where the brush was too small to hold the middle of any texel."""
    layer = _met(stroke)
    reached = any(tile.any() for coverage in stroke.coverage.values() for _, tile in coverage.tiles.items())
    if layer is None or stroke.filter or reached:
        return None
    surface = stroke.document.surface_of(layer)
    texel = stroke.document.layout(surface).ownership.usual_texel
    places = np.array([sample[:2] for sample in _some(stroke.record.samples)])
    pixel = 1.0 if stroke.tip.unit == "world" else stroke.touch.pixels(places).max()
    if stroke.tip.radius * pixel > texel:
        return None
    return (
        f"Nothing was {_done(stroke)}: the brush is smaller than a texel of {surface.name} here."
        " Make it larger, move away, or give the surface a larger map."
    )


def _beside_stencil(stroke: Stroke) -> str | None:
    """What is to be said where the stencil let nothing through wherever the brush came."""
    if stroke.texels is None or not stroke.texels.tiles or _met(stroke) is None:
        return None
    names = {surface.id: name for name, surface in stroke.surfaces.items()}
    for (surface, _, number), tile in stroke.texels.tiles.items():
        covered = stroke.coverage[names[surface]].tiles.get(number)
        if covered is not None and ((covered > 0) & (tile[..., -1] > 0)).any():
            return None
    done = _done(stroke)
    return f"Nothing was {done}: the stencil lets nothing through here. Move it, or put it away."


def _some(samples: list[Sample]) -> list[Sample]:
    return samples[:: max(1, -(-len(samples) // PLACES))]


def _met(stroke: Stroke) -> Node | None:
    """The layer that it met first."""
    return next((layer for layer, _, _ in _places(stroke)), None)


def _hits(stroke: Stroke) -> Iterator[Hit]:
    """What lies under it at places along it, where it was drawn over the model."""
    camera = stroke.record.camera
    if camera is not None:
        found = (pick(stroke.document, camera, sample[:2]) for sample in _some(stroke.record.samples))
        yield from (hit for hit in found if hit)


def _places(stroke: Stroke) -> Iterator[tuple[Node, int, int]]:
    """The layer under the stroke, and the texel, at places along it; faces that have none are left out before."""
    for hit in _hits(stroke):
        if hit.surface in stroke.layers:
            yield stroke.layers[hit.surface], *stroke.surfaces[hit.surface].texel_at(hit.uv)
    if stroke.record.camera is None:
        name = stroke.record.in_map or ""
        surface = stroke.surfaces[name]
        for x, y, *_ in _some(stroke.record.samples):
            yield stroke.layers[name], *surface.texel_at((x / surface.width, y / surface.height))


def _holds(stroke: Stroke, layer: Node, row: int, column: int) -> bool:
    """Whether a layer has paint at a texel, in a map that the stroke works on."""
    names = stroke.values or stroke.document.painted_maps(layer.id)
    tiles = (stroke.document.raster(layer.id, name).tiles.get((row // TILE, column // TILE)) for name in names)
    return any(tile is not None and tile[row % TILE, column % TILE, -1] > 0 for tile in tiles)
