"""Writes requirements.txt and requirements-dev.txt: the versions installed now of all that the .in files need."""

from __future__ import annotations

import re
from importlib import metadata
from pathlib import Path

from packaging.requirements import Requirement

ROOT = Path(__file__).resolve().parents[1]


def normal(name: str) -> str:
    return re.sub(r"[-_.]+", "-", name).lower()


def closure(file: str) -> dict[str, str]:
    """Name -> version of everything a list of requirements needs."""
    installed = {normal(d.metadata["Name"]): d for d in metadata.distributions()}
    waiting = [Requirement(line) for line in (ROOT / file).read_text().splitlines() if line]
    found: dict[str, str] = {}
    seen: set[str] = set()
    while waiting:
        wanted = waiting.pop()
        name = normal(wanted.name)
        if str(wanted) in seen or name not in installed:
            continue
        seen.add(str(wanted))
        found[name] = installed[name].version
        for line in installed[name].requires or []:
            needed = Requirement(line)
            extras = ["", *wanted.extras]
            if needed.marker is None or any(needed.marker.evaluate({"extra": extra}) for extra in extras):
                waiting.append(needed)
    return found


def write(file: str, pins: dict[str, str], what: str) -> None:
    lines = [f"# {what}; written by tools/pin.py.", *(f"{name}=={version}" for name, version in sorted(pins.items()))]
    (ROOT / file).write_text("\n".join(lines) + "\n")


if __name__ == "__main__":
    run = closure("requirements.in")
    develop = {name: version for name, version in closure("requirements-dev.in").items() if name not in run}
    write("requirements.txt", run, "What ./nightmist installs")
    write("requirements-dev.txt", develop, "What the tests need besides")
