"""Trees whose maps look at each other (mixes by height, adjustments), against a plain reference in float64."""

from __future__ import annotations

import colorsys

import numpy as np
import pytest

from nightmist.core.compose import Adjust, Group, MapUse, Mask, Mix, Painted, compiled, evaluate
from nightmist.core.compose.adjust import curve, levels, table_effect, tone_effect
from nightmist.core.compose.program import MAP_ORDER
from nightmist.core.compose.surroundings import Room, Surroundings

from .test_compose import NON_SEPARABLE, SIZE, START, WHOLE, over, pictures, random_raster, shares

LUMA = [0.2126, 0.7152, 0.0722]
#: Without the steep modes: their poles are measured with plain trees.
MODES = ("normal", "multiply", "screen", "overlay", "difference", "soft-light", "color", "add")
KINDS = ("levels", "curve", "gray", "tone")


def random_adjust(rng, **options):
    kind = str(rng.choice(KINDS))
    if kind == "tone":
        turned = {"base_color": tone_effect(*rng.uniform((-180, -1, -0.3), (180, 1, 0.3)))}
        return Adjust(turned, 4, **options), (kind, turned["base_color"].astype(float))
    table = levels(0.1, 0.8, rng.uniform(0.5, 2)) if kind == "levels" else curve(((0, 0.3), (0.4, 0.9), (1, 0.2)))
    names = [name for name in MAP_ORDER if rng.random() < 0.6 and (kind != "gray" or name != "base_color")]
    return Adjust({name: table_effect(table, kind == "gray") for name in names}, 4, **options), (kind, table)


def random_node(rng, depth, adjusts):
    maps = {
        name: MapUse(bool(rng.random() < 0.8), rng.random(), str(rng.choice(MODES)))
        for name in MAP_ORDER
        if rng.random() < 0.3
    }
    mask = Mask(random_raster(rng, 2) if rng.random() < 0.7 else None, rng.random()) if rng.random() < 0.7 else Mask()
    options = {"amount": rng.random(), "blend": str(rng.choice(MODES)), "maps": maps, "mask": mask}
    if rng.random() < 0.3:
        node, effect = random_adjust(rng, **options)
        adjusts[id(node)] = effect
        return node
    mix = Mix(*rng.uniform((0.05, -0.5, -1), (0.5, 0.5, 1))) if rng.random() < 0.6 else None
    if depth < 2 and rng.random() < 0.4:
        return Group([random_node(rng, depth + 1, adjusts) for _ in range(rng.integers(1, 4))], mix=mix, **options)
    held = [name for name in MAP_ORDER if rng.random() < 0.8]
    rasters = {name: random_raster(rng, 4 if name == "base_color" else 2) for name in held}
    return Painted(rasters, mix=mix, **options)


def use_of(node, name):
    use = node.maps.get(name, MapUse(True, 1.0, node.blend))
    mode = "normal" if use.blend in NON_SEPARABLE and name != "base_color" else use.blend
    return use.on, node.amount * use.amount, mode


def bent(mix, m, below, own):
    """The mask after the relief below, and how far the border stands up."""
    reach = mix.softness + abs(mix.influence) / 2
    low, high = -reach, 1 + reach
    reached = low + (high - low) * m + mix.influence * (own - 0.5)
    t = np.clip((reached - below + mix.softness) / (2 * mix.softness), 0, 1)
    share = t * t * (3 - 2 * t)
    return share, mix.border * share * np.clip(reached - below, 0, mix.softness) * (1 - m)


def cover(node, inner):
    """The most that any of its maps covers."""
    return np.max([part for name, (_, part) in inner.items() if use_of(node, name)[0]], axis=0)


def as_met(held):
    """Heights as a neighbor sees them: the untouched surface's where nothing lies."""
    value, alpha = held
    return 0.5 + (value[..., 0] - 0.5) * alpha


def turned(effect, color):
    """HLS of the standard library, color by color."""
    _, hue, saturation, light = effect
    made = np.empty_like(color)
    for at in np.ndindex(color.shape[:2]):
        h, li, s = colorsys.rgb_to_hls(*color[at])
        made[at] = colorsys.hls_to_rgb((h + hue) % 1, np.clip(li + light, 0, 1), np.clip(s * saturation, 0, 1))
    return made


def adjusted(node, effect, state):
    """The state after an adjustment; transparent color stays transparent, gray lays values where there is color."""
    kind, numbers = effect
    found = dict(state)
    color, opaque = state["base_color"]
    grid = np.linspace(0, 1, len(numbers))
    for name in node.effects:
        on, amount, _ = use_of(node, name)
        if not on:
            continue
        value, alpha = state[name]
        share = (shares(node.mask) * amount)[..., None]
        if kind == "gray":
            share = share * opaque[..., None]
            premultiplied = value * alpha[..., None]
            premultiplied = premultiplied + (np.interp(color @ LUMA, grid, numbers)[..., None] - premultiplied) * share
            alpha = alpha + (1 - alpha) * share[..., 0]
            found[name] = premultiplied / np.where(alpha > 0, alpha, 1)[..., None], alpha
            continue
        made = turned(numbers, value) if kind == "tone" else np.interp(value, grid, numbers)
        found[name] = value + (made - value) * share, alpha
    return found


def reference(nodes, adjusts, state):
    """state: by map straight values (h, w, c) and alpha (h, w)."""
    for node in nodes:
        if isinstance(node, Adjust):
            state = adjusted(node, adjusts[id(node)], state)
            continue
        empty = {name: (np.zeros_like(value), np.zeros(SIZE)) for name, (value, _) in state.items()}
        if isinstance(node, Group):
            inner = reference(node.nodes, adjusts, empty)
        else:
            images = {name: one.read() / 65535 for name, one in node.rasters.items()}
            inner = empty | {name: (one[..., :-1], one[..., -1]) for name, one in images.items()}
        mask, raised = shares(node.mask), None
        if node.mix is not None and (node.mask.raster is not None or node.mask.start < 1):
            mask, raised = bent(node.mix, mask, as_met(state["height"]), as_met(inner["height"]))
        found = {}
        for name, (back, alpha) in state.items():
            on, amount, mode = use_of(node, name)
            source, part = inner[name]
            found[name] = over(mode, back, alpha, source, part * amount * mask) if on else (back, alpha)
        on, lift, _ = use_of(node, "height")
        if raised is not None and on:
            height, alpha = found["height"]
            lifted = height + (raised * cover(node, inner) * lift)[..., None]
            found["height"] = np.clip(lifted, 0, 1), alpha
        state = found
    return state


@pytest.mark.parametrize("seed", range(12))
def test_random_trees_with_mixes_and_adjustments_equal_the_reference(seed):
    rng = np.random.default_rng(seed)
    adjusts = {}
    nodes = [random_node(rng, 0, adjusts) for _ in range(4)]
    parts = [START[:3], *([number] for number in START[3:])]
    start = {
        name: (np.broadcast_to(np.array(part), (*SIZE, len(part))), np.ones(SIZE))
        for name, part in zip(MAP_ORDER, parts, strict=True)
    }
    right = reference(nodes, adjusts, start)
    color, values = pictures()
    program = compiled(nodes)
    assert program.coupled
    evaluate(program, START, WHOLE, color, values)
    for found, wanted in (
        (color, right["base_color"][0]),
        (values, np.concatenate([right[name][0] for name in MAP_ORDER[1:]], -1)),
    ):
        away = np.abs(found.read()[..., : wanted.shape[-1]] - wanted * 65535)
        # Groups divide by thin alphas, and saturation by what is nearly gray: float32 shows there.
        assert np.quantile(away, 0.99) <= 1.0
        assert (away > 8).mean() < 2e-3


@pytest.mark.parametrize("seed", range(4))
def test_what_lies_around_a_coupled_stroke_is_kept_without_a_trace(seed):
    """With everything around one node worked out once, the bits are those of a whole evaluation."""
    rng = np.random.default_rng(50 + seed)
    nodes = [random_node(rng, 0, {}) for _ in range(7)]
    program = compiled(nodes)
    plain, kept = pictures(), pictures()
    evaluate(program, START, WHOLE, *plain)
    around = Surroundings(program, START, len(compiled(nodes[:3])), len(compiled(nodes[:4])), len(WHOLE), Room(1 << 24))
    for _ in range(2):
        evaluate(program, START, WHOLE, *kept, around=around)
        for one, other in zip(plain, kept, strict=True):
            assert np.array_equal(one.read(), other.read())
