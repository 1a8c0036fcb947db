"""Finishes: a group of layers with its pictures, under a name for every project, laid where it is wanted."""

from __future__ import annotations

import base64
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from ...core.errors import NightmistError
from ...core.formats.image_files import write_png
from ...core.names import unused_name
from ...core.texels import Raster
from ...core.texels.tile_mask import TileMask
from ...core.tools import composite_over
from ..change import Change, raster_id
from ..derived.scaled import scaled
from ..derived.tables import table_of
from ..document import Document
from ..values import (
    CHANNELS,
    MASK,
    Adjustment,
    Brushed,
    Decals,
    Group,
    MaskOf,
    Name,
    Node,
    Picture,
    Role,
    Surface,
    Wash,
    new_id,
    pictures_in,
)
from .nodes import Rasters, Values, room_for
from .pictures import add_picture, file_of

#: What a finish is made of: strokes become pictures.
AnyLayer = Group | Wash | Decals | Adjustment
#: Bytes of the pictures of a finish at most: it is read whole.
MOST_BYTES = 64 << 20


class FinishPicture(BaseModel):
    """A picture of a finish; data: base64 of its file's bytes."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    id: str
    name: Name
    role: Role = "color"
    note: str = ""
    data: str


class Finish(BaseModel):
    """A group and all in it, the group first, with the pictures of its washes."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: Name
    nodes: list[Annotated[AnyLayer, Field(discriminator="kind")]] = Field(min_length=1)
    pictures: list[FinishPicture] = []
    side: int | None = Field(default=None, description="of the map it was kept from, the longer one, in texels")


def finish_of(document: Document, group: Node, name: str) -> Finish:
    """A group under a name. Strokes become pictures that lie by UV. Raises NightmistError for what is no group."""
    if not isinstance(group, Group):
        raise NightmistError(f"{group.name} is no group. Put it into one to keep it as a finish.")
    nodes: list[AnyLayer] = []
    strokes: list[FinishPicture] = []
    for node in (group, *reversed(document.nodes_in(group.id))):
        if isinstance(node, Brushed):
            wash, painted = _as_pictures(document, node)
            nodes.append(wash)
            strokes += painted
        else:
            nodes.append(node)
    inside = document.nodes_in(group.id)
    used = {key for node in inside for key in pictures_in(node.but(mask=None))}
    pictures = [document.picture_value(key) for key in sorted(used)]
    data = [(picture, file_of(document, picture)) for picture in pictures]
    if sum(len(each) for _, each in data) + sum(len(stroke.data) for stroke in strokes) > MOST_BYTES:
        raise NightmistError(f"The pictures of {group.name} take more than {MOST_BYTES >> 20} MB, more than is kept.")
    return Finish(
        name=name,
        side=max(document.surface_of(group).size),
        nodes=[_bare(node) for node in nodes],
        pictures=[
            *strokes,
            *(
                FinishPicture(id=p.id, name=p.name, role=p.role, note=p.note, data=base64.b64encode(each).decode())
                for p, each in data
            ),
        ],
    )  # fmt: skip


def _bare(node: AnyLayer) -> AnyLayer:
    """Without what fits this surface only: masks, and regions that decals are bound to."""
    if isinstance(node, Decals):
        node = node.but(placed=tuple(decal.but(region=None) for decal in node.placed))
    bare: AnyLayer = node.but(mask=None, locked=False)
    return bare


def _as_pictures(document: Document, layer: Brushed) -> tuple[Wash, list[FinishPicture]]:
    """A brushed layer as a wash of pictures, so that its strokes fit maps of any size."""
    pictures: list[FinishPicture] = []
    for name in document.painted_maps(layer.id):
        image = document.raster(layer.id, name).read()
        colored = image if name == "base_color" else image[..., [0, 0, 0, 1]]
        data = base64.b64encode(write_png(np.ascontiguousarray(colored))).decode()
        title = f"{layer.name} {name.replace('_', ' ')}.png"
        role: Role = "color" if name == "base_color" else "height" if name == "height" else "value"
        pictures.append(FinishPicture(id=f"{layer.id} {name}", name=title, role=role, data=data))
    fields = layer.model_dump(exclude={"kind", "mask", "mix"})
    images = {name: f"{layer.id} {name}" for name in document.painted_maps(layer.id)}
    return Wash(**fields, images=images), pictures


def add_finish(
    document: Document, parent: Surface | Group, finish: Finish, mask: TileMask | None = None
) -> tuple[Change, str]:
    """Lay a finish on top of a stack; and its group's id. mask: where it shows, of all the map else."""
    values: Values = {}
    pictures: dict[str, str] = {}
    for picture in finish.pictures:
        change, key = add_picture(document, picture.name, base64.b64decode(picture.data))
        pictures[picture.id] = key
        if change:
            made = change.values[key][1]
            assert isinstance(made, Picture)
            values[key] = (None, made.but(role=picture.role, note=picture.note))
    stack = document.stack(parent.id)
    moved, orders = room_for(stack, len(stack), 1)
    values.update(moved)
    surface = document.surface_of(parent) if isinstance(parent, Group) else parent
    names = {node.name for node in document.nodes_in(surface.id)}
    finer = max(surface.size) / finish.side if finish.side else 1.0
    ids = {node.id: new_id() for node in finish.nodes}
    top = finish.nodes[0]
    for node in finish.nodes:
        copy: Node = scaled(node.but(id=ids[node.id], parent=ids.get(node.parent, parent.id)), finer)
        if node is top:
            title = unused_name(finish.name, names)
            copy = copy.but(order=orders[0], name=title, mask=MaskOf(start=0.0) if mask else None)
        if isinstance(copy, Wash):
            images = {name: pictures[key] for name, key in copy.images.items() if key in pictures}
            copy = copy.but(images=images)
        elif isinstance(copy, Decals):
            fresh = {decal.id: new_id() for decal in copy.placed}
            copy = copy.but(placed=tuple(d.but(id=fresh[d.id], picture=pictures[d.picture]) for d in copy.placed))
        values[copy.id] = (None, copy)
    rasters: Rasters = {}
    if mask:
        table = table_of(_painted(surface, mask), document.pool, document.arrays)
        rasters[raster_id(ids[top.id], MASK)] = (None, table)
    return Change(label=f"Lay {finish.name}", values=values, rasters=rasters), ids[top.id]


def _painted(surface: Surface, mask: TileMask) -> Raster:
    """A mask as pixels."""
    raster = Raster(*surface.size, CHANNELS[MASK])
    area = mask.complete().area
    columns = raster.addresses.shape[1]
    for tile in area.tiles:
        raster.put(divmod(int(tile), columns), raster.copy_of(divmod(int(tile), columns)))
    nothing = np.zeros(raster.addresses.size, np.int64)
    composite_over(area, mask.addresses, nothing, raster.addresses.ravel(), (1.0,))
    return raster
