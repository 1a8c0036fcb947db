"""The paint socket's binary messages (docs/paint-socket.md), little-endian, versioned by their first byte."""

from __future__ import annotations

import struct

import numpy as np

from ..core.errors import NightmistError
from ..studio.client_updates import Batch, Rectangle
from ..studio.inbox import Samples
from ..studio.messages import PROTOCOL

SAMPLES, PIXELS = 1, 2
SAMPLES_HEAD = struct.Struct("<BBHId")  # version, kind, count, stroke, stamp
PIXELS_HEAD = struct.Struct("<BBHIdIII")  # version, kind, rectangles, batch, stamp, then µs: engine, composite, encode
RECTANGLE = struct.Struct("<HBBHHHH")  # surface, picture, form, x, y, width, height
#: How a rectangle's pixels come.
EVERY_TEXEL, ONE_TEXEL = 0, 1
#: From here on: how many texels along a side have become one, as a power of two.
COARSE_FORM = 1
MAX_SAMPLES = 4096
SAMPLE = 20  # bytes: x, y, pressure, tilt x, y as float32


def read_samples(data: bytes) -> Samples:
    """Pointer samples from the browser. Raises NightmistError for anything else."""
    if len(data) < SAMPLES_HEAD.size:
        raise NightmistError("A message on the paint socket was cut off.")
    version, kind, count, stroke, stamp = SAMPLES_HEAD.unpack_from(data)
    if version != PROTOCOL or kind != SAMPLES:
        raise NightmistError(
            f"The page speaks version {version} of the paint socket, the server {PROTOCOL}. Reload the page."
        )
    if count > MAX_SAMPLES or len(data) != SAMPLES_HEAD.size + SAMPLE * count:
        raise NightmistError("A message of pointer samples has the wrong length.")
    points = np.frombuffer(data, "<f4", 5 * count, SAMPLES_HEAD.size).reshape(count, 5)
    if not np.isfinite(points).all():
        raise NightmistError("A pointer sample is not a number.")
    return Samples(stroke, [tuple(point) for point in points.tolist()], stamp)


def _form(rectangle: Rectangle) -> int:
    shape = rectangle.pixels.shape[:2]
    if shape == (rectangle.height, rectangle.width):
        return EVERY_TEXEL
    return ONE_TEXEL if shape == (1, 1) else COARSE_FORM + (rectangle.width // shape[1]).bit_length() - 1


def write_batch(batch: Batch) -> bytes:
    """A batch of rectangles for the browser."""
    t = batch.timing
    micro = [min(round(part * 1e6), 0xFFFFFFFF) for part in (t.engine, t.composite, t.encode)]
    parts = [PIXELS_HEAD.pack(PROTOCOL, PIXELS, len(batch.rectangles), batch.number, t.stamp, *micro)]
    for r in batch.rectangles:
        parts.append(RECTANGLE.pack(r.surface, r.picture, _form(r), r.x, r.y, r.width, r.height))
        parts.append(r.pixels.tobytes())
    return b"".join(parts)
