"""What new projects leave for later, and what closed ones give back."""

from __future__ import annotations

import os
from pathlib import Path
from threading import Event

import numpy as np
import pytest

from nightmist.document.files.portrait import portrait
from nightmist.studio import studio as studio_module
from nightmist.studio.memory import give_back

from .test_project import Browser, document, entered, studio  # noqa: F401

MEGABYTE = 1 << 20


def resident() -> float:
    """Megabytes that this process holds."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / MEGABYTE


def test_freed_memory_goes_back_to_the_system():
    """Between blocks that are still in use the allocator keeps what was freed, until it is told."""
    tiles = [np.ones(64 << 10, np.uint8) for _ in range(4000)]
    full = resident()
    tiles = tiles[::50]
    give_back()
    assert full - resident() > 150
    assert all(tile.all() for tile in tiles)


def test_memory_is_given_back_once_the_last_project_is_closed(studio, monkeypatch):  # noqa: F811
    """Not while another is painted on."""
    given, open_then = Event(), []
    monkeypatch.setattr(studio_module, "LINGER", 0.01)
    monkeypatch.setattr(studio_module, "give_back", lambda: (open_then.append(len(studio.open_projects)), given.set()))
    browsers = {studio.create(document()): Browser() for _ in range(2)}
    for project, browser in browsers.items():
        studio.enter(project, browser)
    for project, browser in browsers.items():
        studio.leave(project, browser)
    assert given.wait(60)
    assert open_then == [0]


@pytest.mark.parametrize("opened", [False, True], ids=["asked for", "closed"])
def test_the_picture_of_a_project_that_is_opened_next_waits(studio, store, opened):  # noqa: F811
    """It is there when the gallery asks, or once the project was closed; it is the one that would have been made."""
    made = document()
    project = studio.create(made, opened_next=True)
    assert store.picture(project) is None
    if opened:
        entered(studio, project)
        with studio.lock:
            studio._close(project)
        assert store.picture(project) == portrait(made)
    assert studio.picture(project) == store.picture(project) == portrait(made)
