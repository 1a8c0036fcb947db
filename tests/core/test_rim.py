"""The rim beside islands against the plain geometry of two walls that meet at an edge."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Camera, Document, Pigment, Tip

from ..shapes import grid, joined, lay_picture

SIDE = 256
LOW = 0.1
#: Where each wall lies in the map: its share of it along a side.
SHARES = (0.8, 0.43)


def bent_walls(low=LOW, beside=None):
    """Two squares of side 2 that meet at x = 0 in a right angle: two surfaces, the right one in smaller texels.

    beside: where in the left one's map a strip begins that lies apart from both.
    """
    s = np.linspace(0, 1, 5)
    x, y = np.meshgrid(s, s)
    uv = [low + share * np.stack([x, y], 2) for share in SHARES]
    left = grid(np.stack([2 * x - 2, 1 - 2 * y, 0 * x], 2), uv[0])
    right = grid(np.stack([0 * x, 1 - 2 * y, -2 * x], 2), uv[1])
    if beside is not None:
        strip = np.stack([beside + 0.05 * x, low + SHARES[0] * y], 2)
        left = joined(left, grid(np.stack([x + 5, 1 - 2 * y, 0 * x], 2), strip))
    return Document.from_mesh(joined(left, right, names=["left", "right"]), "bent", (SIDE, SIDE))


def unfolded(which: int):
    """(SIDE, SIDE, 2) of each texel's middle where both walls are laid flat: x from -2 to 2, y from -1 to 1."""
    at = ((np.arange(SIDE) + 0.5) / SIDE - LOW) / SHARES[which]
    x, y = np.meshgrid(at, at)
    return np.stack([2 * x - 2 + 2 * which, 1 - 2 * y], 2)


def colored(doc, value):
    """The document with a function of the unfolded place, 0-1, as color and roughness of each wall."""
    for which, name in enumerate(("left", "right")):
        layer = doc.surfaces[name].layers.add("brushed")
        shade = np.rint(value(unfolded(which)) * 65535).astype(np.uint16)
        full = np.full_like(shade, 65535)
        lay_picture(doc, layer, "base_color", np.stack([shade, shade // 2, full - shade, full], 2))
        lay_picture(doc, layer, "roughness", np.stack([shade, full], 2))
    doc.refresh()
    return doc


def beside_the_edge(doc, name, which):
    """Texels next to the edge of a wall, outside of it, and those inside that are next to them."""
    covered = doc.surfaces[name].layout.ownership.covered()
    rows = np.flatnonzero(covered.any(axis=1))[3:-3]
    column = np.flatnonzero(covered.any(axis=0))[-1 if which == 0 else 0]
    return (rows, column + (1 if which == 0 else -1)), (rows, column)


@pytest.mark.parametrize(("name", "which"), [("left", 0), ("right", 1)])
def test_a_slope_goes_on_over_the_edge_as_on_flat_ground(name, which):
    """Linear in the unfolded walls, though texels of both differ in size: the rim has it within 8 of 65535.

    Shares below a 2048th are left out.
    """

    def value(at):
        return 0.5 + 0.11 * at[..., 0] + 0.07 * at[..., 1]

    doc = colored(bent_walls(), value)
    rim, _ = beside_the_edge(doc, name, which)
    wanted = value(unfolded(which)[rim]) * 65535
    assert np.abs(doc.surfaces[name].read("base_color")[rim][:, 0] - wanted).max() <= 8
    assert np.abs(doc.surfaces[name].read("roughness")[rim] - wanted).max() <= 8


@pytest.mark.parametrize(("name", "which", "texels"), [("left", 0, 24), ("right", 1, 12)])
def test_waves_along_the_edge_are_as_high_on_both_sides(name, which, texels):
    """Waves of so many texels of this wall; lines between the other's texels would be off by up to amp · bend / 8."""
    texel, waves = 2 / SIDE / SHARES[which], 2 * np.pi / (texels * 2 / SIDE / SHARES[which])

    def value(at):
        return 0.5 + 0.2 * np.sin(waves * at[..., 1])

    doc = colored(bent_walls(), value)
    rim, _ = beside_the_edge(doc, name, which)
    wanted = value(unfolded(which)[rim]) * 65535
    other = texel * SHARES[which] / SHARES[1 - which]
    straight = 0.2 * 65535 * (waves * other) ** 2 / 8
    assert np.abs(doc.surfaces[name].read("base_color")[rim][:, 0] - wanted).max() <= straight / 2


@pytest.mark.parametrize("gap", [1, 2, 3])
def test_an_island_behind_a_narrow_gap_has_no_share(gap):
    """So many texels beside the left wall's edge lies one that meets neither: the right one's rim is the same."""
    begin = 230 + gap

    def rim_of_right(shade):
        def value(at):
            strip = (np.arange(SIDE) >= begin) & (at[:1, :1, 0] < -2)
            return np.where(strip, shade, 0.5 + 0.1 * np.sin(40 * at[..., 1]))

        doc = colored(bent_walls(beside=begin / SIDE), value)
        rim, _ = beside_the_edge(doc, "right", 1)
        return doc.surfaces["right"].read("base_color")[rim]

    assert (rim_of_right(0.0) == rim_of_right(1.0)).all()


@pytest.mark.parametrize("grain", [0.0, 0.02])
def test_an_edge_between_two_fills_is_not_blurred(grain):
    """Dark on one wall, light on the other, one of them grainy: each rim repeats its own wall to the bit."""
    noise = np.random.default_rng(1).uniform(-grain, grain, (SIDE, SIDE))
    doc = colored(bent_walls(), lambda at: np.where(at[..., 0] < 0, 0.4, 0.7 + noise))
    for which, name in enumerate(("left", "right")):
        rim, inside = beside_the_edge(doc, name, which)
        picture = doc.surfaces[name].read("base_color")
        assert (picture[rim] == picture[inside]).all()


def test_the_surfaces_own_border_repeats_what_is_inside():
    doc = colored(bent_walls(), lambda at: 0.5 + 0.2 * at[..., 0])
    covered = doc.surfaces["left"].layout.ownership.covered()
    first, rows = int(covered.any(axis=0).argmax()), np.flatnonzero(covered.any(axis=1))[3:-3]
    picture = doc.surfaces["left"].read("base_color")
    assert (picture[rows, first - 1] == picture[rows, first]).all()


def same_as_anew(doc) -> bool:
    """Whether what was worked out bit by bit is what a whole evaluation gives."""
    doc.refresh()
    kept = {surface.name: surface.read("base_color").copy() for surface in doc.surfaces.values()}
    doc.forget_composites()
    doc.refresh()
    return all((doc.surfaces[name].read("base_color") == picture).all() for name, picture in kept.items())


@pytest.mark.parametrize("low", [LOW, 0.75])
def test_strokes_and_moved_islands_leave_the_rim_that_a_whole_evaluation_gives(low):
    """Piece by piece on either side of the edge, undone, UVs of one wall changed: to the bit what is made anew.

    Once with islands that go on over the map's border.
    """
    doc = bent_walls(low)
    layers = {name: doc.surfaces[name].layers.add("brushed") for name in ("left", "right")}
    camera = Camera.look_at((-3, 0.5, 1.5), (0, 0, -0.5), 50, (400, 300))
    rng = np.random.default_rng(3)
    for radius in (4, 30):
        stroke = doc.begin_stroke(
            layers, camera, Tip(radius=radius, hardness=0.3), Pigment(base_color="#aa3311", roughness=0.2)
        )
        for _ in range(6):
            stroke.extend([(*(rng.uniform(0.3, 0.7, 2) * [400, 300]), 1.0)])
            # As for a small picture of the model, which needs no gutter: what that leaves, comes later.
            doc.refresh_insides()
            if rng.random() < 0.5:
                doc.refresh()
        doc.finish_stroke(stroke)
        assert same_as_anew(doc)
    doc.undo()
    assert same_as_anew(doc)
    doc.unwrap("right", method="box")
    assert same_as_anew(doc)
    doc.undo()
    assert same_as_anew(doc)


def test_any_texel_near_a_seam_may_change_its_rim():
    """Dabs of single texels up to eight off the edge, on a slope: after each all is to the bit what is made anew."""
    doc = colored(bent_walls(), lambda at: 0.5 + 0.2 * at[..., 0])
    rng = np.random.default_rng(4)
    for _ in range(60):
        name, which = (("left", 0), ("right", 1))[rng.integers(2)]
        (rows, column), _ = beside_the_edge(doc, name, which)
        away = int(rng.integers(1, 9))
        place = column + (-away if which == 0 else away) + 0.5, rng.choice(rows) + 0.5
        stroke = doc.begin_stroke(
            {name: doc.surfaces[name].layers[0]}, None, Tip(radius=0.7, hardness=1.0, strength=rng.uniform(0.1, 0.6)),
            Pigment(base_color="#aa3311"), in_map=name,
        )  # fmt: skip
        stroke.extend([(*place, 1.0)])
        doc.finish_stroke(stroke)
        assert same_as_anew(doc)
