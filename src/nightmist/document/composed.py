"""Values and their rasters, and what follows from them: the mesh, how it lies in its maps, what these show."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from ..core.mesh import Caster, Mesh
from ..core.mesh.checkup import has_room
from ..core.mesh.mesh import creased_normals
from ..core.texels import Raster, TileArea
from ..core.texels.ownership import MAX_REPEATS
from ..core.texels.raster import Start, TileKey
from ..core.texels.seam_links import SeamLinks
from ..core.texels.tile_mask import TileMask
from .change import node_and_map, raster_id
from .contents import Contents, raises
from .derived.cache import Cache
from .derived.composites import Composite, PictureName, refresh_relief
from .derived.decals import DecalLayers, Laying, Source
from .derived.dense import DensePictures
from .derived.filtered import Filtered
from .derived.filters import Filters
from .derived.layouts import Layout, Layouts, Together
from .derived.model import SHAPE, look_of, mesh_of
from .derived.pool import Pool
from .derived.programs import Compiled, Laid, Programs, Shown, lazy_in
from .derived.regions import region_mask
from .derived.rims import Rims
from .derived.washes import MOST_KEPT, Washes
from .values import (
    CHANNELS,
    FILTERS,
    MAPS,
    MASK,
    NODES,
    PLANES,
    Adjustment,
    AnyValue,
    Decal,
    Decals,
    Group,
    MapName,
    MaskOf,
    Model,
    Node,
    Picture,
    PlaneName,
    Region,
    Surface,
    Wash,
)


class Overlay:
    """Values and rasters that are shown in place of those that are kept."""

    def __init__(self) -> None:
        self.values: dict[str, AnyValue] = {}
        self.rasters: dict[str, Raster] = {}


class Composed(Contents):
    """What is painted, and how it looks; nothing here changes what is kept."""

    def __init__(self, values: Iterable[AnyValue], tiles: Pool, arrays: Pool) -> None:
        """tiles, arrays: where they are kept."""
        super().__init__(values, arrays)
        self.pool = tiles
        self.rasters: dict[str, Raster] = {}
        self.dense = DensePictures()
        self.previews: list[Overlay] = []
        self.cache = Cache()
        self.layouts = Layouts(self.cache)
        self.composites: dict[str, Composite] = {}
        #: Grows with whatever changes but the tiles that a preview works on.
        self.edition = 0
        self.programs = Programs()
        self.rims = Rims(self.layouts)
        self.washes = Washes(self.cache, self.arrays, self.pool)
        self.filters = Filters(self.cache)
        self.decals = DecalLayers(Source(self.cache, self.washes, self.region_mask))
        self._mesh: tuple[Model, Mesh] | None = None
        #: The surfaces that are raised by what is kept, and at which edition.
        self._raising: tuple[int, set[str]] = (-1, set())
        #: How surfaces hang together, and those that nothing was worked out for yet.
        self._getting_ready: tuple[Sequence[Together], list[Together]] = ((), [])
        #: Of which values the mesh shows the looks.
        self._looks: tuple[Surface, ...] = ()

    def shown(self, key: str) -> AnyValue | None:
        """A value as it is shown: of a preview where one is laid over it."""
        for preview in reversed(self.previews):
            if key in preview.values:
                return preview.values[key]
        return self.values.get(key)

    # Pixels

    def raster(self, node: str, name: PlaneName) -> Raster:
        """A node's raster for a map or its mask, to be read; one that is not painted yet is empty."""
        found = self.rasters.get(raster_id(node, name))
        return found if found is not None else self._empty(node, name)

    def shown_raster(self, node: str, name: PlaneName) -> Raster | None:
        """The same as it is shown, None where nothing is painted."""
        key = raster_id(node, name)
        for preview in reversed(self.previews):
            if key in preview.rasters:
                return preview.rasters[key]
        return self.rasters.get(key)

    def painted_maps(self, node: str) -> list[MapName]:
        """The maps in which a node holds, or may hold, something."""
        return [name for name in MAPS if raster_id(node, name) in self.rasters]

    def painted_planes(self, node: str) -> list[PlaneName]:
        """The same, its mask among them."""
        return [name for name in PLANES if raster_id(node, name) in self.rasters]

    def take_mesh(self, other: Composed) -> None:
        """Use the mesh of another document of the same model."""
        self._looks, self._mesh = (), (self.model, other.mesh)

    def _empty(self, node: str, name: PlaneName) -> Raster:
        return Raster(*self.surface_of(self.node(node)).size, CHANNELS[name])

    # What follows from them

    @property
    def mesh(self) -> Mesh:
        """The model; `surfaces` are those of the document."""
        if self._mesh is None or self._mesh[0] is not self.model:
            self._looks = ()
            self._mesh = self.model, mesh_of(self.model, self.arrays, self._mesh)
        mesh, surfaces = self._mesh[1], self.in_order.surfaces
        if self._looks is not surfaces and self._looks != surfaces:
            self._looks, mesh.surfaces = surfaces, [look_of(surface) for surface in surfaces]
        return mesh

    @property
    def shaded_mesh(self) -> Mesh:
        """The model with the normals that it is looked at and handed off with: each surface's edges as sharp as set."""
        mesh, arrays = self.mesh, self.model.arrays
        creases = {surface.number: surface.crease for surface in self.surface_values() if surface.crease is not None}
        if not creases:
            return mesh
        key = ("shaded", *(arrays[name] for name in (*SHAPE, "normals", "face_surface")), *creases.items())
        normals = self.cache.get(key, lambda: creased_normals(mesh, creases), lambda made: made.nbytes)
        return mesh.changed(normals=normals)

    @property
    def caster(self) -> Caster:
        """Rays against what is not hidden."""
        arrays, hidden = self.model.arrays, self.project.hidden_parts
        key = ("caster", arrays["positions"], arrays["faces"], arrays["face_part"], hidden)
        return self.cache.get(key, lambda: Caster(self.mesh, hidden), lambda caster: 200 * len(caster.visible))

    def layout(self, surface: Surface) -> Layout:
        """Where a surface's faces lie in its map."""
        return self.layouts.of(self.mesh, self.model.arrays, surface)

    def held_back(self, surface: Surface) -> str | None:
        """Why nothing can be painted on a surface yet, with the cure; None where it can."""
        layout = self.layout(surface)
        if not len(layout.faces):
            return f"{surface.name} has no faces, so nothing painted there is seen. Give it some in Prepare first."
        if not layout.refused:
            return None
        return (
            f"{surface.name} cannot be painted yet: more than {MAX_REPEATS} of its faces lie over each other"
            " everywhere in the map. Unwrap it in Prepare."
        )

    def without_uvs(self, surface: Surface, faces: NDArray[np.int64]) -> str | None:
        """Why nothing can be painted on some faces of a surface, with the cure; None where one has room in the map."""
        if has_room(self.layout(surface).uvs[faces].astype(np.float64) * surface.size).any():
            return None
        return f"{surface.name} has no UVs here, so nothing can be painted. Unwrap it in Prepare."

    def all_layouts(self) -> list[Layout]:
        """Of all surfaces, by number."""
        mesh, arrays = self.mesh, self.model.arrays
        return [self.layouts.of(mesh, arrays, surface) for surface in self.in_order.surfaces]

    def links(self, surface: Surface) -> SeamLinks:
        """What lies beyond the borders of a surface's islands."""
        return self.layouts.links(self.all_layouts(), self.mesh, surface.number)

    def region_mask(self, region: Region, surface: Surface) -> TileMask:
        """How much of each texel of a surface's map a region covers."""
        return region_mask(self.cache, self.layout(surface), surface, self.region_faces(region), region)

    def hidden_faces(self, surface: Surface) -> NDArray[np.uint8]:
        """(n,) 1 for each of a surface's faces that belongs to a hidden part: no tool touches those."""
        faces, hidden = self.layout(surface).faces, self.project.hidden_parts
        if not hidden:
            return np.zeros(len(faces), np.uint8)
        return np.isin(self.mesh.face_part[faces], hidden).astype(np.uint8)

    def composite(self, surface: Surface) -> Composite:
        """A surface's maps, as far as they have been worked out."""
        found = self.composites.get(surface.id)
        if found is None or found.size != surface.size:
            found = self.composites[surface.id] = Composite(surface.size)
            # Nobody has told its filters what changed before.
            for node in self.nodes_in(surface.id):
                self.filters.forget(node.id)
        return found

    def forget_composites(self) -> None:
        """All maps are composited anew at the next look."""
        self.composites.clear()
        self.rims.before = ()

    def shown_stack(self, parent: str) -> list[Shown]:
        """Nodes and rasters as they are shown, bottom first."""
        found: list[Shown] = []
        over: AnyValue = self.values[parent]
        surface: Surface = self.shown(self.surface_of(over).id if isinstance(over, Group) else parent)  # type: ignore[assignment]
        for node in self.stack(parent):
            shown: Node = self.shown(node.id)  # type: ignore[assignment]
            rasters = {name: raster for name in PLANES if (raster := self.shown_raster(node.id, name)) is not None}
            if isinstance(shown, Wash):
                rasters.update(self.washed(shown))
            elif isinstance(shown, Decals):
                laid = self.decals.rasters(shown, surface, self.layout(surface), self.laid_decals(shown))
                rasters.update(laid.items())
            elif isinstance(shown, Adjustment) and shown.effect in FILTERS:
                below = lazy_in(found, self.lazy)
                made = self.filters.rasters(shown, found, surface, self.layout(surface), below)
                rasters.update(made.items())
            painted = rasters.get(MASK)
            if shown.mask and shown.mask.on and shown.mask.adjusted:
                start = self.mask_start(shown.mask, surface)
                picture = self.shown(shown.mask.picture or "")
                looks = picture.looks if isinstance(picture, Picture) else None
                rasters[MASK] = self.filters.mask(
                    shown, shown.mask, looks, painted, start, surface, self.layout(surface)
                )
            inside = self.shown_stack(node.id) if isinstance(node, Group) else []
            found.append(Shown(shown, rasters, inside, painted if painted is not rasters.get(MASK) else None))
        return found

    def lazy(self, rasters: list[Raster]) -> list[Laid]:
        """Those to whom some rasters belong whose tiles come when they are composited."""
        return [*self.washes.lazy(rasters), *self.filters.lazy(rasters), *self.decals.lazy(rasters)]

    def shown_pictures(self) -> dict[str, Picture]:
        """The pictures of the project by id, as they are shown."""
        return {picture.id: self.shown(picture.id) for picture in self.picture_values()}  # type: ignore[misc]

    def mask_start(self, mask: MaskOf, surface: Surface) -> Callable[[TileKey], Start]:
        """Of each tile of a surface's map the shares that a mask has where nothing is painted on it."""
        return self.washes.mask_start(mask, surface, self.layout(surface), self.shown_pictures())

    def works_long(self, surface: Surface) -> bool:
        """Whether anything seen of a surface is worked out tile by tile, as pictures that are laid over it."""
        for node in self.nodes_in(surface.id):
            shown: Node = self.shown(node.id)  # type: ignore[assignment]
            lays = (isinstance(shown, Wash) and bool(shown.images)) or (
                isinstance(shown, Decals) and bool(shown.placed)
            )
            lays = lays or (isinstance(shown, Adjustment) and shown.effect in FILTERS)
            if shown.visible and (lays or (shown.mask is not None and shown.mask.adjusted)):
                return True
        return False

    def filtered(self, node: Adjustment, below: Sequence[Shown], shown: Shown) -> Shown:
        """A filter as it is over other nodes than those below it, from transparent."""
        surface = self.surface_of(node)
        laid = self.filters.alone(node, below, surface, self.layout(surface), lazy_in(below, self.lazy))
        laid.hold(np.arange(len(laid.known), dtype=np.int32))
        rasters: dict[PlaneName, Raster] = {name: raster for name, raster in shown.rasters.items() if name == MASK}
        rasters.update(laid.rasters.items())
        return Shown(node, rasters)

    def washed(self, wash: Wash) -> Mapping[PlaneName, Raster]:
        """What a wash lays on each map; tiles of pictures come when they are composited."""
        surface: Surface = self.shown(self.surface_of(wash).id)  # type: ignore[assignment]
        laid = self.washes.rasters(wash, surface, self.layout(surface), self.shown_pictures(), self.mesh.bounds)
        return dict(laid.items())

    def laid_decals(self, node: Decals) -> list[Laying]:
        """The visible decals of a layer, the lowest first, with what they are made from."""
        # Hundreds of decals are of a few pictures.
        regions = {key: self.shown(key) for key in {each.region for each in node.placed if each.region}}
        pictures = {key: self.shown(key) for key in {each.picture for each in node.placed}}
        found: list[Laying] = []
        for each in node.placed:
            picture, region = pictures[each.picture], regions.get(each.region or "")
            if each.visible and isinstance(picture, Picture):
                found.append(self.decals.laying(each, picture, region if isinstance(region, Region) else None))
        return found

    def decals_touch(self, surface: Surface, decals: Sequence[Decal]) -> dict[MapName, TileArea]:
        """Where decals show, or may show, on each map of a surface."""
        shown: Surface = self.shown(surface.id)  # type: ignore[assignment]
        return self.decals.touched(decals, shown, self.layout(shown))

    @property
    def rough(self) -> bool:
        """Whether anything has stayed as it was composited while somebody drew, rounded a little otherwise."""
        return any(composite.rough for composite in self.composites.values())

    def refresh_insides(self, thoroughly: bool = True) -> tuple[list[Surface], list[Layout], list[Composite]]:
        """Composite what is stale on all surfaces; gutters, rims and relief follow with `refresh`.

        Returns the surfaces as they are shown, their layouts and their composites, by number.
        """
        surfaces: list[Surface] = [self.shown(surface.id) for surface in self.surface_values()]  # type: ignore[misc]
        layouts, composites = self.all_layouts(), [self.composite(surface) for surface in surfaces]
        for surface, layout, composite in zip(surfaces, layouts, composites, strict=True):
            if composite.stale or (thoroughly and composite.rough) or composite.layout_key != layout.key:
                compiled = self._compiled(surface)
                filters = self._filters(compiled, composite)
                composite.refresh(surface, compiled, filters, layout, not self.previews, thoroughly)
        return surfaces, layouts, composites

    def refresh(self, thoroughly: bool = True) -> dict[tuple[str, PictureName], TileArea]:
        """As `bring_up_to_date`; returns where pictures, by surface id, are others than at the last time."""
        self.bring_up_to_date(thoroughly)
        changed: dict[tuple[str, PictureName], TileArea] = {}
        for surface in self.surface_values():
            composite = self.composites[surface.id]
            changed.update({(surface.id, picture): area for picture, area in composite.untold.items()})
            composite.untold = {}
        return changed

    def bring_up_to_date(self, thoroughly: bool = True) -> None:
        """Composite what is stale on all surfaces, relief included.

        thoroughly: also what is `rough`, once nobody draws; to be seen, it may stay so.
        """
        surfaces, layouts, composites = self.refresh_insides(thoroughly)
        fresh = [composite.spread(layout) for composite, layout in zip(composites, layouts, strict=True)]
        fresh = self.rims.refresh(layouts, self.mesh, composites, fresh)
        for composite, told in zip(composites, fresh, strict=True):
            composite.tell(told)
        raised = self._raised()
        areas = refresh_relief(
            surfaces, composites, layouts, self.layouts.together(layouts, self.mesh), raised,
            lambda number: self.layouts.heights(layouts, self.mesh, number),
        )  # fmt: skip
        for key, area in areas.items():
            self.composites[key].tell({"relief": area})
        if not self.previews:
            self.programs.settle()
            self.washes.settle()
            self.filters.settle(MOST_KEPT)
            self.decals.settle(MOST_KEPT)

    def get_ready(self) -> bool:
        """Work out some more of what the first stroke on each surface needs; False when all is there."""
        layouts, mesh = self.all_layouts(), self.mesh
        groups = self.layouts.together(layouts, mesh)
        if self._getting_ready[0] is not groups:
            self._getting_ready = groups, list(dict.fromkeys(groups))
        if not self._getting_ready[1]:
            return False
        group = self._getting_ready[1].pop()
        _ = self.caster, [layouts[number].facing for number in group[0]], self.rims.rim(group, layouts, mesh)
        return True

    def _raised(self) -> set[str]:
        """The surfaces on which any node holds or lays height, seen or not."""
        if self._raising[0] != self.edition:
            self._raising = self.edition, self._with_heights(self.in_order.raising, self.rasters)
        found = set(self._raising[1])
        for preview in self.previews:
            lifting = (key for key, value in preview.values.items() if raises(value))
            found |= self._with_heights(lifting, preview.rasters)
        return found

    def _with_heights(self, raising: Iterable[str], rasters: Mapping[str, Raster]) -> set[str]:
        """Surfaces of nodes that raise, and of those with tiles of height."""
        nodes = {node_and_map(key)[0] for key, raster in rasters.items() if key.endswith("/height") and raster.tiles}
        nodes.update(raising)
        return {self.surface_of(value).id for key in nodes if isinstance(value := self.values.get(key), NODES)}

    def _compiled(self, surface: Surface) -> Compiled:
        drawn = {node_and_map(key)[0] for preview in self.previews for key in preview.rasters}
        return self.programs.of(surface, self.edition, lambda: self.shown_stack(surface.id), drawn, self.lazy)

    def _filters(self, compiled: Compiled, composite: Composite) -> list[Filtered]:
        """Those of a stack; others that could not be told of changes have to begin anew."""
        used = list({id(laid): laid for laid, _ in compiled.lazy if isinstance(laid, Filtered)}.values())
        self.filters.forget_unused(used, composite.pixels)
        return used
