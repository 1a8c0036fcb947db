"""./nightmist test: the linters, then every test; those of the browser by themselves, the others in two processes.

Arguments go to pytest instead.
"""

from __future__ import annotations

import os
import subprocess
import sys
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
#: A page that is drawn by software takes both cores by itself.
RUNS = [["-n", "2", "--dist", "loadfile", "--ignore=tests/browser"], ["tests/browser"]]


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
    runs = [sys.argv[1:]] if sys.argv[1:] else RUNS
    for arguments in runs:
        tests = [sys.executable, "-m", "pytest", *arguments]
        if subprocess.run(tests, cwd=ROOT, env=environment, check=False).returncode:
            failed.append(f"pytest {' '.join(arguments)}")
    if failed:
        print(f"failed: {', '.join(failed)}")
    return bool(failed)


if __name__ == "__main__":
    sys.exit(main())
