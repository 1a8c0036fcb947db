"""Two normal maps as one."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def combined(base: NDArray[np.uint16], detail: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """(H, W, 3) uint16: tangent-space normals of relief upon relief; 0 and 65535 stand for -1 and 1.

    The detail's normals are turned as the base turns the upright one: Barré-Brisebois and Hill, "Blending in Detail"
    (2012), reoriented normal mapping. Where either is upright, the other comes out unchanged.
    """
    t = base[..., :3].astype(np.float32) / 32767.5 - 1
    t[..., 2] += 1
    u = (detail[..., :3].astype(np.float32) / 32767.5 - 1) * np.array([-1, -1, 1], np.float32)
    normal = t * ((t * u).sum(axis=2, keepdims=True) / np.maximum(t[..., 2:], 1e-6)) - u
    normal /= np.maximum(np.linalg.norm(normal, axis=2, keepdims=True), 1e-6)
    rounded: NDArray[np.uint16] = np.rint((normal + 1) * 32767.5).astype(np.uint16)
    return rounded
