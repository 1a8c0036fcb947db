"""Pictures that mark areas by flat colors: which colors they are, and where one of them shows."""

from __future__ import annotations

import cv2
import numpy as np

from nightmist.core.texels.shares import flat_color_shares, flat_colors

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
