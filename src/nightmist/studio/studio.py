"""The studio: which projects are open right now."""

from __future__ import annotations

import logging
import threading
import time
import uuid
from collections.abc import Callable
from typing import Any, TypeVar

from ..core.errors import NightmistError
from ..document import Document
from ..document.files.portrait import portrait
from ..store import ProjectRow, Store, StoreError
from .client_updates import Client
from .jobs import Jobs
from .memory import give_back
from .persistence import create_project, open_project
from .project import OpenProject

log = logging.getLogger(__name__)

T = TypeVar("T")

#: Seconds that a project stays open after the last browser has left, so that a reload is quick.
LINGER = 20.0


class Studio:
    """Opens a project for the first browser that asks and closes it a while after the last one has left."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.open_projects: dict[str, OpenProject] = {}
        self.visitors: dict[str, int] = {}
        self.lock = threading.Lock()
        self.jobs = Jobs()

    def projects(self) -> list[ProjectRow]:
        """All projects, the one changed last first."""
        return self.store.projects()

    def create(self, document: Document, opened_next: bool = False) -> str:
        """Keep a new document; returns the project's id.

        opened_next: somebody is about to open it, so its picture for the gallery waits.
        """
        project = uuid.uuid4().hex[:12]
        create_project(self.store, project, document, pictured=not opened_next)
        return project

    def delete(self, project: str) -> None:
        """Delete a project that nobody has open."""
        with self.lock:
            if self.visitors.get(project):
                raise NightmistError("This project is open in a browser; close it there first.")
            if project in self.open_projects:
                self._close(project)
            self.store.delete(project)

    def enter(self, project: str, client: Client) -> OpenProject:
        """A browser opens a project. Raises NightmistError when there is none of that id."""
        found = self._visit(project)
        found.join(client)
        return found

    def leave(self, project: str, client: Client) -> None:
        """A browser has gone; a project without any is closed after a while."""
        with self.lock:
            found = self.open_projects.get(project)
        if found:
            found.leave(client)
            self._depart(project)

    def with_document(self, project: str, work: Callable[[Document], T]) -> T:
        """Read from a project's document, opening it for that long if need be."""
        found = self._visit(project)
        try:
            return found.call(work)
        finally:
            self._depart(project)

    def work_on(self, project: str, run: Callable[[Document], T], client: str | None = None) -> T:
        """Change a project's document, when no stroke is being drawn; browsers see how far it is.

        client: the name of the browser that asks, which may cancel it.
        """
        found = self._visit(project)
        try:
            return found.edit(lambda document: found.long_work.run(lambda: run(document), found.client(client)))
        finally:
            self._depart(project)

    def keep_desk(self, project: str, desk: dict[str, Any], client: str) -> None:
        """Keep what the painter at the browser of that name has at hand, and tell the others."""
        self.store.set_desk(project, desk)
        with self.lock:
            found = self.open_projects.get(project)
        if found:
            found.tell_desk(desk, client)

    def picture(self, project: str) -> bytes | None:
        """The gallery's picture, as PNG; of an open project as it is now."""
        with self.lock:
            found = self.open_projects.get(project)
        kept = self.store.picture(project)
        if kept is not None and (not found or found.revision == found.pictured):
            return kept
        self.with_document(project, lambda _: self._renew_picture(project, self.open_projects[project]))
        return self.store.picture(project)

    def close(self) -> None:
        """Close everything; whatever was drawn is kept."""
        with self.lock:
            for project in list(self.open_projects):
                self._close(project)

    def _visit(self, project: str) -> OpenProject:
        with self.lock:
            if project not in self.open_projects:
                if not self.store.exists(project):
                    raise NightmistError("There is no such project; it may have been deleted.")
                started = time.perf_counter()
                opened = open_project(self.store, project)
                opened.document.refresh()
                self.open_projects[project] = OpenProject(self.store, project, opened)
                log.info("opened %s in %.1f s", project, time.perf_counter() - started)
            self.visitors[project] = self.visitors.get(project, 0) + 1
            return self.open_projects[project]

    def _depart(self, project: str) -> None:
        with self.lock:
            self.visitors[project] = self.visitors.get(project, 1) - 1
            if self.visitors[project] <= 0:
                timer = threading.Timer(LINGER, self._close_if_empty, (project,))
                timer.daemon = True
                timer.start()

    def _close_if_empty(self, project: str) -> None:
        with self.lock:
            if project not in self.open_projects or self.visitors.get(project):
                return
            self._close(project)
            nobody_paints = not self.open_projects
        # It takes a moment, which would be felt.
        if nobody_paints:
            give_back()

    def _close(self, project: str) -> None:
        found = self.open_projects.pop(project)
        self.visitors.pop(project, None)
        found.close()
        self._renew_picture(project, found)

    def _renew_picture(self, project: str, found: OpenProject) -> None:
        """For the gallery; in the project's thread, or when that has ended."""
        if found.revision == found.pictured:
            return
        try:
            self.store.set_picture(project, portrait(found.document))
            found.pictured = found.revision
        except StoreError as error:
            log.warning("the picture of %s was not renewed: %s", project, error)
