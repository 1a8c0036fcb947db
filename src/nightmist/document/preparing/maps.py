"""Changes of a surface's maps: size, UV set, start values, pictures from its file."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.figures import figures
from ...core.formats import beside
from ...core.formats.bundle import unpacked
from ...core.mesh import Mesh
from ...core.mesh.look import is_untouched
from ...core.mesh.methods import has_uvs
from ...core.names import listed
from ...core.texels import Raster
from ..change import Change
from ..derived.scaled import scaled
from ..document import Document
from ..values import (
    LEAST_GUTTER,
    MAPS,
    MOST_GUTTER,
    MapName,
    Node,
    Project,
    StartValues,
    Surface,
    checked_size,
)
from .model_pictures import maps_of
from .newcomers import layer_of
from .refit import Plan, of_one_value, refit
from .untouched import kept_picture


def resize(
    document: Document, surface: str | None, size: int | tuple[int, int], keep_paint: bool = True,
    keep_density: bool = False,
) -> Change:  # fmt: skip
    """Give a surface maps of another size, as an exception; None changes the project's size for all others.

    Islands keep their share of the map and their proportions; with keep_density they keep their texels instead,
    so that a larger map has room for more. Raises NightmistError when a smaller one has no room for them.
    """
    size = checked_size(size)
    chosen = [document.surface_value(surface)] if surface else [s for s in document.surface_values() if not s.own_size]
    project = None if surface else document.project.but(size=size)
    wanted = {target.number: target.but(width=size[0], height=size[1], own_size=bool(surface)) for target in chosen}
    label = f"Map size {size[0]} × {size[1]}"
    return refit(document, _resized(document, label, wanted, project, keep_paint, keep_density))


def resize_each(document: Document, sizes: Mapping[str, int | tuple[int, int]], keep_paint: bool = True) -> Change:
    """Give several surfaces, by name, maps of the sizes given; those that differ from the project's are exceptions."""
    wanted = {}
    for name, given in sizes.items():
        width, height = checked_size(given)
        own = (width, height) != document.project.size
        target = document.surface_value(name)
        wanted[target.number] = target.but(width=width, height=height, own_size=own)
    return refit(document, _resized(document, "Map sizes as planned", wanted, None, keep_paint))


def follow_project_size(document: Document, surface: str) -> Change:
    """End a surface's exception: its maps take the project's size again."""
    target, (width, height) = document.surface_value(surface), document.project.size
    wanted = {target.number: target.but(width=width, height=height, own_size=False)}
    return refit(document, _resized(document, f"Map size of {surface}", wanted))


def _resized(
    document: Document, label: str, wanted: Mapping[int, Surface], project: Project | None = None,
    keep_paint: bool = True, keep_density: bool = False,
) -> Plan:  # fmt: skip
    """The plan in which surfaces, by number, become what is wanted, and their UVs follow."""
    surfaces, mesh, moved = document.surface_values(), document.mesh, []
    nodes: list[Node] = []
    for number, target in wanted.items():
        before = surfaces[number]
        mesh = _fitted(document, mesh, before, target.size, keep_density)
        surfaces[number] = target
        # Another size is another grid of tiles: what is not carried has nowhere to stay.
        if keep_paint and target.size != before.size:
            moved.append(target.id)
        if not keep_density:
            finer = min(target.width / before.width, target.height / before.height)
            nodes += [scaled(node, finer) for node in document.nodes_in(target.id) if finer != 1]
    changed = [node for node in nodes if node != document.node(node.id)]
    return Plan(label, mesh, project, surfaces, changed, moved)


def pixels_per_unit(document: Document) -> dict[str, float]:
    """How fine each surface's map is, by its name: texels along a model unit, as most of its faces have them."""
    layouts = {surface.name: document.layout(surface) for surface in document.surface_values()}
    return {name: 1 / layout.ownership.usual_texel for name, layout in layouts.items() if len(layout.faces)}


def what_was_gained(before: dict[str, float], after: dict[str, float]) -> str | None:
    """In words, how much finer or coarser maps have become; None when they have not."""
    changed = [name for name in after if name in before and abs(after[name] / before[name] - 1) > 0.01]
    if not changed:
        return None
    each = [f"{name} {figures(after[name])} (was {figures(before[name])})" for name in changed]
    return f"Pixels per model unit now: {listed(each)}."


def choose_uv_set(document: Document, surface: str | None, uv_set: int, keep_paint: bool = True) -> Change:
    """Make a surface's maps, or those of all that have it, for another UV set; they are exported as that texCoord."""
    mesh, surfaces = document.mesh, document.surface_values()
    if not 0 <= uv_set < len(mesh.uvs):
        raise NightmistError(f"There is no UV set {uv_set}; the model has {len(mesh.uvs)}, counted from 0.")
    asked = surfaces if surface is None else [document.surface_value(surface)]
    targets = [target for target in asked if has_uvs(mesh, document.layout(target).faces, uv_set)]
    if not targets:
        raise NightmistError(f"The UV set {uv_set} has no UVs for {surface or 'any surface'}.")
    for target in targets:
        surfaces[target.number] = target.but(uv_set=uv_set)
    label = f"UV set {uv_set} for {surface or 'all surfaces'}"
    return refit(document, Plan(label, surfaces=surfaces, moved=[t.id for t in targets] if keep_paint else []))


def set_start(surface: Surface, start: StartValues) -> Change:
    """What a surface shows where nothing is painted."""
    changed = [name for name in MAPS if getattr(start, name) != getattr(surface.start, name)]
    if not changed:
        return Change(label="")
    return Change(
        label=f"Start values of {surface.name}", values={surface.id: (surface, surface.but(start=start))},
        merge=f"{surface.id} start {' '.join(changed)}",
    )  # fmt: skip


def set_crease(document: Document, surface: str | None, angle: float | None) -> Change:
    """From which angle on edges of a surface, or of all, are sharp; None as the model's file has it."""
    if angle is not None and not 0 <= angle <= 180:
        raise NightmistError(f"An angle of {angle!r} degrees does not work; give 0 (every edge) to 180 (none).")
    return _with_each(document, surface, "Edges", crease=None if angle is None else float(angle))


def set_gutter(document: Document, surface: str | None, texels: int | None) -> Change:
    """How far islands of a surface, or of all, continue into the gaps around them; None as the maps' size asks for."""
    if texels is not None and not LEAST_GUTTER <= texels <= MOST_GUTTER:
        raise NightmistError(f"A gutter of {texels!r} texels does not work; give {LEAST_GUTTER} to {MOST_GUTTER}.")
    return _with_each(document, surface, "Gutter", gutter=texels)


def set_depth(surface: Surface, depth: float) -> Change:
    """How many model units a surface's height spans."""
    if not abs(depth) <= 1e6:
        raise NightmistError(f"A relief depth of {depth!r} does not work; give a number of model units.")
    if depth == surface.depth:
        return Change(label="")
    return Change(
        label=f"Relief depth of {surface.name}", values={surface.id: (surface, surface.but(depth=float(depth)))},
        merge=f"{surface.id} depth",
    )  # fmt: skip


def do_without_pictures(document: Document, surface: str) -> Change:
    """The pictures that a surface's file names are not wanted."""
    known = document.surface_value(surface)
    # What is said of several surfaces at once is one step.
    return of_one_value("Do without missing pictures", known, known.but(missing=()), merge="missing pictures")


def add_pictures(document: Document, files: dict[str, bytes]) -> tuple[Change, list[str]]:
    """Pictures that the model names and that were missing become lowest layers. Also returns those still missing."""
    pictures = unpacked(files)
    surfaces = document.surface_values()
    nodes: list[Node] = []
    rasters: dict[str, Raster] = {}
    changed = False
    for number, surface in enumerate(surfaces):
        found = [(missing, beside.given(pictures, missing.path or missing.file)) for missing in surface.missing]
        here = [(missing, data) for missing, data in found if data is not None]
        maps: dict[MapName, NDArray[np.uint16]] = {}
        kept = list(surface.kept)
        for missing, data in here:
            if is_untouched(missing.slot):
                kept.append(kept_picture(missing.slot, data, document.mesh, missing.placed, document.arrays))
            else:
                factors = surface.start if missing.multiplied else None
                layout = document.layout(surface)
                maps.update(maps_of(missing.slot, missing.file, data, layout, missing.placed, factors))
        lowest = min((node.order for node in document.stack(surface.id)), default=1.0) - 1
        if layer := layer_of(surface, maps, lowest):
            nodes.append(layer[0])
            rasters |= layer[1]
        still = tuple(missing for missing, data in found if data is None)
        surfaces[number] = surface.but(missing=still, kept=tuple(kept))
        changed = changed or bool(here)
    if not changed:
        wanted = sorted({m.file for surface in surfaces for m in surface.missing})
        raise NightmistError(f"None of these pictures is missing. Wanted: {', '.join(wanted) or 'none'}.")
    change = refit(document, Plan("Add pictures", surfaces=surfaces, nodes=nodes, rasters=rasters))
    return change, sorted({m.file for surface in surfaces for m in surface.missing})


def _with_each(document: Document, surface: str | None, what: str, **fields: Any) -> Change:
    """A surface, or all, with other fields; those that have them already stay out of it."""
    surfaces = document.surface_values() if surface is None else [document.surface_value(surface)]
    after = {one.id: (one, one.but(**fields)) for one in surfaces}
    return Change(
        label=f"{what} of {surface or 'all surfaces'}",
        values={name: (old, new) for name, (old, new) in after.items() if new != old},
    )


def _fitted(document: Document, mesh: Mesh, surface: Surface, size: tuple[int, int], keep_density: bool) -> Mesh:
    """UVs that keep islands undistorted in a map of another size; those that tile are left alone."""
    layout = document.layout(surface)
    uv = layout.uvs[layout.faces].astype(np.float64)
    across, down = size[0] / surface.width, size[1] / surface.height
    tiles = not np.isfinite(uv).any() or np.nanmin(uv) < -1e-4 or np.nanmax(uv) > 1 + 1e-4
    if tiles or (across == down and (not keep_density or across == 1)):
        return mesh
    scale = 1.0 if keep_density else min(across, down)
    squeezed = uv * [scale / across, scale / down]
    if np.nanmax(squeezed) > 1 + 1e-4:
        reach = np.nanmax(uv.reshape(-1, 2), axis=0) * surface.size
        raise NightmistError(
            f"A map of {size[0]} × {size[1]} has no room for the islands of {surface.name} as dense as they are: they"
            f" reach to {reach[0]:.0f}, {reach[1]:.0f}. Pack them first, or let them keep their share of the map."
        )
    return mesh.with_uvs(surface.uv_set, layout.faces, squeezed.astype(np.float32))
