"""A picture that lies on a model by some UVs, as a picture for other UVs of the same faces."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from .ownership import Ownership, affine

#: Rows that are looked up at once: the tables of places stay small.
BAND = 512


def resampled(
    picture: NDArray[np.uint16], own: Ownership, uv: NDArray[np.float64], old_uv: NDArray[np.float64]
) -> NDArray[np.uint16]:
    """(H, W, channels) uint16: each texel shows what `picture`, which repeats, shows at the same place of its face.

    picture: (h, w, channels). own: who owns the texels that are asked for. uv, old_uv: (faces, 3, 2) of own's faces,
    where 0-1 is the whole of the new and of the old picture, v down. Bilinear; a picture that is finer than the
    texels is averaged to their size first. Texels that no face owns are 0.
    """
    if not len(own.faces):
        return np.zeros((own.height, own.width, picture.shape[2]), np.uint16)
    to_old = affine(uv * (own.width, own.height), old_uv)
    source = _as_fine_as(picture, to_old)
    height, width = source.shape[:2]
    owner = own.owner()
    out = np.zeros((own.height, own.width, source.shape[2]), np.uint16)
    x = np.arange(own.width) + 0.5
    for top in range(0, own.height, BAND):
        owned = owner[top : top + BAND]
        row, column = np.nonzero(owned >= 0)
        if not len(row):
            continue
        m = to_old[owned[row, column]]
        place = m[:, 0:2] * x[column, None] + m[:, 2:4] * (top + row[:, None] + 0.5) + m[:, 4:6]
        out[top + row, column] = _looked_up(source, (place % 1) * (width, height) - 0.5)
    return out


def turned_normals(
    normals: NDArray[np.uint16], own: Ownership, corners: NDArray[np.float64],
    uv: NDArray[np.float64], old_uv: NDArray[np.float64],
) -> NDArray[np.uint16]:  # fmt: skip
    """(H, W, 3+) tangent-space normals (+Y up) that were made for `old_uv`, turned into the frame of `uv`.

    corners: (faces, 3, 3) in space. A frame is the tangent along +u and the bitangent along -v (glTF 2.0, 3.9.3).
    """
    turn = np.einsum("fij,fkj->fik", _frames(corners, uv), _frames(corners, old_uv))
    out = normals.copy()
    owner = own.owner()
    row, column = np.nonzero(owner >= 0)
    m = turn[owner[row, column]]
    flat = normals[row, column, :2] / 32767.5 - 1
    turned = np.einsum("nij,nj->ni", m, flat)
    out[row, column, :2] = np.rint(np.clip((turned + 1) * 32767.5, 0, 65535)).astype(np.uint16)
    return out


def _frames(corners: NDArray[np.float64], uv: NDArray[np.float64]) -> NDArray[np.float64]:
    """(faces, 2, 3): unit tangents and bitangents."""
    slopes = affine(uv, corners)
    tangent = slopes[:, 0:3]
    tangent = tangent / np.maximum(np.linalg.norm(tangent, axis=1, keepdims=True), 1e-30)
    up = -slopes[:, 3:6]
    up = up - (up * tangent).sum(axis=1, keepdims=True) * tangent
    up = up / np.maximum(np.linalg.norm(up, axis=1, keepdims=True), 1e-30)
    return np.stack([tangent, up], axis=1)


def _as_fine_as(picture: NDArray[np.uint16], to_old: NDArray[np.float64]) -> NDArray[np.uint16]:
    """The picture, averaged down to where one of its pixels is a texel of the median face."""
    height, width = picture.shape[:2]
    steps = np.abs(to_old[:, :4].reshape(-1, 2, 2))
    across, down = (float(np.median(np.hypot(steps[:, 0, k], steps[:, 1, k]))) for k in (0, 1))
    new_width = max(min(width, round(1 / across) if across > 1 / width else width), 1)
    new_height = max(min(height, round(1 / down) if down > 1 / height else height), 1)
    if (new_width, new_height) == (width, height):
        return picture
    shrunk = cv2.resize(picture, (new_width, new_height), interpolation=cv2.INTER_AREA)
    return shrunk.reshape(new_height, new_width, -1).astype(np.uint16)


def _looked_up(source: NDArray[np.uint16], place: NDArray[np.float64]) -> NDArray[np.uint16]:
    """(n, channels) bilinear samples at (n, 2) pixel places; the source repeats."""
    height, width = source.shape[:2]
    low = np.floor(place).astype(np.int64)
    share = (place - low).astype(np.float32)
    total = np.zeros((len(place), source.shape[2]), np.float32)
    for right in (0, 1):
        for below in (0, 1):
            weight = np.abs(1 - right - share[:, 0]) * np.abs(1 - below - share[:, 1])
            total += weight[:, None] * source[(low[:, 1] + below) % height, (low[:, 0] + right) % width]
    return np.rint(total).astype(np.uint16)
