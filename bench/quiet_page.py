"""A page in a Chromium of its own that nobody watches: what drives browsers for tests is told of every frame that a
socket receives, which takes a quarter of two cores where pictures come ten times a second.
"""

from __future__ import annotations

import json
import subprocess
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from urllib.request import urlopen

from tests.browser.conftest import FLAGS, RENDERERS
from websockets.sync.client import ClientConnection, connect

PATIENCE = 60.0
#: Seconds between two places that a mouse tells.
PACE = 0.016
#: Notes when pictures arrive on the stage.
WATCH = """
globalThis.watch?.disconnect();
globalThis.arrived = 0;
globalThis.watch = new MutationObserver(() => (arrived += 1));
watch.observe(document.querySelector("canvas[data-ready]"), { attributes: true, attributeFilter: ["data-batch"] });
"""


@contextmanager
def quiet_page(url: str, size: tuple[int, int]) -> Iterator[QuietPage]:
    """Until the context ends. size: of the window, in pixels."""
    with TemporaryDirectory(prefix="nightmist-bench-", ignore_cleanup_errors=True) as folder:
        window = [f"--window-size={size[0]},{size[1]}", f"--user-data-dir={folder}"]
        command = ["/usr/bin/chromium", "--headless=new", "--remote-debugging-port=0", *window, *FLAGS, *RENDERERS[0]]
        process = subprocess.Popen([*command, url], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        try:
            told = Path(folder) / "DevToolsActivePort"
            until(lambda: told.exists() and "\n" in told.read_text())
            port = told.read_text().split()[0]
            with urlopen(f"http://127.0.0.1:{port}/json") as answer:
                page = next(each for each in json.load(answer) if each["type"] == "page")
            with connect(page["webSocketDebuggerUrl"], max_size=None) as socket:
                yield QuietPage(socket)
        finally:
            process.terminate()
            process.wait(PATIENCE)


class QuietPage:
    """A page by the socket that it is told by."""

    def __init__(self, socket: ClientConnection) -> None:
        self.socket = socket
        self.asked = 0

    def _ask(self, method: str, **parameters: object) -> Any:
        self.asked += 1
        self.socket.send(json.dumps({"id": self.asked, "method": method, "params": parameters}))
        while True:
            answer = json.loads(self.socket.recv(PATIENCE))
            if answer.get("id") == self.asked:
                return answer.get("result", {})

    def evaluate(self, code: str) -> Any:
        """The value of an expression of JavaScript, or what it promises; None while there is no page yet."""
        answer = self._ask("Runtime.evaluate", expression=code, returnByValue=True, awaitPromise=True)
        return answer.get("result", {}).get("value")

    def wait_for(self, code: str) -> None:
        """Until an expression holds."""
        until(lambda: self.evaluate(f"!!({code})"))

    def middle_of(self, element: str) -> tuple[float, float]:
        """Where an element lies, by an expression, once there is one."""
        self.wait_for(element)
        box = f"(b => [b.x + b.width / 2, b.y + b.height / 2])(({element}).getBoundingClientRect())"
        x, y = self.evaluate(box)
        return x, y

    def click(self, place: tuple[float, float]) -> None:
        """With the left button."""
        self._mouse("mouseMoved", place, 0)
        self._mouse("mousePressed", place)
        self._mouse("mouseReleased", place, 0)

    def drag(self, path: Callable[[float], tuple[float, float]], seconds: float) -> float:
        """Along a path by the seconds since its begin, so long at least and until any picture has arrived on the stage;
        pictures that did, a second.
        """
        self.evaluate(WATCH)
        self._mouse("mousePressed", path(0))
        began = time.perf_counter()
        while (now := time.perf_counter() - began) < seconds or not self.evaluate("arrived"):
            if now > PATIENCE:
                raise SystemExit("no picture arrived in the page")
            self._mouse("mouseMoved", path(now))
            time.sleep(PACE)
        arrived = self.evaluate("arrived")
        # Back to where it began, so that it can be dragged again.
        self._mouse("mouseMoved", path(0))
        self._mouse("mouseReleased", path(0), 0)
        return float(arrived / now)

    def _mouse(self, kind: str, place: tuple[float, float], down: int = 1) -> None:
        pressed = {"button": "left" if down or kind == "mouseReleased" else "none", "buttons": down, "clickCount": 1}
        self._ask("Input.dispatchMouseEvent", type=kind, x=place[0], y=place[1], **pressed)


def until(holds: Callable[[], bool]) -> None:
    """Wait, but not for ever."""
    late = time.monotonic() + PATIENCE
    while not holds():
        if time.monotonic() > late:
            raise SystemExit("the page did not get as far")
        time.sleep(0.1)
