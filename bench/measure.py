"""How the bench measures: the best of several rounds, both sides taking turns in the same rounds."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path


def best_of(rounds: int, *works: Callable[[], object]) -> list[float]:
    """Seconds of each work at its best; they take turns, so that a slow moment of the machine hits all."""
    best = [float("inf")] * len(works)
    for work in works:
        work()
    for _ in range(rounds):
        for i, work in enumerate(works):
            started = time.perf_counter()
            work()
            best[i] = min(best[i], time.perf_counter() - started)
    return best


def verdict(ratio: float, wanted: float) -> str:
    """A ratio with its target."""
    return f"{ratio:5.2f} times (wanted: {wanted:g}) {'ok' if ratio >= wanted else 'BELOW'}"


def memory_peak() -> int:
    """What this process has taken at its highest, in MB; getrusage would tell of the process before it, too."""
    status = Path("/proc/self/status").read_text()
    return int(next(line.split()[1] for line in status.splitlines() if line.startswith("VmHWM"))) >> 10
