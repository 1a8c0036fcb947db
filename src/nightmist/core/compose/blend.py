"""Blend functions B(Cb, Cs) of W3C Compositing and Blending Level 1, on numbers 0-1."""

from __future__ import annotations

from typing import Literal

import numpy as np

from ..kernels import kernel

BlendMode = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light",
    "soft-light", "difference", "exclusion", "add", "subtract", "raise", "hue", "saturation", "color", "luminosity",
]  # fmt: skip

#: Kernels know a mode by its place here; from HUE on, the three channels are blended together.
BLEND_MODES: tuple[BlendMode, ...] = BlendMode.__args__  # type: ignore[attr-defined]
NORMAL, MULTIPLY, SCREEN, EXCLUSION, HUE = 0, 1, 2, 11, 15


@kernel
def separable(mode, cb, cs):  # type: ignore[no-untyped-def]
    """B of one channel, float32; add, subtract and raise (by what differs from 0.5; for data maps) clamp to 0-1."""
    one, two = np.float32(1.0), np.float32(2.0)
    zero, half = np.float32(0.0), np.float32(0.5)
    if mode == 1:
        return cb * cs
    if mode == 2:
        return cb + cs - cb * cs
    if mode == 3:  # overlay is hard light with its arguments swapped
        return two * cb * cs if cb <= half else two * (cb + cs - cb * cs) - one
    if mode == 4:
        return min(cb, cs)
    if mode == 5:
        return max(cb, cs)
    if mode == 6:
        return zero if cb <= zero else (one if cs >= one else min(one, cb / (one - cs)))
    if mode == 7:
        return one if cb >= one else (zero if cs <= zero else one - min(one, (one - cb) / cs))
    if mode == 8:
        return two * cb * cs if cs <= half else two * (cb + cs - cb * cs) - one
    if mode == 9:
        if cs <= half:
            return cb - (one - two * cs) * cb * (one - cb)
        lifted = ((np.float32(16.0) * cb - np.float32(12.0)) * cb + np.float32(4.0)) * cb
        return cb + (two * cs - one) * ((lifted if cb <= np.float32(0.25) else np.sqrt(cb)) - cb)
    if mode == 10:
        return abs(cb - cs)
    if mode == 11:
        return cb + cs - two * cb * cs
    if mode == 12:
        return min(one, cb + cs)
    if mode == 13:
        return max(zero, cb - cs)
    if mode == 14:
        return max(zero, min(one, cb + cs - half))
    return cs


@kernel
def _lum(r, g, b):  # type: ignore[no-untyped-def]
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b


@kernel
def _set_lum(r, g, b, lum):  # type: ignore[no-untyped-def]
    shift = lum - _lum(r, g, b)
    r, g, b = r + shift, g + shift, b + shift
    low, high = min(r, g, b), max(r, g, b)
    if low < 0:
        k = lum / (lum - low)
        r, g, b = lum + (r - lum) * k, lum + (g - lum) * k, lum + (b - lum) * k
    if high > 1:
        k = (np.float32(1.0) - lum) / (high - lum)
        r, g, b = lum + (r - lum) * k, lum + (g - lum) * k, lum + (b - lum) * k
    return r, g, b


@kernel
def _set_sat(r, g, b, sat):  # type: ignore[no-untyped-def]
    low, high = min(r, g, b), max(r, g, b)
    if high <= low:
        return np.float32(0.0), np.float32(0.0), np.float32(0.0)
    k = sat / (high - low)
    return (r - low) * k, (g - low) * k, (b - low) * k


@kernel
def non_separable(mode, br, bg, bb, sr, sg, sb):  # type: ignore[no-untyped-def]
    """B of all three channels: hue, saturation, color, luminosity, from HUE on in that order."""
    lum = _lum(br, bg, bb)
    if mode == HUE:
        r, g, b = _set_sat(sr, sg, sb, max(br, bg, bb) - min(br, bg, bb))
        return _set_lum(r, g, b, lum)
    if mode == HUE + 1:
        r, g, b = _set_sat(br, bg, bb, max(sr, sg, sb) - min(sr, sg, sb))
        return _set_lum(r, g, b, lum)
    if mode == HUE + 2:
        return _set_lum(sr, sg, sb, lum)
    return _set_lum(br, bg, bb, _lum(sr, sg, sb))
