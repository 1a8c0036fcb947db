"""./nightmist test: the linters, then every test, files shared out to two processes. Arguments go to pytest instead."""

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


def main() -> int:
    """Run all; the exit status is that of the first failure."""
    environment = {**os.environ, "PATH": f"{BIN}:{os.environ['PATH']}", "NO_COLOR": "1"}
    failed = []
    for name, command, folder in CHECKS:
        started = time.perf_counter()
        done = subprocess.run(command, cwd=folder, env=environment, capture_output=True, text=True, check=False)
        word = "ok" if done.returncode == 0 else "FAILED"
        print(f"{name}: {word} ({time.perf_counter() - started:.0f} s)", flush=True)
        if done.returncode:
            failed.append(name)
            print(done.stdout, done.stderr, flush=True)
    arguments = sys.argv[1:] or ["-n", "2", "--dist", "loadfile"]
    tests = subprocess.run([sys.executable, "-m", "pytest", *arguments], cwd=ROOT, env=environment, check=False)
    if failed:
        print(f"failed besides pytest: {', '.join(failed)}")
    return tests.returncode or bool(failed)


if __name__ == "__main__":
    sys.exit(main())
