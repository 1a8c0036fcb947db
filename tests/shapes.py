"""Small meshes with UVs for tests, each with a property that matters: seams, thin walls, overlaps, repeats."""

from __future__ import annotations

import numpy as np

from nightmist.core.mesh import Mesh, SurfaceLook
from nightmist.core.mesh.checkup import UvReport, check_uvs
from nightmist.core.mesh.mesh import build_mesh
from nightmist.core.texels.gutter import Gutter
from nightmist.core.texels.ownership import CrowdedError, own_texels


def grid(points, uv, surface=0, name="surface") -> Mesh:
    """A mesh of (rows, columns) quads from grids of points and UVs."""
    rows, columns = points.shape[0], points.shape[1]
    index = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]
    faces = np.stack([np.stack([a, b, c], -1), np.stack([a, c, d], -1)], 2).reshape(-1, 3)
    zeros = np.full(len(faces), surface, np.int32)
    return build_mesh(
        points.reshape(-1, 3).astype(np.float32),
        faces.astype(np.int32),
        [uv.reshape(-1, 2)[faces].astype(np.float32)],
        None,
        zeros,
        np.zeros(len(faces), np.int32),
        [SurfaceLook(name)],
        ["part"],
        name,
    )


def plane(cells=6, low=0.05, high=0.95) -> Mesh:
    """A square of side 2 facing +z, with a margin in the map."""
    s = np.linspace(0, 1, cells + 1)
    x, y = np.meshgrid(s, s)
    points = np.stack([2 * x - 1, 1 - 2 * y, 0 * x], 2)
    return grid(points, low + (high - low) * np.stack([x, y], 2))


def sphere(sides=24, rows=12) -> Mesh:
    """A unit ball by longitude and latitude, its seam doubled, with a margin in the map."""
    u, v = np.meshgrid(np.linspace(0, 1, sides + 1), np.linspace(0.02, 0.98, rows + 1))
    a, b = u * 2 * np.pi, v * np.pi
    points = np.stack([np.sin(b) * np.sin(a), np.cos(b), np.sin(b) * np.cos(a)], 2)
    points[:, -1] = points[:, 0]
    return grid(np.round(points, 6), 0.04 + 0.92 * np.stack([u, v], 2))


def drum(radius=1.0, sides=48, tall=2.0, lean=0.0, hollow=False) -> Mesh:
    """The side of an upright cylinder, leaning with the clock as seen from +z; or its inside. A corner lies at +z."""
    u, v = np.meshgrid(np.linspace(0, 1, sides + 1), np.linspace(0, 1, 5))
    a = 2 * np.pi * u
    points = np.stack([radius * np.sin(a), tall * (0.5 - v), radius * np.cos(a)], 2)
    points[:, -1] = points[:, 0]
    c, s = np.cos(np.radians(lean)), np.sin(np.radians(lean))
    points = points @ np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
    if hollow:
        points, u = points[:, ::-1], u[:, ::-1]
    return grid(points, 0.03 + 0.94 * np.stack([u, v], 2))


def ring(thick=0.3, radius=1.0, sides=96, rows=48) -> Mesh:
    """A torus around the y axis."""
    u, v = np.meshgrid(np.linspace(0, 1, sides + 1), np.linspace(0, 1, rows + 1))
    a, b = 2 * np.pi * u, 2 * np.pi * v
    out = radius + thick * np.cos(b)
    points = np.stack([out * np.sin(a), -thick * np.sin(b), out * np.cos(a)], 2)
    return grid(points, 0.03 + 0.94 * np.stack([u, v], 2))


def places_at(own, y, x) -> np.ndarray:
    """(n, 3) where texels at rows y and columns x of an ownership's map lie in space; each inside an island."""
    m = own.matrices[own.owner()[y, x]]
    return m[:, :3] * (x + 0.5)[:, None] + m[:, 3:6] * (y + 0.5)[:, None] + m[:, 6:]


def joined(*meshes: Mesh, names=None) -> Mesh:
    """Meshes side by side; one surface for all, or one each when names are given."""
    offset, faces = 0, []
    for mesh in meshes:
        faces.append(mesh.faces + offset)
        offset += len(mesh.positions)
    counts = [len(mesh.faces) for mesh in meshes]
    number = np.repeat(np.arange(len(meshes)), counts).astype(np.int32)
    return build_mesh(
        np.concatenate([m.positions for m in meshes]),
        np.concatenate(faces).astype(np.int32),
        [np.concatenate([m.uvs[0] for m in meshes])],
        np.concatenate([m.normals for m in meshes]),
        number if names else np.zeros(sum(counts), np.int32),
        number,
        [SurfaceLook(n) for n in names or ["surface"]],
        [f"part {i}" for i in range(len(meshes))],
        "joined",
    )


def placed(mesh: Mesh, scale=(1, 1, 1), move=(0, 0, 0), uv_scale=1.0, uv_move=(0, 0), flip=False) -> Mesh:
    """A copy moved in space and in the map; `flip` turns its faces around."""
    points = (mesh.positions * np.array(scale) + np.array(move)).astype(np.float32)
    order = [0, 2, 1] if flip else [0, 1, 2]
    return build_mesh(
        points,
        np.ascontiguousarray(mesh.faces[:, order]),
        [(mesh.uvs[0][:, order] * uv_scale + np.array(uv_move)).astype(np.float32)],
        None,
        mesh.face_surface,
        mesh.face_part,
        mesh.surfaces,
        mesh.parts,
        "placed",
    )


def plate(thickness=0.02) -> Mesh:
    """Two squares back to back, closer to each other than any brush is wide."""
    front = placed(plane(), uv_scale=0.5)
    back = placed(plane(), move=(0, 0, -thickness), uv_scale=0.5, uv_move=(0.5, 0.5), flip=True)
    return joined(front, back)


def overlapped() -> Mesh:
    """Two squares beside each other that share the same texels."""
    return joined(plane(), placed(plane(), move=(3, 0, 0)))


def repeating() -> Mesh:
    """A square whose UVs run from -0.5 to 1.7, over the borders of the map."""
    return plane(cells=5, low=-0.5, high=1.7)


def walls(cells=2) -> Mesh:
    """Two squares side by side that share an edge, each a surface of its own: left and right."""
    left, right = placed(plane(cells), move=(-1, 0, 0)), placed(plane(cells), move=(1, 0, 0))
    return joined(left, right, names=["left", "right"])


def half_unwrapped(cells=6) -> Mesh:
    """A square in one surface whose right half, x > 0, has no UVs."""
    square = plane(cells)
    bare = square.positions[square.faces][..., 0].mean(axis=1) > 0
    uv = np.where(bare[:, None, None], np.nan, square.uvs[0]).astype(np.float32)
    return build_mesh(square.positions, square.faces, [uv], square.normals, square.face_surface, square.face_part,
                      square.surfaces, square.parts, "half unwrapped")  # fmt: skip


def stacked(cells=12) -> Mesh:
    """A square of quads each of which takes the whole map."""
    square = plane(cells)
    uv = np.tile(np.array([[[0, 0], [0, 1], [1, 1]], [[0, 0], [1, 1], [1, 0]]], np.float32), (cells * cells, 1, 1))
    return build_mesh(square.positions, square.faces, [uv], square.normals, square.face_surface, square.face_part,
                      square.surfaces, square.parts, "stacked")  # fmt: skip


def soup(points, faces) -> Mesh:
    """A mesh of bare triangles, without UVs."""
    zeros = np.zeros(len(faces), np.int32)
    return build_mesh(np.asarray(points, np.float32), np.asarray(faces, np.int32), [], None, zeros, zeros.copy(),
                      [SurfaceLook("soup")], ["part"], "soup")  # fmt: skip


def fin() -> Mesh:
    """Three squares at one edge: no manifold."""
    points = [(0, 0, 0), (0, 1, 0), (1, 0, 0), (1, 1, 0), (-1, 0, 0.3), (-1, 1, 0.3), (0, 0, 1), (0, 1, 1)]
    return soup(points, [(0, 2, 3), (0, 3, 1), (0, 1, 5), (0, 5, 4), (0, 6, 7), (0, 7, 1)])


def uv_report(mesh: Mesh, size, island=None) -> UvReport:
    """The checkup of all faces as if they were one surface's."""
    faces, uv = np.arange(len(mesh.faces)), mesh.uvs[0]
    try:
        own = own_texels(mesh, faces, uv, *size)
    except CrowdedError:
        return check_uvs(mesh, faces, uv, *size, None, None, island)
    return check_uvs(mesh, faces, uv, *size, own, Gutter(own.covered()), island)


def lay_picture(doc, layer, name, image) -> None:
    """Put a whole picture into a layer's raster, with no undo step."""
    raster = doc.raster(layer.id, name).copy()
    raster.take(image)
    doc.place(f"{layer.id}/{name}", raster.tiles)
    doc.forget_composites()


SHAPES = {"plane": plane, "sphere": sphere, "plate": plate, "overlapped": overlapped, "repeating": repeating}
