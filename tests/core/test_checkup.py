"""The checkup of UVs on shapes with known answers, and the planner."""

from __future__ import annotations

import numpy as np
import pytest

import nightmist as nm
from nightmist.core.errors import NightmistError
from nightmist.core.mesh.checkup import has_room

from ..shapes import half_unwrapped, joined, overlapped, placed, plane, repeating, uv_report
from .brute import owners

SIDE = 256


def report(mesh, width=SIDE, height=SIDE, island=None):
    return uv_report(mesh, (width, height), island)


def test_sound_uvs_have_no_findings():
    """A plane with a margin: nothing missing, shared, outside, stretched; used share and density exact."""
    found = report(plane())
    assert (found.missing, found.flipped, found.overlap) == (0, 0, 0)
    assert found.outside == pytest.approx(0, abs=1e-12)
    assert found.used == pytest.approx(0.81, abs=0.01)
    assert found.density == pytest.approx((0.45 * SIDE,) * 3, rel=1e-4)
    assert found.stretch == pytest.approx((1, 1), rel=1e-4)
    assert found.findings() == []


@pytest.mark.parametrize("scale", [(3, 1), (1, 0.25), (5, 5)])
def test_density_and_stretch_of_scaled_planes(scale):
    """Density falls with the root of the area, stretch is the ratio of the sides."""
    found = report(placed(plane(), scale=(*scale, 1)))
    assert found.density[1] == pytest.approx(0.45 * SIDE / np.sqrt(scale[0] * scale[1]), rel=1e-3)
    assert found.stretch[1] == pytest.approx(max(scale) / min(scale), rel=1e-3)


def test_faces_without_uvs_or_without_area_have_no_room():
    """Three corners apart have; NaN, all in one place and all on one line have not."""
    apart, line, nan = [[1, 1], [9, 1], [1, 9]], [[1, 1], [5, 5], [9, 9]], [[1, 1], [9, 1], [np.nan, 9]]
    assert has_room(np.array([apart, line, nan, [[3, 3]] * 3, apart[::-1]], float)).tolist() == [
        True,
        *[False] * 3,
        True,
    ]
    assert report(half_unwrapped()).missing == 0.5


def test_oblong_maps_stretch_square_uvs():
    """The same UVs on a map twice as wide have twice the texels one way: stretch 2."""
    assert report(plane(), 512, 256).stretch[0] == pytest.approx(2, rel=1e-4)


def test_shared_texels_are_counted():
    """Two squares on the same texels share all; moved by half, the share agrees with brute force."""
    assert report(overlapped()).overlap == 1
    half = joined(placed(plane(), uv_scale=0.5), placed(plane(), move=(3, 0, 0), uv_scale=0.5, uv_move=(0.2, 0)))
    count = np.zeros((SIDE, SIDE), int)
    for part in (range(len(half.faces) // 2), range(len(half.faces) // 2, len(half.faces))):
        hit = np.zeros((SIDE, SIDE), bool)
        for face, texels, _, inside in owners(half, SIDE, SIDE):
            if face in part:
                y, x = texels[inside >= 0].T
                hit[y, x] = True
        count += hit
    wanted = (count > 1).sum() / (count > 0).sum()
    assert report(half).overlap == pytest.approx(wanted, abs=0.005)
    assert "shared" in report(half).findings()[0]


def test_deep_piles_hide_no_other():
    """Nine squares on the upper half and two on the lower share all, and each is told with its own."""
    upper = [placed(plane(1, 0, 1), move=(3 * k, 0, 0), uv_scale=(1, 0.5)) for k in range(9)]
    lower = [placed(plane(1, 0, 1), move=(3 * k, 3, 0), uv_scale=(1, 0.25), uv_move=(0, 0.6)) for k in range(2)]
    mesh = joined(*upper, *lower)
    faces = np.arange(len(mesh.faces))
    found = report(mesh, 1024, 1024, island=faces // 2)
    assert found.overlap == 1
    assert found.sharing == (tuple(range(0, 18, 2)), (18, 20))
    assert found.found[0].sentence.startswith("100% of the painted texels are shared by 11 islands")
    assert set(found.found[0].faces) == set(faces)


@pytest.mark.parametrize(
    ("apart", "side"), [(1, 256), (12, 256), (20, 256), (40, 256), (60, 256), (60, 4096), (200, 4096)]
)
def test_the_gap_between_islands_is_counted_in_texels(apart, side):
    """Two squares beside each other; where nothing runs so far it is infinite."""
    left = placed(plane(1, 0, 1), uv_scale=0.25)
    right = placed(plane(1, 0, 1), move=(3, 0, 0), uv_scale=0.25, uv_move=(0.25 + apart / side, 0))
    mesh = joined(left, right)
    faces = np.arange(len(mesh.faces))
    gap = report(mesh, side, side, island=faces // 2).gap
    # What is laid around islands is 16 texels wide, on a map of 4096 twice as much.
    assert gap == pytest.approx(apart if apart <= 2 * max(16, side // 128) else np.inf, abs=0.01)


def test_outside_is_the_clipped_area():
    """UVs from -0.5 to 1.7: all but 1 / 2.2² of their area lies outside."""
    found = report(repeating())
    assert found.outside == pytest.approx(1 - 1 / 2.2**2, abs=1e-6)
    assert found.overlap == 1


def test_mirrored_and_missing_uvs():
    """A square turned over in the map is flipped; faces without numbers or area are missing."""
    mesh = plane()
    mesh.uvs[0][..., 0] = 1 - mesh.uvs[0][..., 0]
    assert report(mesh).flipped == 1
    mesh = plane()
    quarter = len(mesh.faces) // 4
    mesh.uvs[0][:quarter] = np.nan
    mesh.uvs[0][quarter : 2 * quarter] = 0.5
    assert report(mesh).missing == pytest.approx(0.5)
    assert "have no UVs" in report(mesh).findings()[0]
    mesh.uvs[0][:] = np.nan
    assert report(mesh).missing == 1


def test_a_document_checks_each_surface():
    """The scripting call of the design."""
    doc = nm.Document.from_mesh(
        joined(plane(), placed(plane(), move=(3, 0, 0)), names=["hull", "deck"]), "x", (256, 256)
    )
    reports = doc.check_uvs()
    assert set(reports) == {"hull", "deck"}
    assert reports["hull"].overlap == 0


@pytest.mark.parametrize(
    ("given", "wanted"),
    [
        ((3, 40, 1080, 1.2, 0.9), 1024),
        ((1, 90, 1024, 1, 1), 512),
        ((1, 90, 1025, 1, 1), 1024),
        ((0.5, 40, 2160, 2, 0.5), 32768),
    ],
)
def test_the_planner_gives_a_texel_for_each_pixel(given, wanted):
    """Against the formula worked out by hand."""
    assert nm.plan_map_size(*given) == wanted


def test_the_planner_refuses_nonsense():
    """Distances of 0 and fields of view of 180 say what would do."""
    for given in ((0, 40, 1080, 1, 1), (1, 180, 1080, 1, 1), (1, 40, 1080, 1, 2), (1, 40, float("nan"), 1, 1)):
        with pytest.raises(NightmistError, match="does not work"):
            nm.plan_map_size(*given)
