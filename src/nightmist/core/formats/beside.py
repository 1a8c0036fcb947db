"""Files given together with a model, found by the names it calls them."""

from __future__ import annotations

from collections.abc import Mapping


def steps_of(link: str) -> list[str]:
    """The folders of a path of whatever system, and the file's name; some programs write it in quotes."""
    return [step for step in link.strip('"').replace("\\", "/").split("/") if step not in ("", ".", "..")]


def path_of(link: str) -> str:
    """A path with a slash between its steps, and nothing else that a system may put into it."""
    return "/".join(steps_of(link))


def name_of(link: str) -> str:
    """A file's name at the end of a path."""
    return (steps_of(link) or [""])[-1]


def given(beside: Mapping[str, bytes], link: str) -> bytes | None:
    """The file (path -> bytes) that a model means by a path; None where none has that name, its case aside.

    Paths were made elsewhere: of several of one name it is the one whose folders agree the farthest.
    """
    wanted = steps_of(link)
    found = max(beside, key=lambda path: _agreement(steps_of(path), wanted), default=None)
    return None if found is None or not _agreement(steps_of(found), wanted)[0] else beside[found]


def _agreement(path: list[str], wanted: list[str]) -> tuple[int, int]:
    """How many steps agree from the end, and how many of these in their case too."""
    alike = exact = 0
    for a, b in zip(reversed(path), reversed(wanted), strict=False):
        if a.casefold() != b.casefold():
            break
        alike, exact = alike + 1, exact + (a == b)
    return alike, exact
