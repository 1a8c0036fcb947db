"""Normals from height against closed forms, in real units."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist.core.relief import normals_from_height
from nightmist.core.relief.normals import texel_sizes
from nightmist.core.texels.ownership import own_texels

from ..shapes import placed, plane


def decoded(normals):
    n = normals.astype(float) / 32767.5 - 1
    return n / np.linalg.norm(n, axis=2, keepdims=True)


@pytest.mark.parametrize("scale", [(1, 1, 1), (3, 1, 1), (0.1, 0.1, 1)])
def test_a_slope_has_its_real_angle(scale):
    """A wave of height over a plane of any size and stretch: the normal of the real surface."""
    mesh = placed(plane(), scale=scale)
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], 512, 512)
    width, height = texel_sizes(own)
    depth = 0.05
    x = np.arange(512) + 0.5
    wave = 0.5 + 0.4 * np.sin(2 * np.pi * x / 64)
    image = np.tile(np.rint(wave * 65535).astype(np.uint16), (512, 1))
    normals = decoded(normals_from_height(image, depth, width, height))
    real = 2 * scale[0] / (0.9 * 512)  # side of a texel along x: the plane is 2 wide on 90 % of the map
    slope = depth * 0.4 * 2 * np.pi / 64 / real * np.cos(2 * np.pi * x / 64)
    angle = np.degrees(np.arctan(-slope))
    found = np.degrees(np.arctan2(normals[256, :, 0], normals[256, :, 2]))
    assert np.abs(found - angle)[64:448].max() < 0.35
    assert np.abs(normals[256, 64:448, 1]).max() < 1e-3


def test_green_points_up():
    """Height that rises upwards in the picture tilts the normal down, in the +Y convention of glTF."""
    ramp = np.tile(np.linspace(60000, 0, 64).astype(np.uint16)[:, None], (1, 64))
    one = np.full((64, 64), 0.01, np.float32)
    assert decoded(normals_from_height(ramp, 0.1, one, one))[32, 32, 1] < -0.1


def test_flat_height_is_a_flat_normal():
    """(0.5, 0.5, 1) everywhere, to the nearest code."""
    flat = np.full((64, 64), 32768, np.uint16)
    one = np.full((64, 64), 0.01, np.float32)
    assert (normals_from_height(flat, 0.1, one, one) == [32768, 32768, 65535]).all()
