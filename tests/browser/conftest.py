"""A real server on a real database, and headless Chromium in front of it."""

from __future__ import annotations

import io
import os
import re
import signal
import subprocess
import sys
import time
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from urllib.request import Request, urlopen

import numpy as np
import psycopg
import pytest
from PIL import Image
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

from nightmist.core.formats.gltf_write import write_glb
from nightmist.core.formats.image_files import read_picture

from ..shapes import walls

FLAGS = [
    "--no-sandbox",
    "--host-resolver-rules=MAP * ~NOTFOUND , EXCLUDE 127.0.0.1 , EXCLUDE localhost",
    "--ignore-gpu-blocklist",
    # Of what is drawn by software, the page around the stage is drawn faster without a simulated graphics card.
    "--disable-gpu-compositing",
]
#: Mesa's software renderer is the faster one; the other is what every Chromium brings along.
RENDERERS = [["--use-gl=angle", "--use-angle=gl-egl"], ["--use-angle=swiftshader", "--enable-unsafe-swiftshader"]]
SWITCHES = "?surroundings=off&smooth=off"
#: Milliseconds to wait for anything: software rendering on a busy machine takes its time.
PATIENCE = 120_000
SIZE = {"width": 1160, "height": 640}
PIER = write_glb(walls(4))


class Server:
    """./nightmist as a process of its own, that can be killed and started again on the same port."""

    def __init__(self, database: str, late: Path = Path(os.devnull)) -> None:
        self.environment = {**os.environ, "NIGHTMIST_DATABASE_URL": database, "LATE_KERNELS": str(late)}
        self.port = 0
        self.start("demo")

    def start(self, command: str) -> None:
        port = ["--port", str(self.port)] if self.port else []
        line = [sys.executable, "-m", "tests.browser.serve", command, *port]
        self.process = subprocess.Popen(line, env=self.environment, stdout=subprocess.PIPE, text=True)
        assert self.process.stdout
        for said in self.process.stdout:
            if found := re.search(r"ready: (http://127\.0\.0\.1:(\d+)/)", said):
                self.url, self.port = found.group(1), int(found.group(2))
                return
        raise AssertionError("the server ended before it was ready")

    def kill(self) -> None:
        """As a crash would."""
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    def stop(self) -> int:
        """As Ctrl+C would; returns the exit status."""
        self.process.send_signal(signal.SIGINT)
        return self.process.wait(120)

    def create(self, data: bytes = PIER, name: str = "pier.glb", size: int = 256) -> str:
        """A project from a model, through REST."""
        return re.search(r'"id":"(\w+)"', self.hand_in("api/projects", data, name, size)).group(1)

    def hand_in(self, path: str, data: bytes, name: str, size: int = 256) -> str:
        """What REST answers to a file."""
        edge = "edge"
        body = (
            f'--{edge}\r\nContent-Disposition: form-data; name="size"\r\n\r\n{size}\r\n'
            f'--{edge}\r\nContent-Disposition: form-data; name="files"; filename="{name}"\r\n\r\n'
        ).encode() + data + f"\r\n--{edge}--\r\n".encode()  # fmt: skip
        request = Request(f"{self.url}{path}", body, {"Content-Type": f"multipart/form-data; boundary={edge}"})
        with urlopen(request) as answer:
            return str(answer.read().decode())

    def maps(self, project: str) -> zipfile.ZipFile:
        """All maps as the server hands them off, 16 bits."""
        with urlopen(f"{self.url}api/projects/{project}/maps.zip?bits=16") as answer:
            return zipfile.ZipFile(io.BytesIO(answer.read()))

    def texels(self, project: str, surface: str, name: str = "base_color") -> np.ndarray:
        """A map as the server hands it off."""
        return texels_in(self.maps(project), surface, name)


def texels_in(packed: zipfile.ZipFile, surface: str, name: str = "base_color") -> np.ndarray:
    """One of the maps handed off."""
    entry = next(n for n in packed.namelist() if f"_{surface}_{name}_" in n)
    return read_picture(entry, packed.read(entry))[..., :3]


@pytest.fixture(scope="session")
def server(cluster, tmp_path_factory) -> Iterator[Server]:
    url = cluster.start()
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("create database browser")
    late = tmp_path_factory.mktemp("server") / "late"
    made = Server(url.rsplit("/", 1)[0] + "/browser", late)
    yield made
    made.stop()
    assert not late.read_text(), "whoever comes upon one of these first waits seconds for it: have `warm` call it"


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        for renderer in RENDERERS:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=[*FLAGS, *renderer])
            page = browser.new_page()
            works = page.evaluate("!!document.createElement('canvas').getContext('webgl2')")
            page.close()
            if works:
                break
            browser.close()
        assert works, "no WebGL2 in this Chromium"
        yield browser
        browser.close()


def model_in(image: np.ndarray, beyond: int = 12) -> np.ndarray:
    """Where a picture of the stage shows anything but its gray, or what is that near to it."""
    return np.abs(image - np.array([0x8B, 0x8F, 0x8E])).max(axis=2) > beyond


class Painter:
    """A browser tab with a project open, and what a painter does in it."""

    def __init__(self, page: Page, server: Server, project: str) -> None:
        self.page, self.server, self.project = page, server, project
        self.opened = False

    def open(self) -> Painter:
        """At first by way of the gallery, where the tab stands there; then by a reload."""
        page = f"{self.server.url}{SWITCHES}"
        if not self.page.url.startswith(page):
            self.page.goto(f"{page}#/project/{self.project}")
        elif self.opened:
            self.page.reload()
        else:
            self.page.evaluate("project => (location.hash = `/project/${project}`)", self.project)
        self.opened = True
        self.page.wait_for_selector("canvas[data-ready=true]", timeout=PATIENCE)
        self.page.wait_for_selector("canvas[data-batch]", timeout=PATIENCE)
        self.box = self.page.locator("canvas[data-ready]").bounding_box()
        return self

    def at(self, x: float, y: float) -> tuple[float, float]:
        """A place on the stage, as shares of its width and height."""
        return self.box["x"] + x * self.box["width"], self.box["y"] + y * self.box["height"]

    def drag(self, *places: tuple[float, float], button: str = "left", hold: bool = False) -> None:
        self.page.mouse.move(*self.at(*places[0]))
        self.page.mouse.down(button=button)
        for place in places[1:]:
            self.page.mouse.move(*self.at(*place), steps=4)
        if not hold:
            self.page.mouse.up(button=button)

    def draw_with_pen(self, *samples: tuple[float, float, float]) -> None:
        """A stroke through places on the stage, each with the pen's pressure 0-1 there."""
        pen = self.page.context.new_cdp_session(self.page)
        kinds = ["mousePressed", *["mouseMoved"] * (len(samples) - 1), "mouseReleased"]
        for kind, (x, y, force) in zip(kinds, [*samples, samples[-1]], strict=True):
            px, py = self.at(x, y)
            pen.send("Input.dispatchMouseEvent", {"type": kind, "x": px, "y": py, "button": "left", "buttons": 1,
                                                  "pointerType": "pen", "force": force, "clickCount": 1})  # fmt: skip

    def wait_kept(self, change: int) -> None:
        self.page.wait_for_function(
            "n => document.querySelector('[data-testid=kept]')?.innerText.startsWith(`Kept, change ${n}`)",
            arg=change, timeout=PATIENCE,
        )  # fmt: skip

    def colors(self) -> np.ndarray:
        """What the stage shows right now, (H, W, 3)."""
        shot = self.page.screenshot(clip={k: round(v) for k, v in self.box.items()})
        return np.asarray(Image.open(io.BytesIO(shot)).convert("RGB")).astype(int)

    def wait_view(self, seen: Callable[[np.ndarray], bool], what: str) -> np.ndarray:
        """The stage, once it looks as wanted; `what` is said when it never does."""
        until = time.monotonic() + PATIENCE / 1000
        while time.monotonic() < until:
            colors = self.colors()
            if seen(colors):
                return colors
            self.page.wait_for_timeout(100)
        raise AssertionError(what)

    def wait_color(self, x: float, y: float, wanted: tuple[int, int, int], near: int = 12) -> None:
        """Until the stage shows about this color at a place."""

        def right(image: np.ndarray) -> bool:
            there = image[int(y * image.shape[0]), int(x * image.shape[1])]
            return bool(np.abs(there - wanted).max() <= near)

        self.wait_view(right, f"the stage does not show {wanted} at {x}, {y}")

    def side_by_side(self) -> None:
        """Show the map beside the model, and wait until it is there."""
        self.page.get_by_role("radio", name="Side by side").click()
        self.page.wait_for_selector("canvas[data-views='model map']", timeout=PATIENCE)


@pytest.fixture(scope="session")
def window(chromium) -> Iterator[BrowserContext]:
    """What all tabs share, as a painter's do, so that the page is fetched and compiled once; it keeps nothing there."""
    context = chromium.new_context(viewport=SIZE, accept_downloads=True)
    context.set_default_timeout(PATIENCE)
    expect.set_options(timeout=PATIENCE)
    yield context
    context.close()


@pytest.fixture(scope="session")
def first_tab(window) -> Page:
    """The tab that painters go from project to project in, by way of the gallery."""
    return window.new_page()


def leave(page: Page) -> None:
    """Back to the gallery, as whoever comes next finds it."""
    page.unroute_all()
    page.set_viewport_size(SIZE)
    page.mouse.move(0, 0)
    page.evaluate("location.hash = ''")
    page.wait_for_selector("canvas[data-ready]", state="detached")


@pytest.fixture
def painter(server, window, first_tab):
    """Opens tabs on a new project (or a given one); fails on any error a page reports."""
    tabs, problems = [], []
    project = None

    def report(error) -> None:
        problems.append(str(error))

    def read(message) -> None:
        if message.type == "error" and "WebSocket" not in message.text:
            problems.append(message.text)

    def make(given: str | None = None) -> Painter:
        nonlocal project
        project = given or project or server.create()
        page = window.new_page() if tabs else first_tab
        page.on("pageerror", report)
        page.on("console", read)
        tabs.append(page)
        return Painter(page, server, project)

    yield make
    for page in tabs[1:]:
        page.close()
    for page in tabs[:1]:
        leave(page)
        page.remove_listener("pageerror", report)
        page.remove_listener("console", read)
    # A server that is killed refuses, resets, breaks off or leaves without an answer whatever is under way.
    broken = (
        "CONNECTION_REFUSED", "CONNECTION_RESET", "SOCKET_NOT_CONNECTED", "EMPTY_RESPONSE", "CONTENT_LENGTH_MISMATCH",
    )  # fmt: skip
    expected = (*(f"ERR_{what}" for what in broken), "422")
    assert not [problem for problem in problems if not any(word in problem for word in expected)]
