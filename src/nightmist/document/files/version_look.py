"""What a version looks like: its maps, worked out from its values and pixels without going back to it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ..derived.composites import PictureName
from ..derived.tables import raster_of
from ..document import Document
from ..values import Model, Picture, Surface, TipPicture, Version


def version_map(document: Document, version: Version, surface: str, picture: PictureName) -> NDArray[np.uint8]:
    """(h, w, 4) a composited picture of a surface, by its id, as it was; (1, 1, 4) where all is one color.

    Raises NightmistError when model or maps are others now, so that it could not be laid over the model.
    """
    then = {value.id: value for value in version.values}
    for key, value in then.items():
        now = document.values.get(key)
        if isinstance(value, Model) and value != now:
            raise NightmistError(f"The model or its UVs are not those of {version.name}: they cannot be compared.")
        if isinstance(value, Surface) and (not isinstance(now, Surface) or now.size != value.size):
            raise NightmistError(f"{value.name} had another map size in {version.name}: they cannot be compared.")
    found = then.get(surface)
    if not isinstance(found, Surface):
        raise NightmistError(f"{version.name} has no such surface.")
    old = document.cache.get(("version", version.id), lambda: _as_it_was(document, version), _bytes)
    old.refresh()
    return old.composite(found).pictures[picture].encode(0, found.height, 0, found.width)


def _as_it_was(document: Document, version: Version) -> Document:
    shared = [value for value in document.values.values() if isinstance(value, Picture | TipPicture)]
    old = Document([*version.values, *shared], pools=(document.pool, document.arrays))
    for key, table in version.rasters.items():
        old.exchange(key, raster_of(document.arrays.get(table), document.pool))
    return old


def _bytes(old: Document) -> int:
    return sum(composite.nbytes for composite in old.composites.values())
