"""Pictures that mark areas by flat colors: which colors they are, and where one of them shows."""

from __future__ import annotations

import cv2
import numpy as np

from nightmist.core.texels.shares import flat_color_at, flat_color_shares, flat_colors

TOLERANCE = 8 * 257


def test_the_colors_of_a_picture_of_flat_colors_are_those_that_were_laid():
    """Wide bands with mixed borders, a little noise, single texels, and nothing where it is transparent."""
    rng = np.random.default_rng(4)
    laid = np.array([[255, 0, 0], [250, 200, 0], [0, 0, 255], [0, 0, 0]])
    bands = np.repeat(np.repeat(laid, [200, 150, 100, 62], axis=0)[None], 300, axis=0).astype(float)
    bands = cv2.GaussianBlur(bands, (3, 3), 0) + rng.integers(-2, 3, bands.shape)
    picture = np.zeros((300, 600, 4), np.uint16)
    picture[:, :512, :3] = np.clip(np.rint(bands), 0, 255) * 257
    picture[:, :512, 3] = 65535
    picture[10, 10, :3] = 257 * 99
    found = flat_colors(picture, TOLERANCE).astype(int)
    assert len(found) == len(laid)
    assert np.abs(found - laid).max() <= 4
    assert not flat_color_shares(picture, np.zeros(3), TOLERANCE, 600, 300)[:, 514:].any()


def test_noise_of_the_size_of_the_tolerance_makes_no_color_two():
    """Four areas under noise of 5 of 8 bits, as a lossy file has it: four colors, each the one that was laid."""
    rng = np.random.default_rng(0)
    laid = np.array([[200, 30, 30], [30, 200, 30], [30, 30, 200], [220, 220, 30]])
    areas = np.repeat(np.repeat(laid.reshape(2, 2, 3), 128, axis=0), 128, axis=1)
    picture = np.full((256, 256, 4), 65535, np.uint16)
    picture[..., :3] = (areas + rng.integers(-5, 6, areas.shape)) * 257
    found = flat_colors(picture, TOLERANCE).astype(int)
    assert len(found) == 4
    assert np.abs(found[:, None] - laid).max(axis=2).min(axis=1).max() <= 2
    for k, (row, column) in enumerate([(60, 60), (60, 190), (190, 60), (190, 190)]):
        color = flat_color_at(picture, ((column + 0.5) / 256, (row + 0.5) / 256), TOLERANCE)
        assert np.abs(color / 257 - laid[k]).max() <= 2
        shown = flat_color_shares(picture, color, TOLERANCE, 256, 256) > 0.5
        # A median of 3 × 3 rounds the corner where four meet.
        assert (shown != (areas == laid[k]).all(axis=2)).sum() <= 1


def test_a_color_that_marks_no_area_is_taken_as_it_is():
    picture = np.full((64, 64, 4), 65535, np.uint16)
    picture[3, 5, :3] = 1000, 2000, 3000
    np.testing.assert_array_equal(flat_color_at(picture, (5.5 / 64, 3.5 / 64), TOLERANCE), [1000, 2000, 3000])
    np.testing.assert_array_equal(flat_color_at(picture, (1 + 5.5 / 64, 3.5 / 64 - 2), TOLERANCE), [1000, 2000, 3000])
