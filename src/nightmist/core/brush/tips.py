"""Pictures that a tip lets paint through: those made by code, gray, bright lets through; and a painter's own."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..formats.image_files import color_spread, fit, read_picture, write_png
from .coverage import NO_COLORS

SIDE = 128
#: The longer side of a picture of one's own, at most.
LARGEST = 1024
#: Texels of a tip's picture for a pixel that it covers, and the fewest along its side.
FINER, MIP = 2.0, 16
#: Channels that differ by less than this are no color; what lets through less than that is not seen.
GRAY_WITHIN, SEEN = 0.03, 0.02

#: Name -> what a painter reads.
TIPS = {
    "bristle": "Dry bristle",
    "chalk": "Chalk",
    "charcoal": "Charcoal",
    "ink": "Ink",
    "watercolor": "Watercolor edge",
    "sponge": "Sponge",
    "spray": "Spray",
    "rivets": "Rivet row",
}


@cache
def made_tip(name: str) -> NDArray[np.float32]:
    """(SIDE, SIDE) float32 of one of TIPS; the same each time. Raises NightmistError for other names."""
    if name not in TIPS:
        raise NightmistError(f"There is no tip picture {name!r}; there are {', '.join(TIPS)}.")
    rng = np.random.default_rng(sum(name.encode()))
    y, x = np.mgrid[-1 : 1 : SIDE * 1j, -1 : 1 : SIDE * 1j]
    radius = np.hypot(x, y)
    disc = np.clip((0.96 - radius) * 14, 0, 1)
    if name == "bristle":
        hairs = np.clip(_noise(rng, (1, 26)) * 2.4 - 0.75, 0, 1)
        image = disc * hairs * np.clip(_noise(rng, (5, 26)) * 1.7, 0.25, 1)
    elif name == "chalk":
        image = disc * np.clip(_noise(rng, (40, 40)) * 3.2 - 0.9, 0, 1) * np.clip(_noise(rng, (7, 7)) * 1.6, 0.3, 1)
    elif name == "charcoal":
        image = disc * np.clip(_noise(rng, (52, 30)) * 2.6 - 0.8, 0, 1) ** 1.4 * np.clip(1.3 - radius, 0, 1)
    elif name == "ink":
        rim = 0.86 + 0.1 * _ring_noise(rng, np.arctan2(y, x))
        image = np.clip((rim - radius) * 40, 0, 1)
    elif name == "watercolor":
        rim = 0.84 + 0.09 * _ring_noise(rng, np.arctan2(y, x))
        inside = np.clip((rim - radius) * 26, 0, 1)
        image = inside * (0.42 + 0.58 * np.exp(-(((rim - radius) / 0.09) ** 2))) * (0.85 + 0.15 * _noise(rng, (9, 9)))
    elif name == "sponge":
        pores = np.clip(_noise(rng, (16, 16)) * 4 - 1.7, 0, 1)
        image = disc * pores * np.clip(_noise(rng, (5, 5)) * 1.8, 0.2, 1)
    elif name == "spray":
        image = np.zeros((SIDE, SIDE))
        for _ in range(420):
            angle, far = rng.uniform(0, 2 * np.pi), abs(rng.normal(0, 0.4))
            cx, cy = far * np.cos(angle), far * np.sin(angle)
            size = rng.uniform(0.008, 0.022)
            image = np.maximum(image, np.exp(-(((x - cx) ** 2 + (y - cy) ** 2) / size**2)) * rng.uniform(0.5, 1))
    else:
        image = np.zeros((SIDE, SIDE))
        for cx in (-0.6, 0.0, 0.6):
            away = np.hypot(x - cx, y) / 0.2
            image = np.maximum(image, np.sqrt(np.clip(1 - away**2, 0, 1)))
    return np.ascontiguousarray(np.clip(image, 0, 1), np.float32)


def tip_from_picture(name: str, data: bytes, light: bool = False) -> NDArray[np.float32]:
    """A square float32 of a painter's own picture, 0-1: (side, side) what it lets through, or (side, side, 4) colors.

    A gray picture lets through its alpha where it has any, else how dark it is, or how light. A colored one keeps its
    colors, sRGB-encoded, straight alpha last. The picture keeps its proportions, in the middle of a square; its longer
    side is at most LARGEST. A gray one is the grain of a round tip, a colored one is stamped whole: its square is so
    wide that the round rim cuts nothing off.
    """
    read = read_picture(name, data, upright=True)
    height, width = read.shape[:2]
    scale = min(1.0, LARGEST / max(width, height))
    fitted = fit(read, max(1, round(width * scale)), max(1, round(height * scale)))
    image = (fitted / 65535).astype(np.float32)
    colored = color_spread(fitted) > GRAY_WITHIN * 65535
    square = _squared(image, _reach(image)) if colored else _squared(_through(image, light), 0)
    # As a file of 16 bits has it, so that a tip is the same wherever it is kept.
    return (np.rint(square * 65535) / 65535).astype(np.float32)


def write_tip(picture: NDArray[np.float32]) -> bytes:
    """A painter's own tip as a 16-bit PNG that `read_tip` reads to the bit."""
    return write_png(np.rint(picture * 65535).astype(np.uint16))


def read_tip(name: str, data: bytes, colored: bool) -> NDArray[np.float32]:
    """A tip as `write_tip` wrote it."""
    picture = read_picture(f"The tip {name}", data)
    return ((picture if colored else picture[..., 0]) / 65535).astype(np.float32)


def let_through(picture: NDArray[np.float32], tint: bool) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """What a tip's picture lets through, (side, side), and its colors times that, (side, side, 3) or nothing.

    tint: only the shape of a colored picture counts: its alpha where it has any, else how dark it is.
    """
    if picture.ndim == 2:
        return picture, NO_COLORS
    if tint:
        inside = _inside(picture)
        through = np.zeros(picture.shape[:2], np.float32)
        through[inside] = _through(picture[inside])
        return through, NO_COLORS
    return np.ascontiguousarray(picture[..., 3]), np.ascontiguousarray(picture[..., :3] * picture[..., 3:])


def as_fine_as(picture: NDArray[np.float32], radius: float) -> NDArray[np.float32]:
    """A tip's picture averaged down to what a radius in pixels can show, so that small tips do not flicker.

    (side, side) or (side, side, 3); colors times what is let through, so that an average of both is one.
    """
    side = max(MIP, round(2 * radius * FINER))
    if not picture.size or side >= picture.shape[0]:
        return picture
    return cv2.resize(picture, (side, side), interpolation=cv2.INTER_AREA).astype(np.float32)


def _through(image: NDArray[np.float32], light: bool = False) -> NDArray[np.float32]:
    """(h, w) what (h, w, 4) pixels let through: their alpha where there is any, else how dark or light they are."""
    alpha = image[..., 3]
    if alpha.min() < 0.999:
        return alpha
    luma = np.asarray(image[..., :3] @ np.array([0.2126, 0.7152, 0.0722], np.float32))
    return luma if light else np.asarray(1 - luma)


def _reach(image: NDArray[np.float32]) -> int:
    """How far from the middle of (h, w, 4) pixels something is seen."""
    height, width = image.shape[:2]
    y, x = np.mgrid[:height, :width]
    away = np.hypot(x + 0.5 - width / 2, y + 0.5 - height / 2)
    return int(np.ceil(away[image[..., 3] > SEEN].max(initial=0.0) + 0.5))


def _squared(image: NDArray[np.float32], reach: int) -> NDArray[np.float32]:
    """In the middle of a square whose inscribed circle reaches at least so far."""
    height, width = image.shape[:2]
    side = max(height, width, 2 * reach)
    square = np.zeros((side, side, *image.shape[2:]), np.float32)
    top, left = (side - height) // 2, (side - width) // 2
    square[top : top + height, left : left + width] = image
    return square


def _inside(picture: NDArray[np.float32]) -> tuple[slice, slice]:
    """Where in its square a picture lies: rows and columns that are not empty all along."""
    seen = picture[..., 3] > 0
    rows, columns = np.flatnonzero(seen.any(axis=1)), np.flatnonzero(seen.any(axis=0))
    if not len(rows):
        return slice(0, len(seen)), slice(0, len(seen))
    return slice(int(rows[0]), int(rows[-1]) + 1), slice(int(columns[0]), int(columns[-1]) + 1)


def _noise(rng: np.random.Generator, cells: tuple[int, int]) -> NDArray[np.float64]:
    """Smooth noise 0-1 of (down, across) cells."""
    coarse = rng.random(cells).astype(np.float32)
    return cv2.resize(coarse, (SIDE, SIDE), interpolation=cv2.INTER_CUBIC).clip(0, 1).astype(np.float64)


def _ring_noise(rng: np.random.Generator, angle: NDArray[np.float64]) -> NDArray[np.float64]:
    """Smooth noise -1…1 around a circle."""
    total = np.zeros_like(angle)
    for k in range(2, 9):
        total += rng.normal(0, 0.5 / k) * np.cos(k * angle + rng.uniform(0, 2 * np.pi))
    return np.clip(total, -1, 1)
