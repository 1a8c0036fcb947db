"""Where the faces of each surface lie in its map, and what follows from that: owners, gutters, links over seams."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...core.mesh import Mesh
from ...core.mesh.checkup import UvReport, check_uvs
from ...core.mesh.topology import islands_of
from ...core.relief.heights import Heights
from ...core.texels.area import TileArea
from ...core.texels.composite_picture import Picture
from ...core.texels.facing import Facing, facing_of
from ...core.texels.gutter import Gutter, reach_for
from ...core.texels.ownership import CrowdedError, Ownership, covered_texels, normals_over, own_texels
from ...core.texels.seam_links import SeamLinks, links_over_seams
from ..values import Surface
from .cache import Cache
from .pool import digest_of

#: Numbers of surfaces between which edges lead, and the keys of their layouts.
Together = tuple[tuple[int, ...], tuple[Hashable, ...]]

#: Texels beyond an island that tools and slopes may look at.
BEYOND = 14


class Layout:
    """A surface's faces in its map.

    `key` tells faces, their places, what they border on, their UVs, the map's size and gutter from any others.
    """

    def __init__(self, mesh: Mesh, surface: Surface) -> None:
        self.mesh, self.size = mesh, surface.size
        self.reach = surface.gutter or reach_for(*surface.size)
        self.faces = mesh.faces_of(surface.number)
        self.uvs = uvs_of(mesh, surface.uv_set)
        self.reports: dict[tuple[tuple[int, ...], ...], UvReport] = {}

    @cached_property
    def key(self) -> Hashable:
        """What tells it from any others."""
        corners = self.mesh.corners[self.faces].reshape(-1, 9)
        placed = np.concatenate([corners, self.uvs[self.faces].reshape(-1, 6).astype(np.float64)], axis=1)
        bordering = digest_of(self.mesh.topology.neighbor[self.faces])
        return digest_of(placed), digest_of(self.faces), bordering, self.size, self.reach

    @cached_property
    def ownership(self) -> Ownership:
        """Which face owns which texel; none of them where painting is `refused`."""
        try:
            return own_texels(self.mesh, self.faces, self.uvs, *self.size)
        except CrowdedError:
            return own_texels(self.mesh, self.faces[:0], self.uvs, *self.size)

    @property
    def refused(self) -> bool:
        """Whether so many faces lie over each other that nothing can be painted."""
        return len(self.faces) > 0 and not len(self.ownership.faces)

    def covered(self) -> NDArray[np.bool_]:
        """(H, W): which texels lie inside an island, even where painting is `refused`."""
        return self.covered_by(np.ones(len(self.faces), np.bool_))

    def covered_by(self, chosen: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(H, W): which of them belong to some of the chosen faces, (faces,), whoever else owns them."""
        if self.refused:
            return covered_texels(self.mesh, self.faces[chosen], self.uvs, *self.size)
        return self.ownership.covered_by(chosen)

    @cached_property
    def gutter(self) -> Gutter:
        """How islands continue into the gaps between them."""
        return self.surroundings if self.reach >= BEYOND else Gutter(self.ownership.covered(), self.reach)

    @cached_property
    def surroundings(self) -> Gutter:
        """The texels around islands, as far as the gutter or tools reach, and the nearest inside of each."""
        return Gutter(self.ownership.covered(), max(self.reach, BEYOND))

    @cached_property
    def smooth_normals(self) -> NDArray[np.float64]:
        """Of each face its smooth normals, as `normals_over` has them."""
        return normals_over(self.mesh, self.uvs, self.ownership)

    @cached_property
    def facing(self) -> Facing:
        """Which way its texels face, where an angle is asked."""
        return facing_of(self.mesh, self.uvs, self.ownership)

    def spread(self, picture: Picture, area: TileArea) -> TileArea:
        """Bring a picture's gutter up to date after `area` changed; returns all that changed."""
        return area if picture.one_color else self.gutter.spread(picture, area)

    def report(self, meant: tuple[tuple[int, ...], ...]) -> UvReport:
        """The checkup of its UVs. meant: groups of islands that share texels on purpose, each by one of its faces."""
        if meant not in self.reports:
            own, around = (None, None) if self.refused else (self.ownership, self.surroundings)
            islands = islands_of(self.mesh.topology, self.uvs, self.faces)
            found = check_uvs(self.mesh, self.faces, self.uvs, *self.size, own, around, islands, meant)
            self.reports = {meant: found}
        return self.reports[meant]

    @property
    def corners(self) -> NDArray[np.float64]:
        """(n, 3, 2): texels of its faces."""
        return self.uvs[self.faces].astype(np.float64) * self.size

    def bytes(self) -> int:
        """What it holds, as far as it was asked for."""
        tables = ("ownership", "gutter", "surroundings", "smooth_normals", "facing")
        held = {id(table): table for name in tables if (table := self.__dict__.get(name)) is not None}
        return sum(_bytes(table) for table in held.values())


class Layouts:
    """The layouts of a document's surfaces, and what links them."""

    def __init__(self, cache: Cache) -> None:
        self.cache = cache
        #: By surface: for which arrays and which value of it the key was found last.
        self.keys: dict[str, tuple[dict[str, str], Surface, Hashable]] = {}
        #: Of which mesh and layouts it was found last how surfaces hang together.
        self.groups: tuple[Mesh | None, Sequence[Layout], list[Together]] = (None, (), [])

    def of(self, mesh: Mesh, arrays: dict[str, str], surface: Surface) -> Layout:
        """The layout of one surface."""
        known = self.keys.get(surface.id)
        if known is None or known[0] is not arrays or known[1] is not surface:
            known = self.keys[surface.id] = arrays, surface, self._key(mesh, arrays, surface)
        # Asked for each time, so that the cache keeps what is in use.
        return self.cache.get(("layout", known[2]), lambda: Layout(mesh, surface), Layout.bytes)

    def _key(self, mesh: Mesh, arrays: dict[str, str], surface: Surface) -> Hashable:
        named = (arrays["positions"], arrays["faces"], arrays["face_surface"], arrays.get(f"uv{surface.uv_set}"))
        asked = ("layout key", named, surface.number, surface.size, surface.gutter)
        return self.cache.get(asked, lambda: Layout(mesh, surface).key, lambda key: 200)

    def together(self, layouts: Sequence[Layout], mesh: Mesh) -> list[Together]:
        """By number of surface, it with those that edges lead to from it; layouts: of all surfaces by number."""
        if self.groups[0] is not mesh or self.groups[1] != layouts:
            linked = [mesh.linked.get(number, (number,)) for number in range(len(layouts))]
            groups = {numbers: (numbers, tuple(layouts[n].key for n in numbers)) for numbers in linked}
            self.groups = mesh, layouts, [groups[numbers] for numbers in linked]
        return self.groups[2]

    def links(self, layouts: Sequence[Layout], mesh: Mesh, number: int) -> SeamLinks:
        """What lies beyond the borders of a surface's islands; layouts: of all surfaces by number."""
        key = ("links", number, self.together(layouts, mesh)[number])
        found: SeamLinks = self.cache.get(key, lambda: self._links(layouts, mesh, number), _bytes)
        return found

    def heights(self, layouts: Sequence[Layout], mesh: Mesh, number: int) -> Heights:
        """A surface's height as slopes need it, without a content yet; a new one for each asker."""
        return Heights(layouts[number].ownership, self.links(layouts, mesh, number))

    def _links(self, layouts: Sequence[Layout], mesh: Mesh, number: int) -> SeamLinks:
        own, around = layouts[number].ownership, layouts[number].surroundings
        return links_over_seams(mesh, number, own, around, *self.texels(layouts, mesh), BEYOND)

    def texels(self, layouts: Sequence[Layout], mesh: Mesh) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
        """(F, 3, 2) texels of every face in its own map, numbers everywhere, and (k, 2) the sizes of all maps."""
        sizes = np.array([layout.size for layout in layouts], np.int64)
        key = ("texels", *(layout.key for layout in layouts))
        return self.cache.get(key, lambda: np.nan_to_num(texels_of(layouts, mesh)), _bytes), sizes


def texels_of(layouts: Sequence[Layout], mesh: Mesh) -> NDArray[np.float64]:
    """(F, 3, 2) texels of every face in its own surface's map."""
    texels = np.full((len(mesh.faces), 3, 2), np.nan)
    for layout in layouts:
        texels[layout.faces] = layout.corners
    return texels


def uvs_of(mesh: Mesh, uv_set: int) -> NDArray[np.float32]:
    """(F, 3, 2) of a UV set; NaN where the mesh has none of that number."""
    if uv_set < len(mesh.uvs):
        return mesh.uvs[uv_set]
    return np.full((len(mesh.faces), 3, 2), np.nan, np.float32)


def _bytes(thing: Any) -> int:
    """Bytes of an array, or of those that an object holds, those in tuples too."""
    if isinstance(thing, np.ndarray):
        return int(thing.nbytes)
    total = 0
    for held in vars(thing).values():
        for part in held if isinstance(held, tuple) else (held,):
            total += part.nbytes if isinstance(part, np.ndarray) else 0
    return total
