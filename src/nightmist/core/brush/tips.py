"""Pictures that a tip lets paint through, made by code: gray, 0-1, bright lets through."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..formats.image_files import fit, read_picture

SIDE = 128
#: The longer side of a picture of one's own, at most.
LARGEST = 1024
#: Texels of a tip's picture for a pixel that it covers, and the fewest along its side.
FINER, MIP = 2.0, 16

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


def tip_from_picture(name: str, data: bytes) -> NDArray[np.float32]:
    """A square float32 of a painter's own picture: its alpha where it has any, else how dark it is.

    The picture keeps its proportions, in the middle; its longer side is at most LARGEST.
    """
    read = read_picture(name, data, upright=True)
    height, width = read.shape[:2]
    scale = min(1.0, LARGEST / max(width, height))
    image = fit(read, max(1, round(width * scale)), max(1, round(height * scale))).astype(np.float32) / 65535
    through = image[..., 3]
    if through.min() >= 0.999:
        through = 1 - image[..., :3] @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    side = max(through.shape)
    square = np.zeros((side, side), np.float32)
    top, left = (side - through.shape[0]) // 2, (side - through.shape[1]) // 2
    square[top : top + through.shape[0], left : left + through.shape[1]] = through
    return square


def as_fine_as(picture: NDArray[np.float32], radius: float) -> NDArray[np.float32]:
    """A tip's picture averaged down to what a radius in pixels can show, so that small tips do not flicker."""
    side = max(MIP, round(2 * radius * FINER))
    if side >= picture.shape[0]:
        return picture
    return cv2.resize(picture, (side, side), interpolation=cv2.INTER_AREA).astype(np.float32)


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
