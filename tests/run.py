"""./nightmist test: every test, and the linters. Arguments go to pytest instead.

A browser that waits for its frames leaves a quarter of two cores and more: there all else runs, and gives way to it.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
BIN = Path(sys.executable).parent
ENVIRONMENT = {**os.environ, "PATH": f"{BIN}:{os.environ['PATH']}", "NO_COLOR": "1"}

CHECKS = [
    ("format", ["ruff", "format", "--check", "-q", "."], ROOT),
    ("lint", ["ruff", "check", "-q", "."], ROOT),
    ("types", ["mypy"], ROOT),
    ("layers", ["lint-imports", "--no-logo"], ROOT),
    ("page types", ["npm", "run", "--silent", "check"], ROOT / "web"),
    ("page lint", ["npm", "run", "--silent", "lint"], ROOT / "web"),
]
#: Takes little else than what nothing else wants of the processors.
ASIDE = ["nice", "-n", "19"]
#: Two browsers that draw by software are no faster than one; the other tests take both cores.
BROWSER = ["tests/browser"]
OTHERS = ["-n", "2", "--dist", "loadfile", "--ignore=tests/browser"]


def main() -> int:
    """Run all; the exit status is 0 when nothing failed."""
    with ThreadPoolExecutor(max_workers=1) as aside:
        checked = aside.submit(_check)
        others = None if sys.argv[1:] else aside.submit(_test, OTHERS, ASIDE)
        failed = _test(sys.argv[1:] or BROWSER)
        failed += checked.result() + (others.result() if others else [])
    if failed:
        print(f"failed: {', '.join(failed)}")
    return bool(failed)


def _test(arguments: list[str], before: Sequence[str] = ()) -> list[str]:
    """Run some tests; returns how they were called where any failed. Beside others they tell all in the end."""
    command = [*before, sys.executable, "-m", "pytest", *arguments]
    done = subprocess.run(command, cwd=ROOT, env=ENVIRONMENT, capture_output=bool(before), text=True, check=False)
    if before:
        print(done.stdout, done.stderr, flush=True)
    return [f"pytest {' '.join(arguments)}"] if done.returncode else []


def _check() -> list[str]:
    """Run the linters one by one, telling how each ends; returns those that failed."""
    failed = []
    for name, command, folder in CHECKS:
        started = time.perf_counter()
        done = subprocess.run(
            [*ASIDE, *command], cwd=folder, env=ENVIRONMENT, capture_output=True, text=True, check=False
        )
        word = "ok" if done.returncode == 0 else "FAILED"
        print(f"{name}: {word} ({time.perf_counter() - started:.0f} s)", flush=True)
        if done.returncode:
            failed.append(name)
            print(done.stdout, done.stderr, flush=True)
    return failed


if __name__ == "__main__":
    sys.exit(main())
