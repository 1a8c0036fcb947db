"""What browsers ask of stacks and regions. Each message says what `Change` it means; some name what was made."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ..core.compose import BlendMode
from ..core.errors import NightmistError
from ..document import Document
from ..document.change import Change
from ..document.derived.model import faces_of_runs
from ..document.files.portrait import portrait
from ..document.painting import regions
from ..document.preparing.maps import set_depth, set_start
from ..document.stacking import adjusting, frames, mask_sources, masks, merging, nodes, versions
from ..document.stacking.mask_sources import Source
from ..document.values import Effect, Group, MapName, MaskOf, Name, Node, Pigment, Share, Surface
from .decal_messages import AnyDecalMessage, ChangeDecal, MoveDecal
from .parts import MappingPart, MixPart, PigmentPart, StartPart
from .picture_messages import AnyPictureMessage, CutPicture
from .stack_message import Made, StackMessage, given

Runs = list[tuple[int, int]]


class AddNode(StackMessage):
    """Add a node to a surface, right above another or on top, with what washes and adjustments begin with."""

    type: Literal["add_node"]
    surface: str
    kind: Literal["brushed", "group", "wash", "decals", "adjustment"] = "brushed"
    above: str | None = None
    pigment: Pigment | None = None
    images: dict[MapName, str] | None = None
    effect: Effect | None = None
    mask: Share | None = Field(default=None, description="what a mask hides (0) or shows (1) that it begins with")

    def made(self, document: Document) -> Made:
        surface = document.surface_value(self.surface)
        above = document.values.get(self.above or "")
        mask = None if self.mask is None else MaskOf(start=self.mask)
        named = {"pigment": self.pigment, "images": self.images, "effect": self.effect, "mask": mask}
        fields = {name: value for name, value in named.items() if value is not None}
        name = self.effect.capitalize() if self.effect else None
        if not isinstance(above, Node) or document.surface_of(above).id != surface.id:
            change, key = nodes.add_node(document, surface, self.kind, name, None, **fields)
        else:
            parent, stack = parent_of(document, above.parent), document.stack(above.parent)
            at = [node.id for node in stack].index(above.id) + 1
            change, key = nodes.add_node(document, parent, self.kind, name, at, **fields)
        return change, [key]


class ShowAlone(StackMessage):
    """Hide all other nodes of a surface but those over a node and in it; when they are hidden already, show all."""

    type: Literal["show_alone"]
    node: str

    def change(self, document: Document) -> Change:
        return nodes.show_alone(document, document.node(self.node))


class RemoveNodes(StackMessage):
    """Delete nodes with their paint, and all that lies in them."""

    type: Literal["remove_nodes"]
    nodes: list[str]

    def change(self, document: Document) -> Change:
        return nodes.remove_nodes(document, _all(document, self.nodes))


class MoveNodes(StackMessage):
    """Put nodes at an index, bottom 0, of a surface's stack or of a group, by its id; those that stay count."""

    type: Literal["move_nodes"]
    nodes: list[str]
    parent: str
    index: int

    def change(self, document: Document) -> Change:
        return nodes.move_nodes(document, _all(document, self.nodes), parent_of(document, self.parent), self.index)


class GroupNodes(StackMessage):
    """Put nodes into a new group."""

    type: Literal["group_nodes"]
    nodes: list[str]

    def made(self, document: Document) -> Made:
        change, key = nodes.group_nodes(document, _all(document, self.nodes))
        return change, [key]


class Ungroup(StackMessage):
    """What lies in a group takes its place."""

    type: Literal["ungroup"]
    node: str

    def change(self, document: Document) -> Change:
        return nodes.ungroup(document, document.node(self.node))


class DuplicateNodes(StackMessage):
    """The same nodes once more, right above themselves or on top of another surface."""

    type: Literal["duplicate_nodes"]
    nodes: list[str]
    onto: str | None = None

    def made(self, document: Document) -> Made:
        onto = document.surface_value(self.onto) if self.onto else None
        return nodes.duplicate_nodes(document, _all(document, self.nodes), onto)


class ChangeNode(StackMessage):
    """Set properties of a node; those left out stay."""

    type: Literal["change_node"]
    node: str
    name: Name | None = None
    visible: bool | None = None
    locked: bool | None = None
    alpha_locked: bool | None = None
    opacity: Share | None = None
    blend: BlendMode | None = None
    mix: MixPart | None = Field(default=None, description="null: it meets what lies below plainly")
    pigment: PigmentPart | None = Field(default=None, description="of a wash, as are images and mapping")
    images: dict[MapName, str | None] | None = Field(default=None, description="null: that map has none")
    mapping: MappingPart | None = None
    effect: Effect | None = Field(default=None, description="of an adjustment, as is all that follows")
    black: Share | None = None
    white: Share | None = None
    gamma: float | None = None
    low: Share | None = None
    high: Share | None = None
    points: list[tuple[Share, Share]] | None = None
    hue: float | None = None
    saturation: float | None = None
    lightness: float | None = None
    radius: float | None = None
    strength: float | None = None
    amount: float | None = None
    grain: float | None = None
    seed: int | None = None

    def change(self, document: Document) -> Change:
        node = document.node(self.node)
        return nodes.set_node(document, node, **given(self, "node", of=node))


class ChangeNodeMap(StackMessage):
    """Set how a node meets one map; what is left out stays. blend null: the node's."""

    type: Literal["change_node_map"]
    node: str
    map: MapName
    on: bool = True
    opacity: Share = 1.0
    blend: BlendMode | None = None

    def change(self, document: Document) -> Change:
        return nodes.set_map(document, document.node(self.node), self.map, **given(self, "node", "map"))


class FindLevels(StackMessage):
    """Set the levels of an adjustment by what lies below it: nearly the darkest becomes black, the lightest white."""

    type: Literal["find_levels"]
    node: str

    def change(self, document: Document) -> Change:
        return adjusting.found_levels(document, document.node(self.node))


class FitFrame(StackMessage):
    """Put a wash's frame around its surface, as it is turned."""

    type: Literal["fit_frame"]
    node: str

    def change(self, document: Document) -> Change:
        return frames.fit_frame(document, document.node(self.node))


class MergeDown(StackMessage):
    """Make a node and the one right below it one layer."""

    type: Literal["merge_down"]
    node: str

    def made(self, document: Document) -> Made:
        change, key = merging.merge_down(document, document.node(self.node))
        return change, [key]


class MergeNodes(StackMessage):
    """Make nodes that lie right above each other one layer."""

    type: Literal["merge_nodes"]
    nodes: list[str]

    def made(self, document: Document) -> Made:
        change, key = merging.merge_nodes(document, _all(document, self.nodes))
        return change, [key]


class MergeSeen(StackMessage):
    """Everything that is seen of a surface as one layer: on top of the others, or in their place."""

    type: Literal["merge_seen"]
    surface: str
    flat: bool = False

    def made(self, document: Document) -> Made:
        merge = merging.flatten if self.flat else merging.merge_copy
        change, key = merge(document, document.surface_value(self.surface))
        return change, [key]


class KeepVersion(StackMessage):
    """Keep the whole document as it is, under a name."""

    type: Literal["keep_version"]
    name: Name | None = None

    def run(self, document: Document) -> list[str]:
        document.do_aside(versions.keep_version(document, self.name, portrait(document, 240, 180)))
        return []


class RestoreVersion(StackMessage):
    """Go back to a version, as one step."""

    type: Literal["restore_version"]
    version: str

    def change(self, document: Document) -> Change:
        version = versions.version_value(document, self.version)
        change = versions.restore_version(document, version)
        if not change:
            raise NightmistError(f"Everything is as it was in {version.name} already.")
        return change


class ForgetVersion(StackMessage):
    """A version is not wanted any more."""

    type: Literal["forget_version"]
    version: str

    def change(self, document: Document) -> Change:
        return versions.forget_version(versions.version_value(document, self.version))


class AddMask(StackMessage):
    """Give a node a mask: 0 hides it, 1 shows it."""

    type: Literal["add_mask"]
    node: str
    start: Share = 0.0

    def change(self, document: Document) -> Change:
        return masks.add_mask(document, document.node(self.node), self.start)


class MakeMask(StackMessage):
    """Show a node where what lies below is low, high, dark or light, where the surface looks up, or by a picture.

    color: with a picture of flat colors, the one that is meant.
    """

    type: Literal["make_mask"]
    node: str
    source: Source | None = None
    picture: str | None = None
    color: str | None = Field(default=None, pattern="^#[0-9a-fA-F]{6}$")

    def change(self, document: Document) -> Change:
        node = document.node(self.node)
        if self.picture is None:
            return mask_sources.mask_from(document, node, self.source or "low")
        picture = document.picture_value(self.picture)
        if self.color:
            return mask_sources.mask_from_color(document, node, picture, self.color)
        return mask_sources.mask_from_picture(document, node, picture)


class RemoveMask(StackMessage):
    """Take a node's mask away."""

    type: Literal["remove_mask"]
    node: str

    def change(self, document: Document) -> Change:
        return masks.remove_mask(document, document.node(self.node))


class ChangeMask(StackMessage):
    """Switch a mask on or off, or change how it counts."""

    type: Literal["change_mask"]
    node: str
    on: bool = True
    start: Share = 0.0
    picture: str | None = Field(default=None, description="what lies where nothing is painted, by its id; null: none")
    soften: float = Field(default=0.0, ge=0, le=64)
    low: Share = 0.0
    high: Share = 1.0

    def change(self, document: Document) -> Change:
        return masks.set_mask(document, document.node(self.node), **given(self, "node"))


class InvertMask(StackMessage):
    """What was hidden shows, and the other way round."""

    type: Literal["invert_mask"]
    node: str

    def change(self, document: Document) -> Change:
        return masks.invert_mask(document, document.node(self.node))


class ShowMask(StackMessage):
    """See nothing of a surface but a node's mask, white on black; only to be shown."""

    type: Literal["show_mask"]
    node: str

    def change(self, document: Document) -> Change:
        return masks.mask_alone(document, document.node(self.node))


class CopyMask(StackMessage):
    """A node takes another's mask."""

    type: Literal["copy_mask"]
    node: str
    origin: str

    def change(self, document: Document) -> Change:
        return masks.copy_mask(document, document.node(self.node), document.node(self.origin))


class AddRegion(StackMessage):
    """Keep runs of faces, or a shape in the map of a surface, as a region."""

    type: Literal["add_region"]
    name: Name | None = None
    faces: Runs = Field(default=[])
    surface: str | None = None
    polygon: list[tuple[float, float]] = Field(default=[])

    def made(self, document: Document) -> Made:
        faces = faces_of_runs(self.faces, len(document.mesh.faces))
        area = (self.surface, self.polygon) if self.surface else None
        change, key = regions.add_region(document, self.name, faces, None, area)
        return change, [key]


class ChangeRegion(StackMessage):
    """Another name, color or other faces for a region; or a shape more in a map, added or cut out."""

    type: Literal["change_region"]
    region: str
    name: Name | None = None
    color: str | None = None
    faces: Runs | None = None

    def change(self, document: Document) -> Change:
        properties = given(self, "region", "faces")
        faces = faces_of_runs(self.faces, len(document.mesh.faces)) if self.faces is not None else None
        return regions.set_region(document, document.region_value(self.region), faces, **properties)


class ShapeRegion(StackMessage):
    """Add a shape in a surface's map to a region, or cut it out."""

    type: Literal["shape_region"]
    region: str
    surface: str
    polygon: list[tuple[float, float]]
    taken: bool = False

    def change(self, document: Document) -> Change:
        region = document.region_value(self.region)
        return regions.with_area(document, region, self.surface, self.polygon, self.taken)


class TurnRegion(StackMessage):
    """Grow a region by its neighbors, shrink it, or make it what was outside."""

    type: Literal["turn_region"]
    region: str
    how: Literal["grow", "shrink", "invert"]

    def change(self, document: Document) -> Change:
        region = document.region_value(self.region)
        if self.how == "invert":
            return regions.inverted(document, region)
        turn = regions.grown if self.how == "grow" else regions.shrunk
        change = regions.set_region(document, region, turn(document.mesh, document.region_faces(region)))
        if not change.values:
            raise NightmistError(
                f"No face lies beside {region.name}: it ends where the mesh does, so there is nothing to {self.how} it"
                " by."
            )
        return change


class RemoveRegion(StackMessage):
    """Forget a region."""

    type: Literal["remove_region"]
    region: str

    def change(self, document: Document) -> Change:
        return regions.remove_region(document, document.region_value(self.region))


class SetDepth(StackMessage):
    """How many model units a surface's height spans; negative digs what was raised."""

    type: Literal["set_depth"]
    surface: str
    depth: float

    def change(self, document: Document) -> Change:
        return set_depth(document.surface_value(self.surface), self.depth)


class SetStart(StackMessage):
    """What a surface shows where nothing is painted; what is left out stays."""

    type: Literal["set_start"]
    surface: str
    start: StartPart

    def change(self, document: Document) -> Change:
        surface = document.surface_value(self.surface)
        return set_start(surface, surface.start.but(**given(self.start, of=surface.start)))


#: What can be shown before it is made, while a slider moves.
Showable = Annotated[
    ChangeNode | ChangeNodeMap | ChangeMask | SetDepth | SetStart | ShowMask | ChangeDecal | MoveDecal | CutPicture,
    Field(discriminator="type"),
]
AnyStackMessage = (
    AddNode | RemoveNodes | MoveNodes | GroupNodes | Ungroup | DuplicateNodes | ChangeNode | ChangeNodeMap | AddMask
    | RemoveMask | ChangeMask | InvertMask | CopyMask | AddRegion | ChangeRegion | ShapeRegion | TurnRegion
    | RemoveRegion | SetDepth | SetStart | FindLevels | FitFrame | MergeDown | MergeNodes | MergeSeen | KeepVersion
    | RestoreVersion | ForgetVersion | MakeMask | ShowAlone | AnyPictureMessage | AnyDecalMessage
)  # fmt: skip


def parent_of(document: Document, key: str) -> Surface | Group:
    """A surface or a group by id."""
    value = document.values.get(key)
    if not isinstance(value, Surface | Group):
        raise NightmistError("That group does not exist any more.")
    return value


def _all(document: Document, ids: list[str]) -> list[Node]:
    return [document.node(key) for key in ids]
