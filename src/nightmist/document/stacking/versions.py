"""Versions: the whole document under a name, sharing all its pixels, and the way back to one."""

from __future__ import annotations

import time

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.names import unused_name
from ..change import Change
from ..derived.tables import table_of
from ..document import Document
from ..values import AnyValue, Picture, TipPicture, Version, new_id

#: Versions of a document at most: each is said again with every change of values.
MOST = 100
#: Names that are suggested, in the order in which paint is usually built up.
STAGES = ("Base colors", "Base detail", "Fine detail", "Edges")


def keep_version(document: Document, name: str | None, picture: bytes) -> Change:
    """The document as it is, under a name. picture: PNG of it."""
    versions = version_values(document)
    taken = {version.name for version in versions}
    if name in taken:
        raise NightmistError(f"There is a version {name!r} already.")
    if len(versions) >= MOST:
        raise NightmistError(f"A project keeps {MOST} versions at most. Forget one first.")
    unused = [stage for stage in STAGES if stage not in taken]
    tables = {key: table_of(raster, document.pool, document.arrays) for key, raster in document.rasters.items()}
    version = Version(
        id=new_id(), name=name or (unused[0] if unused else unused_name("Version", taken)), made=time.time(),
        picture=document.arrays.add(np.frombuffer(picture, np.uint8).copy()),
        values=tuple(value for value in document.values.values() if _comes_back(value)),
        rasters={key: table for key, table in tables.items() if table},
    )  # fmt: skip
    return Change(label=f"Keep version {version.name}", values={version.id: (None, version)})


def restore_version(document: Document, version: Version) -> Change:
    """The step that goes back to a version; without anything in it when everything is so already."""
    now = {key: value for key, value in document.values.items() if _comes_back(value)}
    then: dict[str, AnyValue] = {value.id: value for value in version.values}
    values = {key: (now.get(key), then.get(key)) for key in {**now, **then} if now.get(key) != then.get(key)}
    tables = {key: table_of(raster, document.pool, document.arrays) for key, raster in document.rasters.items()}
    rasters = {
        key: (tables.get(key), version.rasters.get(key))
        for key in {**tables, **version.rasters}
        if tables.get(key) != version.rasters.get(key)
    }
    return Change(label=f"Go back to {version.name}", values=values, rasters=rasters)


def forget_version(version: Version) -> Change:
    """A version is not wanted any more; the paint stays as it is."""
    return Change(label=f"Forget version {version.name}", values={version.id: (version, None)})


def version_values(document: Document) -> list[Version]:
    """All versions, the oldest first."""
    found = [value for value in document.values.values() if isinstance(value, Version)]
    return sorted(found, key=lambda version: version.made)


def version_value(document: Document, key: str) -> Version:
    """A version by id. Raises NightmistError when it is gone."""
    value = document.values.get(key)
    if not isinstance(value, Version):
        raise NightmistError("That version does not exist any more.")
    return value


def picture_of(document: Document, version: Version) -> bytes:
    """PNG of what it looked like."""
    data: NDArray[np.uint8] = document.arrays.get(version.picture)
    return data.tobytes()


def _comes_back(value: AnyValue) -> bool:
    return not isinstance(value, Picture | TipPicture | Version)
