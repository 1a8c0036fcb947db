"""Masks made from what is there: from the values of maps below, from where the surface looks, from pictures."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.mapping.pyramid import LUMA
from ...core.texels import TILE, Raster
from ...core.texels.shares import facing_shares, flat_color_at, flat_color_shares, flat_colors, range_shares
from ...core.texels.tile_mask import TileMask
from ..change import Change, raster_id
from ..derived.tables import table_of
from ..document import Document
from ..preview import Preview
from ..values import CHANNELS, ID_TOLERANCE, MASK, MaskOf, Node, Picture, Surface, Wash, color_in_hex, hex_channels

#: What a mask can be made from without any number: heights, tones of the color, and the way up.
Source = Literal["low", "high", "dark", "light", "up"]
SOURCES: tuple[Source, ...] = get_args(Source)
#: Share of the values between which a mask fades.
FADE = 0.25
STRAIGHT_UP = (0.0, 1.0, 0.0)
#: Degrees from straight up to which a surface counts, and over which it fades.
UP, UP_FADE = 50.0, 40.0


def mask_from(document: Document, node: Node, source: Source) -> Change:
    """Show a node in low or high places, where what lies below is dark or light, or where the surface looks up."""
    if source not in SOURCES:
        raise NightmistError(f"A mask is not made from {source!r}; use {', '.join(SOURCES)}.")
    surface = document.surface_of(node)
    if source == "up":
        return mask_facing(document, node, STRAIGHT_UP)
    values = _below(document, node, surface, "height" if source in ("low", "high") else "base_color")
    owned = document.layout(surface).ownership.covered()
    low, middle, high = np.percentile(values[owned], [1, 50, 99]) if owned.any() else (0, 0, 0)
    if high - low < 1e-4:
        what = "is flat" if source in ("low", "high") else "has one tone"
        raise NightmistError(f"What lies below {node.name} {what}; no part of it can be told from the rest.")
    fade = FADE * (high - low)
    first, last = (-1.0, middle) if source in ("low", "dark") else (middle, 2.0)
    return _with_mask(document, node, range_shares(values, first, last, fade), f"Mask {node.name}: {source}")


def mask_facing(
    document: Document, node: Node, direction: Sequence[float], limit: float = UP, fade: float = UP_FADE
) -> Change:
    """Show a node where the surface looks along a direction, up to an angle, fading over another (degrees)."""
    surface = document.surface_of(node)
    layout = document.layout(surface)
    shares = facing_shares(layout.mesh, layout.uvs, layout.ownership, direction, limit, fade)
    if not shares.any():
        way = "up" if tuple(direction) == STRAIGHT_UP else "that way"
        raise NightmistError(f"Nothing of {surface.name} looks {way}: the mask would hide all of {node.name}.")
    return _with_mask(document, node, shares, f"Mask {node.name}: where it faces")


def mask_from_picture(document: Document, node: Node, picture: Picture) -> Change:
    """Show a node as far as a picture, laid into the map, is light."""
    surface = document.surface_of(node)
    wash = Wash(id="", parent="", order=0, name="-", images={"roughness": picture.id})
    laid = document.washes.rasters(
        wash, surface, document.layout(surface), {picture.id: picture}, document.mesh.bounds
    )["roughness"]  # fmt: skip
    for each in document.washes.lazy([laid]):
        each.hold(np.arange(laid.addresses.size, dtype=np.int32))
    image = laid.read().astype(np.float64) / 65535
    return _with_mask(document, node, image[..., 0] * image[..., 1], f"Mask {node.name}: {picture.name}")


def mask_from_color(
    document: Document, node: Node, picture: Picture, color: str, tolerance: float = ID_TOLERANCE
) -> Change:
    """Show a node where a picture of flat colors shows one of them, within 8-bit steps a channel."""
    surface = document.surface_of(node)
    pixels = document.washes.picture(picture)
    wanted = np.rint(np.array(hex_channels(color)) * 65535)
    shares = flat_color_shares(pixels, wanted, tolerance * 257, *surface.size)
    if not shares.any():
        raise NightmistError(f"{picture.name} shows {color} nowhere. Pick the color from the picture.")
    return _with_mask(document, node, shares, f"Mask {node.name}: {color}")


def marking_colors(document: Document, picture: Picture) -> list[str]:
    """The colors, #rrggbb, with which a picture marks areas."""
    found = flat_colors(document.washes.picture(picture), ID_TOLERANCE * 257)
    return [color_in_hex(color) for color in (found.astype(int) * 257).tolist()]


def color_mask(document: Document, surface: Surface, picture: Picture, uv: tuple[float, float]) -> TileMask:
    """Where a picture of flat colors shows, in a surface's map, the color that it has at a place of it."""
    pixels = document.washes.picture(picture)
    tolerance = ID_TOLERANCE * 257
    shares = flat_color_shares(pixels, flat_color_at(pixels, uv, tolerance), tolerance, *surface.size)
    rows, columns = surface.height // TILE, surface.width // TILE
    parts = shares.reshape(rows, TILE, columns, TILE).swapaxes(1, 2).reshape(-1, TILE, TILE).astype(np.float32)
    some = np.flatnonzero(parts.any(axis=(1, 2))).astype(np.int32)
    return TileMask.of(some, np.ascontiguousarray(parts[some]), rows * columns)


def _below(
    document: Document, node: Node, surface: Surface, name: Literal["height", "base_color"]
) -> NDArray[np.float64]:
    """(H, W) 0-1 what is seen of a map without a node; of the color its gray."""
    preview = Preview(document)
    try:
        preview.lay({node.id: node.but(visible=False)})
        document.bring_up_to_date()
        image = document.composite(surface).read(name).astype(np.float64) / 65535
    finally:
        preview.drop()
    return image if name == "height" else np.asarray(image[..., :3] @ LUMA)


def _with_mask(document: Document, node: Node, shares: NDArray[np.float64], label: str) -> Change:
    """A node with these shares (H, W) as its mask, in place of another."""
    surface = document.surface_of(node)
    raster = Raster(*surface.size, CHANNELS[MASK])
    value = np.rint(np.clip(shares, 0, 1) * 65535).astype(np.uint16)
    # What is hidden all over stays without pixels.
    raster.take(np.stack([value, np.where(value > 0, 65535, 0).astype(np.uint16)], axis=2))
    tables = [table_of(each, document.pool, document.arrays) for each in (document.raster(node.id, MASK), raster)]
    after = node.but(mask=MaskOf(start=0.0))
    return Change(
        label=label, values={node.id: (node, after)} if after != node else {},
        rasters={raster_id(node.id, MASK): (tables[0], tables[1])} if tables[0] != tables[1] else {},
    )  # fmt: skip
