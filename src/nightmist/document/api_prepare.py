"""The handles of a document that prepare it: UVs, maps, the model, names. Thin, over the operations on values."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Unpack

from ..core.errors import NightmistError
from ..core.formats.bundle import files_with, read_file
from ..core.mesh.arrange import Affine, Arrangement, Axis
from ..core.mesh.checkup import FindingKind, UvReport
from ..core.mesh.methods import Method
from ..core.mesh.seams import Extent as SeamExtent
from . import document as values_of_document
from .change import Change
from .preparing import maps, model, naming, replacing, uvs
from .preparing.uvs import Faces, UnwrapOptions
from .stacking import pictures
from .values import PaintedMap, Role, StartValues


class PreparedDocument(values_of_document.Document):
    """A model as it is made ready to be painted. Every method that changes it is one undo step."""

    def make(self, change: Change) -> None:
        """Do a change, unless it changes nothing."""
        if change:
            self.do(change)

    def add_picture(self, path: str | Path) -> str:
        """Take a picture's file into the project; its id. No undo step: it changes no paint."""
        return self.add_picture_data(Path(path).name, read_file(Path(path)))

    def picture(self, given: str | Path | PaintedMap) -> str:
        """The id of a picture of the project: of a file, or of what a layer holds of a map."""
        if not isinstance(given, PaintedMap):
            return self.add_picture(given)
        change, picture = pictures.painted_picture(self, self.node(given.node), given.map)
        if change:
            self.make(change)
        return picture.id

    def add_picture_data(self, name: str, data: bytes, role: Role | None = None, note: str = "") -> str:
        """The same from bytes. role: what it is for; None: as it seems."""
        change, key = pictures.add_picture(self, name, data, role, note)
        if change:
            self.do_aside(change)
        return key

    def cut_picture(self, picture: str, /, **properties: object) -> None:
        """Cut something else out of a picture of the project: crop, key, alpha (an id), soften … of `Cutout`."""
        self.make(pictures.cut_picture(self, self.picture_value(picture), **properties))

    def remove_picture(self, key: str) -> None:
        """Forget a picture that no layer uses."""
        self.make(pictures.remove_picture(self, self.picture_value(key)))

    def check_uvs(self) -> dict[str, UvReport]:
        """The checkup of each surface's UVs, by its name."""
        return {surface.name: uvs.surface_report(self, surface) for surface in self.surface_values()}

    def _told(self, change: Change, notes: Iterable[str] = ()) -> list[str]:
        """Make a change; returns what is to be known about it."""
        self.make(change)
        return [*notes, *change.notes]

    def mean_so(self, surface: str, kind: FindingKind, meant: bool = True) -> None:
        """Remember that what the checkup finds is on purpose, or no longer (see `preparing.uvs`)."""
        self.make(uvs.mean_so(self, surface, kind, meant))

    def unwrap(self, surface: str, method: Method = "auto", **options: Unpack[UnwrapOptions]) -> list[str]:
        """Give faces of a surface new UVs (see `unwrap_surface`); returns what is to be known about the result."""
        change, notes = uvs.unwrap_surface(self, surface, method, **options)
        return self._told(change, notes)

    def pack(self, surface: str, margin: float = uvs.DEFAULT_MARGIN, faces: Faces | None = None,
             keep_paint: bool = True) -> list[str]:  # fmt: skip
        """Lay a surface's islands (all, or those of the faces given) into the map, as large as they can be.

        Returns what is to be known about the result.
        """
        change, notes = uvs.pack(self, surface, margin, faces, keep_paint)
        return self._told(change, notes)

    def move_islands(self, surface: str, faces: Faces, matrix: Affine, keep_paint: bool = True) -> list[str]:
        """Move, turn or scale the islands of faces: an affine map of texels (a, b, c, d, e, f)."""
        return self._told(uvs.move_islands(self, surface, faces, matrix, keep_paint))

    def arrange(self, surface: str, how: Arrangement, faces: Faces | None = None, keep_paint: bool = True,
                margin: float = uvs.DEFAULT_MARGIN) -> list[str]:  # fmt: skip
        """Fit, enlarge, align, mirror, turn upright, stack … the islands of faces, or all.

        margin: texels between islands, of which "enlarge" keeps half free along the map's border.
        """
        return self._told(uvs.arrange(self, surface, how, faces, keep_paint, margin))

    def line_up_points(self, surface: str, points: Sequence[int], axis: Axis, keep_paint: bool = True) -> list[str]:
        """Bring UV points onto one line "across" or "down" the map. points: corners of the model, face · 3 + k."""
        return self._told(uvs.line_up_points(self, surface, points, axis, keep_paint))

    def set_density(
        self, surface: str | None, density: float, faces: Faces | None = None, keep_paint: bool = True
    ) -> list[str]:
        """Scale islands about their middles to so many texels per model unit; None means those of all surfaces.

        Returns what is to be known about the result, as all that moves paint does.
        """
        return self._told(uvs.set_density(self, surface, density, faces, keep_paint))

    def even_out(self, surface: str, margin: float = uvs.DEFAULT_MARGIN, keep_paint: bool = True) -> list[str]:
        """Bring all islands of a surface to one density, as fine as the map allows; returns as `pack` does."""
        change, notes = uvs.even_out(self, surface, margin, keep_paint)
        return self._told(change, notes)

    def mark_seams(self, face: int, side: int, extent: SeamExtent = "edge", marked: bool = True) -> None:
        """Mark an edge, or the loop it belongs to, as seam, or clear it."""
        self.make(uvs.mark_seams(self, face, side, extent, marked))

    def mark_border(self, faces: Faces, marked: bool = True) -> None:
        """Mark the border of faces as seam, or clear it."""
        self.make(uvs.mark_border(self, faces, marked))

    def clear_seams(self) -> None:
        """Take all seam marks away."""
        self.make(uvs.clear_seams(self))

    def resize(self, surface: str | None, size: int | tuple[int, int], keep_paint: bool = True,
               keep_density: bool = False) -> None:  # fmt: skip
        """Give a surface maps of another size, as an exception; None changes the project's size for all others.

        Islands keep their share of the map, or, with keep_density, their texels.
        """
        self.make(maps.resize(self, surface, size, keep_paint, keep_density))

    def resize_each(self, sizes: Mapping[str, int | tuple[int, int]], keep_paint: bool = True) -> None:
        """Give several surfaces, by name, maps of the sizes given, as one step."""
        self.make(maps.resize_each(self, sizes, keep_paint))

    def follow_project_size(self, surface: str) -> None:
        """End a surface's exception: its maps take the project's size again."""
        self.make(maps.follow_project_size(self, surface))

    def choose_uv_set(self, surface: str | None, uv_set: int, keep_paint: bool = True) -> list[str]:
        """Make the maps of a surface, or of all that have it (None), for another UV set; exported as that texCoord."""
        return self._told(maps.choose_uv_set(self, surface, uv_set, keep_paint))

    def set_start(self, surface: str, start: StartValues) -> None:
        """What a surface shows where nothing is painted."""
        self.make(maps.set_start(self.surface_value(surface), start))

    def set_crease(self, surface: str | None, angle: float | None) -> None:
        """From which angle on, in degrees, edges of a surface, or of all, look sharp; None as the file has it."""
        self.make(maps.set_crease(self, surface, angle))

    def set_gutter(self, surface: str | None, texels: int | None) -> None:
        """How far islands of a surface, or of all, continue into the gaps around them; None as the size asks for."""
        self.make(maps.set_gutter(self, surface, texels))

    def add_pictures(self, files: dict[str, bytes]) -> list[str]:
        """Pictures that the model names and that were missing become lowest layers. Returns those still missing."""
        change, missing = maps.add_pictures(self, files)
        self.make(change)
        return missing

    def do_without_pictures(self, surface: str) -> None:
        """The pictures that a surface's file names are not wanted."""
        self.make(maps.do_without_pictures(self, surface))

    def hide_parts(self, parts: Iterable[int]) -> None:
        """Exactly these parts, by number, are hidden: not shown, not picked, not painted on. No undo step."""
        if change := model.hide_parts(self, parts):
            self.do_aside(change)

    def assign_faces(self, faces: Faces, surface: str | None = None, name: str = "surface") -> str:
        """Move faces to another surface, or to a new one; the paint on them goes along. Returns its name."""
        change, title = model.assign_faces(self, faces, surface, name)
        self.make(change)
        return title

    def replace_mesh(
        self, path: str | Path | None = None, keep_paint: bool = True, files: dict[str, bytes] | None = None,
        surfaces: Mapping[str, str | None] | None = None,
    ) -> list[str]:  # fmt: skip
        """Put another model in place of this one (see `preparing.replacing`); returns what is to be known about it.

        surfaces: for some surfaces of the new model, by name, the surface here whose layers they take, or None.
        """
        if files is None:
            if path is None:
                raise NightmistError("Name the file of the new model.")
            files = files_with(Path(path))
        change, notes = replacing.replace_mesh(self, files, Path(path).name if path else None, keep_paint, surfaces)
        return self._told(change, notes)

    def rename(self, name: str) -> None:
        """Call the project otherwise."""
        self.make(naming.rename_project(self, name))

    def rename_surface(self, surface: str, name: str) -> None:
        """Call a surface otherwise."""
        self.make(naming.rename_surface(self, surface, name))

    def rename_part(self, part: int, name: str) -> None:
        """Call a part of the model, by number, otherwise."""
        self.make(naming.rename_part(self, part, name))

    def remove_surface(self, surface: str) -> None:
        """Let a surface go that has no faces any more."""
        self.make(naming.remove_surface(self, surface))
