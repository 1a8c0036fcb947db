"""What a document holds besides pixels, and how to find it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..core.brush.tips import made_tip
from ..core.errors import NightmistError
from .derived.pool import Pool
from .values import (
    MODEL,
    NODES,
    PROJECT,
    AnyValue,
    Decals,
    DocumentValues,
    Group,
    Model,
    Node,
    Picture,
    Project,
    Region,
    Surface,
    TipPicture,
    Wash,
)


class InOrder(NamedTuple):
    """Values as they are asked for with every layer of every stroke."""

    #: By number.
    surfaces: tuple[Surface, ...]
    #: By the surface or the group that they lie in, bottom first.
    stacks: Mapping[str, tuple[Node, ...]]
    #: Nodes that lay heights that are not painted.
    raising: frozenset[str]

    @classmethod
    def of(cls, values: Iterable[AnyValue]) -> InOrder:
        """Surfaces and stacks among some values."""
        surfaces: list[Surface] = []
        stacks: dict[str, list[Node]] = {}
        for value in values:
            if isinstance(value, Surface):
                surfaces.append(value)
            elif isinstance(value, NODES):
                stacks.setdefault(value.parent, []).append(value)
        return cls(
            tuple(sorted(surfaces, key=lambda surface: surface.number)),
            {key: tuple(sorted(nodes, key=lambda node: (node.order, node.id))) for key, nodes in stacks.items()},
            frozenset(node.id for nodes in stacks.values() for node in nodes if raises(node)),
        )


def raises(node: AnyValue) -> bool:
    """Whether something lays heights that are not painted."""
    if isinstance(node, NODES) and node.lifts:
        return True
    if isinstance(node, Decals):
        return any(decal.raises for decal in node.placed)
    return isinstance(node, Wash) and (node.pigment.height is not None or "height" in node.images)


class Contents:
    """Values by id, and the pool of the arrays that they name."""

    def __init__(self, values: Iterable[AnyValue], arrays: Pool) -> None:
        self.values: dict[str, AnyValue] = {value.id: value for value in values}
        self.arrays = arrays
        self._in_order: InOrder | None = None

    @property
    def in_order(self) -> InOrder:
        """Surfaces and stacks, found once until values change."""
        if self._in_order is None:
            self._in_order = InOrder.of(self.values.values())
        return self._in_order

    def put_values(self, values: Mapping[str, AnyValue]) -> None:
        """Take values in, instead of those of the same ids."""
        self.values.update(values)
        self._in_order = None

    def drop_value(self, key: str) -> None:
        """Let a value go."""
        del self.values[key]
        self._in_order = None

    @property
    def project(self) -> Project:
        """What concerns all of the document."""
        return self.values[PROJECT]  # type: ignore[return-value]

    @property
    def model(self) -> Model:
        """The names of the model's arrays."""
        return self.values[MODEL]  # type: ignore[return-value]

    def surface_values(self) -> list[Surface]:
        """All surfaces by number."""
        return list(self.in_order.surfaces)

    def surface_value(self, name: str) -> Surface:
        """A surface by name. Raises NightmistError naming those there are."""
        surfaces = self.in_order.surfaces
        for surface in surfaces:
            if surface.name == name:
                return surface
        raise NightmistError(f"There is no surface {name!r}; the model has {', '.join(s.name for s in surfaces)}.")

    def node(self, key: str) -> Node:
        """A node of a stack by id. Raises NightmistError when it is gone."""
        value = self.values.get(key)
        if not isinstance(value, NODES):
            raise NightmistError("That layer does not exist any more.")
        return value

    def stack(self, parent: str) -> list[Node]:
        """The nodes that lie directly in a surface or a group, bottom first."""
        return list(self.in_order.stacks.get(parent, ()))

    def nodes_in(self, parent: str) -> list[Node]:
        """All nodes in a surface or a group, those inside groups among them, bottom first; a group follows its own."""
        return [each for node in self.stack(parent) for each in (*self.nodes_in(node.id), node)]

    def groups_over(self, node: Node) -> list[Group]:
        """The groups in which a node lies, the innermost first."""
        parent = self.values.get(node.parent)
        return [parent, *self.groups_over(parent)] if isinstance(parent, Group) else []

    def surface_of(self, node: Node) -> Surface:
        """The surface in whose stack a node lies."""
        outermost = [node, *self.groups_over(node)][-1]
        return self.values[outermost.parent]  # type: ignore[return-value]

    def users(self, uses: Callable[[Node], bool]) -> list[str]:
        """Nodes that use something, each named with its surface."""
        nodes = [value for value in self.values.values() if isinstance(value, NODES) and uses(value)]
        return [f"{node.name} on {self.surface_of(node).name}" for node in nodes]

    def region_values(self) -> list[Region]:
        """All regions, by name."""
        found = [value for value in self.values.values() if isinstance(value, Region)]
        return sorted(found, key=lambda region: (region.name.casefold(), region.id))

    def region_value(self, key: str) -> Region:
        """A region by id. Raises NightmistError when it is gone."""
        value = self.values.get(key)
        if not isinstance(value, Region):
            raise NightmistError("That region does not exist any more.")
        return value

    def region_faces(self, region: Region) -> NDArray[np.int64]:
        """The numbers of a region's faces, rising."""
        faces: NDArray[np.int64] = self.arrays.get(region.faces)
        return faces

    def picture_values(self) -> list[Picture]:
        """All pictures of the project, by name."""
        found = [value for value in self.values.values() if isinstance(value, Picture)]
        return sorted(found, key=lambda picture: (picture.name.casefold(), picture.id))

    def picture_value(self, key: str) -> Picture:
        """A picture by id. Raises NightmistError when it is gone."""
        value = self.values.get(key)
        if not isinstance(value, Picture):
            raise NightmistError("That picture does not exist any more.")
        return value

    def tip_values(self) -> list[TipPicture]:
        """The painter's own tip pictures."""
        return [value for value in self.values.values() if isinstance(value, TipPicture)]

    def tip_picture(self, name: str) -> NDArray[np.float32]:
        """A tip's picture: one of the painter's own in this project, else one that ships with us."""
        own = next((tip for tip in self.tip_values() if tip.name == name), None)
        picture: NDArray[np.float32] = self.arrays.get(own.picture) if own else made_tip(name)
        return picture

    def state(self) -> DocumentValues:
        """Everything but pixels and arrays."""
        return DocumentValues(values=list(self.values.values()))
