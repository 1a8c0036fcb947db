"""Several pictures looked up at one place together: those of one size lie interleaved, so places are found once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .pyramid import Pyramid

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
    def words(self) -> tuple[NDArray[np.uint64], NDArray[np.int64], NDArray[np.int64]]:
        """Four channels at once, the first lowest; where each level begins among them; how many a pixel has."""
        return self.data.view(np.uint64), self.starts // AT_ONCE, self.channels // AT_ONCE

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
            begin += width * height * channels[sheet]
        parts += [group[0].data] if group[0].channels == channels[sheet] else _interleaved(group, channels[sheet])
    levels = np.array([len(group[0].sizes) for group in sheets], np.int64)
    data = parts[0] if len(parts) == 1 else np.concatenate(parts)
    return Sheets(data, starts, sizes, levels, np.array(channels, np.int64), places)


def _interleaved(group: list[Pyramid], channels: int) -> list[NDArray[np.uint16]]:
    """Level after level, the channels of all pictures of a sheet, padded to so many."""
    parts = []
    for level, size in enumerate(group[0].sizes):
        part = np.full((size.prod(), channels), FULL, np.uint16)
        pixels = np.concatenate([_pixels(pyramid, level) for pyramid in group], axis=1)
        part[:, : pixels.shape[1]] = pixels
        parts.append(part.ravel())
    return parts


def _pixels(pyramid: Pyramid, level: int) -> NDArray[np.uint16]:
    """(pixels, channels) of a level."""
    count = int(pyramid.sizes[level].prod()) * pyramid.channels
    return pyramid.data[pyramid.starts[level] : pyramid.starts[level] + count].reshape(-1, pyramid.channels)
