"""Rasters of another size, against interpolation and means worked out side by side in float64."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist.core.texels import TILE, Raster
from nightmist.core.texels.rescale import rescaled

RNG = np.random.default_rng(5)


def along(image: np.ndarray, after: int) -> np.ndarray:
    """(n, …) values along the first axis, as `after` values: interpolated between middles, or means."""
    before = len(image)
    columns = image.reshape(before, -1)
    places = np.arange(after + 1) * before / after
    if after >= before:
        middles = (places[1:] + places[:-1]) / 2
        made = [np.interp(middles, np.arange(before) + 0.5, column) for column in columns.T]
    else:
        sums = np.concatenate([np.zeros((1, columns.shape[1])), columns.cumsum(axis=0)])
        made = [np.diff(np.interp(places, np.arange(before + 1), column)) * after / before for column in sums.T]
    return np.stack(made, axis=1).reshape(after, *image.shape[1:])


def wanted(image: np.ndarray, width: int, height: int, covered: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Colors and alphas of 0 to 1, (H, W, c) and (H, W); NaN where nothing counts, or nothing is painted."""
    alpha = image[..., -1] / 65535
    counts = (covered | (alpha > 0)).astype(float)
    summed = np.concatenate([image[..., :-1] / 65535 * alpha[..., None], alpha[..., None], counts[..., None]], axis=2)
    there = along(np.swapaxes(along(summed, height), 0, 1), width).swapaxes(0, 1)
    with np.errstate(invalid="ignore", divide="ignore"):
        return there[..., :-2] / there[..., -2:-1], there[..., -2] / there[..., -1]


@pytest.mark.parametrize("channels", [2, 4])
@pytest.mark.parametrize(
    ("before", "after"),
    [
        ((128, 128), (256, 256)), ((256, 256), (64, 64)), ((192, 128), (128, 192)), ((64, 128), (640, 320)),
        ((448, 64), (64, 64)), ((320, 192), (192, 320)), ((64, 64), (64, 64)), ((128, 64), (128, 192)),
    ],
)  # fmt: skip
def test_a_raster_of_another_size(before, after, channels):
    """Paint of any alpha, with holes, tiles that are absent and places that no face owns."""
    width, height = before
    image = RNG.integers(0, 65536, (height, width, channels), dtype=np.uint16)
    image[RNG.random((height, width)) < 0.3] = 0
    if width > TILE:
        image[:TILE, TILE : 2 * TILE] = 0
    covered = RNG.random((height, width)) < 0.6
    raster = Raster(width, height, channels)
    raster.take(image)
    found = rescaled(raster, *after, covered)
    colors, alphas = wanted(image, *after, covered)
    made = found.read() / 65535
    assert made.shape[:2] == after[::-1]
    np.testing.assert_allclose(made[..., -1], np.nan_to_num(alphas), atol=0.6 / 65535)
    painted = np.nan_to_num(alphas) > 2 / 65535
    np.testing.assert_allclose(made[..., :-1][painted], colors[painted], atol=1.1 / 65535)
    absent = {key for key in np.ndindex(*found.addresses.shape) if key not in found.tiles}
    assert all(not found.read()[r * TILE : (r + 1) * TILE, c * TILE : (c + 1) * TILE].any() for r, c in absent)


def test_nothing_stays_nothing():
    assert not rescaled(Raster(128, 128, 4), 64, 256, np.ones((128, 128), np.bool_)).tiles
