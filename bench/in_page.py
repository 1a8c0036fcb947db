"""Pictures a second in a page whose slider or decal is dragged: server, page and what draws it, on one machine."""

from __future__ import annotations

import json
import math
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tests.browser.conftest import Server

from nightmist.document.api import Document

from .measure import verdict
from .moving_wash import washed
from .projected import with_decals
from .quiet_page import QuietPage, quiet_page
from .served import served

WANTED = 10.0
#: Its viewport has about 1280 × 800.
WINDOW = (1280, 943)
ROUNDS = 3


def main(quick: bool = False) -> None:
    with served() as server:
        report(server, quick)


def report(server: Server, quick: bool) -> None:
    side, count = (512, 20) if quick else (2048, 300)
    print("page: pictures a second while something is dragged, software renderer")
    document, _ = washed(1024 if quick else 4096)
    with _opened(server, document) as page:
        page.click(page.middle_of(_button("Its values")))
        _tell("the turn of a wash of four pictures, three ways", page, page.middle_of(_slider("Turn")), quick)
    document, _, _ = with_decals(side, count, 0.25 if quick else 0.08)
    with _opened(server, document) as page:
        _tell(f"one of {count} decals", page, _chosen(page), quick)


@contextmanager
def _opened(server: Server, document: Document) -> Iterator[QuietPage]:
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "bench.nightmist"
        document.save(file)
        project = server.create(file.read_bytes(), file.name)
    with quiet_page(f"{server.url}?surroundings=off#/project/{project}", WINDOW) as page:
        page.wait_for("document.querySelector('canvas[data-ready=true][data-batch]')")
        page.wait_for("document.querySelector('[data-testid=kept]')?.innerText.startsWith('Kept')")
        yield page


def _button(text: str) -> str:
    return f"[...document.querySelectorAll('button, summary')].find(e => e.textContent.includes({json.dumps(text)}))"


def _slider(label: str) -> str:
    return f"document.querySelector('input[type=range][aria-label={json.dumps(label)}]')"


def _chosen(page: QuietPage) -> tuple[float, float]:
    """The handle of the decal in the middle of the stage."""
    named = "[...document.querySelectorAll('*')].find(e => !e.children.length && e.textContent === 'Decals')"
    page.click(page.middle_of(named))
    page.wait_for("document.querySelector('[data-testid=target]').textContent.includes('click to choose')")
    page.click(page.middle_of("document.querySelector('canvas[data-ready]')"))
    return page.middle_of("document.querySelector('[aria-label^=\"Move the decal\"]')")


def _tell(what: str, page: QuietPage, start: tuple[float, float], quick: bool) -> None:
    x, y = start

    def path(seconds: float) -> tuple[float, float]:
        return x + 40 * math.sin(2 * seconds), y + 20 * math.sin(1.5 * seconds)

    rates = []
    for _ in range(1 if quick else ROUNDS):
        rates.append(page.drag(path, 1.0 if quick else 6.0))
        # What is let go of is worked out whole.
        time.sleep(0.1 if quick else 4.0)
    each = ", ".join(f"{rate:.1f}" for rate in rates)
    print(f"  {what}: {each}, of {WANTED:g} wanted: {verdict(max(rates) / WANTED, 1.0)}")
