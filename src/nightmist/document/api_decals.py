"""The handles of decals: place a picture on the surface, move it, change it. Thin, over the operations on values."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from ..core.mesh.select import Extent
from .api_prepare import PreparedDocument
from .stacking import decals
from .stacking.decal_frames import Place, SurfacePlace
from .values import Decal as DecalValue
from .values import DecalRelief, Hit, Picture, Pigment

#: Where scripts put a decal: what was picked, or (u, v) in the map.
At = Hit | Sequence[float]
#: What no longer follows from the surface once a number of a frame is set by hand.
HELD = {"depth": "measured", "radius": "follows", "axis": "follows"}


class DecalFrame:
    """Where a decal lies, and how large it is. Setting a number is one undo step."""

    def __init__(self, decal: Decal) -> None:
        self.__dict__["_decal"] = decal

    def __getattr__(self, name: str) -> Any:
        return getattr(self._decal.value.frame, name)

    def __setattr__(self, name: str, value: Any) -> None:
        by_hand = {HELD[name]: False} if name in HELD else {}
        self._decal.change(frame=decals.changed_frame(self._decal.document, self._decal.id, **{name: value}, **by_hand))


class Decal:
    """A picture in a frame. Setting one of its properties is one undo step."""

    def __init__(self, document: PreparedDocument, key: str) -> None:
        self.document, self.id = document, key

    def __repr__(self) -> str:
        return f"<decal {self.document.picture_value(self.value.picture).name!r}>"

    @property
    def value(self) -> DecalValue:
        """What the document knows of it."""
        return decals.find_decal(self.document, self.id)[1]

    @property
    def frame(self) -> DecalFrame:
        """Its position, normal, roll, width, height, depth, shape (planar, cylindrical, wrap), and how that is bent:
        radius and axis. In the map its center, roll, width and height. With another shape (spherical, box, triplanar)
        it lies around the part below its middle, and has a position, a size and a turn.
        """
        return DecalFrame(self)

    @property
    def pigment(self) -> Pigment:
        """Its own roughness and metallic, and a color in place of the picture's."""
        return self.value.pigment

    @pigment.setter
    def pigment(self, value: Pigment) -> None:
        self.change(pigment=value)

    @property
    def relief(self) -> DecalRelief | None:
        """How it stands up, in model units."""
        return self.value.relief

    @relief.setter
    def relief(self, value: DecalRelief | None) -> None:
        self.change(relief=value)

    def change(self, **properties: Any) -> None:
        """Set several properties as one undo step."""
        self.document.make(decals.change_decal(self.document, self.id, **properties))

    def move(self, to: At) -> None:
        """Take it to another place of the surface, or of the map in which it lies."""
        self.document.make(decals.move_decal(self.document, self.id, _place(to)))

    def duplicate(self, at: At | None = None) -> Decal:
        """The same once more, at another place if one is given."""
        change, key = decals.duplicate_decal(self.document, self.id, None if at is None else _place(at))
        self.document.make(change)
        return Decal(self.document, key)

    def bind(self, by: Extent) -> None:
        """Keep it inside what belongs together with the face below its middle, as a region of its own."""
        self.document.make(decals.bind_below(self.document, self.id, by))

    def fit(self) -> None:
        """Put the frame around the part that it lies around, as it is turned."""
        self.document.make(decals.fit_decal(self.document, self.id))

    def remove(self) -> None:
        """Take it away."""
        self.document.make(decals.remove_decals(self.document, [self.id]))


class HoldsDecals:
    """What a layer of decals can, besides what all layers can."""

    document: PreparedDocument
    id: str

    @property
    def decals(self) -> list[Decal]:
        """What lies in a layer of decals, the lowest first."""
        node = decals.decals_value(self.document.node(self.id))
        return [Decal(self.document, each.id) for each in node.placed]

    def __iter__(self) -> Iterator[Decal]:
        return iter(self.decals)

    def place(
        self, picture: str | Path, at: At, width: float | None = None, roll: float = 0.0, depth: float | None = None,
        **fields: Any,
    ) -> Decal:  # fmt: skip
        """Put a picture onto the surface where something was picked, or into the map at (u, v).

        picture: a file, or the id of one that the project has. width: in model units, or as a share of the map's longer
        side; None: fitting the model. depth: None: as deep as the wall allows. fields: what decals have besides, as
        pigment, relief, limit, region (a handle), and the frame's shape; without it, as the surface bends there.
        """
        node = decals.decals_value(self.document.node(self.id))
        known = self.document.values.get(str(picture))
        taken = known if isinstance(known, Picture) else self.document.picture_value(self.document.add_picture(picture))
        if region := fields.get("region"):
            fields["region"] = region.id
        change, key = decals.place_decal(self.document, node, taken, _place(at), width, depth, roll, **fields)
        self.document.make(change)
        return Decal(self.document, key)

    def bake(self) -> None:
        """Become a brushed layer that looks the same."""
        self.document.make(decals.bake(self.document, decals.decals_value(self.document.node(self.id))))


def _place(at: At) -> Place:
    if isinstance(at, Hit):
        return SurfacePlace(at.position, at.normal)
    u, v = at
    return float(u), float(v)
