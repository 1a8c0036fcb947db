"""Adjustments set by what lies below them."""

from __future__ import annotations

import numpy as np

from ...core.errors import NightmistError
from ..change import Change
from ..document import Document
from ..preview import Preview
from ..values import Adjustment, Node
from .nodes import set_node

#: Percent of the texels that may fall beyond black, and beyond white.
BEYOND = 0.5


def found_levels(document: Document, node: Node) -> Change:
    """Levels that stretch the color's gray below an adjustment from nearly the darkest to nearly the lightest."""
    if not isinstance(node, Adjustment) or node.effect not in ("levels", "gray"):
        raise NightmistError(f"{node.name} has no levels to be found.")
    surface = document.surface_of(node)
    preview = Preview(document)
    try:
        preview.lay({node.id: node.but(visible=False)})
        document.bring_up_to_date()
        color = document.composite(surface).read("base_color")
    finally:
        preview.drop()
    owned = document.layout(surface).ownership.covered()
    gray = color[owned][:, :3] @ np.array([0.2126, 0.7152, 0.0722]) / 65535
    if not len(gray):
        raise NightmistError(f"{surface.name} has no texels to look at.")
    black, white = np.percentile(gray, [BEYOND, 100 - BEYOND]).tolist()
    if white - black < 1e-3:
        raise NightmistError(f"What lies below {node.name} is all one tone; there is nothing to stretch.")
    return set_node(document, node, black=max(black, 0.0), white=min(white, 1.0))
