"""The command line behind ./nightmist: demo, serve, types."""

from __future__ import annotations

import argparse
import contextlib
import json
import logging
import os
import signal
import socket
import sys
from pathlib import Path
from threading import Thread

import uvicorn

from .api import create_app
from .api.guard import EVERYWHERE, LOOPBACK
from .demo.project import CABINET, NAME, cabinet_document, demo_document
from .demo.stencils import draw_all
from .store import Store, StoreError
from .store.cluster import Cluster
from .studio import Studio
from .studio.memory import give_back
from .warm import warm_up

ROOT = Path(__file__).resolve().parents[2]
DATA = ROOT / ".data"
PORT = 8765


def main() -> int:
    """Run one command; returns the exit status."""
    parser = argparse.ArgumentParser(prog="./nightmist", description="Paint directly onto 3D models.")
    commands = parser.add_subparsers(dest="command", required=True)
    for name, what in (("serve", "start the application"), ("demo", "start it with the demo project")):
        sub = commands.add_parser(name, help=what)
        sub.add_argument("--host", default="127.0.0.1", help="address to listen on (default: this machine only)")
        sub.add_argument("--port", type=int, default=0, help=f"port (default: {PORT}, or the next free one)")
    commands.add_parser("openapi", help="print the description that the browser's types are generated from")
    arguments = parser.parse_args()
    logging.basicConfig(level=logging.INFO, format="%(levelname)s %(message)s")
    logging.getLogger("alembic").setLevel(logging.WARNING)
    if arguments.command == "openapi":
        json.dump(create_app(None).openapi(), sys.stdout, indent=1)
        return 0
    try:
        return serve(arguments.host, arguments.port, with_demo=arguments.command == "demo")
    except StoreError as error:
        print(f"nightmist: the database cannot be used: {error}", file=sys.stderr)
        return 1


def serve(host: str, port: int, with_demo: bool) -> int:
    """Start database and application, and stop both cleanly at Ctrl+C."""
    cluster = None if os.environ.get("NIGHTMIST_DATABASE_URL") else Cluster(DATA)
    if cluster:
        _say("starting the database …")
    store = Store(os.environ.get("NIGHTMIST_DATABASE_URL") or cluster.start())  # type: ignore[union-attr]
    try:
        if not store.hold_serving_lock():
            address = (DATA / "address").read_text().strip() if (DATA / "address").exists() else "another address"
            print(f"nightmist: already running on this database, see {address}", file=sys.stderr)
            if cluster:
                cluster.started = False
            return 1
        store.migrate()
        _say("warming up the engine (two minutes the first time) …")
        warm_up()
        studio = Studio(store)
        there = {row.name for row in studio.projects()}
        for name, make in ((CABINET, cabinet_document), (NAME, demo_document)) if with_demo else ():
            if name not in there:
                _say(f"making the demo project {name} …")
                studio.create(make())
                give_back()
        _run(studio, host, port)
        return 0
    finally:
        store.close()
        if cluster:
            cluster.stop()


def _run(studio: Studio, host: str, port: int) -> None:
    listener = _listen(host, port)
    port = listener.getsockname()[1]
    everywhere = host in EVERYWHERE
    name = f"[{host}]" if ":" in host and not everywhere else host
    address = f"http://{'127.0.0.1' if everywhere else name}:{port}/"
    DATA.mkdir(exist_ok=True)
    (DATA / "address").write_text(address)
    hosts = () if name in LOOPBACK else (name, socket.gethostname().lower())
    config = uvicorn.Config(
        create_app(studio, hosts), log_level="warning", ws="websockets-sansio", ws_per_message_deflate=False,
        ws_max_size=1 << 22, timeout_graceful_shutdown=3,
    )  # fmt: skip
    # The picture library is a click away; meanwhile a painter chooses a project.
    Thread(target=draw_all, args=(DATA / "stencils",), daemon=True).start()
    elsewhere = f"  On other machines: this one's name or address, port {port}\n" if everywhere else ""
    print(f"\n  Nightmist is ready: {address}\n{elsewhere}  Ctrl+C ends it.\n", flush=True)
    # The server ends in good order at either signal, then raises it again; the database is still to be stopped.
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    with contextlib.suppress(KeyboardInterrupt):
        uvicorn.Server(config).run(sockets=[listener])
    _say("ended; everything is kept.")


def _listen(host: str, port: int) -> socket.socket:
    """A listening socket: on the port asked for, else on PORT or the next free one."""
    for candidate in [port] if port else [*range(PORT, PORT + 20), 0]:
        listener = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, candidate))
            listener.listen(128)
        except OSError as error:
            listener.close()
            if port:
                raise SystemExit(f"nightmist: cannot listen on {host}:{port}: {error.strerror}") from error
            continue
        return listener
    raise SystemExit("nightmist: no free port was found")


def _say(text: str) -> None:
    print(f"nightmist: {text}", flush=True)


if __name__ == "__main__":
    sys.exit(main())
