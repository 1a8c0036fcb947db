"""A real PostgreSQL for all tests: a private cluster in a temporary folder, on loopback."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import delete

from nightmist.store import Store
from nightmist.store.cluster import Cluster
from nightmist.store.tables import Shelf


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """A running cluster; /tmp can be passed by the user who must own it."""
    with tempfile.TemporaryDirectory(prefix="nightmist-test-", dir="/tmp") as folder:
        Path(folder).chmod(0o755)
        made = Cluster(Path(folder))
        made.start()
        yield made
        made.stop()


@pytest.fixture
def store(cluster: Cluster) -> Iterator[Store]:
    """The store, migrated, without projects and with empty shelves."""
    opened = Store(cluster.start())
    opened.migrate()
    for row in opened.projects():
        opened.delete(row.id)
    with opened.engine.begin() as connection:
        connection.execute(delete(Shelf))
    yield opened
    opened.close()
