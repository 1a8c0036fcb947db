"""Nodes in maps of another size: what they count in texels looks the same there."""

from __future__ import annotations

from ..values import WIDEST_BLUR, Adjustment, Node


def scaled(node: Node, times: float) -> Node:
    """A node for a map with so many times the texels along a side."""
    if isinstance(node, Adjustment):
        node = node.but(radius=min(max(node.radius * times, 0.3), WIDEST_BLUR))
    if node.mask and node.mask.soften:
        node = node.but(mask=node.mask.but(soften=min(node.mask.soften * times, WIDEST_BLUR)))
    return node
