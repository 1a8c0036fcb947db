"""What coverage does to pixels, against float64 formulas, and the pictures that are sent."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist.core.kernels import address_of
from nightmist.core.texels import TileArea
from nightmist.core.texels.composite_picture import Picture
from nightmist.core.texels.encode import to_bytes
from nightmist.core.tools import composite_over, erase

AREA = TileArea.whole(64, 64)
RNG = np.random.default_rng(11)


def tables(*tiles):
    return [np.array([address_of(t) if t is not None else 0], np.int64) for t in tiles]


def brushed(before, cover, value):
    after = before.copy() if before is not None else np.zeros((64, 64, len(value) + 1), np.uint16)
    coverage, old, new = tables(cover, before, after)
    composite_over(AREA, coverage, old, new, value)
    return after


def test_brush_is_source_over():
    """Straight-alpha source-over, rounded once, for color and for values."""
    for value in ((0.2, 0.9, 0.5), (0.7,)):
        before = RNG.integers(0, 65536, (64, 64, len(value) + 1), dtype=np.uint16)
        cover = RNG.random((64, 64)).astype(np.float32)
        found = brushed(before, cover, value).astype(float)
        a, below = cover[..., None].astype(float), before[..., -1:] / 65535
        out = a + below * (1 - a)
        wanted = (a * np.array(value) + (1 - a) * below * before[..., :-1] / 65535) / out
        assert np.abs(found[..., :-1] / 65535 - wanted).max() < 1.1 / 65535
        assert np.abs(found[..., -1:] / 65535 - out).max() < 1.1 / 65535


def test_brush_on_nothing_has_its_own_color():
    """On an absent tile the color is exact however thin the paint."""
    cover = np.full((64, 64), 0.01, np.float32)
    found = brushed(None, cover, (0.25, 0.5, 1.0))
    assert (found[0, 0] == [16384, 32768, 65535, 655]).all()


@pytest.mark.parametrize("ground", [None, (0, 65535)])
def test_a_hundred_strokes_of_one_percent_build_a_smooth_ramp(ground):
    """No step of the ramp is lost or doubled: within 60 of 65535 of 1 - 0.99^n after each stroke."""
    tile = np.tile(np.array(ground, np.uint16), (64, 64, 1)) if ground else None
    levels = []
    for _ in range(100):
        tile = brushed(tile, np.full((64, 64), 0.01, np.float32), (1.0,))
        levels.append(int(tile[5, 5, 0 if ground else 1]))
    wanted = 65535 * (1 - 0.99 ** np.arange(1, 101))
    assert np.abs(levels - wanted).max() < 60
    assert (np.diff(levels) > 200).all()


def test_erase_takes_alpha_only():
    """Alpha falls by coverage, color stays, and what is gone is wholly zero."""
    before = RNG.integers(1, 65536, (64, 64, 4), dtype=np.uint16)
    cover = RNG.random((64, 64)).astype(np.float32)
    cover[0] = 1
    after = before.copy()
    coverage, old, new = tables(cover, before, after)
    erase(AREA, coverage, old, new, 4)
    wanted = before[..., 3] * (1 - cover.astype(float))
    assert np.abs(after[..., 3] - wanted).max() <= 0.51
    assert (after[1:, :, :3][after[1:, :, 3] > 0] == before[1:, :, :3][after[1:, :, 3] > 0]).all()
    assert (after[0] == 0).all()


def test_bytes_for_the_screen_are_rounded_to_the_nearest():
    """Every 16-bit value against exact arithmetic."""
    values = np.arange(65536, dtype=np.uint16).reshape(256, 256)
    assert (to_bytes(values) == np.floor(values * (255 / 65535) + 0.5)).all()


def test_rectangles_are_cut_from_a_picture_of_tiles():
    """Tiles of one color and others, cut anywhere, against the whole picture encoded; one color is one texel."""
    picture = Picture(192, 128, (10_000, 20_000, 30_000, 65_535))
    picture.hold(np.array([1, 4], np.int32))
    picture.pixels[[1, 4]] = RNG.integers(0, 65536, (2, 64, 64, 4))
    whole = to_bytes(picture.read())
    for top, bottom, left, right in ((0, 128, 0, 192), (3, 70, 60, 130), (64, 128, 64, 128), (5, 6, 63, 65)):
        assert np.array_equal(picture.encode(top, bottom, left, right), whole[top:bottom, left:right])
    assert np.array_equal(picture.encode(3, 40, 130, 192), whole[:1, 191:])
    for step in (4, 16):
        means = picture.read().reshape(128 // step, step, 192 // step, step, 4).mean(axis=(1, 3)) * (255 / 65535)
        found = picture.encode_coarse(0, 128, 64, 192, step)
        assert np.abs(found - means[:, 64 // step :]).max() <= 0.51
    assert np.array_equal(picture.encode_coarse(0, 128, 128, 192, 4), whole[:1, 191:])
    assert np.array_equal(picture.texels(np.array([5, 70]), np.array([70, 3])), picture.read()[[5, 70], [70, 3]])
