"""Nodes in maps of another size: what they count in texels looks the same there."""

from __future__ import annotations

from ..values import WIDEST_BLUR, Adjustment, MaskOf, Node


def scaled(node: Node, times: float) -> Node:
    """A node for a map with so many times the texels along a side."""
    if isinstance(node, Adjustment):
        node = node.but(radius=min(max(node.radius * times, 0.3), WIDEST_BLUR))
    return node.but(mask=scaled_mask(node.mask, times)) if node.mask else node


def scaled_mask(mask: MaskOf, times: float) -> MaskOf:
    """A mask for a map with so many times the texels along a side."""
    softer: MaskOf = mask.but(soften=min(mask.soften * times, WIDEST_BLUR))
    return softer
