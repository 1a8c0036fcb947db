"""Up to which angle faces take paint, and where it fades."""

from __future__ import annotations

import math

#: Degrees over which paint fades before the limit.
FADE = 8.0
#: Cosines that no face is beyond.
ANY_ANGLE = (-3.0, -2.0)


def limits_of(degrees: float) -> tuple[float, float]:
    """Cosines of the angle from which on paint begins and is whole, for the widest one that takes any."""
    return math.cos(math.radians(degrees)), math.cos(math.radians(max(degrees - FADE, 0.0)))
