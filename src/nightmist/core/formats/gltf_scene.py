"""The nodes of a GLB that is written: as the model's file had them, or one a part."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..mesh import Mesh

#: Matrices that take away more than this of a volume cannot be taken back in 32 bits.
FLAT = 1e-9


class Scene:
    """Nodes as glTF lists them, and where in them each part hangs."""

    def __init__(self, mesh: Mesh, in_nodes: bool, left_out: Collection[int] = ()) -> None:
        """left_out: parts that are not written, and the nodes in which nothing else hangs."""
        self.nodes: list[dict[str, Any]] = []
        self.roots: list[int] = []
        self.node_of: dict[int, int] = {}
        self.inward: dict[int, NDArray[np.float64]] = {}
        outward: list[NDArray[np.float64]] = []
        nodes = mesh.nodes if in_nodes else []
        kept = [node.part not in left_out for node in nodes]
        for number in range(len(nodes) - 1, -1, -1):
            if kept[number] and nodes[number].parent >= 0:
                kept[nodes[number].parent] = True
        places = np.cumsum(kept) - 1
        for node, stays in zip(nodes, kept, strict=True):
            local = np.array(node.matrix).reshape(4, 4)
            outward.append(outward[node.parent] @ local if node.parent >= 0 else local)
            if not stays:
                continue
            number = len(self.nodes)
            written: dict[str, Any] = {"name": node.name} if node.name else {}
            if not np.array_equal(local, np.eye(4)):
                written["matrix"] = local.T.ravel().tolist()
            self.nodes.append(written)
            if node.parent >= 0:
                self.nodes[int(places[node.parent])].setdefault("children", []).append(number)
            else:
                self.roots.append(number)
            if node.part >= 0 and _can_be_taken_back(outward[-1]):
                self.node_of[node.part] = number
                self.inward[node.part] = np.linalg.inv(outward[-1]).astype(np.float64)

    def to_part(self, part: int) -> NDArray[np.float64] | None:
        """The matrix from model space to a part's own; none where they are one."""
        return self.inward.get(part)

    def place(self, part: int, name: str, mesh: int) -> None:
        """A part is this mesh, and has this name."""
        if part in self.node_of:
            self.nodes[self.node_of[part]].update(mesh=mesh, name=name)
            return
        self.roots.append(len(self.nodes))
        self.nodes.append({"mesh": mesh, "name": name})


def _can_be_taken_back(matrix: NDArray[np.float64]) -> bool:
    lengths = np.linalg.norm(matrix[:3, :3], axis=0)
    return bool(np.isfinite(matrix).all()) and abs(np.linalg.det(matrix[:3, :3])) > FLAT * max(lengths) ** 3 > 0
