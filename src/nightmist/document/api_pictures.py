"""What scripts make of pictures."""

from __future__ import annotations

from pathlib import Path

from ..core.errors import NightmistError
from ..core.formats.bundle import read_file
from ..core.formats.image_files import read_picture, write_png
from ..core.mapping.cutout import keyed_out
from .values import hex_channels
from .values.parts import Cutout


def key_out(
    path: str | Path, color: str, tolerance: float = 0.1, out: str | Path = "keyed.png", softness: float = 0.1,
    despill: bool = True,
) -> Path:  # fmt: skip
    """Write a picture without its background, of one color, as PNG (see `keyed_out`); returns where.

    tolerance, softness: shares of the way from black to white. Raises NightmistError for what is no picture, no color.
    """
    cutout = Cutout(key=color, tolerance=tolerance, softness=softness, despill=despill)
    picture = read_picture(Path(path).name, read_file(Path(path)), upright=True)
    made = keyed_out(picture, hex_channels(color), cutout.tolerance, cutout.softness, cutout.despill)
    try:
        Path(out).write_bytes(write_png(made))
    except OSError as error:
        raise NightmistError(f"{out} cannot be written: {error.strerror}.") from error
    return Path(out)
