"""Which UVs count, which face leads them, and where else they show what is painted."""

from __future__ import annotations

from urllib.request import urlopen

import numpy as np

from nightmist.core.formats.gltf_write import write_glb

from ..document.test_scripting import split_glb
from ..shapes import overlapped, walls
from .test_painting import RED
from .test_preparing import Stage, on_map, prepare, settled

#: Two quads side by side, each two wide and one tall; in the map the second is turned by a quarter.
STRIP = b"""
v 0 0 0
v 2 0 0
v 2 1 0
v 0 1 0
v 4 0 0
v 4 1 0
vt 0.1 0.1
vt 0.5 0.1
vt 0.5 0.3
vt 0.1 0.3
vt 0.8 0.5
vt 0.8 0.9
vt 0.6 0.9
vt 0.6 0.5
f 1/1 2/2 3/3 4/4
f 2/5 5/6 6/7 3/8
"""


def test_another_uv_set_is_chosen_for_all_surfaces(painter, server):
    """The stage shows it, the model is handed off with it, one undo brings the first back."""
    mesh = walls(4)
    second = (mesh.uvs[0] * 0.5 + 0.25).astype(np.float32)
    project = server.create(write_glb(mesh.changed(uvs=[mesh.uvs[0], second])), "pier.glb")
    tab = prepare(painter, project)
    before = [Stage(server, project).corners(surface) for surface in (0, 1)]
    tab.page.get_by_label("UV set").select_option(label="1 for all")
    settled(tab, 1)
    for surface in (0, 1):
        chosen = Stage(server, project).corners(surface)
        assert np.abs(chosen - (before[surface] * 0.5 + 0.25)).max() < 1e-6
    with urlopen(f"{server.url}api/projects/{project}/painted.glb") as answer:
        materials = split_glb(answer.read())[0]["materials"]
    assert [look["pbrMetallicRoughness"]["baseColorTexture"]["texCoord"] for look in materials] == [1, 1]
    tab.page.get_by_role("button", name="Undo").click()
    settled(tab, 2)
    assert all((Stage(server, project).corners(surface) == before[surface]).all() for surface in (0, 1))


def test_the_face_that_was_clicked_leads_the_even_grid(painter, server):
    """Led by the quad that lies in the map the strip lies, by the one that stands it stands."""
    project = server.create(STRIP, "strip.obj")
    tab = prepare(painter, project)
    page = tab.page
    page.get_by_label("Way to unwrap").select_option("grid")
    shapes = []
    for step, (u, v) in enumerate(((0.3, 0.8), (0.7, 0.3))):
        # All of the surface, by either of its quads.
        page.get_by_role("radio", name="All", exact=True).click()
        page.mouse.click(*on_map(tab, u, v))
        page.get_by_role("button", name="Unwrap 2 picked faces").click()
        settled(tab, 2 * step + 1)
        wide, tall = np.ptp(Stage(server, project).corners().reshape(-1, 2), axis=0)
        shapes.append(wide / tall)
        page.get_by_role("button", name="Undo").click()
        settled(tab, 2 * step + 2)
    assert np.allclose(shapes, (4, 0.25), rtol=0.01)


def test_where_else_a_stroke_will_show_is_seen_before_it(painter, server):
    """Two squares on the same texels: a ring on both while the pointer is on one, none else; a stroke is on both."""
    tab = painter(server.create(write_glb(overlapped()), "twins.glb")).open()
    page = tab.page
    bare = tab.colors()
    height, width = bare.shape[:2]

    def differs(image: np.ndarray) -> np.ndarray:
        """Whether the left and the right half differ from the bare stage, below what lies over it."""
        changed = (np.abs(image - bare).max(axis=2) > 24)[height // 4 :]
        return np.array([changed[:, : width // 2].sum(), changed[:, width // 2 :].sum()])

    page.mouse.move(*tab.at(0.3, 0.5))
    tab.wait_view(lambda image: bool((differs(image) > 40).all()), "no ring on the twin")
    page.mouse.move(*tab.at(0.5, 0.97))
    tab.wait_view(lambda image: not differs(image).any(), "a ring stays")
    page.get_by_label("Use #b8402c").click()
    tab.drag((0.3, 0.5), (0.32, 0.5))
    tab.wait_kept(1)
    page.mouse.move(*tab.at(0.5, 0.97))
    red = np.array(RED)
    reds = lambda image: (np.abs(image - red).max(axis=2) < 60)[height // 4 :]  # noqa: E731
    tab.wait_view(
        lambda image: reds(image)[:, : width // 2].sum() > 200 and reds(image)[:, width // 2 :].sum() > 200,
        "the stroke does not show on both",
    )
