"""A document once more, under another name, sharing nothing that changes."""

from __future__ import annotations

from ..change import arrays_of
from ..derived.pool import Pool
from ..document import Document
from ..values import PROJECT


def duplicate(document: Document, name: str) -> Document:
    """The same values and pixels; its history begins with it."""
    arrays = Pool()
    for value in document.values.values():
        for digest in arrays_of(value):
            arrays.add(document.arrays.get(digest))
    values = {**document.values, PROJECT: document.project.but(name=name)}
    made = type(document)(values.values(), pools=(Pool(), arrays))
    for key, raster in document.rasters.items():
        made.place(key, raster.tiles)
    return made
