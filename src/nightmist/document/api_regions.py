"""The handles of regions. Thin, over the operations on values."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..core.errors import NightmistError
from ..core.formats.image_files import read_picture
from ..core.texels.tile_mask import TileMask
from .api_prepare import PreparedDocument
from .painting import regions
from .painting.filling import Faces
from .values import ID_TOLERANCE, hex_channels
from .values import Region as RegionValue


class Region:
    """A named set of faces and of shapes in maps. Each change is one undo step."""

    def __init__(self, document: PreparedDocument, key: str) -> None:
        self.document, self.id = document, key

    def __repr__(self) -> str:
        return f"<Region {self.name!r}>"

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Region) and (other.document, other.id) == (self.document, self.id)

    def __hash__(self) -> int:
        return hash(self.id)

    @property
    def value(self) -> RegionValue:
        """What the document knows of it."""
        return self.document.region_value(self.id)

    @property
    def name(self) -> str:
        return self.value.name

    @name.setter
    def name(self, value: str) -> None:
        self.document.make(regions.set_region(self.document, self.value, name=value))

    @property
    def faces(self) -> NDArray[np.int64]:
        """The numbers of its faces, rising."""
        return self.document.region_faces(self.value)

    @faces.setter
    def faces(self, faces: Faces) -> None:
        self.document.make(regions.set_region(self.document, self.value, faces=faces))

    def mask(self, surface: str) -> TileMask:
        """How much of each texel of a surface's map it covers."""
        return self.document.region_mask(self.value, self.document.surface_value(surface))

    def grow(self) -> None:
        """Take the faces in that share an edge with it."""
        self.faces = regions.grown(self.document.mesh, self.faces)

    def shrink(self) -> None:
        """Let the faces go that share an edge with others."""
        self.faces = regions.shrunk(self.document.mesh, self.faces)

    def invert(self) -> None:
        """All faces that were not in it; shapes in maps are turned from added to cut out."""
        self.document.make(regions.inverted(self.document, self.value))

    def add_area(self, surface: str, polygon: Sequence[Sequence[float]], taken: bool = False) -> None:
        """Add a shape in a surface's map, or cut it out."""
        self.document.make(regions.with_area(self.document, self.value, surface, polygon, taken))


class Regions:
    """All regions of a document."""

    def __init__(self, document: PreparedDocument) -> None:
        self._document = document

    def __iter__(self) -> Iterator[Region]:
        return iter([Region(self._document, region.id) for region in self._document.region_values()])

    def __len__(self) -> int:
        return len(self._document.region_values())

    def __getitem__(self, name: str) -> Region:
        for region in self:
            if region.name == name:
                return region
        raise NightmistError(f"There is no region {name!r}; there are {', '.join(r.name for r in self) or 'none'}.")

    def add(self, name: str | None = None, faces: Faces = (), color: str | None = None) -> Region:
        """Keep faces under a name."""
        change, key = regions.add_region(self._document, name, faces, color)
        self._document.make(change)
        return Region(self._document, key)

    def add_area(self, name: str | None, surface: str, polygon: Sequence[Sequence[float]]) -> Region:
        """Keep a free shape in a surface's map under a name: UV 0-1, v down."""
        change, key = regions.add_region(self._document, name, (), None, (surface, polygon))
        self._document.make(change)
        return Region(self._document, key)

    def add_color(
        self, name: str | None, surface: str, picture: str | Path, color: str, tolerance: float = ID_TOLERANCE
    ) -> Region:  # fmt: skip
        """Keep the faces over which a picture of flat ID colors shows one color; tolerance in 8-bit steps."""
        document, file = self._document, Path(picture)
        pixels, wanted = read_picture(file.name, file.read_bytes()), np.rint(np.array(hex_channels(color)) * 65535)
        where = document.surface_value(surface)
        return self.add(name, regions.faces_by_color(document, where, file.name, pixels, wanted, tolerance))

    def remove(self, region: Region) -> None:
        """Forget a region; nothing that was painted changes."""
        self._document.make(regions.remove_region(self._document, region.value))
