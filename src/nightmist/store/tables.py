"""The tables. Pixels are tiles by digest; a map is a table of digests, so undo moves no pixels."""

from __future__ import annotations

import datetime
from typing import Any

from sqlalchemy import DateTime, ForeignKey, Integer, LargeBinary, SmallInteger, String, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    """The catalog of tables."""


class Project(Base):
    """A project: its model, its structure, and where undo stands."""

    __tablename__ = "project"

    id: Mapped[str] = mapped_column(String(12), primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    created: Mapped[datetime.datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
    changed: Mapped[datetime.datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
    picture: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    state: Mapped[dict[str, Any]] = mapped_column(JSONB)
    desk: Mapped[dict[str, Any]] = mapped_column(JSONB, server_default="{}")
    cursor: Mapped[int] = mapped_column(Integer, server_default="0")
    revision: Mapped[int] = mapped_column(Integer, server_default="0")


class Tile(Base):
    """Pixels of a tile, zstd-compressed, once per project and content."""

    __tablename__ = "tile"

    project: Mapped[str] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), primary_key=True)
    digest: Mapped[str] = mapped_column(String(32), primary_key=True)
    channels: Mapped[int] = mapped_column(SmallInteger)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class Array(Base):
    """An array of a model, a tip's picture or a table of tiles, as zstd-compressed .npy, once per project and content.

    tiles: of a table, the digests of the tiles that it names, 16 bytes each.
    """

    __tablename__ = "model_array"

    project: Mapped[str] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), primary_key=True)
    digest: Mapped[str] = mapped_column(String(32), primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)
    tiles: Mapped[bytes | None] = mapped_column(LargeBinary)


class Placed(Base):
    """Which tile lies where right now."""

    __tablename__ = "placed"

    project: Mapped[str] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), primary_key=True)
    layer: Mapped[str] = mapped_column(String(12), primary_key=True)
    map: Mapped[str] = mapped_column(String(12), primary_key=True)
    row: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    column: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    digest: Mapped[str] = mapped_column(String(32))


class Reference(Base):
    """A reference picture pinned in a project, as PNG."""

    __tablename__ = "reference"

    project: Mapped[str] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), primary_key=True)
    name: Mapped[str] = mapped_column(String(120), primary_key=True)
    pinned: Mapped[datetime.datetime] = mapped_column(DateTime(timezone=True), server_default=func.now())
    data: Mapped[bytes] = mapped_column(LargeBinary)


class Shelf(Base):
    """What is shared between projects, such as brush presets, by a name."""

    __tablename__ = "shelf"

    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    content: Mapped[list[Any]] = mapped_column(JSONB)


class Step(Base):
    """One change of the history, by its place; those from the project's cursor on are undone."""

    __tablename__ = "step"

    project: Mapped[str] = mapped_column(ForeignKey("project.id", ondelete="CASCADE"), primary_key=True)
    place: Mapped[int] = mapped_column(Integer, primary_key=True)
    command: Mapped[dict[str, Any]] = mapped_column(JSONB)
