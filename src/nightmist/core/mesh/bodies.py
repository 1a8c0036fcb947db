"""Practice bodies with sound UVs: plane, box, sphere, ring, cylinder. Units are meters."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ..errors import NightmistError
from .look import SurfaceLook
from .mesh import Mesh, build_mesh

Body = Literal["plane", "box", "sphere", "ring", "cylinder"]
BODIES: tuple[Body, ...] = Body.__args__  # type: ignore[attr-defined]

#: Share of the map left free around islands.
MARGIN = 0.02

Grid = tuple[NDArray[np.float64], NDArray[np.float64]]  # points (r, c, 3) and UVs (r, c, 2)


def practice_body(body: Body, size: float = 1.0) -> Mesh:
    """A body `size` meters across, standing around the origin, of quads, with UVs in 0-1 without overlap."""
    if body not in BODIES:
        raise NightmistError(f"There is no practice body {body!r}; there are {', '.join(BODIES)}.")
    if not (np.isfinite(size) and 0 < size <= 1e6):
        raise NightmistError(f"A size of {size!r} does not work; give meters above 0.")
    makers: dict[Body, Callable[[], list[Grid]]] = {
        "plane": _plane, "box": _box, "sphere": _sphere, "ring": _ring, "cylinder": _cylinder,
    }  # fmt: skip
    grids = makers[body]()
    positions: list[NDArray[np.float64]] = []
    faces: list[NDArray[np.int64]] = []
    uvs: list[NDArray[np.float64]] = []
    polygon: list[NDArray[np.int64]] = []
    count = 0
    for points, uv in grids:
        rows, columns = points.shape[0] - 1, points.shape[1] - 1
        index = np.arange((rows + 1) * (columns + 1)).reshape(rows + 1, columns + 1)
        a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
        triangles = np.stack([np.stack([a, b, c], -1), np.stack([a, c, d], -1)], 2).reshape(-1, 3)
        uvs.append(uv.reshape(-1, 2)[triangles])
        polygon.append(np.repeat(np.arange(rows * columns), 2) + (polygon[-1][-1] + 1 if polygon else 0))
        faces.append(triangles + count)
        positions.append(points.reshape(-1, 3) * size)
        count += (rows + 1) * (columns + 1)
    # On a fine lattice, so that seams meet exactly.
    places = (np.round(np.concatenate(positions), 7) + 0).astype(np.float32)
    index = np.concatenate(faces).astype(np.int32)
    zeros = np.zeros(len(index), np.int32)
    flat = np.concatenate(uvs).astype(np.float32)
    mesh = build_mesh(places, index, [flat], None, zeros, zeros.copy(), [SurfaceLook(body)], [body],
                      f"The {body}", np.concatenate(polygon).astype(np.int32))  # fmt: skip
    mesh.notes.clear()
    return mesh


def _spread(count: int) -> NDArray[np.float64]:
    return np.linspace(0, 1, count + 1)


def _plane(cells: int = 16) -> list[Grid]:
    x, y = np.meshgrid(_spread(cells), _spread(cells))
    return [(np.stack([x - 0.5, 0.5 - y, 0 * x], 2), MARGIN + (1 - 2 * MARGIN) * np.stack([x, y], 2))]


def _box(cells: int = 8) -> list[Grid]:
    """Six sides in three columns and two rows."""
    x, y = np.meshgrid(_spread(cells) - 0.5, 0.5 - _spread(cells))
    side = 1 / 3 - 2 * MARGIN
    grids = []
    for k in range(6):
        out, right, up = np.zeros(3), np.zeros(3), np.zeros(3)
        out[k // 2] = 1 if k % 2 == 0 else -1
        up[1 if k // 2 != 1 else 2] = 1 if k // 2 != 1 else -out[1]
        right = np.cross(up, out)
        points = out / 2 + x[..., None] * right + y[..., None] * up
        corner = np.array([k % 3, k // 3]) / 3 + MARGIN
        grids.append((points, corner + side * np.stack([x + 0.5, 0.5 - y], 2)))
    return grids


def _sphere(cells: int = 16) -> list[Grid]:
    """The box blown up: no poles, and lines at even angles, so that nothing is stretched by much."""
    grids = []
    for points, uv in _box(cells):
        # The third coordinate is ±1/2 already; the tangent takes it there again.
        even = np.tan(points * np.pi / 2) / 2
        grids.append((even / np.linalg.norm(even, axis=2, keepdims=True) / 2, uv))
    return grids


def _ring(sides: int = 64, around: int = 24) -> list[Grid]:
    """A torus in two halves, twice as long as high: one below the other they fill the map."""
    points, strip = torus(sides, around)
    scale = 2 * (1 - 3 * MARGIN)
    grids = []
    for half in (0, 1):
        columns = slice(half * sides // 2, (half + 1) * sides // 2 + 1)
        corner = MARGIN + np.array([0, half * (scale / 4 + MARGIN)])
        grids.append((points[:, columns], corner + scale * (strip[:, columns] - [half / 2, 0])))
    return grids


def torus(sides: int, around: int) -> Grid:
    """A torus lying flat, its tube a fifth of its breadth; flat as a strip four times as long as high."""
    middle, tube = 0.4, 0.1
    u, v = np.meshgrid(_spread(sides), _spread(around))
    a, b = u * 2 * np.pi, np.pi - v * 2 * np.pi
    reach = middle + tube * np.cos(b)
    points = np.stack([reach * np.sin(a), tube * np.sin(b), reach * np.cos(a)], 2)
    points[:, -1] = points[:, 0]
    points[-1] = points[0]
    return points, np.stack([u, v * tube / middle], 2)


def _cylinder(cells: int = 12, rows: int = 12) -> list[Grid]:
    """Upright, as high as it is broad; its caps are squares drawn round, so that they have no pole."""
    scale = (1 - 2 * MARGIN) / np.pi
    u, v = np.meshgrid(_spread(4 * cells), _spread(rows))
    a = u * 2 * np.pi
    side = np.stack([np.sin(a) / 2, 0.5 - v, np.cos(a) / 2], 2)
    side[:, -1] = side[:, 0]
    x, y = np.meshgrid(2 * _spread(cells) - 1, 1 - 2 * _spread(cells))
    # Shirley and Chiu 1997: squares around the middle become circles, their corners at even angles.
    wide = np.abs(x) > np.abs(y)
    r = np.where(wide, x, y)
    share = np.divide(np.where(wide, y, x), r, out=np.zeros_like(r), where=r != 0) * np.pi / 4
    angle = np.where(wide, share, np.pi / 2 - share)
    x, y = r * np.cos(angle) / 2, r * np.sin(angle) / 2
    top, half = 2 * MARGIN + scale, np.full_like(x, 0.5)
    disk = np.stack([x + 0.5, 0.5 - y], 2) * scale
    return [
        (side, MARGIN + np.stack([u * (1 - 2 * MARGIN), v * scale], 2)),
        (np.stack([x, half, -y], 2), disk + np.array([MARGIN, top])),
        (np.stack([x, -half, y], 2), disk + np.array([0.5, top])),
    ]
