"""Stacks evaluated tile by tile: against a plain reference in float64, and against skia with transparent backdrops."""

from __future__ import annotations

import numpy as np
import pytest
import skia

from nightmist.core.compose import BLEND_MODES, Group, MapUse, Mask, Painted, compiled, evaluate
from nightmist.core.compose.program import BEND, LAY, MAP_ORDER
from nightmist.core.compose.surroundings import Room, Surroundings
from nightmist.core.compose.unpremultiply import unpremultiplied
from nightmist.core.texels import Raster, TileArea
from nightmist.core.texels.composite_picture import Picture

SIZE = (128, 128)
WHOLE = TileArea.whole(*SIZE)
START = (0.2, 0.5, 0.8, 0.5, 0.6, 0.1, 0.9)
NON_SEPARABLE = ("hue", "saturation", "color", "luminosity")


def raster(image):
    made = Raster(image.shape[1], image.shape[0], image.shape[2])
    made.take(image)
    return made


def random_raster(rng, channels):
    """Texels of any value in some tiles, with corners that are full, empty, black and white."""
    image = rng.integers(0, 65536, (128, 128, channels)).astype(np.uint16)
    image[:8] = rng.choice([0, 65535], (8, 128, channels))
    made = raster(image)
    for key in [(0, 0), (0, 1), (1, 0), (1, 1)]:
        if rng.random() < 0.3:
            made.put(key, None)
    return made


def random_node(rng, depth):
    maps = {
        name: MapUse(bool(rng.random() < 0.8), rng.random(), str(rng.choice(BLEND_MODES)))
        for name in MAP_ORDER
        if rng.random() < 0.4
    }
    mask = Mask(random_raster(rng, 2) if rng.random() < 0.7 else None, rng.random()) if rng.random() < 0.4 else Mask()
    options = {"amount": rng.random(), "blend": str(rng.choice(BLEND_MODES)), "maps": maps, "mask": mask}
    if depth < 3 and rng.random() < 0.35:
        return Group([random_node(rng, depth + 1) for _ in range(rng.integers(0, 4))], **options)
    held = [name for name in MAP_ORDER if rng.random() < 0.7]
    return Painted({name: random_raster(rng, 4 if name == "base_color" else 2) for name in held}, **options)


def pictures(start=START):
    return Picture(*SIZE), Picture(*SIZE)


# The reference: the formulas of W3C Compositing and Blending Level 1, on whole float64 pictures.


def lum(c):
    return c @ [0.3, 0.59, 0.11]


def with_lum(c, wanted):
    c = c + (wanted - lum(c))[..., None]
    middle, low, high = lum(c)[..., None], c.min(-1, keepdims=True), c.max(-1, keepdims=True)
    c = np.where(low < 0, middle + (c - middle) * middle / np.where(low < 0, middle - low, 1), c)
    return np.where(high > 1, middle + (c - middle) * (1 - middle) / np.where(high > 1, high - middle, 1), c)


def with_saturation(c, wanted):
    low, high = c.min(-1, keepdims=True), c.max(-1, keepdims=True)
    return np.where(high > low, (c - low) / np.where(high > low, high - low, 1) * wanted[..., None], 0)


def saturation(c):
    return c.max(-1) - c.min(-1)


def blended(mode, b, s):
    with np.errstate(divide="ignore", invalid="ignore"):
        hard = lambda b, s: np.where(s <= 0.5, 2 * b * s, 1 - 2 * (1 - b) * (1 - s))  # noqa: E731
        d = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(b))
        found = {
            "normal": lambda: s,
            "multiply": lambda: b * s,
            "screen": lambda: b + s - b * s,
            "overlay": lambda: hard(s, b),
            "darken": lambda: np.minimum(b, s),
            "lighten": lambda: np.maximum(b, s),
            "color-dodge": lambda: np.where(b == 0, 0, np.where(s == 1, 1, np.minimum(1, b / (1 - s)))),
            "color-burn": lambda: np.where(b == 1, 1, np.where(s == 0, 0, 1 - np.minimum(1, (1 - b) / s))),
            "hard-light": lambda: hard(b, s),
            "soft-light": lambda: np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (d - b)),
            "difference": lambda: np.abs(b - s),
            "exclusion": lambda: b + s - 2 * b * s,
            "add": lambda: np.minimum(1, b + s),
            "subtract": lambda: np.maximum(0, b - s),
            "raise": lambda: np.clip(b + s - 0.5, 0, 1),
            "hue": lambda: with_lum(with_saturation(s, saturation(b)), lum(b)),
            "saturation": lambda: with_lum(with_saturation(b, saturation(s)), lum(b)),
            "color": lambda: with_lum(s, lum(b)),
            "luminosity": lambda: with_lum(b, lum(s)),
        }
        return found[mode]()


def over(mode, back, back_alpha, source, alpha):
    """Co and αo, both straight; where αo is 0 the color does not matter."""
    b, s = back_alpha[..., None], alpha[..., None]
    mixed = (1 - b) * source + b * blended(mode, back, source)
    out = alpha + back_alpha * (1 - alpha)
    color = (s * mixed + (1 - s) * b * back) / np.where(out > 0, out, 1)[..., None]
    return np.where(out[..., None] > 0, color, 0), out


def shares(mask):
    if mask.raster is None:
        return np.full(SIZE, mask.start)
    image = mask.raster.read() / 65535
    return mask.start + (image[..., 0] - mask.start) * image[..., 1]


def reference(nodes, name, back, alpha):
    for node in nodes:
        use = node.maps.get(name)
        if use is not None and not use.on:
            continue
        mode, amount = (use.blend, node.amount * use.amount) if use else (node.blend, node.amount)
        if mode in NON_SEPARABLE and name != "base_color":
            mode = "normal"
        if isinstance(node, Group):
            source, part = reference(node.nodes, name, np.zeros_like(back), np.zeros(SIZE))
        elif name in node.rasters:
            image = node.rasters[name].read() / 65535
            source, part = image[..., :-1], image[..., -1]
        else:
            continue
        back, alpha = over(mode, back, alpha, source, part * amount * shares(node.mask))
    return back, alpha


def wanted(nodes, start=START):
    color = reference(nodes, "base_color", np.broadcast_to(np.array(start[:3]), (*SIZE, 3)), np.ones(SIZE))[0]
    values = [
        reference(nodes, name, np.full((*SIZE, 1), start[3 + i]), np.ones(SIZE))[0][..., 0]
        for i, name in enumerate(MAP_ORDER[1:])
    ]
    return color, np.stack(values, -1)


@pytest.mark.parametrize("seed", range(12))
def test_random_trees_equal_the_reference(seed):
    """Groups, masks, switches, amounts, every mode: within 1/65535 but near the poles of steep ones."""
    rng = np.random.default_rng(seed)
    nodes = [random_node(rng, 0) for _ in range(4)]
    color, values = pictures()
    evaluate(compiled(nodes), START, WHOLE, color, values)
    for found, right in zip((color.read(), values.read()), wanted(nodes), strict=True):
        away = np.abs(found[..., : right.shape[-1]] - right * 65535)
        # Dodge and burn divide by what may be nearly nothing, and a group by a thin alpha: float32 shows there.
        assert np.quantile(away, 0.99) <= 1.0
        assert (away > 8).mean() < 1e-3
    assert (color.read()[..., 3] == 65535).all()


@pytest.mark.parametrize("mode", BLEND_MODES)
@pytest.mark.parametrize("grouped", [False, True])
def test_each_mode_equals_its_formula(mode, grouped):
    """Two sheets, the upper one in the mode: over an opaque backdrop, and in a group over a transparent one."""
    rng = np.random.default_rng(BLEND_MODES.index(mode))
    lower, upper = (Painted({name: random_raster(rng, 4 if name == "base_color" else 2) for name in MAP_ORDER},
                            amount=0.9, blend=blend) for blend in ("normal", mode))  # fmt: skip
    nodes = [Group([lower, upper], amount=0.7)] if grouped else [lower, upper]
    color, values = pictures()
    evaluate(compiled(nodes), START, WHOLE, color, values)
    for found, right in zip((color.read(), values.read()), wanted(nodes), strict=True):
        assert np.quantile(np.abs(found[..., : right.shape[-1]] - right * 65535), 0.995) <= 1.0


@pytest.mark.parametrize("seed", range(4))
def test_stale_rectangles_equal_the_whole(seed):
    """Evaluated in pieces of any shape and map by map, the pictures are the same to the bit."""
    rng = np.random.default_rng(100 + seed)
    program = compiled([random_node(rng, 0) for _ in range(4)])
    whole, pieces = pictures(), pictures()
    evaluate(program, START, WHOLE, *whole)
    cut, across = int(rng.integers(1, 63)), int(rng.integers(1, 63))
    for rect in ((0, cut, 0, 64), (cut, 64, 0, across), (cut, 64, across, 64)):
        area = TileArea(np.arange(4, dtype=np.int32), np.tile(np.array(rect, np.int32), (4, 1)))
        for name in MAP_ORDER:
            evaluate(program, START, area, *pieces, maps=(name,))
    for one, other in zip(whole, pieces, strict=True):
        assert np.array_equal(one.read(), other.read())


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("left", [2 * 28 * 64 * 64, 1 << 24])
def test_what_lies_around_is_kept_without_a_trace(seed, left):
    """With what lies around worked out once, with room for all of it or not, the bits are the same; roughly, nearly."""
    rng = np.random.default_rng(200 + seed)
    nodes = [random_node(rng, 0) for _ in range(9)]
    program = compiled(nodes)
    plain, kept = pictures(), pictures()
    evaluate(program, START, WHOLE, *plain)
    room = Room(left)
    around = Surroundings(program, START, len(compiled(nodes[:3])), len(compiled(nodes[:4])), len(WHOLE), room)
    for roughly in (True, False, True):
        evaluate(program, START, WHOLE, *kept, around=around, roughly=roughly)
        for one, other in zip(plain, kept, strict=True):
            away = np.abs(one.read().astype(int) - other.read())
            assert away.max() <= 8 if roughly else not away.any()
    assert 0 <= room.left < left or not around.held.any()
    around.let_go()
    assert room.left == left


def test_what_lies_above_is_one_step_where_it_can_be():
    """Layers of affine modes, groups with them, and between them others; a painted node that changes keeps them."""
    rng = np.random.default_rng(300)
    modes = ("normal", "normal", "multiply", "screen", "exclusion", "hue", "overlay", "normal", "screen", "normal")
    nodes = [Painted({"base_color": random_raster(rng, 4)}, amount=0.7, blend=mode) for mode in modes]
    nodes[3] = Group([nodes[3], random_node(rng, 3)], amount=0.6, blend="multiply")
    program = compiled(nodes)
    around = Surroundings(program, START, 1, 2, len(WHOLE), Room(1 << 26))
    kinds = [LAY, BEND, LAY, LAY, BEND]
    assert around.rough.kinds.tolist() == kinds
    for _ in range(2):
        plain, rough = pictures(), pictures()
        evaluate(program, START, WHOLE, *plain)
        evaluate(program, START, WHOLE, *rough, around=around, roughly=True)
        for one, other in zip(plain, rough, strict=True):
            away = np.abs(one.read().astype(int) - other.read())
            assert np.quantile(away, 0.999) <= 1
            assert away.max() <= 8
        bent = around.bends[0].blocks[0].copy()
        nodes[1] = Painted({"base_color": random_raster(rng, 4)}, amount=0.9, blend="luminosity")
        program = compiled(nodes)
        around.meeting(program)
        assert np.array_equal(bent, around.bends[0].blocks[0])


def test_what_is_one_color_takes_no_memory():
    """An empty stack, and a tile filled evenly; a texel painted in it brings its pixels and takes them away again."""
    color, values = pictures()
    evaluate(compiled([]), START, WHOLE, color, values)
    assert color.plain.all()
    assert values.plain.all()
    assert (color.read()[..., :3] == np.round(np.array(START[:3]) * 65535)).all()
    even = np.full((64, 64, 4), 65535, np.uint16)
    layer = Raster(*SIZE, 4)
    layer.put((0, 1), even)
    program = compiled([Painted({"base_color": layer})])
    evaluate(program, START, WHOLE, color, values)
    color.settle(WHOLE.tiles)
    assert color.plain.all()
    assert (color.read()[:64, 64:] == 65535).all()
    before = color.nbytes
    spotted = even.copy()
    spotted[3, 5, :3] = 0
    layer.put((0, 1), spotted)
    evaluate(program, START, WHOLE, color, values)
    color.settle(WHOLE.tiles)
    assert (color.plain == [1, 0, 1, 1]).all()
    assert color.nbytes == before + 64 * 64 * 8
    assert (color.read()[3, 69, :3] == 0).all()
    layer.put((0, 1), even)
    evaluate(program, START, WHOLE, color, values)
    color.settle(WHOLE.tiles)
    assert color.nbytes == before


def test_add_and_subtract_stop_at_the_ends():
    """Add and subtract, for data maps, clamp to 0-1."""
    layer = np.zeros((128, 128, 2), np.uint16)
    layer[..., 0], layer[..., 1] = 40000, 65535
    for mode, start, right in (
        ("add", 0.2, 53107), ("add", 0.7, 65535), ("subtract", 0.9, 18982), ("subtract", 0.2, 0),
    ):  # fmt: skip
        color, values = pictures()
        program = compiled([Painted({"roughness": raster(layer)}, blend=mode)])
        evaluate(program, (*START[:4], start, 0.1, 0.9), WHOLE, color, values)
        assert abs(int(values.read()[3, 3, 1]) - right) <= 1


def test_only_the_area_and_the_maps_asked_for_are_written():
    """Texels outside the area and other maps keep their value."""
    layer = random_raster(np.random.default_rng(1), 2)
    layer.put((0, 0), np.full((64, 64, 2), 65535, np.uint16))
    color, values = Picture(*SIZE, (7, 7, 7, 7)), Picture(*SIZE, (7, 7, 7, 7))
    area = TileArea(np.array([0], np.int32), np.array([[8, 16, 4, 60]], np.int32))
    evaluate(compiled([Painted({"metallic": layer})]), START, area, color, values, ["metallic"])
    found = values.read()
    assert (found[8:16, 4:60, 2] == 65535).all()
    found[8:16, 4:60, 2] = 7
    assert (found == 7).all()
    assert (color.read() == 7).all()


SKIA_MODES = {
    "normal": "kSrcOver", "multiply": "kMultiply", "screen": "kScreen", "overlay": "kOverlay", "darken": "kDarken",
    "lighten": "kLighten", "color-dodge": "kColorDodge", "color-burn": "kColorBurn", "hard-light": "kHardLight",
    "soft-light": "kSoftLight", "difference": "kDifference", "exclusion": "kExclusion", "hue": "kHue",
    "saturation": "kSaturation", "color": "kColor", "luminosity": "kLuminosity",
}  # fmt: skip


@pytest.mark.parametrize("mode", SKIA_MODES)
def test_modes_over_transparent_backdrops_agree_with_skia(mode):
    """A group of two half-transparent pictures over a color, in skia's float pictures: a layer saved and restored."""
    rng = np.random.default_rng(5)
    images = [rng.integers(0, 256, (128, 128, 4), dtype=np.uint8) for _ in range(2)]
    lower, upper = (raster(image.astype(np.uint16) * 257) for image in images)
    group = Group([Painted({"base_color": lower}), Painted({"base_color": upper}, 0.8, mode)], 0.7)
    color, values = pictures()
    evaluate(compiled([group]), START, WHOLE, color, values)
    surface = skia.Surface.MakeRaster(skia.ImageInfo.Make(128, 128, skia.kRGBA_F32_ColorType, skia.kPremul_AlphaType))
    canvas = surface.getCanvas()
    canvas.clear(skia.Color4f(*START[:3], 1))
    outer = skia.Paint()
    outer.setAlphaf(0.7)
    canvas.saveLayer(None, outer)
    for image, blend, amount in zip(images, ("normal", mode), (1.0, 0.8), strict=True):
        paint = skia.Paint(BlendMode=getattr(skia.BlendMode, SKIA_MODES[blend]))
        paint.setAlphaf(amount)
        drawn = skia.Image.fromarray(image, skia.kRGBA_8888_ColorType, skia.kUnpremul_AlphaType)
        canvas.drawImage(drawn, 0, 0, skia.SamplingOptions(), paint)
    canvas.restore()
    right = np.frombuffer(surface.makeImageSnapshot().tobytes(), np.float32).reshape(128, 128, 4)
    difference = np.abs(color.read()[..., :3] / 65535 - right[..., :3])
    # skia multiplies dodge's and burn's alpha in before dividing; near their poles that costs precision.
    assert np.quantile(difference, 0.99) < 2.5 / 255
    assert difference.mean() < 0.5 / 255


def test_premultiplied_numbers_become_straight_texels():
    """Against float64; what lies beyond 0 to 1 is cut, and where alpha rounds to nothing no color is left."""
    rng = np.random.default_rng(11)
    cover = rng.uniform(-0.01, 1.01, (5, 8, 9)).astype(np.float32)
    cover[rng.random(cover.shape) < 0.2] = 4e-6
    for channels in (1, 3):
        colors = (rng.uniform(-0.01, 1.01, (*cover.shape, channels)) * cover[..., None]).astype(np.float32)
        made = unpremultiplied(colors, cover).astype(int)
        alpha = np.clip(cover.astype(np.float64), 0, 1) * 65535
        assert np.abs(made[..., -1] - alpha).max() <= 0.51
        shown = made[..., -1] > 0
        straight = np.clip(colors[shown].astype(np.float64) / cover[shown][:, None], 0, 1) * 65535
        assert np.abs(made[shown][:, :-1] - straight).max() <= 0.52
        assert not made[~shown].any()
