"""How a dab's weight falls from its hard middle to its rim."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError

Falloff = Literal["smooth", "linear", "dome", "point", "curve"]

#: Entries of a table: enough that steps stay below a 16-bit level in all but the steepest curves.
ENTRIES = 1025
#: The smooth falloff needs no table: the kernels compute it.
NO_TABLE = np.zeros(0, np.float32)


def falloff_table(kind: Falloff, curve: Sequence[tuple[float, float]] | None = None) -> NDArray[np.float32]:
    """Weights over s = (t - hardness) / (1 - hardness), 0 at the end of the hard middle, 1 at the rim.

    curve: points (s, weight), both 0-1, for "curve"; straight between them. Raises NightmistError without any.
    """
    if kind == "smooth":
        return NO_TABLE
    s = np.linspace(0, 1, ENTRIES)
    if kind == "linear":
        weights = 1 - s
    elif kind == "dome":
        weights = np.sqrt(1 - s * s)
    elif kind == "point":
        weights = (1 - s) ** 2
    else:
        points = sorted(curve or ())
        if len(points) < 2:
            raise NightmistError("A falloff curve needs at least two points.")
        weights = np.interp(s, [p[0] for p in points], [p[1] for p in points])
        # Beyond the rim nothing is covered, whatever the curve ends with.
        weights[-1] = 0
    return weights.astype(np.float32)
