"""Pictures of the harbor to be painted through, made by code: marks with clean edges, and what wear leaves."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import suppress
from hashlib import sha256
from os import getpid
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from ..core.formats.image_files import fit, write_png
from .textures import SIDE, coordinates, even, noise, ramp, tinted

#: Drawn so many times as large as it is kept: edges without steps.
FINE = 4
#: The weight of letters, and how high a capital is in this font, of its size.
BOLD, CAPITAL = 700, 0.7
PAGE = Path(__file__).resolve().parents[3] / "web"
NOTE = "Made by code for Nightmist; free to use."

Pixels = NDArray[np.uint8]
YELLOW, WHITE, INK, RED = (226, 174, 69), (238, 236, 228), (30, 36, 34), (184, 64, 44)


class Sheet:
    """A transparent sheet that is drawn on in the units of the finished picture."""

    def __init__(self, width: int, height: int) -> None:
        self.pixels = np.zeros((height * FINE, width * FINE, 4), np.uint8)

    def box(self, left: float, top: float, right: float, bottom: float, color: tuple[int, int, int]) -> None:
        corner, opposite = (round(left * FINE), round(top * FINE)), (round(right * FINE), round(bottom * FINE))
        cv2.rectangle(self.pixels, corner, opposite, (*color, 255), -1)

    def disk(self, x: float, y: float, radius: float, color: tuple[int, int, int]) -> None:
        cv2.circle(
            self.pixels, (round(x * FINE), round(y * FINE)), round(radius * FINE), (*color, 255), -1, cv2.LINE_AA
        )

    def shape(self, points: list[tuple[float, float]], color: tuple[int, int, int]) -> None:
        cv2.fillPoly(self.pixels, [np.rint(np.array(points) * FINE).astype(np.int32)], (*color, 255), cv2.LINE_8)

    def text(self, words: str, x: float, y: float, height: float, color: tuple[int, int, int]) -> None:
        """Centered at (x, y), capital letters so high, in the page's own font."""
        font = _font(height * FINE)
        left, top, right, bottom = font.getbbox(words, anchor="lt")
        cover = Image.new("L", (int(right) + 1, int(bottom) + 1))
        ImageDraw.Draw(cover).text((0, 0), words, fill=255, font=font, anchor="lt")
        column, row = round(x * FINE - (left + right) / 2), round(y * FINE - (top + bottom) / 2)
        there = self.pixels[row : row + cover.height, column : column + cover.width]
        share = np.asarray(cover, np.float64)[..., None] / 255
        there[...] = np.rint(there + (np.array([*color, 255]) - there) * share)

    def finished(self) -> Pixels:
        """Shrunk to its size, colors weighted by their alpha."""
        size = self.pixels.shape[1] // FINE, self.pixels.shape[0] // FINE
        return np.asarray(fit(self.pixels.astype(np.uint16) * 257, *size) // 257, np.uint8)


def _font(capital: float) -> ImageFont.FreeTypeFont:
    """The font that the page ships, with capitals of a height in pixels."""
    files = sorted(PAGE.glob("dist/assets/instrument-sans-latin-wght-normal*.woff2"))
    files += sorted(PAGE.glob("node_modules/@fontsource-variable/instrument-sans/files/*-latin-wght-normal.woff2"))
    font = ImageFont.truetype(str(files[0]), round(capital / CAPITAL))
    font.set_variation_by_axes([BOLD])
    return font


def _berth_mark() -> Pixels:
    sheet = Sheet(640, 400)
    sheet.box(20, 20, 620, 380, YELLOW)
    sheet.box(40, 40, 600, 360, INK)
    sheet.box(48, 48, 592, 352, YELLOW)
    sheet.text("B 17", 320, 200, 140, INK)
    return sheet.finished()


def _tide_scale() -> Pixels:
    sheet = Sheet(220, 1000)
    for step in range(20):
        top = 980 - 48 * (step + 1)
        sheet.box(20, top + 12, 120 if step % 2 else 80, top + 36, INK if step % 4 < 2 else RED)
        if step % 2:
            sheet.text(f"{step // 2 + 1}", 168, top + 24, 32, INK)
    return sheet.finished()


def _warning_label() -> Pixels:
    sheet = Sheet(560, 480)
    sheet.shape([(280, 12), (548, 468), (12, 468)], INK)
    sheet.shape([(280, 52), (514, 450), (46, 450)], YELLOW)
    sheet.shape([(262, 150), (298, 150), (290, 330), (270, 330)], INK)
    sheet.disk(280, 382, 22, INK)
    return sheet.finished()


def _compass_rose() -> Pixels:
    sheet = Sheet(600, 600)
    for turn in range(8):
        angle, far = np.pi * turn / 4, 280 if turn % 2 == 0 else 170
        way = np.array([np.sin(angle), -np.cos(angle)])
        side = np.array([way[1], -way[0]])
        middle = np.array([300.0, 300.0])
        tip, waist = middle + far * way, middle + 60 * way
        for sign, color in ((1, INK), (-1, WHITE)):
            corner = waist + sign * 34 * side
            sheet.shape([tuple(middle), tuple(corner), tuple(tip)], color)
    return sheet.finished()


def _rust_run() -> Pixels:
    """A stain that runs down from its source and thins out."""
    v, u = (np.mgrid[:SIDE, :SIDE] + 0.5) / SIDE
    drift = 0.06 * (noise(31, 200, stretch=6)[:, :1] - 0.5)
    reach = 0.30 - 0.24 * v**0.7 + 0.05 * (noise(32, 50, stretch=8) - 0.5)
    cover = ramp(reach - np.abs(u - 0.5 - drift), 0.0, 0.10)
    streaks = noise(33, 26, 0.4, stretch=20)
    cover *= (1 - v) ** 0.8 * (0.45 + 0.55 * streaks) * ramp(v, 0.0, 0.03)
    color = tinted(0.6 * streaks + 0.4 * noise(34, 60), ["#4a2414", "#7d3d1f", "#9c5526"])
    return _as_bytes(color, cover)


def _scratches() -> Pixels:
    """Gray: white where a plate is scratched."""
    fine = np.zeros((SIDE, SIDE), np.uint8)
    rng = np.random.default_rng(35)
    for _ in range(90):
        start, angle, length = rng.uniform(0, SIDE, 2), rng.normal(0.5, 0.5), rng.gamma(2, 45)
        end = start + length * np.array([np.cos(angle), np.sin(angle)])
        light = int(rng.uniform(90, 255))
        cv2.line(fine, tuple(np.rint(start).astype(int)), tuple(np.rint(end).astype(int)), light, 1, cv2.LINE_AA)
    return np.asarray(cv2.GaussianBlur(fine, (0, 0), 0.6), np.uint8)


def _barnacle_cluster() -> Pixels:
    """Shells on nothing: light domes with a dark mouth, the nearer ones over the farther."""
    rng = np.random.default_rng(36)
    v, u = coordinates()
    color, cover = np.zeros((SIDE, SIDE, 3)), np.zeros((SIDE, SIDE))
    for _ in range(150):
        y, x = np.clip(rng.normal(0.5, 0.17, 2), 0.08, 0.92)
        size = float(np.clip(rng.lognormal(-3.4, 0.35), 0.014, 0.07))
        near = tuple(slice(max(int((c - 1.3 * size) * SIDE), 0), int((c + 1.3 * size) * SIDE) + 2) for c in (y, x))
        down, across = (v - y)[near], (u - x)[near]
        away = np.hypot(across, down * rng.uniform(0.85, 1.15)) / size
        ribs = 0.06 * np.cos(rng.integers(7, 12) * np.arctan2(down, across))
        inside = ramp(1 + ribs - away, 0.0, 0.12)
        light = 0.45 + 0.5 * ramp(1 - away, 0.0, 0.7) + ribs - 0.75 * ramp(0.34 - away, 0.0, 0.1)
        shell = np.array([0.74, 0.71, 0.62]) * rng.uniform(0.85, 1.05)
        color[near] += (light[..., None] * shell - color[near]) * inside[..., None]
        cover[near] = np.maximum(cover[near], inside)
    return _as_bytes(color, cover)


def _weed_edge() -> Pixels:
    """Blades that hang from the upper side, as along a waterline."""
    rng = np.random.default_rng(37)
    sheet = Sheet(SIDE, SIDE)
    for _ in range(520):
        x, long = rng.uniform(-10, SIDE + 10), float(np.clip(rng.gamma(3, 52), 40, 480))
        bend, wide = rng.normal(0, 26), rng.uniform(3, 8)
        t = np.linspace(0, 1, 14)
        middle = x + bend * t**1.6 + 4 * np.sin(6 * t + rng.uniform(0, 6))
        half = wide * (1 - t) ** 0.7 + 0.4
        sides = [
            *zip(middle - half, long * t - 12, strict=True),
            *zip((middle + half)[::-1], long * t[::-1] - 12, strict=True),
        ]
        green = np.array([(60, 74, 40), (76, 90, 51), (47, 58, 36), (107, 106, 52)][int(rng.integers(4))])
        r, g, b = np.clip(green * rng.uniform(0.8, 1.15), 0, 255).astype(int).tolist()
        sheet.shape([(float(a), float(c)) for a, c in sides], (r, g, b))
    return sheet.finished()


def _rope_weave() -> Pixels:
    """Gray heights of strands laid side by side, over and under; it tiles."""
    v, u = coordinates()
    found = np.zeros((SIDE, SIDE))
    for across, down in ((u, v), (v, u)):
        strand = across * 8
        crown = np.sqrt(np.clip(1 - (2 * (strand % 1) - 1) ** 2, 0, 1))
        over = 0.5 + 0.5 * np.cos(2 * np.pi * (4 * down + 0.5 * np.floor(strand)) + (0 if across is u else np.pi))
        twist = 0.08 * np.cos(2 * np.pi * (24 * down + 2 * strand))
        found = np.maximum(found, crown * (0.35 + 0.6 * over) + twist * crown)
    return np.rint(np.clip(found, 0, 1) * 255).astype(np.uint8)


def _chipped_paint() -> Pixels:
    """Gray: white where the paint is off, in flakes with sharp edges."""
    flakes = 0.75 * noise(38, 90, 0.9) + 0.25 * noise(39, 14, 0.3)
    return np.rint(ramp(even(flakes), 0.80, 0.815) * 255).astype(np.uint8)


def _numerals() -> Pixels:
    sheet = Sheet(1292, 220)
    for number in range(10):
        sheet.text(str(number), 70 + 128 * number, 110, 120, INK)
    return sheet.finished()


def _letters() -> Pixels:
    sheet = Sheet(1460, 360)
    for number, letter in enumerate("ABCDEFGHIJKLMNOPQRSTUVWXYZ"):
        sheet.text(letter, 70 + 110 * (number % 13), 95 + 170 * (number // 13), 84, INK)
    return sheet.finished()


def _as_bytes(color: NDArray[np.float64], cover: NDArray[np.float64]) -> Pixels:
    return np.rint(np.clip(np.dstack([color, cover]), 0, 1) * 255).astype(np.uint8)


STENCILS: Mapping[str, Callable[[], Pixels]] = {
    "Berth mark": _berth_mark, "Tide scale": _tide_scale, "Warning label": _warning_label,
    "Compass rose": _compass_rose, "Rust run": _rust_run, "Scratched plate": _scratches, "Numerals": _numerals,
    "Letters": _letters, "Barnacle cluster": _barnacle_cluster, "Weed edge": _weed_edge, "Rope weave": _rope_weave,
    "Chipped paint": _chipped_paint,
}  # fmt: skip


#: PNGs of those that were asked for, by name.
_drawn: dict[str, bytes] = {}


def shipped_stencil(name: str) -> bytes:
    """PNG of one of them."""
    if name not in _drawn:
        _drawn[name] = write_png(STENCILS[name]())
    return _drawn[name]


def draw_all(folder: Path) -> None:
    """Have all of them at hand. Drawing takes seconds, so a folder keeps what the code, as it is now, has drawn."""
    code = b"".join(Path(__file__).with_name(name).read_bytes() for name in ("stencils.py", "textures.py"))
    kept = folder / sha256(code).hexdigest()[:16]
    for name in STENCILS:
        path = kept / f"{name}.png"
        if path.exists():
            _drawn[name] = path.read_bytes()
            continue
        fresh = shipped_stencil(name)
        # A folder that cannot be written costs those seconds again, nothing else.
        with suppress(OSError):
            kept.mkdir(parents=True, exist_ok=True)
            # Another server may be at it, too.
            part = path.with_suffix(f".{getpid()}")
            part.write_bytes(fresh)
            part.replace(path)
