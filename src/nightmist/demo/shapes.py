"""Turned bodies and tubes with UVs: each piece is a grid that lies flat as one rectangle."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Vectors = NDArray[np.float64]


@dataclass
class Patch:
    """A grid of points that is flattened as a rectangle of real size, or as a disc.

    points: (rows + 1, columns + 1, 3). width, height: of its place in the map, model units. rounded: (rows + 1,
    columns + 1, 2) places inside that rectangle in 0-1, when it is no plain grid.
    """

    part: str
    points: Vectors
    width: float
    height: float
    rounded: Vectors | None = None


def turned(
    part: str,
    profile: list[tuple[float, float]],
    sides: int,
    rows: int,
    pieces: int = 1,
    smooth: bool = False,
) -> list[Patch]:
    """A body turned about +y from a profile of (radius, height), listed from top to bottom; outside faces out.

    It is cut into `pieces` sectors, so that it packs well.
    """
    line = _spread(np.array(profile, np.float64), rows, smooth)
    angles = np.linspace(0, 2 * np.pi, sides + 1)
    step = sides // pieces
    return [_sector(part, line, angles[k * step : (k + 1) * step + 1]) for k in range(pieces)]


def _sector(part: str, line: Vectors, angle: Vectors) -> Patch:
    points = np.stack(
        [
            line[:, :1] * np.sin(angle),
            np.repeat(line[:, 1:], len(angle), axis=1),
            line[:, :1] * np.cos(angle),
        ],
        axis=2,
    )
    length = np.linalg.norm(np.diff(line, axis=0), axis=1)
    # The mean circumference weighted by length keeps the rectangle's area that of the body.
    around = float(angle[-1] - angle[0]) * float(((line[1:, 0] + line[:-1, 0]) / 2 * length).sum() / length.sum())
    return Patch(part, points, around, float(length.sum()))


def disc(part: str, radius: float, y: float, sides: int, rings: int, up: bool) -> Patch:
    """A flat or slightly open round lid, flattened as the disc it is."""
    angle = np.linspace(0, 2 * np.pi, sides + 1) * (1 if up else -1)
    r = np.linspace(0, radius, rings + 1)[:, None]
    points = np.stack([r * np.sin(angle), np.full((rings + 1, sides + 1), y), r * np.cos(angle)], axis=2)
    # A lid is seen from outside: the lower one from below, with left and right changed.
    across = np.sin(angle) * (1 if up else -1)
    flat = np.stack([0.5 + r / radius * across / 2, 0.5 + r / radius * np.cos(angle) / 2], axis=2)
    return Patch(part, points, 2 * radius, 2 * radius, flat)


def tube(part: str, path: Vectors, radius: float, sides: int) -> Patch:
    """A round bar along (n, 3) points; a path that returns to its first point makes a ring."""
    closed = np.allclose(path[0], path[-1])
    ahead = np.gradient(path, axis=0)
    if closed:
        ahead[0] = ahead[-1] = path[1] - path[-2]
    ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
    # A fixed hint instead of a carried frame: our bars never run along it, and rings close without a twist.
    hint = np.array([0.0, 1.0, 0.0]) if np.abs(ahead[:, 1]).max() < 0.9 else np.array([0.0, 0.0, 1.0])
    side = np.cross(ahead, hint)
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    other = np.cross(side, ahead)
    angle = np.linspace(0, 2 * np.pi, sides + 1)[None, :, None]
    points = path[:, None] + radius * (np.cos(angle) * side[:, None] + np.sin(angle) * other[:, None])
    return Patch(part, points, 2 * np.pi * radius, float(np.linalg.norm(np.diff(path, axis=0), axis=1).sum()))


def _spread(profile: Vectors, rows: int, smooth: bool) -> Vectors:
    """A profile resampled to rows + 1 points, keeping its corners unless it is to be smooth."""
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(profile, axis=0), axis=1))])
    at = np.linspace(0, length[-1], rows + 1)
    if not smooth:
        for corner in length[1:-1]:
            at[1 + np.argmin(np.abs(at[1:-1] - corner))] = corner
    return np.column_stack([np.interp(at, length, profile[:, k]) for k in range(2)])


def pack(patches: list[Patch], margin: float) -> list[tuple[float, float, float]]:
    """Shelves in the unit square: for each patch its left, top, and the scale common to all."""
    low, high = 0.0, 1.0 / max(max(p.width, p.height) for p in patches)
    best: list[tuple[float, float]] | None = None
    for _ in range(40):
        scale = (low + high) / 2
        placed = _shelves(patches, scale, margin)
        if placed is None:
            high = scale
        else:
            low, best = scale, placed
    if best is None:
        raise ValueError("the margin leaves no room for the patches")
    return [(x, y, low) for x, y in best]


def _shelves(patches: list[Patch], scale: float, margin: float) -> list[tuple[float, float]] | None:
    order = sorted(range(len(patches)), key=lambda i: -patches[i].height)
    places: list[tuple[float, float]] = [(0, 0)] * len(patches)
    x = y = margin
    shelf = 0.0
    for i in order:
        width, height = patches[i].width * scale, patches[i].height * scale
        if x + width + margin > 1:
            x, y, shelf = margin, y + shelf + margin, 0.0
        if x + width + margin > 1 or y + height + margin > 1:
            return None
        places[i] = (x, y)
        x, shelf = x + width + margin, max(shelf, height)
    return places
