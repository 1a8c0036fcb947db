"""What adjustments do to numbers, as tables for kernels: an effect's kind, then its numbers.

TABLE: (1 + FINE + 1,) what each of FINE + 1 numbers from 0 to 1 becomes, straight lines between. GRAY: the same of the
color's gray, which values of other maps take over. TONE: hue shift in turns, factor of the saturation, lightness added.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator

from ..errors import NightmistError
from ..kernels import inlined

TABLE, GRAY, TONE = 0, 1, 2
FINE = 4096


def levels(black: float, white: float, gamma: float, low: float = 0.0, high: float = 1.0) -> NDArray[np.float64]:
    """(FINE + 1,) black to white stretched to low to high, middle tones lifted by gamma above 1."""
    if not black < white:
        raise NightmistError(f"Levels need black below white; {black:g} is not below {white:g}.")
    if not 0.01 <= gamma <= 100:
        raise NightmistError(f"Levels take a gamma from 0.01 to 100, not {gamma:g}.")
    share = np.clip((np.linspace(0, 1, FINE + 1) - black) / (white - black), 0, 1) ** (1 / gamma)
    return np.asarray(low + (high - low) * share)


def curve(points: Sequence[Sequence[float]]) -> NDArray[np.float64]:
    """(FINE + 1,) through points (x, y), without overshoot (Fritsch and Carlson 1980), level beyond the outermost."""
    xy = np.asarray(points, np.float64)
    if xy.ndim != 2 or len(xy) < 2 or (np.diff(xy[:, 0]) <= 0).any():
        raise NightmistError("A curve needs two points or more, from left to right.")
    x = np.clip(np.linspace(0, 1, FINE + 1), xy[0, 0], xy[-1, 0])
    return np.asarray(np.clip(PchipInterpolator(xy[:, 0], xy[:, 1])(x), 0, 1))


def table_effect(table: NDArray[np.float64], gray: bool = False) -> NDArray[np.float32]:
    """Numbers become what a table says; gray: values become what the color's gray becomes."""
    return np.concatenate([[GRAY if gray else TABLE], table]).astype(np.float32)


def tone_effect(hue: float, saturation: float, lightness: float) -> NDArray[np.float32]:
    """hue: degrees. saturation, lightness: -1 to 1, 0 leaves colors as they are."""
    return np.array([TONE, hue / 360, 1 + saturation, lightness], np.float32)


@inlined
def from_table(effect, x):  # type: ignore[no-untyped-def]
    """What a number 0-1 becomes."""
    place = min(max(x, np.float32(0.0)), np.float32(1.0)) * np.float32(FINE)
    low = min(int(place), FINE - 1)
    share = place - np.float32(low)
    return effect[1 + low] + (effect[2 + low] - effect[1 + low]) * share


@inlined
def toned(turn, dulls, lift, r, g, b):  # type: ignore[no-untyped-def]
    """A color turned in hue, and its saturation and lightness changed (HSL, as CSS Color 4 defines it)."""
    one, half, zero, least = np.float32(1.0), np.float32(0.5), np.float32(0.0), np.float32(1e-7)
    high, low = max(r, g, b), min(r, g, b)
    light, span = (high + low) * half, high - low
    # Nothing is decided but between numbers, so that many texels are turned at once; what is gray has no saturation.
    dull = span / max(one - abs(high + low - one), least) if span > least else zero
    near_red, near_green, near_blue = g - b, b - r, r - g
    from_red = near_red if high == r else (near_green if high == g else near_blue)
    hue = zero if high == r else (np.float32(2.0) if high == g else np.float32(4.0))
    hue += from_red / max(span, least)
    hue = hue / np.float32(6.0) + turn
    hue -= np.floor(hue)
    dull = min(max(dull * dulls, zero), one)
    light = min(max(light + lift, zero), one)
    a = dull * min(light, one - light)
    return (
        _channel(zero, hue, light, a),
        _channel(np.float32(8.0), hue, light, a),
        _channel(np.float32(4.0), hue, light, a),
    )


@inlined
def _channel(n, hue, light, a):  # type: ignore[no-untyped-def]
    k = n + hue * np.float32(12.0)
    k -= np.floor(k / np.float32(12.0)) * np.float32(12.0)
    return light - a * max(np.float32(-1.0), min(k - np.float32(3.0), np.float32(9.0) - k, np.float32(1.0)))
