"""What an adjustment does to the numbers of each map."""

from __future__ import annotations

import json
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ...core.compose.adjust import curve, levels, table_effect, tone_effect
from ..values import MAPS, Adjustment, MapName

#: What an adjustment's effect follows from.
SETTINGS = {"effect", "black", "white", "gamma", "low", "high", "points", "hue", "saturation", "lightness"}


def effects_of(node: Adjustment) -> dict[MapName, NDArray[np.float32]]:
    """Its effect on every map; which of them it counts for is said elsewhere."""
    return dict.fromkeys(MAPS, _effect(node.model_dump_json(include=SETTINGS)))


@lru_cache(64)
def _effect(settings: str) -> NDArray[np.float32]:
    node = Adjustment(id="", parent="", order=0, name="-", **json.loads(settings))
    if node.effect == "tone":
        return tone_effect(node.hue, node.saturation, node.lightness)
    if node.effect == "curve":
        return table_effect(curve(node.points))
    table = levels(node.black, node.white, node.gamma, node.low, node.high)
    if node.effect == "invert":
        table = np.linspace(1, 0, len(table))
    return table_effect(table, node.effect == "gray")
