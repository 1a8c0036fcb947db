"""Pictures laid over surfaces against closed forms: which place of the picture each texel shows, and how sharply."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist.core.kernels import addresses_in
from nightmist.core.mapping.frames import inverse_of, turn_of
from nightmist.core.mapping.projections import SHAPES, Laying, lay_pictures, placing_of
from nightmist.core.mapping.pyramid import pyramid_of
from nightmist.core.mapping.sheets import sheets_of
from nightmist.core.texels.ownership import normals_over, own_texels

from ..shapes import plane, sphere

SIDE = 256


def opaque(gray: np.ndarray) -> np.ndarray:
    """(h, w) 0-1 as an opaque picture."""
    color = np.rint(np.clip(gray, 0, 1) * 65535).astype(np.uint16)
    return np.stack([color, color, color, np.full_like(color, 65535)], axis=2)


def waves(height=512, width=512) -> np.ndarray:
    """A smooth picture without a wrap line."""
    v, u = (np.mgrid[:height, :width] + 0.5) / np.array([height, width])[:, None, None]
    return wave(u, v)


def wave(u, v):
    return 0.5 + 0.2 * np.sin(2 * np.pi * u) + 0.2 * np.cos(4 * np.pi * v)


def laid(mesh, picture, shape, size=SIDE, channels=2, gray=True, frame=((0, 0, 0), (2, 2, 2), (0, 0, 0)), **options):
    """(H, W, channels) 0-1 what is laid, and the ownership."""
    uv = mesh.uvs[0]
    own = own_texels(mesh, np.arange(len(mesh.faces)), uv, size, size)
    placing = placing_of(options.get("repeat", (1, 1)), options.get("turn", 0), options.get("offset", (0, 0)))
    laying = Laying(
        shape, inverse_of(*frame), turn_of(frame[2]).T, placing, options.get("wrap", "repeat")
    )  # fmt: skip
    count = (size // 64) ** 2
    made = np.zeros((count, 64, 64, channels), np.uint16)
    tiles = np.arange(count, dtype=np.int32)
    sheets = sheets_of([pyramid_of(picture, gray)])
    lay_pictures(own, normals_over(mesh, uv, own), sheets, laying, tiles, addresses_in(made)[:, None], [channels])
    whole = made.reshape(size // 64, size // 64, 64, 64, channels).swapaxes(1, 2).reshape(size, size, channels)
    return whole / 65535, own


def places(own) -> tuple[np.ndarray, np.ndarray]:
    """(H, W, 3) where each texel lies in space, and which are owned."""
    owner = own.owner()
    y, x = np.mgrid[: own.height, : own.width] + 0.5
    m = own.matrices[np.maximum(owner, 0)]
    return m[..., :3] * x[..., None] + m[..., 3:6] * y[..., None] + m[..., 6:], owner >= 0


def expected(shape, p):
    """The shape's u, v of places on a model inside a frame of 2 × 2 × 2, written out anew."""
    x, y, z = (p / 2).T
    if shape == "planar":
        return x + 0.5, 0.5 - y
    around = 0.5 + np.arctan2(x, z) / (2 * np.pi)
    away = np.linalg.norm(p / 2, axis=1)
    if shape == "cylindrical":
        return around, 0.5 - y
    if shape == "spherical":
        return around, np.arccos(y / away) / np.pi
    m = 2 * np.sqrt((x / away) ** 2 + (y / away) ** 2 + (z / away + 1) ** 2)
    return x / away / m + 0.5, 0.5 - y / away / m


@pytest.mark.parametrize("shape", ["planar", "cylindrical", "spherical", "wrap"])
def test_a_sphere_shows_the_picture_where_the_closed_form_says(shape):
    found, own = laid(sphere(48, 24), opaque(waves()), shape)
    p, owned = places(own)
    u, v = expected(shape, p[owned])
    wanted = wave(u, v)
    # The rim of a wrap is one point, which no picture can be fine enough for.
    clear = p[owned][:, 2] > -0.85 if shape == "wrap" else np.abs(p[owned][:, 1]) < 0.95
    assert np.abs(found[owned][:, 0] - wanted)[clear].max() < 0.02
    assert (found[owned][:, 1] == 1).all()
    assert (found[~owned] == 0).all()


def test_by_uv_the_picture_lies_in_the_map_turned_and_shifted():
    found, _ = laid(plane(), opaque(waves()), "uv", repeat=(2, 1), turn=90, offset=(0.1, 0))
    v, u = (np.mgrid[:SIDE, :SIDE] + 0.5) / SIDE
    a, b = 2 * (u - 0.5), v - 0.5
    # With the clock: what pointed right in the picture points down in the map.
    wanted = wave(b + 0.5 - 0.1, -a + 0.5)
    assert np.abs(found[..., 0] - wanted).max() < 0.02


def test_three_ways_share_one_weight_and_a_box_takes_the_nearest_side():
    for shape in ("triplanar", "box"):
        found, own = laid(sphere(24, 12), opaque(np.full((64, 64), 0.3)), shape, repeat=(3, 3))
        owned = own.covered()
        assert np.abs(found[owned][:, 0] - 0.3).max() < 1e-4
        assert (found[owned][:, 1] == 1).all()
    found, own = laid(sphere(48, 24), opaque(waves()), "box")
    p, owned = places(own)
    front = p[owned][:, 2] > 0.9
    q = p[owned][front] / 2
    assert np.abs(found[owned][front][:, 0] - wave(0.5 + q[:, 0], 0.5 - q[:, 1])).max() < 0.02
    back = p[owned][:, 2] < -0.9
    q = p[owned][back] / 2
    # Seen from behind it is not mirrored.
    assert np.abs(found[owned][back][:, 0] - wave(0.5 - q[:, 0], 0.5 - q[:, 1])).max() < 0.02


@pytest.mark.parametrize("shape", SHAPES)
def test_what_is_shrunk_does_not_alias(shape):
    """A checker finer than texels is gray everywhere."""
    checker = np.indices((64, 64)).sum(axis=0) // 4 % 2 * 1.0
    found, own = laid(sphere(32, 16), opaque(checker), shape, repeat=(90, 90))
    owned = own.covered()
    p, _ = places(own)
    fair = owned & (np.abs(p[..., 1]) < 0.9) & (p[..., 2] > -0.9)
    assert np.abs(found[fair][:, 0] - 0.5).max() < 0.06


def test_edges_of_a_picture_are_clean():
    """Premultiplied mixing: no dark rim around a transparent picture, and beyond it nothing or its rim."""
    picture = np.zeros((64, 64, 4), np.uint16)
    picture[16:48, 16:48] = 65535
    found, _ = laid(plane(), picture, "uv", channels=4, gray=False, repeat=(1.7, 1.7), wrap="none")
    some = found[..., 3] > 0.01
    assert some.any()
    assert found[some][:, :3].min() > 0.99
    v, u = (np.mgrid[:SIDE, :SIDE] + 0.5) / SIDE
    outside = (np.abs((u - 0.5) * 1.7) > 0.51) | (np.abs((v - 0.5) * 1.7) > 0.51)
    assert (found[outside][:, 3] == 0).all()
    full = opaque(np.tile(np.linspace(0, 1, 64), (64, 1)))
    clamped, _ = laid(plane(), full, "uv", repeat=(3, 3), wrap="clamp")
    assert (clamped[:, 0, 0] == 0).all()
    assert (clamped[:, -1, 0] == 1).all()
    mirrored, _ = laid(plane(), full, "uv", repeat=(2, 1), wrap="mirror")
    assert np.abs(mirrored[..., 0] - (1 - np.abs(1 - (2 * (u - 0.5) + 0.5) % 2))).max() < 0.02


def test_a_turned_frame_turns_the_picture_with_it():
    turned = ((0.2, -0.1, 0.3), (1.5, 2.5, 2.0), (20.0, 35.0, -15.0))
    found, own = laid(sphere(48, 24), opaque(waves()), "planar", frame=turned)
    p, owned = places(own)
    a, b, c = np.radians(turned[2])
    rx = np.array([[1, 0, 0], [0, np.cos(a), -np.sin(a)], [0, np.sin(a), np.cos(a)]])
    ry = np.array([[np.cos(b), 0, np.sin(b)], [0, 1, 0], [-np.sin(b), 0, np.cos(b)]])
    rz = np.array([[np.cos(c), -np.sin(c), 0], [np.sin(c), np.cos(c), 0], [0, 0, 1]])
    q = ((p[owned] - turned[0]) @ (rx @ ry @ rz)) / turned[1]
    assert np.abs(found[owned][:, 0] - wave(q[:, 0] + 0.5, 0.5 - q[:, 1])).max() < 0.02


@pytest.mark.parametrize("opaque", [True, False])
@pytest.mark.parametrize("gray", [True, False])
def test_each_level_is_the_mean_of_what_it_covers(opaque, gray):
    """Of premultiplied numbers, however large the picture: within a rounding of the exact mean."""
    picture = np.random.default_rng(4).integers(0, 65536, (32, 64, 4)).astype(np.uint16)
    picture[..., 3] = 65535 if opaque else picture[..., 3]
    made = pyramid_of(picture, gray)
    exact = picture.astype(float)
    if gray:
        exact = np.dstack([picture[..., :3] @ np.array([0.2126, 0.7152, 0.0722]), *([] if opaque else [exact[..., 3]])])
    if not opaque:
        exact[..., :-1] *= exact[..., -1:] / 65535
    assert made.channels == exact.shape[2]
    for level, (start, (width, height)) in enumerate(zip(made.starts, made.sizes, strict=True)):
        assert (width, height) == (max(64 >> level, 1), max(32 >> level, 1))
        down, across = 32 // height, 64 // width
        mean = exact.reshape(height, down, width, across, -1).mean(axis=(1, 3))
        held = made.data[start : start + mean.size].reshape(mean.shape)
        assert np.abs(held - mean).max() <= 1.01
