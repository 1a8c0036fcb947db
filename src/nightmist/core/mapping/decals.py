"""Pictures in frames on the surface: each texel inside a frame's box, and turned towards its front, takes them.

In the frame's own coordinates q, -0.5 to 0.5 and y up, the picture lies at u = qx + 0.5, v = 0.5 - qy; those of a bent
frame are told along its curve. It counts as its own alpha, times the cover of the frame's sides, a fade before the box
ends in depth, and one before the angle from which on nothing is laid. A frame around a body lays it on all that is
inside. What several of them come to is gathered with alpha, in float32.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from ..kernels import in_two_threads, kernel
from ..texels.facing import ANY_ANGLE
from ..texels.ownership import Ownership
from ..texels.raster import TILE
from ..texels.tile_mask import TileMask
from .around_body import lay_around_body
from .bending import FLAT
from .on_surface import lay_on_surface
from .projections import SHAPES, Shape
from .pyramid import Pyramid, pyramid_of

#: The longest side of a picture of relief.
LONGEST_RELIEF = 1024
#: Standard deviations beyond which a softened edge is flat.
REACH = 3.0


@dataclass(frozen=True)
class Around:
    """That a frame holds a body which its picture lies around.

    shape: spherical, box or triplanar. turn: (3, 3) the frame's directions as rows. sharpness: of three ways.
    """

    shape: Shape
    turn: NDArray[np.float64]
    sharpness: float = 4.0


@dataclass(frozen=True)
class Relief:
    """How a picture stands up: its softened alpha as one value, and by which share of the height's range.

    margins: how much wider and higher than the frame it is.
    """

    picture: Pyramid
    margins: tuple[float, float]
    rise: float


@dataclass(frozen=True)
class Placed:
    """A picture in a frame.

    inward: (3, 4) float64 into the frame's own coordinates. front: (3,) unit, from the surface to the viewer. limits:
    cosines from which on paint begins, and is whole. repeat: how often the picture lies across and down; negative:
    mirrored. soft: the share of the shorter side's half over which it fades at its sides. color: 0-1, in place of the
    picture's own. inverted: it shows where its alpha does not. by_gray: its gray counts as alpha. values: roughness and
    metallic, nan: left alone. size: width, height and depth. bend: as `bending` has it. around: then front, limits and
    bend say nothing.
    """

    inward: NDArray[np.float64]
    front: NDArray[np.float64]
    picture: Pyramid
    limits: tuple[float, float] = ANY_ANGLE
    repeat: tuple[float, float] = (1.0, 1.0)
    soft: float = 0.0
    opacity: float = 1.0
    colored: bool = True
    color: tuple[float, float, float] | None = None
    inverted: bool = False
    by_gray: bool = False
    values: tuple[float, float] = (math.nan, math.nan)
    size: NDArray[np.float64] = field(default_factory=lambda: np.ones(3))
    bend: NDArray[np.float64] = field(default_factory=lambda: FLAT)
    around: Around | None = None
    relief: Relief | None = None


@dataclass
class Gathered:
    """What is laid on some tiles, number by number in a row of their own.

    color: (n, 64, 64, 4) float32, times alpha. values: (n, 64, 64, 4) roughness times alpha, alpha, metallic times
    alpha, alpha. lift: (n, 64, 64, 2) how far the height is raised, and alpha.
    """

    tiles: NDArray[np.int32]
    color: NDArray[np.float32]
    values: NDArray[np.float32]
    lift: NDArray[np.float32]

    @classmethod
    def of(cls, tiles: NDArray[np.int32]) -> Gathered:
        """Nothing yet."""
        color, values = (np.zeros((len(tiles), TILE, TILE, 4), np.float32) for _ in range(2))
        return cls(tiles, color, values, np.zeros((len(tiles), TILE, TILE, 2), np.float32))


def lay_decal(
    own: Ownership, normals: NDArray[np.float64], placed: Placed, into: Gathered, rows: NDArray[np.int64],
    region: TileMask | None = None,
) -> None:  # fmt: skip
    """Lay a picture over what is gathered. rows: which tiles of `into`.

    normals: (faces, 9) as of `normals_over` for pictures around a body, else as of `Facing.normals`.
    """
    tiles = into.tiles[rows]
    if region is not None:
        region.hold(tiles)
    closed = np.zeros(len(tiles), np.int64) if region is None else region.addresses[tiles]
    elsewhere = 1.0 if region is None else float(region.elsewhere)
    relief = placed.relief or Relief(placed.picture, (1.0, 1.0), 0.0)
    color = np.array(placed.color if placed.color else (-1.0, 0.0, 0.0), np.float32)
    soft = _softness(placed)
    picture, lifted = placed.picture, relief.picture
    looks = (
        np.array(placed.repeat, np.float64), soft, np.float32(placed.opacity), placed.colored, color, placed.inverted,
        placed.by_gray, np.array(placed.values, np.float32), *picture.words, picture.sizes, lifted.data, lifted.starts,
        lifted.sizes, np.array(relief.margins, np.float64), np.float32(relief.rise),
    )  # fmt: skip

    def work(a: int, b: int) -> None:
        where = (tiles[a:b], rows[a:b], closed[a:b], np.float32(elsewhere), into.color, into.values, into.lift)
        faces = (own.tile_start, own.pieces, own.spans, own.matrices)
        if body := placed.around:
            lay_around_body(
                *faces, normals, placed.inward, SHAPES.index(body.shape), body.turn, body.sharpness, *looks, *where
            )
        else:
            lay_on_surface(
                *faces, normals, placed.inward, placed.front, placed.size, placed.bend, placed.limits,
                *looks, *where,
            )  # fmt: skip

    in_two_threads(len(tiles), work, 2)


def relief_of(
    picture: NDArray[np.uint16], placed: Placed, size: tuple[float, float], bevel: float, rise: float
) -> Relief:
    """A picture's alpha as relief: (h, w, 4) as it lies in a frame of a size, softened by a Gaussian.

    bevel: its standard deviation, in the frame's units. rise: as a share of the height's range.
    """
    alpha = picture[..., 3].astype(np.float32)
    if placed.by_gray:
        alpha *= picture[..., :3].mean(axis=2) / 65535
    if placed.inverted:
        alpha = 65535 - alpha
    width, height = size
    scale = LONGEST_RELIEF / (max(width, height) + 2 * REACH * bevel)
    times = np.abs(placed.repeat)
    # As many pixels as the pictures have that lie in the frame, but no more than are of use.
    across = min(picture.shape[1] * times[0], max(width * scale, 1))
    down = min(picture.shape[0] * times[1], max(height * scale, 1))
    # What is narrower than a pixel fills less of it.
    filled = min(width * scale, 1) * min(height * scale, 1)
    across, down = max(round(across), 1), max(round(down), 1)
    one = max(round(across / times[0]), 1), max(round(down / times[1]), 1)
    small = cv2.resize(alpha, one, interpolation=cv2.INTER_AREA).reshape(one[::-1])
    columns, rows = _pixels(across, placed.repeat[0], one[0]), _pixels(down, placed.repeat[1], one[1])
    whole = small[rows[:, None], columns]
    soft = _softness(placed)
    whole = whole * np.outer(_faded(down, soft[1]), _faded(across, soft[0])).astype(np.float32) * np.float32(filled)
    pitch = across / max(width, 1 / scale), down / max(height, 1 / scale)
    spread = bevel * pitch[0], bevel * pitch[1]
    pad = math.ceil(REACH * spread[0]) + 1, math.ceil(REACH * spread[1]) + 1
    whole = cv2.copyMakeBorder(whole, pad[1], pad[1], pad[0], pad[0], cv2.BORDER_CONSTANT, value=0)
    if bevel > 0:
        whole = cv2.GaussianBlur(whole, (2 * pad[0] + 1, 2 * pad[1] + 1), sigmaX=spread[0], sigmaY=spread[1])
    levels = np.repeat(np.rint(whole).astype(np.uint16)[..., None], 4, axis=2)
    levels[..., 3] = 65535
    margins = whole.shape[1] / (pitch[0] * width), whole.shape[0] / (pitch[1] * height)
    return Relief(pyramid_of(levels, gray=True), margins, rise)


def _pixels(count: int, repeat: float, pixels: int) -> NDArray[np.int64]:
    """(count,) which pixel of a repeated picture lies at each of the places along a side of a frame."""
    along = (np.arange(count) + 0.5) / count * abs(repeat)
    found = np.floor((along if repeat > 0 else 1 - along) % 1 * pixels).astype(np.int64)
    return found.clip(0, pixels - 1)


def _softness(placed: Placed) -> NDArray[np.float64]:
    """(2,) over which share of the frame's width and height it fades at its sides."""
    sides = placed.size[0] / placed.size[1]
    return np.array([placed.soft * min(1 / sides, 1.0), placed.soft * min(sides, 1.0)]) / 2


def _faded(count: int, soft: float) -> NDArray[np.float64]:
    """(count,) how much counts along a side of a frame that fades at both ends."""
    away = 0.5 - np.abs((np.arange(count) + 0.5) / count - 0.5)
    t = np.clip(away / max(soft, 1e-12), 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


#: Of each map the table of `Gathered` that it is in, its first channel there, how many it has, and its alpha's.
CHANNELS_IN = {
    "base_color": ("color", 0, 3, 3), "height": ("lift", 0, 1, 1), "roughness": ("values", 0, 1, 1),
    "metallic": ("values", 2, 1, 3),
}  # fmt: skip


def to_tile(name: str, into: Gathered, row: int) -> NDArray[np.uint16] | None:
    """A gathered tile of a map as texels with straight alpha; None when nothing lies there."""
    table, first, count, alpha = CHANNELS_IN[name]
    tile = np.empty((TILE, TILE, count + 1), np.uint16)
    level = np.float32(0.5 if name == "height" else 0.0)
    return tile if _straighten(getattr(into, table)[row], first, alpha, level, tile) else None


@kernel
def _straighten(gathered, first, alpha, level, tile):  # type: ignore[no-untyped-def]
    """level: what each number is beyond. Returns whether anything lies there."""
    one, zero, full, half = np.float32(1.0), np.float32(0.0), np.float32(65535.0), np.float32(0.5)
    count = tile.shape[2] - 1
    some = False
    for y in range(TILE):
        for x in range(TILE):
            cover = gathered[y, x, alpha]
            some = some or cover != zero
            for c in range(count):
                value = gathered[y, x, first + c] / cover + level if cover > zero else zero
                tile[y, x, c] = np.uint16(min(max(value, zero), one) * full + half)
            tile[y, x, count] = np.uint16(min(max(cover, zero), one) * full + half)
    return some
