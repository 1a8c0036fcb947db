"""The one door to the database. Driver errors leave it as StoreError, with their cause."""

from __future__ import annotations

import datetime
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from threading import RLock
from typing import Any

import zstandard
from alembic import command as alembic
from alembic.config import Config
from sqlalchemy import create_engine, delete, func, insert, select, text, update
from sqlalchemy.dialects.postgresql import insert as upsert
from sqlalchemy.exc import DataError, IntegrityError, ProgrammingError, SQLAlchemyError
from sqlalchemy.orm import Session

from .entry import Entry
from .tables import Array, Placed, Project, Reference, Shelf, Step, Tile

#: Key of the lock that one serving process holds on a database.
SERVING_LOCK = 0x4E4D


class StoreError(Exception):
    """The database did not do what was asked; it may do so later."""


class NoProjectError(StoreError):
    """The database answers, but holds no such project."""


class NeverStoredError(StoreError):
    """What was asked can never succeed, however often it is tried."""


@dataclass
class ProjectRow:
    """A project as the gallery shows it."""

    id: str
    name: str
    changed: datetime.datetime
    revision: int


TILES = "SELECT digest, channels, data FROM tile WHERE project = %s AND digest = ANY(%s)"


class Store:
    """Projects in PostgreSQL."""

    def __init__(self, url: str) -> None:
        url = url.replace("postgres://", "postgresql://", 1)
        self.url = url.replace("postgresql://", "postgresql+psycopg://", 1)
        self.engine = create_engine(self.url, pool_pre_ping=True, connect_args={"connect_timeout": 5})
        #: Held from reading what lies on a shelf to writing it; no other process serves this database.
        self.shelves = RLock()
        self._lock_connection: Any = None

    def migrate(self) -> None:
        """Bring the tables to the newest form."""
        with _told():
            alembic.upgrade(self.migrations, "head")

    @property
    def migrations(self) -> Config:
        """Where alembic finds the steps, and the database."""
        config = Config()
        config.set_main_option("script_location", "nightmist.store:migrations")
        config.attributes["url"] = self.url
        return config

    def hold_serving_lock(self) -> bool:
        """Become the only server of this database; False when another one is. Ends with the process."""
        with _told():
            self._lock_connection = self.engine.connect()
            taken = self._lock_connection.execute(text("select pg_try_advisory_lock(:key)"), {"key": SERVING_LOCK})
            held = bool(taken.scalar())
            self._lock_connection.commit()
            return held

    def close(self) -> None:
        """Let go of all connections."""
        if self._lock_connection is not None:
            self._lock_connection.invalidate()
            self._lock_connection.close()
            self._lock_connection = None
        self.engine.dispose()

    @contextmanager
    def _session(self) -> Iterator[Session]:
        with _told(), Session(self.engine) as session, session.begin():
            yield session

    # Projects

    def projects(self) -> list[ProjectRow]:
        """All projects, the one changed last first."""
        with self._session() as session:
            rows = session.execute(
                select(Project.id, Project.name, Project.changed, Project.revision).order_by(Project.changed.desc())
            )
            return [ProjectRow(*row) for row in rows]

    def create(self, project: str, name: str, picture: bytes | None, state: dict[str, Any], entry: Entry) -> None:
        """A new project with all its pixels, in one transaction."""
        with self._session() as session:
            session.add(Project(id=project, name=name, picture=picture, state=state))
            session.flush()
            self._write(session, project, entry)

    def delete(self, project: str) -> None:
        """A project with everything that belongs to it."""
        with self._session() as session:
            session.execute(delete(Project).where(Project.id == project))

    def exists(self, project: str) -> bool:
        """Whether there is such a project."""
        with self._session() as session:
            return session.scalar(select(Project.id).where(Project.id == project)) is not None

    def picture(self, project: str) -> bytes | None:
        """The gallery's picture, as PNG, once there is one."""
        return self._one(project, Project.picture)  # type: ignore[no-any-return]

    def set_picture(self, project: str, picture: bytes) -> None:
        """Replace the gallery's picture."""
        with self._session() as session:
            session.execute(update(Project).where(Project.id == project).values(picture=picture))

    def desk(self, project: str) -> dict[str, Any]:
        """The painter's tool, tip, pigment and target, as left."""
        return self._one(project, Project.desk)  # type: ignore[no-any-return]

    def set_desk(self, project: str, desk: dict[str, Any]) -> None:
        """Keep the painter's desk."""
        with self._session() as session:
            found = session.execute(
                update(Project).where(Project.id == project).values(desk=desk).returning(Project.id)
            )
            if found.one_or_none() is None:
                raise NoProjectError(f"no project {project}")

    def position(self, project: str) -> tuple[dict[str, Any], int, int]:
        """State, cursor and revision."""
        with self._session() as session:
            row = session.execute(
                select(Project.state, Project.cursor, Project.revision).where(Project.id == project)
            ).one_or_none()
            if row is None:
                raise NoProjectError(f"no project {project}")
            return row[0], row[1], row[2]

    def _one(self, project: str, column: Any) -> Any:
        with self._session() as session:
            row = session.execute(select(column).where(Project.id == project)).one_or_none()
            if row is None:
                raise NoProjectError(f"no project {project}")
            return row[0]

    # Reference pictures

    def references(self, project: str) -> list[str]:
        """Names of the pinned pictures, the oldest first."""
        with self._session() as session:
            query = select(Reference.name).where(Reference.project == project)
            return list(session.scalars(query.order_by(Reference.pinned, Reference.name)))

    def reference(self, project: str, name: str) -> bytes | None:
        """A pinned picture as PNG, or None."""
        with self._session() as session:
            return session.scalar(select(Reference.data).where(Reference.project == project, Reference.name == name))

    def pin(self, project: str, pictures: dict[str, bytes]) -> None:
        """Pin pictures by name, all or none."""
        with self._session() as session:
            rows = [{"project": project, "name": name, "data": data} for name, data in pictures.items()]
            session.execute(insert(Reference), rows)

    def take_off(self, project: str, name: str) -> None:
        """Forget a pinned picture."""
        with self._session() as session:
            session.execute(delete(Reference).where(Reference.project == project, Reference.name == name))

    # What is shared between projects

    def shelf(self, name: str) -> list[Any]:
        """What lies on a shelf; nothing when it has never been used."""
        with self._session() as session:
            return session.scalar(select(Shelf.content).where(Shelf.name == name)) or []

    def set_shelf(self, name: str, content: list[Any]) -> None:
        """Replace what lies on a shelf."""
        with self._session() as session:
            statement = upsert(Shelf).values(name=name, content=content)
            session.execute(
                statement.on_conflict_do_update(index_elements=["name"], set_={"content": statement.excluded.content})
            )

    # Pixels and history

    def placed(self, project: str) -> Iterator[tuple[str, str, int, int, str]]:
        """Layer, map, row, column and digest of all tiles in force."""
        with self._session() as session:
            rows = session.execute(
                select(Placed.layer, Placed.map, Placed.row, Placed.column, Placed.digest).where(
                    Placed.project == project
                )
            )
            yield from (tuple(row) for row in rows)  # type: ignore[misc]

    def tiles(self, project: str, digests: list[str]) -> dict[str, tuple[int, bytes]]:
        """Channels and pixels behind digests; those that are not there are left out."""
        unpack = zstandard.ZstdDecompressor()
        found: dict[str, tuple[int, bytes]] = {}
        with self._session() as session:
            driver: Any = session.connection().connection.driver_connection
            # Binary: as text the driver would bring bytes as hexadecimal digits, at a third of the speed.
            with driver.cursor(binary=True) as cursor:
                for start in range(0, len(digests), 2000):
                    cursor.execute(TILES, (project, digests[start : start + 2000]))
                    found.update({digest: (channels, unpack.decompress(data)) for digest, channels, data in cursor})
        return found

    def array(self, project: str, digest: str) -> bytes | None:
        """An array of the model as .npy; None when there is none of that digest."""
        with self._session() as session:
            data = session.scalar(select(Array.data).where(Array.project == project, Array.digest == digest))
            return zstandard.ZstdDecompressor().decompress(data) if data is not None else None

    def steps(self, project: str) -> list[dict[str, Any]]:
        """The history's changes in order."""
        with self._session() as session:
            return list(session.scalars(select(Step.command).where(Step.project == project).order_by(Step.place)))

    def keep(self, project: str, entry: Entry) -> None:
        """Keep one entry for good: when this returns, it has been committed."""
        with self._session() as session:
            self._write(session, project, entry)

    def _write(self, session: Session, project: str, entry: Entry) -> None:
        pack = zstandard.ZstdCompressor(level=1)
        if entry.tiles:
            rows = [
                {"project": project, "digest": digest, "channels": channels, "data": pack.compress(data)}
                for digest, (channels, data) in entry.tiles.items()
            ]
            session.execute(upsert(Tile).on_conflict_do_nothing(), rows)
        if entry.arrays:
            arrays = [
                {"project": project, "digest": digest, "data": pack.compress(array.npy), "tiles": array.tiles}
                for digest, array in entry.arrays.items()
            ]
            session.execute(upsert(Array).on_conflict_do_nothing(), arrays)
        for layer, map_name in sorted(entry.emptied):
            session.execute(
                delete(Placed).where(Placed.project == project, Placed.layer == layer, Placed.map == map_name)
            )
        gone = [place for place, digest in entry.placed.items() if digest is None]
        for layer, map_name, row, column in gone:
            session.execute(
                delete(Placed).where(
                    Placed.project == project, Placed.layer == layer, Placed.map == map_name,
                    Placed.row == row, Placed.column == column,
                )
            )  # fmt: skip
        here = [
            {"project": project, "layer": p[0], "map": p[1], "row": p[2], "column": p[3], "digest": digest}
            for p, digest in entry.placed.items()
            if digest is not None
        ]
        if here:
            statement = upsert(Placed)
            session.execute(
                statement.on_conflict_do_update(
                    index_elements=["project", "layer", "map", "row", "column"],
                    set_={"digest": statement.excluded.digest},
                ),
                here,
            )
        if entry.steps:
            session.execute(delete(Step).where(Step.project == project, Step.place >= min(entry.steps)))
            steps = [{"project": project, "place": place, "command": step} for place, step in entry.steps.items()]
            session.execute(insert(Step), steps)
        values: dict[str, Any] = {"cursor": entry.cursor, "revision": entry.revision, "changed": func.now()}
        if entry.state is not None:
            values["state"] = entry.state
        if entry.name is not None:
            values["name"] = entry.name
        session.execute(update(Project).where(Project.id == project).values(**values))

    def begin_anew(self, project: str, state: dict[str, Any]) -> None:
        """A project in another form: this structure, all its pixels, and no history."""
        with self._session() as session:
            session.execute(delete(Step).where(Step.project == project))
            session.execute(update(Project).where(Project.id == project).values(state=state, cursor=0))

    def sweep(self, project: str, depth: int) -> None:
        """Forget steps beyond `depth`, and pixels that neither the maps nor a step refers to."""
        with self._session() as session:
            count = session.scalar(select(func.count()).select_from(Step).where(Step.project == project)) or 0
            if count > depth:
                cut = count - depth
                session.execute(delete(Step).where(Step.project == project, Step.place < cut))
                session.execute(update(Step).where(Step.project == project).values(place=-1 - (Step.place - cut)))
                session.execute(update(Step).where(Step.project == project).values(place=-1 - Step.place))
                session.execute(
                    update(Project).where(Project.id == project).values(cursor=func.greatest(Project.cursor - cut, 0))
                )
            # Digests stand in JSON as 32 hex digits: cheaper to look for than to list.
            digests = "lateral regexp_matches({0}::text, '\"([0-9a-f]{{32}})\"', 'g') m where {1} = :project"
            in_steps = "select m[1] from step s, " + digests.format("s.command", "s.project")
            in_state = "select m[1] from project p, " + digests.format("p.state", "p.id")
            session.execute(
                text(
                    f"delete from model_array a where a.project = :project and a.digest not in ({in_steps})"
                    f" and a.digest not in ({in_state})"
                ),
                {"project": project},
            )
            # What the tables of tiles name that are left.
            in_tables = (
                "select encode(substring(a.tiles from 16 * n - 15 for 16), 'hex') from model_array a,"
                " lateral generate_series(1, length(a.tiles) / 16) n where a.project = :project and a.tiles is not null"
            )
            session.execute(
                text(
                    "delete from tile t where t.project = :project"
                    " and not exists (select 1 from placed p where p.project = t.project and p.digest = t.digest)"
                    f" and t.digest not in ({in_steps}) and t.digest not in ({in_tables})"
                ),
                {"project": project},
            )


@contextmanager
def _told() -> Iterator[None]:
    try:
        yield
    except (UnicodeError, DataError, IntegrityError, ProgrammingError) as error:
        # The values themselves are refused: a character that text cannot hold, a number out of range.
        raise NeverStoredError(_first_line(error)) from error
    except SQLAlchemyError as error:
        raise StoreError(_first_line(error)) from error


def _first_line(error: Exception) -> str:
    return str(error.__cause__ or error).strip().split("\n")[0]
