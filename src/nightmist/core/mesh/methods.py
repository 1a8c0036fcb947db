"""One door to all ways of making UVs."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from ..progress import Progress, part
from .by_shape import ShapeAxes, frame_around, unwrap_by_shape
from .layout import lay_out
from .margins import check_margin
from .mesh import Mesh
from .strip import straighten
from .unwrap import face_areas, flat_areas, unwrap_along_seams, unwrap_by_angle

Method = Literal["auto", "seams", "planar", "box", "cylinder", "sphere", "grid"]
METHODS: tuple[Method, ...] = Method.__args__  # type: ignore[attr-defined]
#: Share of the faces' area on lines of the map from which on it is told.
LEAST_TOLD = 0.005


def unwrap(
    mesh: Mesh,
    faces: NDArray[np.int64],
    surface_faces: NDArray[np.int64],
    uv_set: int,
    size: tuple[int, int],
    method: Method,
    angle: float,
    margin: float,
    frame: ShapeAxes | None,
    progress: Progress,
    leader: int | None = None,
) -> tuple[Mesh, list[str]]:
    """A mesh in which `faces`, of a surface with `surface_faces`, have new UVs; and what is to be known.

    angle: degrees, for "auto". margin: texels between islands in a map of `size`. frame: for the shapes;
    around the faces unless given. leader: face from which an even grid spreads, and by which it stays upright. Raises
    NightmistError for what a method cannot do, and CancelledError from progress.
    """
    if method not in METHODS:
        raise NightmistError(f"There is no way {method!r} to unwrap; there are {', '.join(METHODS)}.")
    check_margin(margin)
    if not len(faces):
        raise NightmistError("There are no faces to unwrap.")
    notes: list[str] = []
    making = part(progress, 0, 0.8)
    tidy, turn = method in ("auto", "seams"), method not in ("auto", "seams")
    if method == "auto":
        corners, turn = unwrap_by_angle(mesh, faces, angle, making)
    elif method == "seams":
        corners, notes = unwrap_along_seams(mesh, faces, making)
    elif method == "grid":
        corners = straighten(mesh, faces, leader, mesh.uvs[uv_set] if uv_set < len(mesh.uvs) else None)
        # It lies as its leader does.
        turn = leader is None
    else:
        corners = unwrap_by_shape(mesh, faces, method, frame or frame_around(mesh.corners[faces]))
        notes = _on_lines(mesh, faces, corners, method)
    made, more = lay_out(mesh, faces, corners, surface_faces, uv_set, size, margin, tidy, turn, part(progress, 0.8, 1))
    return made, notes + more


def _on_lines(mesh: Mesh, faces: NDArray[np.int64], corners: NDArray[np.float64], method: Method) -> list[str]:
    """What is to be known of faces that come to lie on lines of the map, as those that a plane is seen edge-on from.

    corners: (len(faces), 3, 2). Raises NightmistError when all do: a flat wall around its own middle.
    """
    span = float(np.ptp(corners.reshape(-1, 2), axis=0).max())
    flat = np.abs(flat_areas(corners)) <= 1e-9 * span**2
    if flat.all():
        raise NightmistError(
            f"Unwrapped by {method}, all of these faces lie on a line, and no paint could reach them. Nothing was"
            " changed; choose another way, or another direction for up."
        )
    areas = face_areas(mesh.corners[faces])
    share = float(areas[flat].sum() / areas.sum())
    if share < LEAST_TOLD:
        return []
    return [
        f"{share:.0%} of what was unwrapped lies on lines of the map now: no paint reaches it, and what was painted"
        " there is gone. Undo brings it back."
    ]


def has_uvs(mesh: Mesh, faces: NDArray[np.int64], uv_set: int = 0) -> bool:
    """Whether some of these faces have UVs with an area."""
    if uv_set >= len(mesh.uvs):
        return False
    uv = mesh.uvs[uv_set][faces].astype(np.float64)
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    return float(np.nansum(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]))) > 1e-9
