"""What a program makes, as texels of a layer: straight colors, rounded once."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..kernels import in_two_threads, kernel


def unpremultiplied(colors: NDArray[np.float32], cover: NDArray[np.float32]) -> NDArray[np.uint16]:
    """(n, h, w, channels + 1) straight texels, alpha last, of (n, h, w, channels) colors that are premultiplied.

    cover: (n, h, w) alpha. Both may lie a little beyond 0 to 1; where alpha rounds to 0, so does the color.
    """
    made = np.empty((*cover.shape, colors.shape[3] + 1), np.uint16)
    in_two_threads(len(cover), lambda a, b: _unpremultiply(colors[a:b], cover[a:b], made[a:b]))
    return made


@kernel
def _unpremultiply(colors, cover, made):  # type: ignore[no-untyped-def]
    one, zero, full, half = np.float32(1.0), np.float32(0.0), np.float32(65535.0), np.float32(0.5)
    count, height, width = cover.shape
    last = colors.shape[3]
    for i in range(count):
        for y in range(height):
            for x in range(width):
                alpha = np.uint16(min(max(cover[i, y, x], zero), one) * full + half)
                made[i, y, x, last] = alpha
                scale = one / max(cover[i, y, x], np.float32(1e-9)) if alpha > 0 else zero
                for c in range(last):
                    made[i, y, x, c] = np.uint16(min(max(colors[i, y, x, c] * scale, zero), one) * full + half)
