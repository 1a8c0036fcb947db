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


def solve(
    task: Literal["charts", "flatten"], pieces: list[Piece], what: str, progress: Progress
) -> list[NDArray[np.float64]]:
    """The result of a task of `solver_process` for (points, faces) pieces.

    The libraries do not say how far they are, so progress moves by guess. Raises CancelledError from progress,
    with the process ended, and NightmistError when a library fails.
    """
    process = subprocess.Popen(
        [sys.executable, "-I", str(SCRIPT)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE
    )
    answer: list[bytes] = []
    asked = pickle.dumps((task, pieces), protocol=5)
    # communicate() must run beside us: it blocks, and what it moves is larger than a pipe holds.
    talk = threading.Thread(target=lambda: answer.extend(process.communicate(asked)))
    talk.start()
    guess = 0.2 + sum(len(faces) for _, faces in pieces) / 12_000
    waited = 0.0
    try:
        while talk.is_alive():
            talk.join(GLANCE)
            waited += GLANCE
            progress(what, 1 - 1 / (1 + waited / guess))
    except CancelledError:
        process.kill()
        talk.join()
        raise
    if process.returncode:
        raise NightmistError(
            f"{what} failed inside the library ({answer[1].decode(errors='replace').strip().splitlines()[-1:]});"
            " nothing was changed. Try another way to unwrap."
        )
    found: list[NDArray[np.float64]] = pickle.loads(answer[0])
    return found
