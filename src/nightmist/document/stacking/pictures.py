"""Pictures of the project: taken in, described, and forgotten when nothing uses them."""

from __future__ import annotations

import re
from pathlib import PurePath

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.formats.image_files import read_picture, write_png
from ...core.names import clean_name, listed, unused_name
from ..change import Change
from ..derived.decal_frames import slid
from ..derived.pictures import cut_out
from ..derived.tables import table_of
from ..document import Document
from ..values import (
    AnyValue,
    BodyFrame,
    Cutout,
    Decal,
    Decals,
    MapFrame,
    MapName,
    Node,
    PaintedMap,
    Picture,
    PlaneName,
    Role,
    Wash,
    new_id,
    pictures_in,
)

#: What names of pictures say about their use, looked for in this order.
NAMED: tuple[tuple[str, Role], ...] = (
    (r"normal|nrm|_n$", "normal"), (r"height|bump|disp|relief|_h$", "height"), (r"(^|[_ -])ids?([_ -]|$)", "id"),
    (r"rough|metal|gloss|spec|mask|occlusion|_ao|_r$|_m$|(^|[_ -])(opacity|alpha)([_ -]|$)", "value"),
    (r"tip|stamp|brush", "tip"),
)  # fmt: skip
#: Of a picture that marks areas by flat colors: how many at most, and the share of texels that may be half transparent.
FLAT_COLORS, SOFT_EDGES = 64, 0.001


def add_picture(
    document: Document, name: str, data: bytes, role: Role | None = None, note: str = ""
) -> tuple[Change | None, str]:
    """Take a picture in; the id of the one there is already where its bytes are the same (then without a change).

    role: what it is for; None: as it seems.
    """
    digest = document.arrays.add(np.frombuffer(data, np.uint8).copy())
    for known in document.picture_values():
        if known.file == digest:
            return None, known.id
    pixels = read_picture(name, data, upright=True)
    taken = {picture.name for picture in document.picture_values()}
    title = unused_name(clean_name(PurePath(name).name, "picture"), taken)
    picture = Picture(
        id=new_id(), name=title, file=digest, width=pixels.shape[1], height=pixels.shape[0],
        role=role or guessed_role(name, pixels), note=note,
    )  # fmt: skip
    return Change(label=f"Add picture {title}", values={picture.id: (None, picture)}), picture.id


def painted_picture(document: Document, node: Node, name: PlaneName) -> tuple[Change | None, Picture]:
    """What a node holds of a map, or its mask, as a picture that follows it; the one there is already, if any.

    Raises NightmistError where nothing of that is painted.
    """
    of = PaintedMap(node=node.id, map=name)
    for known in document.picture_values():
        if known.of == of:
            return None, known
    raster = document.raster(node.id, name)
    what = "color" if name == "base_color" else name
    table = table_of(raster, document.pool, document.arrays)
    if table is None:
        raise NightmistError(f"The layer {node.name} holds no {what} yet. Paint some first.")
    taken = {picture.name for picture in document.picture_values()}
    surface = document.surface_of(node).name
    role: Role = "color" if name == "base_color" else "height" if name == "height" else "value"
    picture = Picture(
        id=new_id(), name=unused_name(clean_name(f"{node.name} of {surface}, {what}", "painted"), taken), file=table,
        width=raster.width, height=raster.height, role=role, of=of,
    )  # fmt: skip
    return Change(label=f"Use {picture.name}", values={picture.id: (None, picture)}), picture


def use_painted(document: Document, wash: Node, name: MapName, source: Node, source_map: PlaneName) -> Change:
    """Let a wash lay, on one map, what is painted elsewhere: it follows when that is painted on."""
    if not isinstance(wash, Wash):
        raise NightmistError(f"{wash.name} is no wash, which alone lays pictures over everything.")
    change, picture = painted_picture(document, source, source_map)
    after = wash.but(images={**wash.images, name: picture.id})
    values = change.values if change else {}
    return Change(label=f"Use {picture.name} for {wash.name}", values={**values, wash.id: (wash, after)})


def guessed_role(name: str, pixels: NDArray[np.uint16]) -> Role:
    """What a picture seems to be for, from its name, else from its pixels (h, w, 4)."""
    stem = PurePath(name).stem.lower()
    for pattern, role in NAMED:
        if re.search(pattern, stem):
            return role
    some = pixels[:: max(1, len(pixels) // 64), :: max(1, pixels.shape[1] // 64), :3].reshape(-1, 3).astype(np.int64)
    if (some.max(axis=1) - some.min(axis=1)).max() <= 514:
        return "value"
    length = np.linalg.norm(some / 32767.5 - 1, axis=1)
    if abs(np.median(length) - 1) < 0.1 and np.median(some[:, 2]) > 45000:
        return "normal"
    # Of what marks areas every texel is inside or outside; letters and other cut-outs have soft edges.
    soft = np.mean((pixels[..., 3] > 0) & (pixels[..., 3] < 65535)) > SOFT_EDGES
    few = len(np.unique(some // 257, axis=0)) <= FLAT_COLORS and len(some) > 16 * FLAT_COLORS
    return "id" if few and not soft else "color"


def describe_picture(picture: Picture, **properties: object) -> Change:
    """Another name, role or note for a picture."""
    after = picture.but(**properties)
    if after == picture:
        return Change(label="")
    return Change(label=f"Describe picture {picture.name}", values={picture.id: (picture, after)})


def cut_picture(document: Document, picture: Picture, **properties: object) -> Change:
    """Cut something else out of a picture, wherever it is used.

    alpha: the id of the picture whose gray is its alpha. What decals show of it stays where it lies.
    """
    if key := properties.get("alpha"):
        other = document.picture_value(str(key))
        if other.of:
            raise NightmistError(f"{other.name} is what is painted, and not a file: its gray cannot be an alpha.")
        properties["alpha"] = other.file
    cutout: Cutout = picture.cutout.but(**properties)
    if cutout == picture.cutout:
        return Change(label="")
    pixels = cut_out(document.arrays, document.pool, picture.but(cutout=cutout))
    after = picture.but(cutout=cutout, width=pixels.shape[1], height=pixels.shape[0])
    what = " ".join(name for name in properties if getattr(cutout, name) != getattr(picture.cutout, name))
    values: dict[str, tuple[AnyValue | None, AnyValue | None]] = {picture.id: (picture, after)}
    if cutout.crop != picture.cutout.crop:
        for node in document.values.values():
            if isinstance(node, Decals) and picture.id in pictures_in(node):
                placed = (
                    _cropped(each, picture, cutout) if each.picture == picture.id else each for each in node.placed
                )
                values[node.id] = (node, node.but(placed=tuple(placed)))
    return Change(label=f"Prepare picture {picture.name}", values=values, merge=f"{picture.id} {what}")


def _cropped(decal: Decal, picture: Picture, cutout: Cutout) -> Decal:
    """A decal whose frame has become that of another part of its picture."""
    frame = decal.frame
    if decal.repeat != (1, 1) or isinstance(frame, BodyFrame):
        return decal
    old, new = picture.cutout.crop, cutout.crop
    wide, high = old[2] - old[0], old[3] - old[1]
    width, height = frame.width * (new[2] - new[0]) / wide, frame.height * (new[3] - new[1]) / high
    x = ((new[0] + new[2]) - (old[0] + old[2])) / 2 / wide * frame.width * (-1 if decal.mirrored else 1)
    y = ((old[1] + old[3]) - (new[1] + new[3])) / 2 / high * frame.height
    if isinstance(frame, MapFrame):
        # Its middle would have to be told in texels, and a map may be oblong: it stays.
        flat: Decal = decal.but(frame=frame.but(width=width, height=height))
        return flat
    cut: Decal = decal.but(frame=slid(frame, x, y).but(width=width, height=height))
    return cut


def remove_picture(document: Document, picture: Picture) -> Change:
    """Forget a picture. Raises NightmistError naming the layers that use it."""
    users = document.users(lambda node: picture.id in pictures_in(node))
    users += [each.name for each in document.picture_values() if each.cutout.alpha == picture.file and each != picture]
    if users:
        raise NightmistError(f"{picture.name} is used by {listed(users)}. Take it off there first.")
    return Change(label=f"Forget picture {picture.name}", values={picture.id: (picture, None)})


def file_of(document: Document, picture: Picture) -> bytes:
    """The bytes of a picture's file as they were given or, where something is cut out of it, of that as PNG."""
    if picture.of or picture.cutout != Cutout():
        return write_png(cut_out(document.arrays, document.pool, picture))
    data: NDArray[np.uint8] = document.arrays.get(picture.file)
    return data.tobytes()
