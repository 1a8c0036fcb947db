"""What is done before, between and after strokes to the model, its UVs and its maps. Each call is one undo step."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ..core.errors import NightmistError
from ..core.formats import read_model
from ..core.formats.bundle import files_with, the_model, unpacked
from ..core.mesh import Mesh
from ..core.mesh.arrange import Affine, Arrangement, arranged, moved, with_density
from ..core.mesh.by_shape import Frame
from ..core.mesh.checkup import UvReport, check_uvs
from ..core.mesh.mesh import unused_name
from ..core.mesh.methods import Method, has_uvs, unwrap
from ..core.mesh.packing import pack_islands
from ..core.mesh.seams import Extent as SeamExtent
from ..core.mesh.seams import border_of, edges_at, with_seams
from ..core.mesh.topology import islands_of
from ..core.progress import Progress, part
from ..core.texels import Raster
from .carrying import Tiles, carried_tiles, copied_layers
from .commands import Refit, TileRef
from .pictures import FROM_FILE, maps_of
from .shape import look_of, mesh_state
from .types import (
    CHANNELS,
    DocumentState,
    LayerState,
    StartValues,
    SurfaceState,
    checked_size,
    encode,
)

if TYPE_CHECKING:
    from .commands import Command
    from .layer import Layer
    from .pool import Pool
    from .surface import Surface

DEFAULT_ANGLE = 60.0
DEFAULT_MARGIN = 8.0

Faces = Sequence[int] | NDArray[np.int64]


def surface_report(surface: Surface) -> UvReport:
    """The checkup of one surface."""
    mesh = surface.document.mesh
    islands = islands_of(mesh.topology, surface.uvs, mesh.face_surface)
    return check_uvs(mesh, surface.faces, surface.uvs, *surface.size, islands)


class Preparing:
    """The part of a document that concerns the model, its UVs and its maps."""

    if TYPE_CHECKING:
        mesh: Mesh
        size: tuple[int, int]
        hidden_parts: list[int]
        surfaces: dict[str, Surface]
        layers: dict[str, Layer]
        pool: Pool
        arrays: Pool
        progress: Progress

        def surface(self, name: str) -> Surface: ...

        def state(self) -> DocumentState: ...

        def do(self, command: Command) -> None: ...

    # UVs

    def unwrap(
        self, surface: str, method: Method = "auto", angle: float = DEFAULT_ANGLE,
        margin: float = DEFAULT_MARGIN, faces: Faces | None = None, frame: Frame | None = None,
        seams: Iterable[tuple[int, int]] | None = None, keep_paint: bool = True,
    ) -> list[str]:  # fmt: skip
        """Give faces of a surface (all unless given) new UVs; returns what is to be known about the result.

        seams: pairs of vertices, as the mesh's positions are numbered, that replace the marked seams.
        keep_paint: the paint stays on the model; otherwise it stays in the map.
        """
        target, mesh = self.surface(surface), self.mesh
        if seams is not None:
            pairs = np.array(list(seams), np.int32).reshape(-1, 2)
            if len(pairs) and (pairs.min() < 0 or pairs.max() >= len(mesh.positions)):
                raise NightmistError(f"A seam names vertex {pairs.max()}, but there are {len(mesh.positions)}.")
            mesh = mesh.changed(seams=mesh.topology.pairs_of(mesh.topology.edges_between(pairs)))
        chosen = self._faces(target, faces)
        made, notes = unwrap(
            mesh, chosen, target.faces, target.state.uv_set, target.size, method, angle, margin, frame,
            part(self.progress, 0, 0.6),
        )  # fmt: skip
        self._refit(f"Unwrap {surface}", mesh=made, carry={surface} if keep_paint else set())
        return notes

    def pack(
        self, surface: str, margin: float = DEFAULT_MARGIN, faces: Faces | None = None,
        keep_paint: bool = True,
    ) -> None:  # fmt: skip
        """Lay a surface's islands (all, or those of the faces given) into the map, as large as they can be."""
        target = self.surface(surface)
        chosen, corners, island = self._islands(target, faces)
        others = np.setdiff1d(target.faces, chosen)
        taken = target.uvs[others].astype(np.float64) * target.size
        taken = taken[np.isfinite(taken).all(axis=(1, 2))]
        packed = pack_islands(corners, island, target.size, margin, taken)
        self._move(target, chosen, packed.corners, f"Pack {surface}", keep_paint)

    def move_islands(
        self, surface: str, faces: Faces, matrix: Affine, keep_paint: bool = True
    ) -> None:  # fmt: skip
        """Move, turn or scale the islands of faces: an affine map of texels (a, b, c, d, e, f)."""
        target = self.surface(surface)
        chosen, corners, _ = self._islands(target, faces)
        self._move(target, chosen, moved(corners, matrix), f"Move islands of {surface}", keep_paint)

    def arrange(
        self, surface: str, how: Arrangement, faces: Faces | None = None, keep_paint: bool = True
    ) -> None:  # fmt: skip
        """Fit, align, mirror, turn upright, stack … the islands of faces, or all."""
        target = self.surface(surface)
        chosen, corners, island = self._islands(target, faces)
        placed = arranged(self.mesh, chosen, corners, island, target.size, how)
        self._move(target, chosen, placed, f"Arrange islands of {surface}", keep_paint)

    def set_density(
        self, surface: str | None, density: float, faces: Faces | None = None, keep_paint: bool = True
    ) -> None:  # fmt: skip
        """Scale islands about their middles to so many texels per model unit; None means those of all surfaces."""
        mesh = self.mesh
        targets = [self.surface(surface)] if surface else [s for s in self.surfaces.values() if len(s.faces)]
        for target in targets:
            chosen, corners, island = self._islands(target, faces)
            placed = with_density(mesh, chosen, corners, island, density)
            mesh = mesh.with_uvs(target.state.uv_set, chosen, (placed / target.size).astype(np.float32))
        carry = {target.name for target in targets} if keep_paint else set()
        self._refit(f"Texel density of {surface or 'all surfaces'}", mesh=mesh, carry=carry)

    def even_out(self, surface: str, margin: float = DEFAULT_MARGIN, keep_paint: bool = True) -> None:
        """Bring all islands of a surface to one density, as fine as the map allows."""
        target = self.surface(surface)
        chosen, corners, island = self._islands(target, None)
        packed = pack_islands(with_density(self.mesh, chosen, corners, island, 1.0), island, target.size, margin)
        self._move(target, chosen, packed.corners, f"Even out {surface}", keep_paint)

    def mark_seams(self, face: int, side: int, extent: SeamExtent = "edge", marked: bool = True) -> None:
        """Mark an edge, or the loop it belongs to, as seam, or clear it."""
        if not (0 <= face < len(self.mesh.faces) and 0 <= side < 3):
            raise NightmistError(f"There is no side {side} of a face {face}.")
        self._seams(edges_at(self.mesh, face, side, extent), marked)

    def mark_border(self, faces: Faces, marked: bool = True) -> None:
        """Mark the border of faces as seam, or clear it."""
        chosen = np.asarray(faces, np.int64)
        edges = border_of(self.mesh, chosen)
        if not len(edges):
            raise NightmistError("The picked faces have no border inside the model.")
        self._seams(edges, marked)

    def clear_seams(self) -> None:
        """Take all seam marks away."""
        self._refit("Clear seams", mesh=self.mesh.changed(seams=np.zeros((0, 2), np.int32)))

    # Maps

    def resize(
        self, surface: str | None, size: int | tuple[int, int], keep_paint: bool = True
    ) -> None:  # fmt: skip
        """Give a surface maps of another size, as an exception; None changes the project's size for all others.

        Islands keep their proportions when the map's do not.
        """
        width, height = checked_size(size)
        states = self.state().surfaces
        names = {surface} if surface else {s.name for s in states if not s.own_size}
        if surface:
            self.surface(surface)
        mesh = self.mesh
        for i, state in enumerate(states):
            if state.name in names:
                mesh = self._in_proportion(mesh, self.surface(state.name), (width, height))
                states[i] = state.model_copy(
                    update={"width": width, "height": height, "own_size": bool(surface)}
                )  # fmt: skip
        label = f"Map size {width} × {height}"
        # Another size is another grid of tiles: what is not carried has nowhere to stay.
        carry = {name for name in names if keep_paint and self.surface(name).size != (width, height)}
        self._refit(label, mesh=mesh, surfaces=states, size=self.size if surface else (width, height), carry=carry)

    def follow_project_size(self, surface: str) -> None:
        """End a surface's exception: its maps take the project's size again."""
        states = self.state().surfaces
        index = self.surface(surface).number
        width, height = self.size
        mesh = self._in_proportion(self.mesh, self.surface(surface), self.size)
        states[index] = states[index].model_copy(update={"width": width, "height": height, "own_size": False})
        carry = {surface} if self.surface(surface).size != self.size else set()
        self._refit(f"Map size of {surface}", mesh=mesh, surfaces=states, carry=carry)

    def choose_uv_set(self, surface: str, uv_set: int, keep_paint: bool = True) -> None:
        """Make a surface's maps for another UV set of the model; it is exported as that texCoord."""
        if not 0 <= uv_set < len(self.mesh.uvs):
            raise NightmistError(f"There is no UV set {uv_set}; the model has {len(self.mesh.uvs)}, counted from 0.")
        target = self.surface(surface)
        if not has_uvs(self.mesh, target.faces, uv_set):
            raise NightmistError(f"The UV set {uv_set} has no UVs for {surface}.")
        self._restate(surface, f"UV set {uv_set} for {surface}", carry=keep_paint, uv_set=uv_set)

    def set_start(self, surface: str, start: StartValues) -> None:
        """What a surface shows where nothing is painted."""
        self.surface(surface)
        self._restate(surface, f"Start values of {surface}", start=start)

    # The model

    def hide_parts(self, parts: Iterable[int]) -> None:
        """Exactly these parts, by number, are hidden: not shown, not picked, not painted on."""
        hidden = sorted(set(parts))
        if hidden and (hidden[0] < 0 or hidden[-1] >= len(self.mesh.parts)):
            raise NightmistError(f"There is no part {hidden[-1]}; the model has {len(self.mesh.parts)}.")
        self._refit("Hide parts" if hidden else "Show all parts", hidden=hidden)

    def assign_faces(self, faces: Faces, surface: str | None = None, name: str = "surface") -> str:
        """Move faces to another surface, or to a new one; the paint on them goes along. Returns its name.

        A new surface begins with the size and start values of the one that the first face comes from.
        """
        chosen = np.asarray(faces, np.int64)
        if not len(chosen) or chosen.min() < 0 or chosen.max() >= len(self.mesh.faces):
            raise NightmistError("Pick faces of the model first.")
        states = self.state().surfaces
        origin = states[int(self.mesh.face_surface[chosen[0]])]
        if surface is None:
            title = unused_name(name.strip()[:80] or "surface", set(self.surfaces))
            states.append(origin.model_copy(update={"name": title, "layers": [], "missing": []}))
        else:
            title = self.surface(surface).name
        number = next(i for i, state in enumerate(states) if state.name == title)
        given = np.unique(self.mesh.face_surface[chosen])
        stack = list(states[number].layers)
        for index in given:
            fresh = [layer for layer in states[index].layers if layer.name not in {have.name for have in stack}]
            stack += copied_layers(fresh)
        states[number] = states[number].model_copy(update={"layers": stack})
        face_surface = self.mesh.face_surface.copy()
        face_surface[chosen] = number
        mesh = self.mesh.changed(face_surface=face_surface)
        touched = {states[i].name for i in given} | {title}
        self._refit(f"Assign faces to {title}", mesh=mesh, surfaces=states, carry=touched)
        return title

    def replace_mesh(
        self, path: str | Path | None = None, keep_paint: bool = True,
        files: dict[str, bytes] | None = None,
    ) -> list[str]:  # fmt: skip
        """Put another model in place of this one; returns what is to be known about it.

        Surfaces are matched by name (a single one with a single one in any case). keep_paint: the paint stays
        on the model, through faces that stayed and the nearest places of those that did not; otherwise it
        stays in the maps.
        """
        if files is None:
            if path is None:
                raise NightmistError("Name the file of the new model.")
            files = files_with(Path(path))
        given = unpacked(files)
        mesh = read_model(the_model(given) if path is None else Path(path).name, given)
        notes = list(mesh.notes)
        states = self._states_for(mesh)
        for index, state in enumerate(states):
            faces = mesh.faces_of(index)
            if not has_uvs(mesh, faces, state.uv_set):
                mesh, more = unwrap(
                    mesh, faces, faces, state.uv_set, (state.width, state.height), "auto", DEFAULT_ANGLE,
                    DEFAULT_MARGIN, None, part(self.progress, 0, 0.4),
                )  # fmt: skip
                notes += [f"The surface {state.name} came without UVs and was unwrapped automatically.", *more]
        self._refit(
            "Replace the model", mesh=mesh, surfaces=states, hidden=[],
            carry={state.name for state in states} if keep_paint else set(),
        )  # fmt: skip
        return notes

    def add_pictures(self, files: dict[str, bytes]) -> list[str]:
        """Pictures that the model names and that were missing become lowest layers. Returns those still missing."""
        given = {name.lower(): data for name, data in unpacked(files).items()}
        states = self.state().surfaces
        tiles: Tiles = {}
        for i, state in enumerate(states):
            maps: dict[Any, NDArray[np.uint16]] = {}
            for missing in state.missing:
                if (data := given.get(missing.file.lower())) is not None:
                    maps.update(maps_of(missing.slot, missing.file, data, (state.width, state.height)))
            if not maps:
                continue
            layer = copied_layers([LayerState(id="new", name=FROM_FILE)])[0]
            tiles[layer.id] = [
                TileRef(name, *key, self.pool.add(tile))
                for name, image in maps.items()
                for key, tile in Raster(state.width, state.height, CHANNELS[name]).write(image).items()
                if tile is not None
            ]
            still = [m for m in state.missing if m.file.lower() not in given]
            states[i] = state.model_copy(update={"layers": [layer, *state.layers], "missing": still})
        if not tiles:
            wanted = sorted({m.file for state in states for m in state.missing})
            raise NightmistError(f"None of these pictures is missing. Wanted: {', '.join(wanted) or 'none'}.")
        self._refit("Add pictures", surfaces=states, tiles=tiles)
        return sorted({m.file for state in states for m in state.missing})

    def do_without_pictures(self, surface: str) -> None:
        """The pictures that a surface's file names are not wanted."""
        self._restate(surface, f"Do without pictures of {surface}", missing=[])

    # How all this is done

    def _faces(self, surface: Surface, faces: Faces | None) -> NDArray[np.int64]:
        """The faces meant: all of a surface, or those given that belong to it."""
        if faces is None:
            return surface.faces
        chosen = np.intersect1d(np.asarray(faces, np.int64), surface.faces)
        if not len(chosen):
            raise NightmistError(f"None of the picked faces belongs to {surface.name}.")
        return chosen

    def _islands(
        self, surface: Surface, faces: Faces | None
    ) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.int64]]:
        """The faces of all islands that the faces given belong to; their texels; their island's label 0…n-1."""
        chosen = self._faces(surface, faces)
        label = islands_of(self.mesh.topology, surface.uvs, self.mesh.face_surface)
        whole = surface.faces[np.isin(label[surface.faces], np.unique(label[chosen]))]
        corners = surface.uvs[whole].astype(np.float64) * surface.size
        known = np.isfinite(corners).all(axis=(1, 2))
        if not known.any():
            raise NightmistError(f"{surface.name} has no UVs yet; unwrap it first.")
        return whole[known], corners[known], np.unique(label[whole[known]], return_inverse=True)[1]

    def _move(
        self, surface: Surface, faces: NDArray[np.int64], corners: NDArray[np.float64], label: str,
        keep_paint: bool,
    ) -> None:  # fmt: skip
        mesh = self.mesh.with_uvs(surface.state.uv_set, faces, (corners / surface.size).astype(np.float32))
        self._refit(label, mesh=mesh, carry={surface.name} if keep_paint else set())

    def _seams(self, edges: NDArray[np.int64], marked: bool) -> None:
        self._refit("Mark seams" if marked else "Clear seams", mesh=with_seams(self.mesh, edges, marked))

    def _in_proportion(self, mesh: Mesh, surface: Surface, size: tuple[int, int]) -> Mesh:
        """UVs that keep islands undistorted in a map of other proportions (N25); those that tile are left alone."""
        uv = surface.uvs[surface.faces].astype(np.float64)
        across, down = size[0] / surface.size[0], size[1] / surface.size[1]
        if across == down or not np.isfinite(uv).any() or np.nanmin(uv) < -1e-4 or np.nanmax(uv) > 1 + 1e-4:
            return mesh
        scale = min(across, down)
        squeezed = uv * [scale / across, scale / down]
        return mesh.with_uvs(surface.state.uv_set, surface.faces, squeezed.astype(np.float32))

    def _states_for(self, mesh: Mesh) -> list[SurfaceState]:
        """The state of each surface of a new model: that of the old one it stands for, else a fresh one."""
        old = {state.name: state for state in self.state().surfaces}
        if len(old) == 1 and len(mesh.surfaces) == 1:
            mesh.surfaces[0].name = next(iter(old))
        spare = [state for name, state in old.items() if name not in {look.name for look in mesh.surfaces}]
        states = []
        for look in mesh.surfaces:
            if look.name in old:
                states.append(old[look.name])
                continue
            start = StartValues(
                base_color=tuple(encode(c) for c in look.base_color), roughness=look.roughness, metallic=look.metallic
            )
            layers = copied_layers(spare[0].layers) if spare else []
            states.append(
                SurfaceState(name=look.name, width=self.size[0], height=self.size[1], start=start, layers=layers)
            )
        return states

    def _restate(self, surface: str, label: str, carry: bool = False, **fields: Any) -> None:
        states = self.state().surfaces
        index = self.surface(surface).number
        states[index] = states[index].model_copy(update=fields)
        self._refit(label, surfaces=states, carry={surface} if carry else set())

    def _refit(
        self, label: str, mesh: Mesh | None = None, surfaces: list[SurfaceState] | None = None,
        hidden: list[int] | None = None, size: tuple[int, int] | None = None, carry: set[str] | None = None,
        tiles: Tiles | None = None, tips: dict[str, str] | None = None,
    ) -> None:  # fmt: skip
        """One step to another model, other surfaces, or both. carry: surfaces whose paint is carried over.

        Everything is computed before anything changes, so a refusal or a cancel leaves the document as it was.
        """
        before = self.state()
        states = surfaces if surfaces is not None else before.surfaces
        after_mesh = mesh or self.mesh
        if mesh is not None:
            after_mesh.surfaces = [look_of(state) for state in states]
        carried = carried_tiles(self, after_mesh, states, carry or set(), part(self.progress, 0.6, 1))
        after = DocumentState(
            name=before.name,
            size=size or before.size,
            mesh=mesh_state(after_mesh, self.arrays) if mesh is not None else before.mesh,
            hidden_parts=before.hidden_parts if hidden is None else hidden,
            tips=before.tips if tips is None else tips,
            surfaces=states,
            notes=before.notes,
        )
        if after == before:
            raise NightmistError("That changes nothing: it is so already.")
        now = {**carried, **(tiles or {})}
        # Layers that go, or whose map changes its size uncarried, keep their pixels in the step, for undo.
        kept = {state.name: (state.width, state.height) for state in states}
        stays = {layer.id for state in states for layer in state.layers}
        for surface in self.surfaces.values():
            for layer in surface.layers:
                if layer.id in stays and kept.get(surface.name) != surface.size and layer.id not in now:
                    now[layer.id] = []
        then = {
            layer.id: layer.tiles() for layer in self.layers.values() if layer.id in now or layer.id not in stays
        }  # fmt: skip
        then |= {layer.id: [] for state in states for layer in state.layers if layer.id not in self.layers}
        self.do(Refit(label=label, before=before, after=after, tiles_before=then, tiles_after=now))
