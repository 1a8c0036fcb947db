"""A document once more, under another name, sharing nothing that changes."""

from __future__ import annotations

from typing import Any

from numpy.typing import NDArray

from ..change import arrays_of, tables_of
from ..derived.pool import Pool
from ..derived.tables import tiles_in
from ..document import Document
from ..values import PROJECT, Version


def duplicate(document: Document, name: str) -> Document:
    """The same values and pixels, versions among them; its history begins with it."""
    arrays, tiles = Pool(), Pool()
    for value in document.values.values():
        for digest in arrays_of(value):
            arrays.add(document.arrays.get(digest))
    for array in kept_by_tables(document).values():
        # Tiles are known by their shape: tables and arrays of the model have others.
        (tiles if array.ndim == 3 and array.dtype == "uint16" else arrays).add(array)
    values = {**document.values, PROJECT: document.project.but(name=name)}
    made = type(document)(values.values(), pools=(tiles, arrays))
    for key, raster in document.rasters.items():
        made.place(key, raster.tiles)
    return made


def kept_by_tables(document: Document) -> dict[str, NDArray[Any]]:
    """By digest all arrays that versions name, and all tables and tiles that they and painted pictures name."""
    found: dict[str, NDArray[Any]] = {}
    for value in document.values.values():
        if isinstance(value, Version):
            found.update({digest: document.arrays.get(digest) for digest in arrays_of(value)})
        for digest in tables_of(value):
            table = found[digest] = document.arrays.get(digest)
            found.update({tile: document.pool.get(tile) for tile in tiles_in(table).values()})
    return found
