"""The slow and plain way: every texel against every face, in float64, without the engine's tables."""

from __future__ import annotations

import numpy as np

from nightmist.core.mesh import Mesh


def owners(mesh: Mesh, width: int, height: int):
    """For each face: texels (n, 2 as y, x) around it, positions (n, 3), and how far inside it they lie."""
    for face, texels, weights, positions in weighted(mesh, width, height):
        yield face, texels, positions, weights.min(axis=1)


def weighted(mesh: Mesh, width: int, height: int):
    """The same with weights (n, 3) of its corners."""
    for face in range(len(mesh.faces)):
        uv = mesh.uvs[0][face].astype(np.float64) * (width, height)
        corners = mesh.positions[mesh.faces[face]].astype(np.float64)
        low, high = np.floor(uv.min(axis=0)).astype(int) - 1, np.ceil(uv.max(axis=0)).astype(int) + 1
        x, y = np.meshgrid(np.arange(low[0], high[0]), np.arange(low[1], high[1]))
        p = np.stack([x + 0.5, y + 0.5], -1).reshape(-1, 2)
        m = np.array([[uv[0, 0], uv[1, 0], uv[2, 0]], [uv[0, 1], uv[1, 1], uv[2, 1]], [1, 1, 1]])
        if abs(np.linalg.det(m)) < 1e-9:
            continue
        weights = np.linalg.solve(m, np.vstack([p.T, np.ones(len(p))])).T
        yield face, np.stack([y.ravel() % height, x.ravel() % width], 1), weights, weights @ corners


def facing(mesh: Mesh, face: int, weights):
    """(n, 3) what texels of a face look at: mixed from its corners' normals, unless one is 25 degrees from its own."""
    own, corners = mesh.face_normals[face], mesh.normals[face].astype(np.float64)
    if np.degrees(np.arccos(np.clip(corners @ own, -1, 1))).max() > 25:
        return np.tile(own, (len(weights), 1))
    mixed = weights @ corners
    return mixed / np.linalg.norm(mixed, axis=1)[:, None]


def by_angle(cosines, limit):
    """What is left of paint at an angle of these cosines: all up to 8 degrees before the limit, then a smooth step."""
    low, high = np.cos(np.radians([limit, max(limit - 8, 0)]))
    t = np.clip((cosines - low) / (high - low), 0, 1)
    return np.where(limit >= 180, 1.0, t * t * (3 - 2 * t))


def dab(mesh: Mesh, width, height, center, normal, radius, hardness, limit):
    """(H, W) weight of one dab by the formula, and (H, W) how near the decision was for any texel."""
    weight = np.zeros((height, width))
    doubt = np.full((height, width), np.inf)
    for face, texels, weights, positions in weighted(mesh, width, height):
        inside, share = weights.min(axis=1), by_angle(facing(mesh, face, weights) @ normal, limit)
        distance = np.linalg.norm(positions - center, axis=1)
        t = distance / radius
        uv = mesh.uvs[0][face].astype(np.float64) * (width, height)
        corners = mesh.positions[mesh.faces[face]].astype(np.float64)
        area_3d = np.linalg.norm(np.cross(corners[1] - corners[0], corners[2] - corners[0]))
        area_uv = abs(np.linalg.det(np.stack([uv[1] - uv[0], uv[2] - uv[0]])))
        hard = max(0.0, min(hardness, 1 - np.sqrt(area_3d / area_uv) / radius))
        s = np.clip((t - hard) / (1 - hard), 0, 1)
        w = np.where((distance < radius) & (inside >= 0), share * (1 - s * s * (3 - 2 * s)), 0)
        near = np.minimum(np.abs(inside), np.where(inside > -1e-6, np.abs(t - 1), np.inf))
        y, x = texels.T
        np.maximum.at(weight, (y, x), w)
        np.minimum.at(doubt, (y, x), near)
    return weight, doubt


def segment(mesh: Mesh, width, height, ends, normals, radius, limit):
    """(H, W) weight of one soft segment of even radius, and (H, W) how near the decision was for any texel: each end's
    limit counts by how near a texel lies to it.
    """
    weight, doubt = np.zeros((height, width)), np.full((height, width), np.inf)
    way = ends[1] - ends[0]
    for face, texels, weights, positions in weighted(mesh, width, height):
        inside, faces = weights.min(axis=1), facing(mesh, face, weights)
        part = np.clip((positions - ends[0]) @ way / (way @ way), 0, 1)
        share = (1 - part) * by_angle(faces @ normals[0], limit) + part * by_angle(faces @ normals[1], limit)
        s = np.linalg.norm(positions - ends[0] - part[:, None] * way, axis=1) / radius
        ahead = (positions - ends[0]) @ way >= 0
        w = np.where((s < 1) & ahead & (inside >= 0), share * (1 - s * s * (3 - 2 * s)), 0)
        y, x = texels.T
        np.maximum.at(weight, (y, x), w)
        near = np.minimum(np.abs(inside), np.where(inside > -1e-6, np.abs((positions - ends[0]) @ way), np.inf))
        np.minimum.at(doubt, (y, x), near)
    return weight, doubt
