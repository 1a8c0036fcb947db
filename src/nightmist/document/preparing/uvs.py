"""Changes of UVs: unwrap, pack, islands moved and scaled, seams."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple, TypedDict

import numpy as np
from numpy.typing import NDArray

from ...core.errors import NightmistError
from ...core.mesh import Mesh
from ...core.mesh.arrange import Affine, Arrangement, Axis, arranged, lined_up, moved, with_density
from ...core.mesh.by_shape import ShapeAxes
from ...core.mesh.checkup import FindingKind, UvReport
from ...core.mesh.margins import pack_with_room
from ...core.mesh.methods import Method, has_uvs, unwrap
from ...core.mesh.packing import pack_islands
from ...core.mesh.seams import Extent as SeamExtent
from ...core.mesh.seams import border_of, edges_at, sides_of, with_seams
from ...core.mesh.topology import islands_of
from ...core.names import told_of
from ...core.progress import Progress, part
from ..change import Change
from ..document import Document
from ..values import Meant, Surface
from .refit import Plan, of_one_value, refit

DEFAULT_ANGLE = 60.0
DEFAULT_MARGIN = 8.0
#: Maps away from the first: single precision tells texels no more apart where UVs are larger.
FARTHEST = 1000

Faces = Sequence[int] | NDArray[np.int64]


def surface_report(document: Document, surface: Surface) -> UvReport:
    """The checkup of one surface."""
    return document.layout(surface).report(surface.meant.shared)


def mean_so(document: Document, surface: str, kind: FindingKind, meant: bool = True) -> Change:
    """Remember that what the checkup finds is on purpose, or no longer.

    Of islands that share texels those are remembered that do so now; others that come to are told again.
    """
    target = document.surface_value(surface)
    kinds = tuple(known for known in target.meant.kinds if known != kind)
    shared = target.meant.shared
    if kind == "shared":
        shared = (*shared, *surface_report(document, target).sharing) if meant else ()
    elif meant:
        kinds = (*kinds, kind)
    after = target.but(meant=Meant(kinds=kinds, shared=shared))
    # What is said of several surfaces at once is one step.
    return of_one_value("Meant so", target, after, merge=f"meant so {meant}")


class Bare(NamedTuple):
    """A surface, by its number, that may have no UVs in a set; and the size of its map."""

    name: str
    number: int
    uv_set: int
    size: tuple[int, int]


def unwrapped_where_bare(mesh: Mesh, surfaces: Iterable[Bare], progress: Progress) -> tuple[Mesh, list[str]]:
    """The mesh with UVs made for those of some surfaces that have none, and what is to be known of it."""
    made, notes, looks = [], [], mesh.surfaces
    for name, number, uv_set, size in surfaces:
        faces = mesh.faces_of(number)
        if not has_uvs(mesh, faces, uv_set):
            mesh, more = unwrap(
                mesh, faces, faces, uv_set, size, "auto", DEFAULT_ANGLE, DEFAULT_MARGIN, None, progress
            )  # fmt: skip
            made.append(name)
            notes += more
    mesh.surfaces = looks
    several = "{} came without UVs and were unwrapped automatically."
    return mesh, [*told_of(made, several.replace("were", "was"), several), *dict.fromkeys(notes)]


class UnwrapOptions(TypedDict, total=False):
    """What an unwrap may be told besides, as `unwrap_surface` describes it."""

    angle: float
    margin: float
    faces: Faces | None
    frame: ShapeAxes | None
    seams: Iterable[tuple[int, int]] | None
    keep_paint: bool
    leader: int | None


def unwrap_surface(
    document: Document, surface: str, method: Method = "auto", angle: float = DEFAULT_ANGLE,
    margin: float = DEFAULT_MARGIN, faces: Faces | None = None, frame: ShapeAxes | None = None,
    seams: Iterable[tuple[int, int]] | None = None, keep_paint: bool = True, leader: int | None = None,
) -> tuple[Change, list[str]]:  # fmt: skip
    """Give faces of a surface (all unless given) new UVs; also returns what is to be known about the result.

    seams: pairs of vertices, as the mesh's positions are numbered, that replace the marked seams.
    keep_paint: the paint stays on the model; otherwise it stays in the map. leader: the face from which an
    even grid spreads.
    """
    target, mesh = document.surface_value(surface), document.mesh
    if seams is not None:
        pairs = np.array(list(seams), np.int32).reshape(-1, 2)
        if len(pairs) and (pairs.min() < 0 or pairs.max() >= len(mesh.positions)):
            raise NightmistError(f"A seam names vertex {pairs.max()}, but there are {len(mesh.positions)}.")
        mesh = mesh.changed(seams=mesh.topology.pairs_of(mesh.topology.edges_between(pairs)))
    chosen = _faces(document, target, faces)
    made, notes = unwrap(
        mesh, chosen, document.layout(target).faces, target.uv_set, target.size, method, angle, margin, frame,
        part(document.progress, 0, 0.6), leader,
    )  # fmt: skip
    moved_ = [target.id] if keep_paint else []
    return refit(document, Plan(f"Unwrap {surface}", mesh=made, moved=moved_)), notes


def pack(
    document: Document, surface: str, margin: float = DEFAULT_MARGIN, faces: Faces | None = None,
    keep_paint: bool = True,
) -> tuple[Change, list[str]]:  # fmt: skip
    """Lay a surface's islands (all, or those of the faces given) into the map, as large as they can be.

    Also returns what is to be known: that a margin that would eat the map was made smaller.
    """
    target = document.surface_value(surface)
    chosen, corners, island = _islands(document, target, faces)
    layout = document.layout(target)
    others = np.setdiff1d(layout.faces, chosen)
    taken = layout.uvs[others].astype(np.float64) * target.size
    taken = taken[np.isfinite(taken).all(axis=(1, 2))]
    notes: list[str] = []
    if len(taken):
        packed = pack_islands(corners, island, target.size, margin, taken)
    else:
        packed, notes = pack_with_room(corners, island, target.size, margin)
    return _place(document, target, chosen, packed.corners, f"Pack {surface}", keep_paint), notes


def move_islands(document: Document, surface: str, faces: Faces, matrix: Affine, keep_paint: bool = True) -> Change:
    """Move, turn or scale the islands of faces: an affine map of texels (a, b, c, d, e, f)."""
    target = document.surface_value(surface)
    chosen, corners, _ = _islands(document, target, faces)
    return _place(document, target, chosen, moved(corners, matrix), f"Move islands of {surface}", keep_paint)


def arrange(
    document: Document, surface: str, how: Arrangement, faces: Faces | None = None, keep_paint: bool = True,
    margin: float = DEFAULT_MARGIN,
) -> Change:  # fmt: skip
    """Fit, enlarge, align, mirror, turn upright, stack … the islands of faces, or all.

    margin: texels between islands, of which "enlarge" keeps half free along the map's border.
    """
    target = document.surface_value(surface)
    chosen, corners, island = _islands(document, target, faces)
    placed = arranged(document.mesh, chosen, corners, island, target.size, how, margin)
    return _place(document, target, chosen, placed, f"Arrange islands of {surface}", keep_paint)


def line_up_points(
    document: Document, surface: str, points: Sequence[int], axis: Axis, keep_paint: bool = True
) -> Change:
    """Bring UV points onto one line across or down the map. points: corners of the model, face · 3 + k."""
    target = document.surface_value(surface)
    corner = np.asarray(points, np.int64)
    if len(corner) and (corner.min() < 0 or corner.max() >= 3 * len(document.mesh.faces)):
        raise NightmistError("There are no such points.")
    chosen, corners, _ = _islands(document, target, np.unique(corner // 3))
    corner = corner[np.isin(corner // 3, chosen)]
    rows = np.searchsorted(chosen, corner // 3) * 3 + corner % 3
    return _place(document, target, chosen, lined_up(corners, rows, axis), f"Line up points of {surface}", keep_paint)


def set_density(
    document: Document, surface: str | None, density: float, faces: Faces | None = None, keep_paint: bool = True
) -> Change:
    """Scale islands about their middles to so many texels per model unit; None means those of all surfaces."""
    mesh = document.mesh
    with_faces = [s for s in document.surface_values() if len(document.layout(s).faces)]
    targets = [document.surface_value(surface)] if surface else with_faces
    for target in targets:
        chosen, corners, island = _islands(document, target, faces)
        placed = with_density(mesh, chosen, corners, island, density)
        mesh = _with_corners(mesh, target, chosen, placed)
    moved_ = [target.id for target in targets] if keep_paint else []
    return refit(document, Plan(f"Texel density of {surface or 'all surfaces'}", mesh=mesh, moved=moved_))


def even_out(
    document: Document, surface: str, margin: float = DEFAULT_MARGIN, keep_paint: bool = True
) -> tuple[Change, list[str]]:
    """Bring all islands of a surface to one density, as fine as the map allows; also returns what is to be known."""
    target = document.surface_value(surface)
    chosen, corners, island = _islands(document, target, None)
    even = with_density(document.mesh, chosen, corners, island, 1.0)
    packed, notes = pack_with_room(even, island, target.size, margin)
    return _place(document, target, chosen, packed.corners, f"Even out {surface}", keep_paint), notes


def sides_to_mark(document: Document, face: int, side: int, extent: SeamExtent) -> list[int]:
    """Sides (face · 3 + side) that `mark_seams` would mark."""
    found: list[int] = sides_of(document.mesh, _edges_at(document, face, side, extent)).tolist()
    return found


def mark_seams(document: Document, face: int, side: int, extent: SeamExtent = "edge", marked: bool = True) -> Change:
    """Mark an edge, or the loop it belongs to, as seam, or clear it."""
    return _seams(document, _edges_at(document, face, side, extent), marked)


def mark_border(document: Document, faces: Faces, marked: bool = True) -> Change:
    """Mark the border of faces as seam, or clear it."""
    edges = border_of(document.mesh, np.asarray(faces, np.int64))
    if not len(edges):
        raise NightmistError("The picked faces have no border inside the model.")
    return _seams(document, edges, marked)


def clear_seams(document: Document) -> Change:
    """Take all seam marks away."""
    return refit(document, Plan("Clear seams", mesh=document.mesh.changed(seams=np.zeros((0, 2), np.int32))))


def _faces(document: Document, surface: Surface, faces: Faces | None) -> NDArray[np.int64]:
    """The faces meant: all of a surface, or those given that belong to it."""
    mine = document.layout(surface).faces
    if faces is None:
        return mine
    chosen = np.intersect1d(np.asarray(faces, np.int64), mine)
    if not len(chosen):
        raise NightmistError(f"None of the picked faces belongs to {surface.name}.")
    return chosen


def _islands(
    document: Document, surface: Surface, faces: Faces | None
) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.int64]]:
    """The faces of all islands that the faces given belong to; their texels; their island's label 0…n-1."""
    chosen, layout = _faces(document, surface, faces), document.layout(surface)
    label = np.full(len(document.mesh.faces), -1, np.int64)
    label[layout.faces] = islands_of(document.mesh.topology, layout.uvs, layout.faces)
    whole = layout.faces[np.isin(label[layout.faces], np.unique(label[chosen]))]
    corners = layout.uvs[whole].astype(np.float64) * surface.size
    known = np.isfinite(corners).all(axis=(1, 2))
    if not known.any():
        what = "UVs yet; unwrap it first" if len(layout.faces) else "faces any more"
        raise NightmistError(f"{surface.name} has no {what}.")
    return whole[known], corners[known], np.unique(label[whole[known]], return_inverse=True)[1]


def _place(
    document: Document, surface: Surface, faces: NDArray[np.int64], corners: NDArray[np.float64], label: str,
    keep_paint: bool,
) -> Change:  # fmt: skip
    mesh = _with_corners(document.mesh, surface, faces, corners)
    return refit(document, Plan(label, mesh=mesh, moved=[surface.id] if keep_paint else []))


def _with_corners(mesh: Mesh, surface: Surface, faces: NDArray[np.int64], corners: NDArray[np.float64]) -> Mesh:
    uv = corners / surface.size
    if np.abs(uv).max(initial=0) > FARTHEST:
        raise NightmistError(f"Islands of {surface.name} would reach over more than {FARTHEST:,} maps. Give less.")
    return mesh.with_uvs(surface.uv_set, faces, uv.astype(np.float32))


def _edges_at(document: Document, face: int, side: int, extent: SeamExtent) -> NDArray[np.int64]:
    if not (0 <= face < len(document.mesh.faces) and 0 <= side < 3):
        raise NightmistError(f"There is no side {side} of a face {face}.")
    return edges_at(document.mesh, face, side, extent)


def _seams(document: Document, edges: NDArray[np.int64], marked: bool) -> Change:
    mesh = with_seams(document.mesh, edges, marked)
    return refit(document, Plan("Mark seams" if marked else "Clear seams", mesh=mesh))
