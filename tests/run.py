"""./nightmist test: the linters, then every test: the browser's, and the others in what these leave of two cores.

Arguments go to pytest instead.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
BIN = Path(sys.executable).parent

CHECKS = [
    ("format", [BIN / "ruff", "format", "--check", "-q", "."], ROOT),
    ("lint", [BIN / "ruff", "check", "-q", "."], ROOT),
    ("types", [BIN / "mypy"], ROOT),
    ("layers", [BIN / "lint-imports", "--no-logo"], ROOT),
    ("page types", ["npm", "run", "--silent", "check"], ROOT / "web"),
    ("page lint", ["npm", "run", "--silent", "lint"], ROOT / "web"),
]
WARM = "from nightmist.warm import warm_up; warm_up()"
PYTEST = [sys.executable, "-m", "pytest"]
BROWSER = ["tests/browser"]
OTHERS = ["-n", "2", "--dist", "loadfile", "--ignore=tests/browser"]


def main() -> int:
    """Run all; the exit status is that of the first failure."""
    environment = {**os.environ, "PATH": f"{BIN}:{os.environ['PATH']}", "NO_COLOR": "1"}
    failed = []
    # What the linters leave of two cores compiles the kernels, which both processes of tests would do otherwise.
    warming = subprocess.Popen([sys.executable, "-c", WARM], cwd=ROOT, env=environment)
    for name, command, folder in CHECKS:
        started = time.perf_counter()
        done = subprocess.run(command, cwd=folder, env=environment, capture_output=True, text=True, check=False)
        word = "ok" if done.returncode == 0 else "FAILED"
        print(f"{name}: {word} ({time.perf_counter() - started:.0f} s)", flush=True)
        if done.returncode:
            failed.append(name)
            print(done.stdout, done.stderr, flush=True)
    if warming.wait():
        failed.append("warming up the engine")
    failed += _chosen(environment) if sys.argv[1:] else _all(environment)
    if failed:
        print(f"failed: {', '.join(failed)}")
    return bool(failed)


def _chosen(environment: dict[str, str]) -> list[str]:
    done = subprocess.run([*PYTEST, *sys.argv[1:]], cwd=ROOT, env=environment, check=False)
    return ["pytest"] if done.returncode else []


def _all(environment: dict[str, str]) -> list[str]:
    """A painter in a browser waits for two fifths of the time: there the others run, and give way to it."""
    with tempfile.TemporaryFile("w+") as told:
        others = subprocess.Popen(
            ["nice", "-n", "10", *PYTEST, *OTHERS], cwd=ROOT, env=environment, stdout=told, stderr=subprocess.STDOUT
        )
        browser = subprocess.run([*PYTEST, *BROWSER], cwd=ROOT, env=environment, check=False)
        others.wait()
        told.seek(0)
        print(told.read(), flush=True)
    return [name for name, done in (("browser", browser), ("others", others)) if done.returncode]


if __name__ == "__main__":
    sys.exit(main())
