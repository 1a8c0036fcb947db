"""Small pictures of what a node holds: its paint, or its mask."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ...core.formats.image_files import fit, read_picture, write_png
from ...core.texels import TILE, Raster
from ...core.texels.raster import Start, TileKey, shares_of
from ..derived.pictures import cut_out, whole
from ..document import Document
from ..values import MAPS, MASK, NODES, Adjustment, Decals, Group, MaskOf, Node, Picture, Wash

#: The longer side of a thumbnail in pixels.
SIDE = 64
#: Every how many texels one is looked at, as long as that leaves enough.
STEP = 8
#: A thumbnail of nothing.
EMPTY = write_png(np.zeros((1, 1, 4), np.uint8))


def thumbnail_of(document: Document, key: str, of: Literal["paint", "mask"]) -> bytes:
    """PNG of what a node holds, or of its mask: empty where it was taken back just now, before a page has heard."""
    node = document.values.get(key)
    if not isinstance(node, NODES):
        return EMPTY
    if of == "mask":
        return _mask_thumbnail(document, node, node.mask) if node.mask else EMPTY
    return _paint_thumbnail(document, node)


def _paint_thumbnail(document: Document, node: Node) -> bytes:
    """PNG with alpha of a layer's color or, where it holds none, of its first map as gray."""
    if isinstance(node, Wash):
        return _wash_thumbnail(document, node)
    if isinstance(node, Decals) and node.placed:
        return small_picture(document, document.picture_value(node.placed[-1].picture))
    painted = document.painted_maps(node.id)
    if not painted or isinstance(node, Group | Adjustment):
        return EMPTY
    picture = _sampled(document.raster(node.id, painted[0]))
    if picture.shape[2] == 2:
        picture = picture[..., [0, 0, 0, 1]]
    return _png(picture)


def _wash_thumbnail(document: Document, wash: Wash) -> bytes:
    """The picture of a wash or, where it has none, its value: of the color, else of its first map."""
    for name in MAPS:
        if name in wash.images:
            return small_picture(document, document.picture_value(wash.images[name]))
        if name in (values := wash.pigment.values()):
            value = values[name] if name == "base_color" else values[name] * 3
            tile = np.full((4, 4, 4), 65535, np.uint16)
            tile[..., :3] = [round(v * 65535) for v in value]
            return _png(tile)
    return EMPTY


def _mask_thumbnail(document: Document, node: Node, mask: MaskOf) -> bytes:
    """PNG of a node's mask: white where it shows."""
    start = document.mask_start(mask, document.surface_of(node))
    return _png(_sampled(document.raster(node.id, MASK), start)[..., 0])


def small_picture(document: Document, picture: Picture, side: int = SIDE) -> bytes:
    """PNG of a picture of the project, its longer side at most as many pixels."""
    pixels = cut_out(document.arrays, document.pool, picture)
    return _png(pixels, min(side, max(pixels.shape[:2])))


def small_file(name: str, data: bytes, side: int = SIDE) -> bytes:
    """The same of a picture's file, of no project."""
    pixels = read_picture(name, data, upright=True)
    return _png(pixels, min(side, max(pixels.shape[:2])))


def whole_picture(document: Document, picture: Picture, side: int) -> bytes:
    """The same of the file, before anything is cut out of it."""
    pixels = whole(document.arrays, document.pool, picture)
    return _png(pixels, min(side, max(pixels.shape[:2])))


def _sampled(raster: Raster, start: Callable[[TileKey], Start] | None = None) -> NDArray[np.uint16]:
    """(h, w, channels) a raster's texels, some of each tile. start: of a mask, whose shares are meant."""
    step = STEP if min(raster.width, raster.height) >= SIDE * STEP else 1
    side = TILE // step
    rows, columns = raster.addresses.shape
    found = np.zeros((rows * side, columns * side, raster.channels), np.uint16)
    for row, column in np.ndindex(rows, columns) if start else raster.tiles:
        tile = raster.tiles.get((row, column))
        shown = shares_of(tile, start((row, column))) if start else tile
        assert shown is not None
        part = shown[step // 2 :: step, step // 2 :: step]
        found[row * side : (row + 1) * side, column * side : (column + 1) * side] = part
    return found


def _png(picture: NDArray[np.uint16], side: int = SIDE) -> bytes:
    height, width = picture.shape[:2]
    scale = side / max(height, width)
    size = max(1, round(width * scale)), max(1, round(height * scale))
    if picture.ndim == 3:
        return write_png((fit(picture, *size) // 257).astype(np.uint8))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    return write_png((np.asarray(small) // 257).astype(np.uint8))
