"""What coverage does to pixels, and compositing: against float64 formulas and against skia."""

from __future__ import annotations

import numpy as np
import pytest
import skia

from nightmist.core.compose import BLEND_MODES, Sheet, compose_color, compose_value
from nightmist.core.kernels import address_of
from nightmist.core.texels import Raster, TileArea
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
    """Straight-alpha source-over (F5), rounded once, for color and for values."""
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


def raster(image) -> Raster:
    made = Raster(64, 64, image.shape[2])
    made.put((0, 0), image.copy())
    return made


SKIA = {
    "normal": "kSrcOver", "color-dodge": "kColorDodge", "color-burn": "kColorBurn", "hard-light": "kHardLight",
    "soft-light": "kSoftLight", "multiply": "kMultiply", "add": None, "subtract": None,
}  # fmt: skip


@pytest.mark.parametrize("mode", [m for m in BLEND_MODES if SKIA.get(m, "") is not None])
def test_blend_modes_agree_with_skia(mode):
    """Each W3C mode with alpha and opacity over an opaque backdrop, to skia's float rounding of 8 bits."""
    colors = RNG.integers(0, 256, (64, 64, 4), dtype=np.uint8)
    back = RNG.integers(0, 256, 3)
    out = np.zeros((64, 64, 4), np.uint16)
    sheet = Sheet(raster(colors.astype(np.uint16) * 257), 0.8, mode)
    compose_color([sheet], tuple(back / 255), AREA, out)
    name = SKIA.get(mode) or "k" + mode.title()
    surface = skia.Surface.MakeRaster(skia.ImageInfo.Make(64, 64, skia.kRGBA_F32_ColorType, skia.kPremul_AlphaType))
    canvas = surface.getCanvas()
    canvas.clear(skia.Color4f(*(back / 255), 1))
    image = skia.Image.fromarray(colors, skia.kRGBA_8888_ColorType, skia.kUnpremul_AlphaType)
    paint = skia.Paint(BlendMode=getattr(skia.BlendMode, name))
    paint.setAlphaf(0.8)
    canvas.drawImage(image, 0, 0, skia.SamplingOptions(), paint)
    wanted = np.frombuffer(surface.makeImageSnapshot().tobytes(), np.float32).reshape(64, 64, 4)
    difference = np.abs(out[..., :3] / 65535 - wanted[..., :3])
    # skia multiplies dodge's and burn's alpha in before dividing; near their poles that costs precision.
    assert np.quantile(difference, 0.999) < 2.5 / 255
    assert difference.mean() < 0.5 / 255


def test_add_and_subtract_stop_at_the_ends():
    """Add and subtract, for data maps, clamp to 0-1."""
    sheet = np.zeros((64, 64, 2), np.uint16)
    sheet[..., 0], sheet[..., 1] = 40000, 65535
    out = np.zeros((64, 64, 4), np.uint16)
    for mode, start, wanted in (
        ("add", 0.2, 53107),
        ("add", 0.7, 65535),
        ("subtract", 0.9, 18982),
        ("subtract", 0.2, 0),
    ):
        compose_value([Sheet(raster(sheet), 1.0, mode)], start, AREA, out, 1)
        assert abs(int(out[3, 3, 1]) - wanted) <= 1


def test_layers_composite_in_order_and_only_in_the_area():
    """Two half-covering layers over a start value, bottom first; texels outside the area keep their value."""
    sheets = []
    for value in (0, 65535):
        image = np.zeros((64, 64, 2), np.uint16)
        image[..., 0], image[..., 1] = value, 32768
        sheets.append(Sheet(raster(image)))
    out = np.full((64, 64, 4), 7, np.uint16)
    area = TileArea(np.array([0], np.int32), np.array([[8, 16, 4, 60]], np.int32))
    compose_value(sheets, 1.0, area, out, 2)
    assert abs(int(out[8, 4, 2]) - 49151) <= 2
    out[8:16, 4:60, 2] = 7
    assert (out == 7).all()


def test_bytes_for_the_screen_are_rounded_to_the_nearest():
    """Every 16-bit value against exact arithmetic."""
    values = np.arange(65536, dtype=np.uint16).reshape(256, 256)
    assert (to_bytes(values) == np.floor(values * (255 / 65535) + 0.5)).all()
