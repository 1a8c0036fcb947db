"""Fills against every sample of every texel tested one by one, gutters and gradients included."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist.core.brush import Coverage, Dabs
from nightmist.core.brush.falloff import falloff_table
from nightmist.core.errors import NightmistError
from nightmist.core.kernels import address_of
from nightmist.core.texels import TILE
from nightmist.core.texels.gutter import Gutter
from nightmist.core.texels.ownership import own_texels
from nightmist.core.texels.tile_mask import TileMask
from nightmist.core.tools import lay_gradient
from nightmist.core.tools.fill_mask import color_mask, faces_mask

from ..shapes import SHAPES, plane, sphere
from .brute import owners

WIDTH, HEIGHT = 256, 128


def dense(mask: TileMask) -> np.ndarray:
    image = np.zeros((HEIGHT, WIDTH))
    columns = WIDTH // TILE
    for tile, part in zip(mask.area.tiles, mask.parts[0], strict=True):
        y, x = tile // columns * TILE, tile % columns * TILE
        image[y : y + TILE, x : x + TILE] = part
        assert part.any(), "tiles that are closed are left out"
        assert mask.addresses[tile] == address_of(part)
    return image


def tables(mesh):
    own = own_texels(mesh, np.arange(len(mesh.faces)), mesh.uvs[0], WIDTH, HEIGHT)
    return own, Gutter(own.covered(), 6)


@pytest.mark.parametrize("share", [0.1, 0.5, 1.0])
@pytest.mark.parametrize("shape", SHAPES)
def test_faces_are_covered_sample_by_sample(shape, share):
    """The share of a texel's covered samples that chosen faces hold; gutters as the texel that they repeat."""
    mesh = SHAPES[shape]()
    own, gutter = tables(mesh)
    chosen = np.flatnonzero(np.random.default_rng(3).random(len(mesh.faces)) < share)
    mine, every = np.zeros((2 * HEIGHT, 2 * WIDTH), bool), np.zeros((2 * HEIGHT, 2 * WIDTH), bool)
    doubt = np.zeros_like(mine)
    for face, texels, _, inside in owners(mesh, 2 * WIDTH, 2 * HEIGHT):
        y, x = texels.T
        np.logical_or.at(every, (y, x), inside >= 0)
        np.logical_or.at(mine, (y, x), (inside >= 0) & (face in chosen))
        np.logical_or.at(doubt, (y, x), np.abs(inside) < 1e-6)
    counts = [image.reshape(HEIGHT, 2, WIDTH, 2).sum(axis=(1, 3)) for image in (mine, every, doubt)]
    wanted = counts[0] / np.maximum(counts[1], 1)
    found = dense(faces_mask(mesh, mesh.uvs[0], own, gutter, chosen))
    inside = own.covered()
    sure = inside & (counts[2] == 0) & (counts[1] > 0)
    assert np.abs(found - wanted)[sure].max() < 1e-6
    assert sure.sum() > 0.8 * inside.sum()
    pairs, _ = gutter.by_target
    assert (found.ravel()[pairs[:, 0]] == found.ravel()[pairs[:, 1]]).all()
    beyond = ~inside
    beyond.ravel()[pairs[:, 0]] = False
    assert not found[beyond & (counts[1] == 0)].any()
    assert found.max() == 1


def test_no_faces_cover_nothing():
    mesh = plane()
    mask = faces_mask(mesh, mesh.uvs[0], *tables(mesh), np.zeros(0, np.int64))
    assert not mask.addresses.any()
    assert mask.elsewhere == 0


@pytest.mark.parametrize("shape", ["plane", "sphere"])
def test_a_mask_of_faces_confines_dabs(shape):
    """Coverage through the mask is coverage times its shares, in every texel; nothing where the mask has no tile."""
    mesh = SHAPES[shape]()
    own, gutter = tables(mesh)
    mask = faces_mask(mesh, mesh.uvs[0], own, gutter, np.arange(len(mesh.faces) // 2))
    low, high = mesh.bounds
    center = mesh.positions[mesh.faces[len(mesh.faces) // 2 - 1]].mean(axis=0, dtype=np.float64)
    radius = 0.4 * np.linalg.norm(high - low)
    found = []
    for gate in (None, mask):
        dabs = Dabs(center[None], np.array([[0.0, 0, 1]]), np.array([radius]), np.ones(1), np.zeros(1), 180, False,
                    falloff_table("smooth"))  # fmt: skip
        coverage = Coverage(own)
        coverage.add(dabs, gate)
        image = np.zeros((HEIGHT, WIDTH))
        for tile, part in coverage.tiles.items():
            y, x = tile // own.columns * TILE, tile % own.columns * TILE
            image[y : y + TILE, x : x + TILE] = part
        found.append(image)
    assert (found[0] > 0).sum() > 1.5 * (found[1] > 0).sum() > 0
    assert np.abs(found[0] * dense(mask) - found[1]).max() < 1e-6


@pytest.mark.parametrize(("tolerance", "softness"), [(0, 0), (0.1, 0), (1, 0), (0, 0.3), (0.1, 0.2)])
def test_texels_of_one_color(tolerance, softness):
    """All channels within the tolerance, from there less and less; gutters as the texel that they repeat."""
    own, gutter = tables(plane())
    image = np.random.default_rng(8).integers(0, 65536, (HEIGHT, WIDTH, 4)).astype(np.uint16)
    image[20:50, 30:60] = image[10, 10]
    off = np.abs(image[..., :3].astype(int) - image[10, 10, :3]).max(axis=2) / 65535
    wanted = np.interp(off, [tolerance + 1e-5, tolerance + softness + 2e-5], [1, 0])
    found = dense(color_mask(image, [int(c) for c in image[10, 10, :3]], tolerance, own, gutter, softness))
    pairs, _ = gutter.by_target
    wanted.ravel()[pairs[:, 0]] = wanted.ravel()[pairs[:, 1]]
    assert np.abs(found - wanted).max() < 2e-4


@pytest.mark.parametrize("shape", ["plane", "sphere", "repeating"])
def test_a_gradient_is_the_projection_on_its_line(shape):
    """By position, clamped at both ends; texels that no face owns, and other tiles, are left alone."""
    mesh = SHAPES[shape]()
    own, _ = tables(mesh)
    columns = WIDTH // TILE
    tiles = {int(t): np.full((TILE, TILE, 4), 7, np.uint16) for t in own.used_tiles}
    table = np.zeros(len(own.tile_start) - 1, np.int64)
    for tile, texels in tiles.items():
        table[tile] = address_of(texels)
    start, end = np.array([-0.6, 0.3, 0.1]), np.array([0.5, -0.2, 0.4])
    values = ((0.1, 0.9, 0.5), (0.7, 0.2, 0.5))
    lay_gradient(own, np.zeros(len(own.faces), np.uint8), start, end, own.used_tiles, table, values)
    found = np.zeros((HEIGHT, WIDTH, 4), np.uint16)
    for tile, texels in tiles.items():
        found[
            tile // columns * TILE : tile // columns * TILE + TILE, tile % columns * TILE : tile % columns * TILE + TILE
        ] = texels
    seen = 0
    owner = own.owner()
    for face, texels, positions, inside in owners(mesh, WIDTH, HEIGHT):
        y, x = texels[inside > 1e-6].T
        mine = own.faces[np.maximum(owner[y, x], 0)] == face
        share = np.clip((positions[inside > 1e-6] - start) @ (end - start) / ((end - start) @ (end - start)), 0, 1)
        wanted = (np.array(values[0]) + share[:, None] * np.subtract(values[1], values[0])) * 65535
        assert np.abs(found[y[mine], x[mine], :3] - wanted[mine]).max(initial=0) <= 0.6
        assert (found[y, x, 3] == 65535).all()
        seen += mine.sum()
    assert seen > 2000
    touched = np.isin(np.arange(len(table)), own.used_tiles).reshape(HEIGHT // TILE, -1).repeat(TILE, 0).repeat(TILE, 1)
    assert (found[(owner < 0) & touched] == 7).all()


def test_a_gradient_needs_two_points():
    own, _ = tables(sphere())
    with pytest.raises(NightmistError, match="two different points"):
        lay_gradient(
            own,
            np.zeros(len(own.faces), np.uint8),
            (1, 2, 3),
            (1, 2, 3),
            own.used_tiles,
            np.zeros(8, np.int64),
            ((0,), (1,)),
        )
