"""Asks xatlas and libigl, in processes that can be watched and stopped.

Loading the libraries takes a good part of a second. So processes are started before there is a task for them, and a
few wait for the next one.
"""

from __future__ import annotations

import atexit
import contextlib
import pickle
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..progress import CancelledError, Progress
from .solver_process import IDLE, Piece

SCRIPT = Path(__file__).with_name("solver_process.py")
#: Seconds between two looks whether the work is still wanted.
GLANCE = 0.1
#: Faces from which on the pieces are shared out to two processes, and faces that a process lays flat in a second.
SHARED, PACE = 4_000, 8_000
#: Processes that are kept for the next task, one for each of two cores.
KEPT = 2
#: Seconds before an idle process ends itself in which none is asked any more.
MARGIN = 30
#: Seconds in which a process that says nothing any more has ended.
GRACE = 5

Task = Literal["charts", "flatten"]


def get_ready(faces: int) -> None:
    """Start what will soon be asked about so many faces, beside what the caller still has to do."""
    with _lock:
        _drop_idle()
        while len(_waiting) < _worth(faces):
            _waiting.append(_Solver())


def solve(task: Task, pieces: list[Piece], what: str, progress: Progress) -> list[NDArray[np.float64]]:
    """The result of a task of `solver_process` for (points, faces) pieces.

    The libraries do not say how far they are, so progress moves by guess. Raises CancelledError from progress,
    with the processes ended, and NightmistError when a library fails.
    """
    sizes = np.array([len(faces) for _, faces in pieces])
    shares = _shared_out(sizes, min(_worth(int(sizes.sum())), len(pieces)))
    askings = [_Asking(_solver(), task, [pieces[i] for i in share]) for share in shares]
    guess = 0.2 + max(int(sizes[share].sum()) for share in shares) / PACE
    waited = 0.0
    try:
        while any(asking.goes_on(GLANCE / len(askings)) for asking in askings):
            waited += GLANCE
            progress(what, 1 - 1 / (1 + waited / guess))
    except CancelledError:
        for asking in askings:
            asking.stop()
        raise
    found: list[NDArray[np.float64]] = [np.empty(0)] * len(pieces)
    for asking, share in zip(askings, shares, strict=True):
        for i, result in zip(share, asking.result(what), strict=True):
            found[i] = result
    return found


def _worth(faces: int) -> int:
    return KEPT if faces >= SHARED else 1


def _shared_out(sizes: NDArray[np.int64], count: int) -> list[list[int]]:
    """Numbers of pieces for each of `count` processes: the largest first, always to the one with least to do."""
    shares: list[list[int]] = [[] for _ in range(count)]
    loads = [0] * count
    for i in np.argsort(-sizes, kind="stable").tolist():
        least = loads.index(min(loads))
        shares[least].append(i)
        loads[least] += int(sizes[i])
    return shares


class _Solver:
    """A process that waits for tasks."""

    def __init__(self) -> None:
        self.said = tempfile.TemporaryFile()  # noqa: SIM115 - what it prints, as long as it lives
        self.process = subprocess.Popen(
            [sys.executable, "-I", str(SCRIPT)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=self.said
        )
        self.since = time.monotonic()

    @property
    def usable(self) -> bool:
        return self.process.poll() is None and time.monotonic() - self.since < IDLE - MARGIN

    def ask(self, task: Task, pieces: list[Piece]) -> Any:
        """The result; None when the process has ended instead."""
        assert self.process.stdin
        assert self.process.stdout
        try:
            pickle.dump((task, pieces), self.process.stdin, protocol=5)
            self.process.stdin.flush()
            found = pickle.load(self.process.stdout)
        except (OSError, EOFError, pickle.UnpicklingError):
            return None
        self.since = time.monotonic()
        return found

    @property
    def crashed(self) -> bool:
        """Whether a signal has ended the process, not an error that it could tell."""
        try:
            return self.process.wait(GRACE) < 0
        except subprocess.TimeoutExpired:
            return False

    def last_word(self) -> str:
        """The last line that it printed."""
        self.said.seek(0)
        return "".join(self.said.read().decode(errors="replace").strip().splitlines()[-1:])

    def end(self) -> None:
        self.process.kill()
        self.process.wait()
        for stream in (self.process.stdin, self.process.stdout, self.said):
            # What could not be written any more is of no use.
            with contextlib.suppress(OSError):
                stream.close()  # type: ignore[union-attr]


_lock = threading.Lock()
_waiting: list[_Solver] = []


def _drop_idle() -> None:
    for solver in [solver for solver in _waiting if not solver.usable]:
        _waiting.remove(solver)
        solver.end()


def _solver() -> _Solver:
    with _lock:
        _drop_idle()
        return _waiting.pop() if _waiting else _Solver()


def _keep(solver: _Solver) -> None:
    with _lock:
        if len(_waiting) < KEPT:
            _waiting.append(solver)
            return
    solver.end()


@atexit.register
def _end_all() -> None:
    while _waiting:
        _waiting.pop().end()


class _Asking:
    """One process at work."""

    def __init__(self, solver: _Solver, task: Task, pieces: list[Piece]) -> None:
        self.solver, self.found, self.stopped = solver, None, False
        # Talking must run beside us: it blocks, and what it moves is larger than a pipe holds.
        self.talk = threading.Thread(target=self._ask, args=(task, pieces))
        self.talk.start()

    def _ask(self, task: Task, pieces: list[Piece]) -> None:
        self.found = self.solver.ask(task, pieces)
        if self.found is None and self.solver.crashed and not self.stopped:
            # A library that crashes seldom does so at the same task again.
            self.solver.end()
            self.solver = _Solver()
            self.found = self.solver.ask(task, pieces)

    def goes_on(self, seconds: float) -> bool:
        """Whether it is still at work after so many seconds."""
        self.talk.join(seconds)
        return self.talk.is_alive()

    def stop(self) -> None:
        self.stopped = True
        while self.talk.is_alive():
            self.solver.process.kill()
            self.talk.join(GLANCE)
        self.solver.end()

    def result(self, what: str) -> list[NDArray[np.float64]]:
        if self.found is None:
            said = self.solver.last_word()
            self.solver.end()
            raise NightmistError(
                f"{what} failed inside the library ({said}); nothing was changed. Try another way to unwrap."
            )
        _keep(self.solver)
        return self.found
