"""Asks xatlas and libigl, in a process that can be watched and stopped."""

from __future__ import annotations

import pickle
import subprocess
import sys
import threading
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..progress import CancelledError, Progress
from .solver_process import Piece

SCRIPT = Path(__file__).with_name("solver_process.py")
#: Seconds between two looks whether the work is still wanted.
GLANCE = 0.1
#: Faces from which on the pieces are shared out to two processes, and faces that a process lays flat in a second.
SHARED, PACE = 4_000, 8_000

Task = Literal["charts", "flatten"]


def solve(task: Task, pieces: list[Piece], what: str, progress: Progress) -> list[NDArray[np.float64]]:
    """The result of a task of `solver_process` for (points, faces) pieces.

    The libraries do not say how far they are, so progress moves by guess. Raises CancelledError from progress,
    with the processes ended, and NightmistError when a library fails.
    """
    sizes = np.array([len(faces) for _, faces in pieces])
    shares = _shared_out(sizes, 2 if sizes.sum() >= SHARED and len(pieces) > 1 else 1)
    askings = [_Asking(task, [pieces[i] for i in share]) for share in shares]
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


def _shared_out(sizes: NDArray[np.int64], count: int) -> list[list[int]]:
    """Numbers of pieces for each of `count` processes: the largest first, always to the one with least to do."""
    shares: list[list[int]] = [[] for _ in range(count)]
    loads = [0] * count
    for i in np.argsort(-sizes, kind="stable").tolist():
        least = loads.index(min(loads))
        shares[least].append(i)
        loads[least] += int(sizes[i])
    return shares


class _Asking:
    """One process at work."""

    def __init__(self, task: Task, pieces: list[Piece]) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-I", str(SCRIPT)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE
        )
        self.answer: tuple[bytes, bytes] = (b"", b"")
        asked = pickle.dumps((task, pieces), protocol=5)
        # communicate() must run beside us: it blocks, and what it moves is larger than a pipe holds.
        self.talk = threading.Thread(target=self._communicate, args=(asked,))
        self.talk.start()

    def _communicate(self, asked: bytes) -> None:
        self.answer = self.process.communicate(asked)

    def goes_on(self, seconds: float) -> bool:
        """Whether it is still at work after so many seconds."""
        self.talk.join(seconds)
        return self.talk.is_alive()

    def stop(self) -> None:
        self.process.kill()
        self.talk.join()

    def result(self, what: str) -> list[NDArray[np.float64]]:
        if self.process.returncode:
            said = self.answer[1].decode(errors="replace").strip().splitlines()[-1:]
            raise NightmistError(
                f"{what} failed inside the library ({said}); nothing was changed. Try another way to unwrap."
            )
        found: list[NDArray[np.float64]] = pickle.loads(self.answer[0])
        return found
