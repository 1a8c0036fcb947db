"""From flat pieces in model units to UVs in the map: right way round, true in size, without overlap."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..progress import Progress
from ..texels.ownership import Ownership, own_texels
from ..texels.raster import TILE
from .arrange import turned_about, upright_turns
from .margins import pack_with_room
from .mesh import Mesh
from .overlap import shared_texels
from .packing import boxes_of, pack_islands, upright_boxes
from .parting import part_islands
from .topology import connected, joined_in_map
from .unwrap import face_areas, flat_areas

#: Beside islands that stay, new ones are not made smaller than this share of their density; rather all are packed.
LEAST_SHARE = 0.5
#: How often pieces are looked at for places where they lie over themselves: more often than once for very many.
TRIES = 4


def lay_out(
    mesh: Mesh,
    faces: NDArray[np.int64],
    corners: NDArray[np.float64],
    surface_faces: NDArray[np.int64],
    uv_set: int,
    size: tuple[int, int],
    margin: float,
    tidy: bool,
    turn: bool,
    progress: Progress,
) -> tuple[Mesh, list[str]]:
    """A mesh in which `faces` have UVs made of `corners`, and what is to be known about it.

    faces: (n,) of a surface whose faces are `surface_faces`. corners: (n, 3, 2) in model units. size: of the
    map, texels. margin: texels between islands. tidy: islands are turned to their smallest box and scaled to
    one density. turn: islands may be turned where that packs better.
    Islands of other faces stay where they are, if there is room beside them.
    """
    notes: list[str] = []
    corners = _right_way_round(mesh, faces, corners, tidy)
    for step in range(TRIES if tidy else 0):
        progress("Looking for pieces that lie over themselves", step / TRIES)
        island = local_islands(mesh, faces, corners)
        shared = shared_texels(_in_rows(mesh, faces, corners, island, size))
        if not shared.texels:
            break
        notes = ["Some pieces lay over themselves when flat; they were cut further."]
        parts = part_islands(mesh, faces, island, shared.first, shared.second)
        corners = _right_way_round(mesh, faces, _moved_apart(corners, parts), tidy)
    progress("Packing", 0.5)
    laid, said = _placed(mesh, faces, corners, surface_faces, uv_set, size, margin, turn)
    return laid, notes + said


def _in_rows(
    mesh: Mesh, faces: NDArray[np.int64], corners: NDArray[np.float64], island: NDArray[np.int64], size: tuple[int, int]
) -> Ownership:
    """Who owns the texels when islands, about as large as they will be in the map, stand in rows without touching."""
    count = int(island.max()) + 1
    low, span = boxes_of(corners, island, count)
    scale = np.sqrt(size[0] * size[1] / max(float(np.abs(flat_areas(corners)).sum()), 1e-300))
    place, (width, height) = _rows(np.ceil(span * scale) + 2)
    canvas = _whole_tiles(width), _whole_tiles(height)
    texels = (corners - low[island][:, None]) * scale + place[island][:, None] + 1
    whole = np.full((len(mesh.faces), 3, 2), np.nan, np.float32)
    whole[faces] = texels / canvas
    return own_texels(mesh, faces, whole, *canvas)


def _whole_tiles(texels: float) -> int:
    return -int(-texels // TILE) * TILE


def _moved_apart(corners: NDArray[np.float64], label: NDArray[np.int64]) -> NDArray[np.float64]:
    """Corners in which all parts stand in rows without touching, so that no two are taken for one island."""
    low, span = boxes_of(corners, label, int(label.max()) + 1)
    place, _ = _rows(span + 0.01 * float(span.max()))
    apart: NDArray[np.float64] = corners + (place - low)[label][:, None]
    return apart


def _rows(boxes: NDArray[np.float64]) -> tuple[NDArray[np.float64], tuple[float, float]]:
    """(n, 2) places for boxes, (n, 2), in rows about as wide as they are high in all; and that width and height."""
    width = max(float(boxes[:, 0].max()), float(np.sqrt(boxes.prod(axis=1).sum())))
    place = np.zeros((len(boxes), 2))
    x = y = tall = 0.0
    for k in np.argsort(-boxes[:, 1], kind="stable"):
        if x + boxes[k, 0] > width:
            x, y, tall = 0.0, y + tall, 0.0
        place[k] = x, y
        x, tall = x + boxes[k, 0], max(tall, boxes[k, 1])
    return place, (width, y + tall)


def local_islands(mesh: Mesh, faces: NDArray[np.int64], corners: NDArray[np.float64]) -> NDArray[np.int64]:
    """(n,) island of each of `faces` with (n, 3, 2) corners in any unit."""
    whole = np.full((len(mesh.faces), 3, 2), np.nan)
    whole[faces] = corners
    topology = mesh.topology
    joined = joined_in_map(topology, whole, 1e-6 * max(float(np.ptp(corners)), 1e-300))
    face, side = np.nonzero(joined)
    local = np.full(len(mesh.faces), -1, np.int64)
    local[faces] = np.arange(len(faces))
    return connected(len(faces), local[face], local[topology.neighbor[face, side]])


def _right_way_round(
    mesh: Mesh, faces: NDArray[np.int64], corners: NDArray[np.float64], tidy: bool
) -> NDArray[np.float64]:
    """Islands that lie mirrored are mirrored back; tidy ones get their smallest box and their true area."""
    island = local_islands(mesh, faces, corners)
    count = int(island.max()) + 1
    signed = np.bincount(island, flat_areas(corners), count)
    mirrored = (signed > 0)[island]
    corners = corners.copy()
    if mirrored.any():
        # About a line of its own, so that it does not come to lie elsewhere by much.
        middle = np.bincount(island, corners[..., 0].mean(axis=1), count) / np.bincount(island, minlength=count)
        corners[mirrored, :, 0] = 2 * middle[island[mirrored], None] - corners[mirrored, :, 0]
    if not tidy:
        return corners
    true = np.bincount(island, face_areas(mesh.corners[faces]), count)
    flat = np.bincount(island, np.abs(flat_areas(corners)), count)
    scale = np.sqrt(true / np.maximum(flat, 1e-300))
    low = np.full((count, 2), np.inf)
    np.minimum.at(low, island, corners.min(axis=1))
    true_size = (corners - low[island][:, None]) * scale[island][:, None, None] + low[island][:, None]
    boxed = upright_boxes(true_size, island)
    # Of the four ways that the box can lie, the one with the model's up nearest to the map's.
    quarters = np.round(upright_turns(mesh, faces, boxed, island) / (np.pi / 2)) * (np.pi / 2)
    corner, span = boxes_of(boxed, island, count)
    return turned_about(boxed, island, corner + span / 2, quarters)


def _placed(
    mesh: Mesh,
    faces: NDArray[np.int64],
    corners: NDArray[np.float64],
    surface_faces: NDArray[np.int64],
    uv_set: int,
    size: tuple[int, int],
    margin: float,
    turn: bool,
) -> tuple[Mesh, list[str]]:
    others = np.setdiff1d(surface_faces, faces)
    island = local_islands(mesh, faces, corners)
    if not len(others) or uv_set >= len(mesh.uvs):
        packed, notes = pack_with_room(corners, island, size, margin, turn)
        return mesh.with_uvs(uv_set, faces, _uv(packed.corners, size)), notes
    taken = mesh.uvs[uv_set][others].astype(np.float64) * size
    lies = np.isfinite(taken).all(axis=(1, 2))
    others, taken = others[lies], taken[lies]
    flat = np.abs(flat_areas(taken)).sum()
    density = float(np.sqrt(flat / max(face_areas(mesh.corners[others]).sum(), 1e-300))) if len(others) else np.inf
    try:
        packed = pack_islands(corners, island, size, margin, taken, density, turn)
        roomy = not len(others) or packed.scale >= LEAST_SHARE * density
    except NightmistError:
        roomy = False
    if roomy:
        return mesh.with_uvs(uv_set, faces, _uv(packed.corners, size)), []
    # No room beside the others: all are packed anew, each as large as it was.
    both = np.concatenate([taken, corners * density])
    all_faces = np.concatenate([others, faces])
    apart = np.concatenate([local_islands(mesh, others, taken), island + len(others)])
    packed, notes = pack_with_room(both, np.unique(apart, return_inverse=True)[1], size, margin)
    return mesh.with_uvs(uv_set, all_faces, _uv(packed.corners, size)), notes


def _uv(texels: NDArray[np.float64], size: tuple[int, int]) -> NDArray[np.float32]:
    return (texels / size).astype(np.float32)
