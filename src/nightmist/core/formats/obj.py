"""OBJ with MTL in. OBJ's v points up; it is turned to ours, which points down, on reading."""

from __future__ import annotations

from codecs import BOM_UTF16_BE, BOM_UTF16_LE
from collections import Counter, defaultdict
from collections.abc import Mapping
from math import isfinite, nan
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..mesh.look import Placement, SurfaceLook
from ..mesh.mesh import MAX_FACES, Mesh, build_mesh
from ..mesh.polygons import cut_polygon
from ..names import listed
from .beside import given, name_of, path_of
from .handed_through import HandedThrough

MAX_CORNERS = 1000
Name = TypeVar("Name", str, tuple[str, str])


def read_obj(name: str, data: bytes, beside: Mapping[str, bytes]) -> Mesh:
    """A model from OBJ text: `o`/`g` make parts, `usemtl` makes surfaces, polygons are cut into triangles."""
    reader = _Reader(name, beside)
    for number, line in enumerate(_text(data).replace("\\\n", " ").splitlines(), 1):
        words = _words(line)
        if words:
            try:
                reader.take(words[0].lower(), words[1:])
            except ValueError as error:
                raise NightmistError(f"{name}, line {number}: {error}") from error
    return reader.mesh()


#: Statements of a material that name pictures, and the map that each is for.
PICTURES = {
    "map_Kd": "base_color", "map_Pr": "roughness", "map_Pm": "metallic",
    "map_Bump": "height", "map_bump": "height", "bump": "height", "disp": "height",
    "norm": "normal", "map_Ke": "emissive", "map_d": "opacity",
}  # fmt: skip
UNTOUCHED = {"normal": "normal pictures", "emissive": "glow pictures"}
#: Of a material, and of the file.
LEFT_OUT = {
    "map_Ks": "the gloss color picture", "map_Ns": "the gloss picture", "map_Ka": "the ambient picture",
    "refl": "the reflection picture", "decal": "the picture of what lies on top",
}  # fmt: skip
WITHOUT_FACES = {"p": "points", "l": "lines", "curv": "curves", "curv2": "curves", "surf": "curved surfaces"}
#: Statements, in small letters, with a name at their end, which may hold blanks and "#".
NAMING = {key.lower() for key in ("o", "g", "usemtl", "mtllib", "newmtl", *PICTURES, *LEFT_OUT)}
#: Options before the name of a picture, and how many words may follow each.
OPTIONS = {
    "-blendu": 1, "-blendv": 1, "-cc": 1, "-clamp": 1, "-imfchan": 1, "-texres": 1, "-bm": 1, "-boost": 1, "-type": 1,
    "-mm": 2, "-o": 3, "-s": 3, "-t": 3,
}  # fmt: skip
#: Options that change the picture and are not followed: it is shown otherwise than it was meant.
CHANGING = {"-t": "its turbulence", "-mm": "its gain", "-imfchan": "its one channel"}


def _text(data: bytes) -> str:
    """Older programs write their system's own letters instead of UTF-8, or two bytes a letter with a mark in front."""
    try:
        return data.decode("utf-16" if data[:2] in (BOM_UTF16_LE, BOM_UTF16_BE) else "utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")


def _words(line: str) -> list[str]:
    """A statement without its comment."""
    words = line.split()
    if words and words[0].lower() not in NAMING:
        words = line.split("#", 1)[0].split()
    return words


class _Reader:
    def __init__(self, name: str, beside: Mapping[str, bytes]) -> None:
        self.name, self.beside = name, beside
        self.points: list[tuple[float, float, float]] = []
        self.uvs: list[tuple[float, float]] = []
        self.normals: list[tuple[float, float, float]] = []
        self.corners: list[tuple[tuple[int, int, int], ...]] = []
        self.face_surface: list[int] = []
        self.face_part: list[int] = []
        self.polygon: list[int] = []
        self.looks: dict[str, SurfaceLook] = {}
        self.order: list[str] = []
        #: Parts by the object and the group that their faces are in, in the order of their first faces.
        self.parts: list[tuple[str, str]] = []
        self.object, self.group = "", ""
        self.surface, self.part = -1, -1
        self.notes: list[str] = []
        self.handed_through = HandedThrough()
        #: Points have a color behind their place.
        self.colored = False
        #: Faces that are none: of one corner or two.
        self.lines = 0
        #: What else is no face, as a set in the order it came.
        self.without_faces: dict[str, None] = {}
        #: By what it is, of which surfaces.
        self.left_out: defaultdict[str, list[str]] = defaultdict(list)

    def take(self, key: str, rest: list[str]) -> None:
        """One statement of the file."""
        if key == "v":
            x, y, z, *more = _floats(rest, 3)
            self.points.append((x, y, z))
            self.colored = self.colored or len(more) >= 3
        elif key == "vt":
            u, v, *_ = _floats(rest, 1) + [0.0]
            self.uvs.append((u, 1.0 - v))
        elif key == "vn":
            x, y, z = _floats(rest, 3)[:3]
            self.normals.append((x, y, z))
        elif key == "f":
            self._face(rest)
        elif key == "usemtl":
            self.surface = self._numbered(self.order, " ".join(rest) or "surface")
        elif key == "o":
            self.object, self.group, self.part = " ".join(rest), "", -1
        elif key == "g":
            self.group, self.part = " ".join(rest), -1
        elif key == "mtllib":
            self._libraries(rest)
        elif key in WITHOUT_FACES:
            self.without_faces[WITHOUT_FACES[key]] = None

    def _numbered(self, names: list[Name], name: Name) -> int:
        if name not in names:
            names.append(name)
        return names.index(name)

    def _face(self, rest: list[str]) -> None:
        if len(rest) < 3:
            self.lines += 1
            return
        if len(rest) > MAX_CORNERS:
            raise ValueError(f"a face has {len(rest)} corners; {MAX_CORNERS} at most can be read.")
        corners = [self._corner(word) for word in rest]
        if len(self.corners) + len(corners) > MAX_FACES:
            raise NightmistError(f"{self.name} has more than {MAX_FACES:,} triangles. Reduce the mesh first.")
        if self.surface < 0:
            self.surface = self._numbered(self.order, "surface")
        if self.part < 0:
            self.part = self._numbered(self.parts, (self.object, self.group))
        number = self.polygon[-1] + 1 if self.polygon else 0
        points = np.array([self.points[corner[0]] for corner in corners])
        for a, b, c in cut_polygon(points):
            self.corners.append((corners[a], corners[b], corners[c]))
            self.face_surface.append(self.surface)
            self.face_part.append(self.part)
            self.polygon.append(number)

    def _corner(self, word: str) -> tuple[int, int, int]:
        try:
            numbers = [int(part) if part else 0 for part in word.split("/")[:3]]
        except ValueError:
            raise ValueError(f"{word} is not a corner of a face.") from None
        numbers += [0] * (3 - len(numbers))
        found = []
        pools: tuple[list[Any], ...] = (self.points, self.uvs, self.normals)
        for number, pool, what in zip(numbers, pools, ("vertex", "UV", "normal"), strict=True):
            index = number - 1 if number > 0 else len(pool) + number if number < 0 else -1
            if number and not 0 <= index < len(pool):
                raise ValueError(f"a face points at {what} {number}, but there are {len(pool)} so far.")
            found.append(index)
        if found[0] < 0:
            raise ValueError("a face has a corner without a vertex.")
        return found[0], found[1], found[2]

    def _libraries(self, words: list[str]) -> None:
        """One material file whose name may hold blanks, or several."""
        whole = " ".join(words)
        several = given(self.beside, whole) is None and any(given(self.beside, word) is not None for word in words)
        for link in words if several else [whole]:
            file, data = name_of(link), given(self.beside, link)
            if data is None:
                self.notes.append(f"{self.name} refers to the material file {file}, which was not given with it.")
            else:
                self._materials(file, data)

    def _materials(self, file: str, data: bytes) -> None:
        look = SurfaceLook("")
        for number, line in enumerate(_text(data).splitlines(), 1):
            words = _words(line)
            if len(words) < 2:
                continue
            if words[0] == "newmtl":
                look = self.looks.setdefault(" ".join(words[1:]), SurfaceLook(" ".join(words[1:])))
                continue
            try:
                self._describe(look, words)
            except ValueError as error:
                self.notes.append(f"{file}, line {number}, was left out: {error}")

    def _describe(self, look: SurfaceLook, words: list[str]) -> None:
        """One statement of a material."""
        if words[0] == "Kd":
            look.base_color = _color(words)
        elif words[0] == "Pr":
            look.roughness = _share(words[1])
        elif words[0] == "Pm":
            look.metallic = _share(words[1])
        elif words[0] == "Ke":
            look.untouched = look.untouched.model_copy(update={"emissive": _color(words)})
            if any(look.untouched.emissive):
                self.handed_through.add("glow", look.name)
        elif words[0] == "d":
            self._see_through(look, _share(words[-1]))
        elif words[0] == "Tr" and _share(words[1]) < 1:
            # Some write 1 for what is opaque; nobody paints what cannot be seen at all.
            self._see_through(look, 1.0 - _share(words[1]))
        elif words[0] in PICTURES:
            self._picture(words, PICTURES[words[0]], look)
        elif words[0] in LEFT_OUT:
            surfaces = self.left_out[LEFT_OUT[words[0]]]
            surfaces += [look.name] * (look.name not in surfaces)

    def _picture(self, words: list[str], slot: str, look: SurfaceLook) -> None:
        link, options = _link_of(words[1:])
        file = path_of(link)
        for option in [option for option in options if option in CHANGING]:
            self.notes.append(f"{words[0]} of {look.name} is read without {CHANGING[option]} ({option}).")
        place = _placement(options)
        if place != Placement():
            look.placed[slot] = place
        found = given(self.beside, link)
        if found is not None:
            look.pictures[slot] = found
        elif file:
            look.missing[slot] = file
        if slot == "opacity":
            look.untouched = look.untouched.model_copy(update={"alpha_mode": "BLEND"})
        elif slot == "emissive" and not any(look.untouched.emissive):
            look.untouched = look.untouched.model_copy(update={"emissive": (1.0, 1.0, 1.0)})
        if slot in UNTOUCHED and slot in look.pictures:
            self.handed_through.add(UNTOUCHED[slot], look.name)

    def _see_through(self, look: SurfaceLook, alpha: float) -> None:
        if alpha < 1:
            look.opacity = alpha
            look.untouched = look.untouched.model_copy(update={"alpha_mode": "BLEND"})

    def mesh(self) -> Mesh:
        if not self.corners:
            raise NightmistError(f"{self.name} holds no faces, so there is nothing to paint on.")
        corners = np.array(self.corners, np.int64)
        made = build_mesh(
            np.array(self.points, np.float32),
            corners[:, :, 0].astype(np.int32),
            [_gather(self.uvs, corners[:, :, 1], 2)] if self.uvs else [],
            np.nan_to_num(_gather(self.normals, corners[:, :, 2], 3)) if self.normals else None,
            np.array(self.face_surface, np.int32),
            np.array(self.face_part, np.int32),
            [self.looks.get(name, SurfaceLook(name)) for name in self.order],
            _part_names(self.parts),
            self.name,
            np.array(self.polygon, np.int32),
        )
        for look, name in zip(made.surfaces, self.order, strict=False):
            look.name = look.name or name
        made.notes.extend([*self.notes, *self.handed_through.said()])
        made.notes.extend(
            f"Not read here and left out of {listed(names)}: {what}." for what, names in self.left_out.items()
        )
        rest = [*self.without_faces, *["vertex colors"] * self.colored]
        if rest:
            made.notes.append(f"Not read here and left out: {', '.join(rest)}.")
        if self.lines:
            made.notes.append(f"{self.name}: faces with fewer than three corners were left out, {self.lines} in all.")
        return made


def _part_names(parts: list[tuple[str, str]]) -> list[str]:
    """Names of parts by object and group: groups tell apart what lies in one object, or are all there is."""
    named, objects = [], Counter(name for name, _ in parts)
    for name, group in parts:
        split = group if name in group else f"{name} {group}".strip()
        named.append((split if objects[name] > 1 else name or group) or "part")
    return named


def _link_of(words: list[str]) -> tuple[str, dict[str, list[str]]]:
    """The name of a picture, blanks and all, and the options before it with their words."""
    at, options = 0, {}
    while at < len(words) - 1 and words[at] in OPTIONS:
        option, start = words[at], at + 1
        at = start
        # Of up to three numbers only the first is required.
        while at - start < OPTIONS[option] and at < len(words) - 1 and (at == start or _is_number(words[at])):
            at += 1
        options[option] = words[start:at]
    return " ".join(words[at:]), options


def _placement(options: dict[str, list[str]]) -> Placement:
    """Where a picture lies: by its scale (`-s`) and then its offset (`-o`), of a v that points up."""
    (across, up), (x, y) = (_pair(options.get("-s", []), 1.0), _pair(options.get("-o", []), 0.0))
    return Placement(0, (across, 0.0, x, 0.0, up, 1.0 - up - y))


def _pair(words: list[str], rest: float) -> tuple[float, float]:
    """The first two numbers of an option; `rest` for what is none."""
    numbers = [_number(word) if _is_number(word) else rest for word in words[:2]]
    numbers += [rest] * (2 - len(numbers))
    return numbers[0], numbers[1]


def _floats(words: list[str], least: int) -> list[float]:
    try:
        numbers = [float(word) for word in words]
    except ValueError:
        numbers = []
    if len(numbers) < least:
        raise ValueError(f"{' '.join(words) or 'nothing'} stands where {least} or more numbers belong.")
    return numbers


def _is_number(word: str) -> bool:
    try:
        _number(word)
    except ValueError:
        return False
    return True


def _number(word: str) -> float:
    try:
        number = float(word)
    except ValueError:
        number = nan
    if not isfinite(number):
        raise ValueError(f"{word} is not a number.")
    return number


def _share(word: str) -> float:
    return min(max(_number(word), 0.0), 1.0)


def _color(words: list[str]) -> tuple[float, float, float]:
    """Red, green and blue after a statement's name; a single number is a gray."""
    red, green, blue = (_share(word) for word in (words[1:4] if len(words) > 3 else words[1:2] * 3))
    return red, green, blue


def _gather(
    pool: list[tuple[float, ...]] | list[tuple[float, float]] | list[tuple[float, float, float]],
    index: NDArray[np.int64],
    width: int,
) -> NDArray[np.float32]:
    """(F, 3, width) values by index; NaN where the index is -1."""
    values = np.array(pool, np.float32).reshape(-1, width)
    return np.where(index[..., None] >= 0, values[np.maximum(index, 0)], np.float32(np.nan))
