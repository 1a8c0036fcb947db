"""The slow and plain way: every texel against every face, in float64, without the engine's tables."""

from __future__ import annotations

import numpy as np

from nightmist.core.mesh import Mesh


def owners(mesh: Mesh, width: int, height: int):
    """For each face: texels (n, 2 as y, x) whose center it covers, positions (n, 3), and how far inside they lie."""
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
        inside = weights.min(axis=1)
        yield face, np.stack([y.ravel() % height, x.ravel() % width], 1), weights @ corners, inside


def dab(mesh: Mesh, width, height, center, normal, radius, hardness, limit):
    """(H, W) weight of one dab by the formula, and (H, W) how near the decision was for any texel."""
    weight = np.zeros((height, width))
    doubt = np.full((height, width), np.inf)
    normals = mesh.face_normals
    for face, texels, positions, inside in owners(mesh, width, height):
        agree = normals[face] @ normal - np.cos(np.radians(limit))
        distance = np.linalg.norm(positions - center, axis=1)
        t = distance / radius
        uv = mesh.uvs[0][face].astype(np.float64) * (width, height)
        corners = mesh.positions[mesh.faces[face]].astype(np.float64)
        area_3d = np.linalg.norm(np.cross(corners[1] - corners[0], corners[2] - corners[0]))
        area_uv = abs(np.linalg.det(np.stack([uv[1] - uv[0], uv[2] - uv[0]])))
        hard = max(0.0, min(hardness, 1 - np.sqrt(area_3d / area_uv) / radius))
        s = np.clip((t - hard) / (1 - hard), 0, 1)
        w = np.where((distance < radius) & (agree > 0) & (inside >= 0), 1 - s * s * (3 - 2 * s), 0)
        near = np.minimum(np.abs(inside), np.where(inside > -1e-6, np.abs(t - 1), np.inf))
        y, x = texels.T
        np.maximum.at(weight, (y, x), w)
        np.minimum.at(doubt, (y, x), near)
    return weight, doubt
