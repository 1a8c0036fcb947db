"""Pictures of the harbor to be painted through, made by code: marks with clean edges, and what wear leaves."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import cv2
import numpy as np
from numpy.typing import NDArray

from ..core.formats.image_files import fit, write_png
from .textures import SIDE, noise, ramp, tinted

#: Drawn so many times as large as it is kept: edges without steps.
FINE = 4
#: Strokes of letters, by their height.
BOLD = 0.16
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

    def text(
        self, words: str, x: float, y: float, height: float, color: tuple[int, int, int], bold: float = 0.16
    ) -> None:
        """Centered at (x, y)."""
        scale, thick = height * FINE / 22, max(1, round(height * bold * FINE))
        (wide, tall), _ = cv2.getTextSize(words, cv2.FONT_HERSHEY_SIMPLEX, scale, thick)
        at = (round(x * FINE - wide / 2), round(y * FINE + tall / 2))
        cv2.putText(self.pixels, words, at, cv2.FONT_HERSHEY_SIMPLEX, scale, (*color, 255), thick, cv2.LINE_8)

    def finished(self) -> Pixels:
        """Shrunk to its size, colors weighted by their alpha."""
        size = self.pixels.shape[1] // FINE, self.pixels.shape[0] // FINE
        return np.asarray(fit(self.pixels.astype(np.uint16) * 257, *size) // 257, np.uint8)


def _berth_mark() -> Pixels:
    sheet = Sheet(640, 400)
    sheet.box(20, 20, 620, 380, YELLOW)
    sheet.box(40, 40, 600, 360, INK)
    sheet.box(48, 48, 592, 352, YELLOW)
    sheet.text("B 17", 320, 200, 150, INK)
    return sheet.finished()


def _tide_scale() -> Pixels:
    sheet = Sheet(220, 1000)
    for step in range(20):
        top = 980 - 48 * (step + 1)
        sheet.box(20, top + 12, 120 if step % 2 else 80, top + 36, INK if step % 4 < 2 else RED)
        if step % 2:
            sheet.text(f"{step // 2 + 1}", 168, top + 24, 34, INK)
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
    return np.rint(np.dstack([color, np.clip(cover, 0, 1)]) * 255).astype(np.uint8)


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


STENCILS: Mapping[str, Callable[[], Pixels]] = {
    "Berth mark": _berth_mark, "Tide scale": _tide_scale, "Warning label": _warning_label,
    "Compass rose": _compass_rose, "Rust run": _rust_run, "Scratches": _scratches,
}  # fmt: skip


def shipped_stencil(name: str) -> bytes:
    """PNG of one of them."""
    return write_png(STENCILS[name]())
