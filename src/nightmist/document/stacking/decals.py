"""Decals placed, moved, changed, duplicated and baked. One that lies over a border is held by a layer on each side."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from ...core.errors import NightmistError
from ...core.mesh.select import Extent, faces_with
from ...core.names import unused_name
from ..change import Change, raster_id
from ..derived.decals import Laying
from ..derived.tables import table_of
from ..document import Document
from ..values import (
    MAPS,
    REGION_COLORS,
    AnyFrame,
    AnyValue,
    Brushed,
    Decal,
    Decals,
    FrameShape,
    MapFrame,
    Node,
    NodeMap,
    Picture,
    Region,
    Surface,
    SurfaceFrame,
    new_id,
)
from .decal_frames import (
    Place,
    SurfacePlace,
    around_part,
    below_middle,
    curve_below,
    fitted_again,
    is_body,
    moved_to,
    settled,
    turned,
    with_fields,
)
from .nodes import Rasters, Values, add_node, room_for

#: A new decal's wider side, of the model's longest side.
USUAL_SHARE = 0.2
#: The same of one in a map, of the map's longer side.
USUAL_IN_MAP = 0.4


def decals_value(node: Node) -> Decals:
    """A node as a layer of decals. Raises NightmistError where it is none."""
    if not isinstance(node, Decals):
        raise NightmistError(f"{node.name} holds no decals.")
    return node


def find_decal(document: Document, key: str) -> tuple[Decals, Decal]:
    """A decal by id, and the first layer that holds it. Raises NightmistError when it is gone."""
    for node in _holders(document, key):
        if decal := node.decal(key):
            return node, decal
    raise NightmistError("That decal does not exist any more.")


def place_decal(
    document: Document, node: Decals, picture: Picture, at: Place, width: float | None = None,
    depth: float | None = None, roll: float = 0.0, shape: FrameShape | None = None, **fields: Any,
) -> tuple[Change, str]:  # fmt: skip
    """Put a picture onto the surface, upright, in its own proportions; and its id.

    width: in model units, or a share of the map's longer side. depth: None: as deep as the wall allows. shape: None:
    as the surface bends there.
    """
    ratio = picture.height / picture.width
    if isinstance(at, SurfacePlace) and shape and is_body(shape):
        frame: AnyFrame = around_part(document, at, roll, shape)
    elif not isinstance(at, SurfacePlace):
        wide = width or USUAL_IN_MAP / max(ratio, 1)
        frame = MapFrame(center=at, roll=roll, width=wide, height=wide * ratio)
    else:
        low, high = document.mesh.bounds
        wide = width or USUAL_SHARE * float((high - low).max()) / max(ratio, 1)
        frame = SurfaceFrame(
            position=at.position, normal=at.normal, roll=roll, width=wide, height=wide * ratio, depth=depth or wide,
            measured=depth is None, adapts=shape is None,
        )  # fmt: skip
        lying = turned(document, frame)
        frame = settled(document, lying.but(shape=shape or curve_below(document, lying).shape))
    decal = Decal(id=new_id(), picture=picture.id, frame=frame, **fields)
    return _laid(document, f"Place {picture.name}", node, decal), decal.id


def place_in_new_layer(
    document: Document, surface: Surface, above: Node | None, picture: Picture, at: Place, width: float | None = None
) -> tuple[Change, str, str]:  # fmt: skip
    """The same into a new layer above another node, or on top of a surface's stack; the ids of decal and layer."""
    parent: AnyValue = document.values[above.parent] if above else surface
    index = [node.id for node in document.stack(parent.id)].index(above.id) + 1 if above else None
    added, key = add_node(document, parent, "decals", None, index)  # type: ignore[arg-type]
    layer = added.values[key][1]
    assert isinstance(layer, Decals)
    placed, decal = place_decal(document, layer, picture, at, width)
    values = {**added.values, **placed.values}
    values[key] = (None, placed.values.get(key, added.values[key])[1])
    if key not in placed.values:
        del values[key]
    return Change(label=placed.label, values=values), decal, key


def move_decal(document: Document, key: str, at: Place) -> Change:
    """Take a decal to another place of the surface, or of the map in which it lies."""
    node, decal = find_decal(document, key)
    if isinstance(decal.frame, MapFrame):
        if isinstance(at, SurfacePlace):
            raise NightmistError("This decal lies in the map; move it there.")
        frame: AnyFrame = decal.frame.but(center=at)
    else:
        if not isinstance(at, SurfacePlace):
            raise NightmistError("This decal lies on the model; move it there.")
        frame = moved_to(document, decal.frame, at)
    return _changed(document, "Move", node, decal, decal.but(frame=frame), f"decal {key} place")


def change_decal(document: Document, key: str, **fields: Any) -> Change:
    """Set properties of a decal, on all surfaces where it lies, as one step."""
    node, decal = find_decal(document, key)
    after: Decal = decal.but(**fields)
    if isinstance(after.frame, SurfaceFrame) and after.frame != decal.frame:
        after = after.but(frame=settled(document, after.frame))
    if after.region:
        document.region_value(after.region)
    document.picture_value(after.picture)
    what = [name for name in fields if getattr(after, name) != getattr(decal, name)]
    if what == ["frame"] and type(after.frame) is type(decal.frame):
        # Turning is another step than scaling.
        what = [name for name, value in after.frame if value != getattr(decal.frame, name)]
    return _changed(document, "Change", node, decal, after, f"decal {key} {' '.join(sorted(what))}")


def changed_frame(document: Document, key: str, **fields: Any) -> AnyFrame:
    """A decal's frame with other properties; its shape may make it one on the surface, or around a body."""
    _, decal = find_decal(document, key)
    picture = document.picture_value(decal.picture)
    return with_fields(document, decal.frame, picture.height / picture.width, **fields)


def fit_decal(document: Document, key: str) -> Change:
    """Put a decal's frame around the part that it lies around, as it is turned."""
    node, decal = find_decal(document, key)
    return _changed(document, "Fit", node, decal, decal.but(frame=fitted_again(document, decal.frame)))


def why_unseen(document: Document, key: str) -> str | None:
    """Why a decal that is to be seen shows nothing, in words; None where it does."""
    _, decal = find_decal(document, key)
    if (
        isinstance(decal.frame, MapFrame)
        or not decal.visible
        or any(_shows(document, decal, surface, False, None) for surface in document.surface_values())
    ):
        return None
    name = _title(document, decal)
    if decal.region:
        return f"{name} shows nothing there: it is kept inside {document.region_value(decal.region).name}."
    return f"{name} shows nothing there: the model lies outside its frame, or is turned away too far."


def bind_below(document: Document, key: str, by: Extent) -> Change:
    """Keep a decal inside what belongs together with the face below its middle: a region made for it."""
    node, decal = find_decal(document, key)
    if isinstance(decal.frame, MapFrame):
        raise NightmistError("This decal lies in the map. Draw a shape there, and keep it inside that region.")
    face, _ = below_middle(document, decal.frame)
    surface = next(each for each in document.surface_values() if each.number == document.mesh.face_surface[face])
    faces = faces_with(document.mesh, face, by, document.layout(surface).uvs)
    taken = {region.name for region in document.region_values()}
    region = Region(
        id=new_id(), name=unused_name(f"{by.capitalize()} below {_title(document, decal)}", taken),
        faces=document.arrays.add(faces.astype(np.int64)), color=REGION_COLORS[len(taken) % len(REGION_COLORS)],
    )  # fmt: skip
    values = _spread(document, node, decal.but(region=region.id), region)
    return Change(label=f"Keep {_title(document, decal)} inside", values={**values, region.id: (None, region)})


def duplicate_decal(
    document: Document, key: str, at: Place | None = None
) -> tuple[Change, str]:  # fmt: skip
    """The same decal once more, with the same picture, at another place if one is given; and its id."""
    node, decal = find_decal(document, key)
    copy: Decal = decal.but(id=new_id())
    if isinstance(at, SurfacePlace) and not isinstance(copy.frame, MapFrame):
        copy = copy.but(frame=moved_to(document, copy.frame, at))
    elif at is not None and isinstance(copy.frame, MapFrame) and not isinstance(at, SurfacePlace):
        copy = copy.but(frame=copy.frame.but(center=at))
    return _laid(document, f"Duplicate {_title(document, decal)}", node, copy), copy.id


def remove_decals(document: Document, keys: Sequence[str]) -> Change:
    """Take decals away, from all surfaces where they lie."""
    gone = set(keys)
    values: Values = {}
    for node in _decal_layers(document):
        if any(decal.id in gone for decal in node.placed):
            _check(node)
            values[node.id] = (node, node.but(placed=tuple(d for d in node.placed if d.id not in gone)))
    if not values:
        raise NightmistError("That decal does not exist any more.")
    named = _title(document, find_decal(document, keys[0])[1]) if len(keys) == 1 else f"{len(keys)} decals"
    return Change(label=f"Delete {named}", values=values)


def order_decal(document: Document, node: Decals, key: str, index: int) -> Change:
    """Put a decal at an index, the lowest 0, of its layer."""
    decal = node.decal(key)
    if decal is None:
        raise NightmistError("That decal does not exist any more.")
    _check(node)
    others = [each for each in node.placed if each.id != key]
    at = min(max(index, 0), len(others))
    placed = (*others[:at], decal, *others[at:])
    if placed == node.placed:
        return Change(label="Reorder decals")
    return Change(label="Reorder decals", values={node.id: (node, node.but(placed=placed))})


def bake(document: Document, node: Decals) -> Change:
    """Make a layer of decals a brushed one that looks the same."""
    _check(node)
    surface = document.surface_of(node)
    layout = document.layout(surface)
    fields = {name: getattr(node, name) for name in type(node).model_fields if name not in ("kind", "placed")}
    made = document.decals.rasters(node, surface, layout, document.laid_decals(node))
    for laid in document.decals.lazy(made.values()):
        laid.hold(np.arange(len(laid.known), dtype=np.int32))
    rasters: Rasters = {}
    for name in MAPS:
        if name in made and (table := table_of(made[name], document.pool, document.arrays)):
            rasters[raster_id(node.id, name)] = (None, table)
    return Change(label=f"Bake {node.name}", values={node.id: (node, Brushed(**fields))}, rasters=rasters)


def _laid(document: Document, label: str, node: Decals, decal: Decal) -> Change:
    """A new decal on top of a layer, and of those beyond the borders that it lies over."""
    return Change(label=label, values=_spread(document, node, decal))


def _changed(document: Document, what: str, node: Decals, before: Decal, after: Decal, merge: str = "") -> Change:
    if after == before:
        return Change(label="")
    return Change(label=f"{what} {_title(document, before)}", values=_spread(document, node, after), merge=merge)


def _spread(document: Document, node: Decals, decal: Decal, region: Region | None = None) -> Values:
    """The exchange of values by which a decal lies wherever it shows, and nowhere else.

    region: the one that it is kept inside, where the document does not have it yet.
    """
    home = document.surface_of(node)
    holders = {document.surface_of(each).id: each for each in _holders(document, decal.id)}
    holders.setdefault(home.id, node)
    shows = [s for s in document.surface_values() if _shows(document, decal, s, s.id in holders, region)]
    if isinstance(decal.frame, MapFrame) or not shows:
        shows = [home]
    values: Values = {}
    for surface in shows:
        holder = holders.get(surface.id) or _layer_on(document, surface, node)
        known = document.values.get(holder.id)
        _check(holder)
        placed = tuple(decal if each.id == decal.id else each for each in holder.placed)
        if holder.decal(decal.id) is None:
            placed = (*holder.placed, decal)
        values[holder.id] = (known, holder.but(placed=placed))
    for surface_id, holder in holders.items():
        if holder.decal(decal.id) and surface_id not in [surface.id for surface in shows]:
            _check(holder)
            values[holder.id] = (holder, holder.but(placed=tuple(d for d in holder.placed if d.id != decal.id)))
    return values


def _shows(document: Document, decal: Decal, surface: Surface, held: bool, region: Region | None) -> bool:
    """Whether a decal lays anything on a surface."""
    if isinstance(decal.frame, MapFrame):
        return held
    if decal.region and region is None:
        region = document.region_value(decal.region)
    laying = Laying(decal, document.picture_value(decal.picture), region)
    return document.decals.source.shows(laying, surface, document.layout(surface))


def _layer_on(document: Document, surface: Surface, like: Decals) -> Decals:
    """The layer of decals of a surface that takes what lies over its border: of the same name, the topmost, or new."""
    found = [node for node in document.nodes_in(surface.id) if isinstance(node, Decals) and not node.locked]
    if found:
        return next((node for node in reversed(found) if node.name == like.name), found[-1])
    _, orders = room_for(document.stack(surface.id), len(document.stack(surface.id)), 1)
    return Decals(
        id=new_id(), parent=surface.id, order=orders[0], name=like.name, maps={"height": NodeMap(blend="raise")}
    )  # fmt: skip


def _holders(document: Document, key: str) -> list[Decals]:
    return [node for node in _decal_layers(document) if node.decal(key)]


def _decal_layers(document: Document) -> list[Decals]:
    return [value for value in document.values.values() if isinstance(value, Decals)]


def _check(node: Decals) -> None:
    if node.locked:
        raise NightmistError(f"{node.name} is locked. Unlock it to change its decals.")


def _title(document: Document, decal: Decal) -> str:
    picture = document.values.get(decal.picture)
    return picture.name if isinstance(picture, Picture) else "decal"
