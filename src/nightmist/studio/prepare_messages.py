"""What browsers ask about the model, its UVs and its maps. Each knows the document's method that does it."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from ..core.mesh.arrange import Arrangement, Axis
from ..core.mesh.by_shape import ShapeAxes
from ..core.mesh.checkup import FindingKind
from ..core.mesh.methods import Method
from ..core.mesh.seams import Extent as SeamExtent
from ..document import Document
from ..document.derived.model import faces_of_runs
from ..document.preparing.maps import pixels_per_unit, what_was_gained
from ..document.preparing.model import said_of_shared
from ..document.values import Name

#: Faces as runs [first, end).
Runs = list[tuple[int, int]]


class Preparation(BaseModel):
    """A request that changes the model, its UVs or its maps: one undo step."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    @abstractmethod
    def run(self, document: Document) -> list[str]:
        """Do it; returns what the painter should know about the result."""

    @staticmethod
    def chosen(document: Document, runs: Runs | None) -> NDArray[np.int64] | None:
        """Face indices; None for all."""
        return faces_of_runs(runs, len(document.mesh.faces)) if runs else None


class Unwrap(Preparation):
    """Make UVs for faces of a surface, all unless some are given."""

    type: Literal["unwrap"]
    surface: str
    faces: Runs | None = None
    method: Method
    angle: float = Field(default=60, ge=1, le=89, description="degrees, for the automatic way")
    margin: float = Field(default=8, ge=0, le=256, description="texels between islands")
    frame: ShapeAxes | None = None
    leader: int | None = Field(default=None, description="face from which an even grid spreads")
    keep_paint: bool = True

    def run(self, document: Document) -> list[str]:
        faces = self.chosen(document, self.faces)
        return document.unwrap(
            self.surface,
            self.method,
            angle=self.angle,
            margin=self.margin,
            faces=faces,
            frame=self.frame,
            leader=self.leader,
            keep_paint=self.keep_paint,
        )


class Pack(Preparation):
    """Lay islands into the map as large as they can be."""

    type: Literal["pack"]
    surface: str
    faces: Runs | None = None
    margin: float = Field(default=8, ge=0, le=256)
    keep_paint: bool = True

    def run(self, document: Document) -> list[str]:
        return document.pack(self.surface, self.margin, self.chosen(document, self.faces), self.keep_paint)


class MeanSo(Preparation):
    """What the checkup finds on a surface is on purpose, or no longer."""

    type: Literal["mean_so"]
    surface: str
    kind: FindingKind
    meant: bool = True

    def run(self, document: Document) -> list[str]:
        document.mean_so(self.surface, self.kind, self.meant)
        return []


class MoveIslands(Preparation):
    """Move, turn or scale islands by an affine map of texels."""

    type: Literal["move_islands"]
    surface: str
    faces: Runs
    matrix: tuple[float, float, float, float, float, float]
    keep_paint: bool = True

    def run(self, document: Document) -> list[str]:
        faces = faces_of_runs(self.faces, len(document.mesh.faces))
        return document.move_islands(self.surface, faces, self.matrix, self.keep_paint)


class LineUpPoints(Preparation):
    """Bring UV points onto one line of the map. points: corners of the model, face · 3 + k."""

    type: Literal["line_up_points"]
    surface: str
    points: list[Annotated[int, Field(ge=0)]] = Field(max_length=1_000_000)
    axis: Axis
    keep_paint: bool = True

    def run(self, document: Document) -> list[str]:
        return document.line_up_points(self.surface, self.points, self.axis, self.keep_paint)


class Arrange(Preparation):
    """Fit, enlarge, align, mirror, turn upright, stack … islands, all unless faces are given."""

    type: Literal["arrange"]
    surface: str
    faces: Runs | None = None
    how: Arrangement
    margin: float = Field(default=8, ge=0, le=256, description="half of it stays free at the border when enlarged")
    keep_paint: bool = True

    def run(self, document: Document) -> list[str]:
        return document.arrange(self.surface, self.how, self.chosen(document, self.faces), self.keep_paint, self.margin)


class SetDensity(Preparation):
    """Scale islands to so many texels per model unit; no surface means all of them."""

    type: Literal["set_density"]
    surface: str | None
    faces: Runs | None = None
    density: float = Field(gt=0)
    keep_paint: bool = True

    def run(self, document: Document) -> list[str]:
        return document.set_density(self.surface, self.density, self.chosen(document, self.faces), self.keep_paint)


class EvenOut(Preparation):
    """Bring all islands of a surface to one density, as fine as the map allows."""

    type: Literal["even_out"]
    surface: str
    margin: float = Field(default=8, ge=0, le=256)
    keep_paint: bool = True

    def run(self, document: Document) -> list[str]:
        return document.even_out(self.surface, self.margin, self.keep_paint)


class MarkSeams(Preparation):
    """Mark an edge or its loop as seam, or clear it."""

    type: Literal["mark_seams"]
    face: int
    side: int
    extent: SeamExtent
    marked: bool = True

    def run(self, document: Document) -> list[str]:
        document.mark_seams(self.face, self.side, self.extent, self.marked)
        return []


class MarkBorder(Preparation):
    """Mark the border of faces as seam, or clear it."""

    type: Literal["mark_border"]
    faces: Runs
    marked: bool = True

    def run(self, document: Document) -> list[str]:
        document.mark_border(faces_of_runs(self.faces, len(document.mesh.faces)), self.marked)
        return []


class ClearSeams(Preparation):
    """Take all seam marks away."""

    type: Literal["clear_seams"]

    def run(self, document: Document) -> list[str]:
        document.clear_seams()
        return []


def _gain(document: Document, resize: Callable[[], None]) -> list[str]:
    """Make maps of another size; how much finer or coarser they have become, in words."""
    before = pixels_per_unit(document)
    resize()
    said = what_was_gained(before, pixels_per_unit(document))
    return [said] if said else []


class Resize(Preparation):
    """Maps of another size: of a surface, as an exception, or of all that follow the project."""

    type: Literal["resize"]
    surface: str | None
    width: int
    height: int
    keep_density: bool = Field(default=False, description="islands keep their texels, not their share of the map")

    def run(self, document: Document) -> list[str]:
        size = (self.width, self.height)
        return _gain(document, lambda: document.resize(self.surface, size, keep_density=self.keep_density))


class ResizeEach(Preparation):
    """Maps of the sizes given for each of several surfaces, as planned."""

    type: Literal["resize_each"]
    sizes: dict[str, tuple[int, int]]

    def run(self, document: Document) -> list[str]:
        return _gain(document, lambda: document.resize_each(self.sizes))


class FollowProjectSize(Preparation):
    """A surface's maps take the project's size again."""

    type: Literal["follow_project_size"]
    surface: str

    def run(self, document: Document) -> list[str]:
        return _gain(document, lambda: document.follow_project_size(self.surface))


class ChooseUvSet(Preparation):
    """Make the maps of a surface, or of all that have it, for another UV set."""

    type: Literal["choose_uv_set"]
    surface: str | None
    uv_set: int = Field(ge=0)
    keep_paint: bool = True

    def run(self, document: Document) -> list[str]:
        return document.choose_uv_set(self.surface, self.uv_set, self.keep_paint)


class SetCrease(Preparation):
    """From which angle on edges of a surface, or of all, look sharp; null as the model's file has it."""

    type: Literal["set_crease"]
    surface: str | None
    angle: float | None = Field(ge=0, le=180)

    def run(self, document: Document) -> list[str]:
        document.set_crease(self.surface, self.angle)
        return []


class SetGutter(Preparation):
    """How far islands of a surface, or of all, continue into the gaps around them; null as the maps' size asks for."""

    type: Literal["set_gutter"]
    surface: str | None
    texels: int | None

    def run(self, document: Document) -> list[str]:
        document.set_gutter(self.surface, self.texels)
        return []


class HideParts(Preparation):
    """Exactly these parts are hidden."""

    type: Literal["hide_parts"]
    parts: list[int]

    def run(self, document: Document) -> list[str]:
        document.hide_parts(self.parts)
        return []


class AssignFaces(Preparation):
    """Move faces to another surface, or to a new one of this name."""

    type: Literal["assign_faces"]
    faces: Runs
    surface: str | None = None
    name: Name = "surface"

    def run(self, document: Document) -> list[str]:
        faces = faces_of_runs(self.faces, len(document.mesh.faces))
        return said_of_shared(document, faces, document.assign_faces(faces, self.surface, self.name))


class DoWithoutPictures(Preparation):
    """The pictures that a surface's file names are not wanted."""

    type: Literal["do_without_pictures"]
    surface: str

    def run(self, document: Document) -> list[str]:
        document.do_without_pictures(self.surface)
        return []


class RenameProject(Preparation):
    """The project is called otherwise."""

    type: Literal["rename_project"]
    name: Name

    def run(self, document: Document) -> list[str]:
        document.rename(self.name)
        return []


class RenameSurface(Preparation):
    """A surface is called otherwise."""

    type: Literal["rename_surface"]
    surface: str
    name: Name

    def run(self, document: Document) -> list[str]:
        document.rename_surface(self.surface, self.name)
        return []


class RenamePart(Preparation):
    """A part of the model, by number, is called otherwise."""

    type: Literal["rename_part"]
    part: int
    name: Name

    def run(self, document: Document) -> list[str]:
        document.rename_part(self.part, self.name)
        return []


class RemoveSurface(Preparation):
    """A surface that has no faces any more goes."""

    type: Literal["remove_surface"]
    surface: str

    def run(self, document: Document) -> list[str]:
        document.remove_surface(self.surface)
        return []


PrepareMessage = Annotated[
    Unwrap | Pack | MeanSo | MoveIslands | Arrange | SetDensity | EvenOut | MarkSeams | MarkBorder | ClearSeams | Resize
    | ResizeEach | FollowProjectSize | ChooseUvSet | SetCrease | SetGutter | HideParts | AssignFaces | DoWithoutPictures
    | LineUpPoints | RenameProject | RenameSurface | RenamePart | RemoveSurface,
    Field(discriminator="type"),
]  # fmt: skip
