"""Frames of washes, fitted to what they lie on."""

from __future__ import annotations

from ...core.errors import NightmistError
from ...core.mapping.frames import fitted
from ..change import Change
from ..document import Document
from ..values import Frame, Node, Wash
from .nodes import set_node


def fit_frame(document: Document, node: Node) -> Change:
    """Put a wash's frame around its surface as it is turned. Raises NightmistError where there is nothing to fit to."""
    if not isinstance(node, Wash):
        raise NightmistError(f"{node.name} is no wash and has no frame.")
    surface = document.surface_of(node)
    corners = document.mesh.corners[document.layout(surface).faces]
    if not len(corners):
        raise NightmistError(f"{surface.name} has no faces that a frame could lie around.")
    turn = node.mapping.frame.turn if node.mapping.frame else (0.0, 0.0, 0.0)
    position, size = fitted(corners.reshape(-1, 3), turn)
    return set_node(document, node, mapping=node.mapping.but(frame=Frame(position=position, size=size, turn=turn)))
