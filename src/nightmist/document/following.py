"""Pictures that are what is painted follow it: with each change they become another value in the same undo step."""

from __future__ import annotations

import numpy as np

from ..core.formats.image_files import write_png
from ..core.texels import Raster
from .change import Change, raster_id
from .composed import Composed
from .derived.pictures import whole
from .derived.tables import empty_table, table_of
from .values import AnyValue, Picture


def following(document: Composed, change: Change) -> Change | None:
    """What a change, which has just been applied, means for them; None when nothing."""
    touched = {edit.raster for edit in change.edits} | set(change.rasters)
    gone = {key for key, (_, after) in change.values.items() if after is None}
    values: dict[str, tuple[AnyValue | None, AnyValue | None]] = {}
    for picture in document.picture_values() if touched or gone else ():
        if not picture.of:
            continue
        key = raster_id(picture.of.node, picture.of.map)
        if picture.of.node in gone:
            values[picture.id] = (picture, _as_file(document, picture))
        elif key in touched and picture.of.node in document.values:
            raster = document.raster(picture.of.node, picture.of.map)
            values[picture.id] = (picture, _now(document, picture, raster))
    return Change(label="", values=values) if values else None


def _now(document: Composed, picture: Picture, raster: Raster) -> AnyValue:
    table = table_of(raster, document.pool, document.arrays) or document.arrays.add(empty_table(raster))
    size = {} if picture.cutout.crop != (0, 0, 1, 1) else {"width": raster.width, "height": raster.height}
    after: AnyValue = picture.but(file=table, **size)
    return after


def _as_file(document: Composed, picture: Picture) -> AnyValue:
    """What was painted last stays, as a file."""
    data = write_png(whole(document.arrays, document.pool, picture))
    after: AnyValue = picture.but(file=document.arrays.add(np.frombuffer(data, np.uint8).copy()), of=None)
    return after
