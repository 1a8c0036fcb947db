"""The nodes of a surface's stack: layers of pixels, washes, groups; each with its mask."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ...core.compose import BlendMode
from .base import Name, Share, Value
from .paint import MapName


class NodeMap(Value):
    """How a node meets one map: not at all, or with an opacity and a blend mode of its own."""

    on: bool = True
    opacity: Share = 1.0
    blend: BlendMode | None = Field(default=None, description="null: the node's")


class MaskOf(Value):
    """A node's mask: the share that it has where nothing is painted on it, and whether it counts."""

    start: Share = 1.0
    on: bool = True


class NodeValue(Value):
    """What all nodes have.

    parent: the surface or the group in whose stack it lies. order: where, among its siblings, lowest first.
    """

    id: str
    parent: str
    order: float
    name: Name
    visible: bool = True
    locked: bool = Field(default=False, description="nothing changes its pixels")
    opacity: Share = 1.0
    blend: BlendMode = "normal"
    maps: dict[MapName, NodeMap] = Field(default={}, description="maps that it meets in a way of their own")
    mask: MaskOf | None = None


class Brushed(NodeValue):
    """A layer of pixels made by strokes, in any of the maps at once."""

    kind: Literal["brushed"] = "brushed"


class Group(NodeValue):
    """Nodes composited on their own, then laid on as one."""

    kind: Literal["group"] = "group"


#: Kinds of nodes in a stack.
Node = Brushed | Group
NODES = (Brushed, Group)
