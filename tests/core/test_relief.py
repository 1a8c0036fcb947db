"""Normals from height against closed forms, in real units, unbroken over seams."""

from __future__ import annotations

import numpy as np
import pytest

from nightmist import Document, Pigment

from ..shapes import grid, joined, lay_picture, placed, plane, sphere


def decoded(normals):
    n = normals.astype(float) / 32767.5 - 1
    return n / np.linalg.norm(n, axis=2, keepdims=True)


def with_height(mesh, height, size=(512, 512)):
    """A document whose height is a function of the place in space, (n, 3) -> (n,), on every surface."""
    doc = Document.from_mesh(mesh, "relief", size)
    for surface in doc.surfaces.values():
        layer = surface.layers.add("brushed")
        image = np.zeros((size[1], size[0], 2), np.uint16)
        y, x, places, _ = texels(surface)
        image[y, x, 0] = np.rint(height(places) * 65535)
        image[y, x, 1] = 65535
        lay_picture(doc, layer, "height", image)
    return doc


def texels(surface):
    """Owned texels: y, x, places (n, 3), and unit vectors along rows and columns with their lengths, per texel."""
    owner = surface.layout.ownership.owner()
    y, x = np.nonzero(owner >= 0)
    face = owner[y, x]
    uv = surface.uvs[surface.faces[face]].astype(float) * surface.size
    corners = surface.document.mesh.corners[surface.faces[face]]
    # Of each face: the linear map from texels to space, by solving for it.
    sides = np.stack([uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]], 1)
    space = np.stack([corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]], 1)
    jacobian = np.linalg.solve(sides, space)
    center = np.stack([x + 0.5, y + 0.5], 1)
    # Faces may lie a whole map off.
    off = np.round((uv[:, 0] - center) / surface.size) * surface.size
    places = corners[:, 0] + np.einsum("nk,nkc->nc", center + off - uv[:, 0], jacobian)
    return y, x, places, jacobian


def expected(surface, gradient, depth):
    """Tangent-space normals of the owned texels for an analytic gradient of height, (n, 3) -> (n, 3)."""
    y, x, places, jacobian = texels(surface)
    along = jacobian / np.linalg.norm(jacobian, axis=2, keepdims=True)
    slope = depth * np.einsum("nkc,nc->nk", along, gradient(places))
    normals = np.column_stack([-slope[:, 0], slope[:, 1], np.ones(len(slope))])
    return y, x, normals / np.linalg.norm(normals, axis=1, keepdims=True)


def degrees_off(surface, gradient, depth):
    y, x, wanted = expected(surface, gradient, depth)
    found = decoded(surface.read("normal"))[y, x]
    return np.degrees(np.arccos(np.clip((found * wanted).sum(axis=1), -1, 1)))


def wave(k):
    def height(p):
        return 0.5 + 0.4 * np.sin(p @ k)

    def gradient(p):
        return 0.4 * np.cos(p @ k)[:, None] * k

    return height, gradient


@pytest.mark.parametrize("scale", [(1, 1, 1), (3, 1, 1), (0.1, 0.1, 1)])
def test_a_slope_on_a_plane_has_its_real_angle(scale):
    """A wave of height over a plane of any size and stretch: the normal of the real surface, to its rims."""
    height, gradient = wave(np.array([9, 5, 0]) / np.array(scale))
    doc = with_height(placed(plane(), scale=scale), height)
    surface = doc.surfaces["surface"]
    surface.depth = 0.05 * min(scale[:2])
    off = degrees_off(surface, gradient, surface.depth)
    assert np.median(off) < 0.1
    assert np.quantile(off, 0.98) < 0.5


@pytest.mark.parametrize("shape", ["sphere", "cylinder"])
def test_slopes_on_round_bodies_are_unbroken_over_the_seam(shape):
    """Against the analytic gradient: right in the middle of the map and just as right beside its seam."""
    if shape == "sphere":
        mesh = sphere(96, 48)
    else:
        u, v = np.meshgrid(np.linspace(0, 1, 97), np.linspace(0, 1, 5))
        points = np.stack([np.sin(2 * np.pi * u), 2 * v - 1, np.cos(2 * np.pi * u)], 2)
        points[:, -1] = points[:, 0]
        mesh = grid(np.round(points, 6), np.stack([0.05 + 0.9 * u, 0.9 - 0.8 * v], 2))
    height, gradient = wave(np.array([2.0, 3.0, 4.0]))
    doc = with_height(mesh, height)
    surface = doc.surfaces["surface"]
    surface.depth = 0.2
    off = degrees_off(surface, gradient, 0.2)
    _, _, places, _ = texels(surface)
    calm = np.abs(places[:, 1]) < 0.8
    seam = calm & (np.abs(np.arctan2(places[:, 0], places[:, 2])) < 0.03) & (places[:, 2] > 0)
    assert seam.sum() > 200
    assert np.median(off[calm]) < 0.5
    assert np.quantile(off[seam], 0.95) < 1.5
    assert np.median(off[seam]) < np.median(off[calm]) + 0.4


def test_slopes_agree_where_two_surfaces_of_different_density_meet():
    """A wave runs over the edge between a coarse and a fine surface: both sides show its real slope."""
    left, right = placed(plane(4), move=(-1, 0, 0)), placed(plane(4), move=(1, 0, 0), uv_scale=0.5)
    height, gradient = wave(np.array([6.0, 2.0, 0]))
    doc = with_height(joined(left, right, names=["left", "right"]), height, (256, 256))
    for surface in doc.surfaces.values():
        surface.depth = 0.1
    for surface in doc.surfaces.values():
        off = degrees_off(surface, gradient, 0.1)
        _, _, places, _ = texels(surface)
        edge = (np.abs(places[:, 0]) < 0.03) & (np.abs(places[:, 1]) < 0.9)
        assert edge.sum() > 100
        assert np.quantile(off[edge], 0.95) < 1.0


def test_height_painted_next_door_changes_the_slope_here():
    """Filling the neighbor with another height tilts the texels along the common edge, at once; undo levels them."""
    doc = Document.from_mesh(
        joined(placed(plane(4), move=(-1, 0, 0)), placed(plane(4), move=(1, 0, 0)), names=["left", "right"]),
        "x",
        (128, 128),
    )
    coat = doc.surfaces["right"].layers.add("brushed")
    assert (doc.surfaces["left"].read("normal") == [32768, 32768, 65535]).all()
    doc.fill(coat, Pigment(height=0.9), "right")
    tilted = (doc.surfaces["left"].read("normal") != [32768, 32768, 65535]).any(axis=2)
    assert tilted.any()
    _, columns = np.nonzero(tilted & doc.surfaces["left"].layout.ownership.covered())
    assert columns.min() == columns.max()  # one column of texels, at the edge
    doc.undo()
    assert (doc.surfaces["left"].read("normal") == [32768, 32768, 65535]).all()


def test_next_to_faces_without_area_in_the_map_the_ground_is_level():
    """What lies in the gaps of the neighbor's map is no height of anything."""
    mesh = joined(placed(plane(4), move=(-1, 0, 0)), placed(plane(4), move=(1, 0, 0)), names=["left", "right"])
    beside = (mesh.face_surface == 1) & (mesh.corners[..., 0].min(axis=1) < 1e-6)
    assert beside.sum() == 8
    mesh.uvs[0][beside, :, 0] = 0.01
    doc = Document.from_mesh(mesh, "x", (128, 128))
    coat = doc.surfaces["right"].layers.add("brushed")
    # Some relief, so that slopes are asked for at all.
    doc.fill(coat, Pigment(height=0.7), region=np.flatnonzero(mesh.corners[..., 0].min(axis=1) > 0.9))
    for height in (1.0, 0.5):
        doc.set_start("right", doc.surfaces["right"].value.start.but(height=height))
        assert (doc.surfaces["left"].read("normal") == [32768, 32768, 65535]).all()


def test_depth_turns_relief_around():
    """A negative depth digs what was raised: x and y of the normal change sign. None levels it."""
    height, _ = wave(np.array([6.0, 2.0, 0]))
    doc = with_height(plane(), height, (128, 128))
    surface = doc.surfaces["surface"]
    surface.depth = 0.1
    raised = decoded(surface.read("normal"))
    surface.depth = -0.1
    dug = decoded(surface.read("normal"))
    assert np.abs(raised[..., 0] + dug[..., 0]).max() < 1e-3
    assert np.abs(raised[..., 1] + dug[..., 1]).max() < 1e-3
    surface.depth = 0
    assert np.abs(decoded(surface.read("normal")) - [0, 0, 1]).max() < 1e-4


def test_green_points_up():
    """Height that rises upwards in the picture tilts the normal down, in the +Y convention of glTF."""
    doc = with_height(plane(), lambda p: 0.5 + 0.3 * p[:, 1], (128, 128))
    doc.surfaces["surface"].depth = 0.5
    assert decoded(doc.surfaces["surface"].read("normal"))[64, 64, 1] < -0.1
