"""A server of its own, on a database of its own, for what is measured in a browser."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tests.browser.conftest import Server

from nightmist.store.cluster import Cluster


@contextmanager
def served() -> Iterator[Server]:
    """Until the context ends."""
    with tempfile.TemporaryDirectory(prefix="nightmist-bench-", dir="/tmp") as folder:
        Path(folder).chmod(0o755)
        cluster = Cluster(Path(folder))
        server = Server(cluster.start())
        try:
            yield server
        finally:
            server.stop()
            cluster.stop()
