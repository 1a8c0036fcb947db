"""The one command: values and pixels before and after. Its inverse swaps the two."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from pydantic import BaseModel, ConfigDict, Field

from .values import AnyValue, Model, Picture, PlaneName, Region, StrokeRecord, Surface, TipPicture, Version


def raster_id(node: str, name: str) -> str:
    """The name of a node's raster for one map."""
    return f"{node}/{name}"


def node_and_map(raster: str) -> tuple[str, PlaneName]:
    """Whose raster it is, and for which map, or that it is a mask."""
    node, _, name = raster.rpartition("/")
    return node, name  # type: ignore[return-value]


class TileEdit(NamedTuple):
    """One tile of one raster, before and after, by digest; None is an absent tile."""

    raster: str
    row: int
    column: int
    before: str | None
    after: str | None


class Change(BaseModel):
    """What an operation makes of a document: one undo step.

    values: by id, before and after; None is an absent value. rasters: exchanged as a whole, by the digest of
    their tables of tiles; None is an empty raster. edits: single tiles. merge: changes with the same key within
    a moment become one step. stroke: how it was drawn. notes: what is to be known when it is made; not kept.
    """

    model_config = ConfigDict(frozen=True)

    label: str
    values: dict[str, tuple[AnyValue | None, AnyValue | None]] = {}
    rasters: dict[str, tuple[str | None, str | None]] = {}
    edits: list[TileEdit] = []
    merge: str | None = None
    stroke: StrokeRecord | None = None
    notes: tuple[str, ...] = Field(default=(), exclude=True)

    def __bool__(self) -> bool:
        return bool(self.values or self.rasters or self.edits)

    def inverse(self) -> Change:
        """The change that takes this one back."""
        return self.model_copy(
            update={
                "values": {key: (after, before) for key, (before, after) in self.values.items()},
                "rasters": {key: (after, before) for key, (before, after) in self.rasters.items()},
                "edits": [edit._replace(before=edit.after, after=edit.before) for edit in self.edits],
            }
        )

    def followed_by(self, later: Change) -> Change:
        """Both as one; only for changes of values."""
        values = dict(self.values)
        for key, (before, after) in later.values.items():
            values[key] = (values[key][0] if key in values else before, after)
        return later.model_copy(update={"values": {k: v for k, v in values.items() if v[0] != v[1]}})

    def with_values(self, later: Change) -> Change:
        """The same, and what another change of values makes after it."""
        return self.model_copy(update={"values": self.followed_by(later).values})

    def tiles(self) -> Iterator[str]:
        """Digests of the tiles that its edits name."""
        for edit in self.edits:
            yield from (digest for digest in (edit.before, edit.after) if digest)

    def tables(self) -> Iterator[str]:
        """Digests of the tables of tiles that it names."""
        for pair in self.rasters.values():
            yield from (digest for digest in pair if digest)
        for before_and_after in self.values.values():
            for value in before_and_after:
                yield from tables_of(value)

    def arrays(self) -> Iterator[str]:
        """Digests of the model's arrays and of pictures that its values name."""
        for pair in self.values.values():
            for value in pair:
                yield from arrays_of(value)


def arrays_of(value: AnyValue | None) -> Iterator[str]:
    """Digests of the arrays that a value names."""
    if isinstance(value, Model):
        yield from value.arrays.values()
    elif isinstance(value, TipPicture):
        yield value.picture
    elif isinstance(value, Picture):
        if not value.of:
            yield value.file
    elif isinstance(value, Version):
        yield value.picture
        for one in value.values:
            yield from arrays_of(one)
    elif isinstance(value, Region):
        yield value.faces
    elif isinstance(value, Surface):
        for kept in value.kept:
            yield from (kept.file, kept.uv)


def tables_of(value: AnyValue | None) -> Iterator[str]:
    """Digests of the tables of tiles that a value names."""
    if isinstance(value, Version):
        yield from value.rasters.values()
    elif isinstance(value, Picture) and value.of:
        yield value.file
