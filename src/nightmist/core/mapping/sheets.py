"""Several pictures looked up at one place together: those of one size lie interleaved, so places are found once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel
from .pyramid import Pyramid, corner_of, folded

#: Channels are looked at so many at once; what is left over of a pixel is padding.
AT_ONCE = 4
#: The alpha of what is opaque all over.
FULL = 65535


@dataclass(frozen=True)
class Sheets:
    """data: uint16, sheet after sheet, each as the pyramid of one picture with the channels of all in it, padded.

    starts: (sheets, levels) where each level begins. sizes: (sheets, levels, 2) width, height. levels, channels:
    (sheets,). places: (pictures, 4) of each picture its sheet, its first channel there, how many it has, its alpha's.
    """

    data: NDArray[np.uint16]
    starts: NDArray[np.int64]
    sizes: NDArray[np.int64]
    levels: NDArray[np.int64]
    channels: NDArray[np.int64]
    places: NDArray[np.int64]

    @property
    def nbytes(self) -> int:
        """What they take."""
        return self.data.nbytes


def sheets_of(pyramids: Sequence[Pyramid]) -> Sheets:
    """Pictures, in their order, as sheets; the same picture twice lies there once."""
    groups: dict[bytes, list[Pyramid]] = {}
    for pyramid in pyramids:
        group = groups.setdefault(pyramid.sizes.tobytes(), [])
        if not any(pyramid is known for known in group):
            group.append(pyramid)
    keys, sheets = list(groups), list(groups.values())
    held = [sum(pyramid.channels for pyramid in group) for group in sheets]
    # Behind the pictures the alpha of those that have none.
    bare = [any(pyramid.channels == 1 for pyramid in group) for group in sheets]
    channels = [-(-(count + one) // AT_ONCE) * AT_ONCE for count, one in zip(held, bare, strict=True)]
    places = np.zeros((len(pyramids), 4), np.int64)
    for number, pyramid in enumerate(pyramids):
        sheet = keys.index(pyramid.sizes.tobytes())
        before = next(i for i, known in enumerate(sheets[sheet]) if known is pyramid)
        first = sum(known.channels for known in sheets[sheet][:before])
        alpha = held[sheet] if pyramid.channels == 1 else first + pyramid.channels - 1
        places[number] = sheet, first, pyramid.channels, alpha
    most = max(len(group[0].sizes) for group in sheets)
    starts, sizes = np.zeros((len(sheets), most), np.int64), np.zeros((len(sheets), most, 2), np.int64)
    parts: list[NDArray[np.uint16]] = []
    begin = 0
    for sheet, group in enumerate(sheets):
        for level, (width, height) in enumerate(group[0].sizes.tolist()):
            starts[sheet, level], sizes[sheet, level] = begin, (width, height)
            part = np.full((width * height, channels[sheet]), FULL, np.uint16)
            part[:, : held[sheet]] = np.concatenate([_pixels(pyramid, level) for pyramid in group], axis=1)
            parts.append(part.ravel())
            begin += part.size
    levels = np.array([len(group[0].sizes) for group in sheets], np.int64)
    return Sheets(np.concatenate(parts), starts, sizes, levels, np.array(channels, np.int64), places)


def _pixels(pyramid: Pyramid, level: int) -> NDArray[np.uint16]:
    """(pixels, channels) of a level."""
    count = int(pyramid.sizes[level].prod()) * pyramid.channels
    return pyramid.data[pyramid.starts[level] : pyramid.starts[level] + count].reshape(-1, pyramid.channels)


@kernel
def _add_four(data, p00, p01, p10, p11, w00, w01, w10, w11, sums, sheet, first):  # type: ignore[no-untyped-def]
    a0, a1, a2, a3 = (
        np.float32(data[p00]),
        np.float32(data[p00 + np.uint64(1)]),
        np.float32(data[p00 + np.uint64(2)]),
        np.float32(data[p00 + np.uint64(3)]),
    )
    b0, b1, b2, b3 = (
        np.float32(data[p01]),
        np.float32(data[p01 + np.uint64(1)]),
        np.float32(data[p01 + np.uint64(2)]),
        np.float32(data[p01 + np.uint64(3)]),
    )
    c0, c1, c2, c3 = (
        np.float32(data[p10]),
        np.float32(data[p10 + np.uint64(1)]),
        np.float32(data[p10 + np.uint64(2)]),
        np.float32(data[p10 + np.uint64(3)]),
    )
    d0, d1, d2, d3 = (
        np.float32(data[p11]),
        np.float32(data[p11 + np.uint64(1)]),
        np.float32(data[p11 + np.uint64(2)]),
        np.float32(data[p11 + np.uint64(3)]),
    )
    s0 = w00 * a0 + w01 * b0 + w10 * c0 + w11 * d0
    s1 = w00 * a1 + w01 * b1 + w10 * c1 + w11 * d1
    s2 = w00 * a2 + w01 * b2 + w10 * c2 + w11 * d2
    s3 = w00 * a3 + w01 * b3 + w10 * c3 + w11 * d3
    sums[sheet, first] += s0
    sums[sheet, first + 1] += s1
    sums[sheet, first + 2] += s2
    sums[sheet, first + 3] += s3


@kernel
def add_sample(data, starts, sizes, levels, strides, sheet, u, v, level, wrap, weight, sums):  # type: ignore[no-untyped-def]
    """Add a weighted sample of all channels of a sheet at (u, v), as `take_colors` of `pyramid.py` takes it.

    sums: (sheets, channels) float32.
    """
    channels = strides[sheet]
    level = min(max(level, np.float32(0.0)), np.float32(levels[sheet] - 1))
    low = int(level)
    fine = np.float32(level - low)
    u, v = folded(u, wrap), folded(v, wrap)
    one = np.float32(1.0)
    for k in range(2):
        share = fine if k == 1 else one - fine
        if share <= 0:
            continue
        width, height = sizes[sheet, low + k, 0], sizes[sheet, low + k, 1]
        p00, p01, p10, p11, w00, w01, w10, w11 = corner_of(width, height, u, v, wrap)
        scale = share * weight
        w00, w01, w10, w11 = w00 * scale, w01 * scale, w10 * scale, w11 * scale
        begin = starts[sheet, low + k]
        # Unsigned: an index that may count from the end costs a comparison each.
        p00, p01 = np.uint64(begin + p00 * channels), np.uint64(begin + p01 * channels)
        p10, p11 = np.uint64(begin + p10 * channels), np.uint64(begin + p11 * channels)
        for first in range(0, channels, 4):
            f = np.uint64(first)
            _add_four(data, p00 + f, p01 + f, p10 + f, p11 + f, w00, w01, w10, w11, sums, sheet, first)
