"""What takes long to be worked out is seen coarsely at once, and as it is in the end."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from nightmist import Document, Mapping, Pigment
from nightmist.core.texels.encode import to_bytes
from nightmist.document.draft import Draft, waiting
from nightmist.studio import messages as say
from nightmist.studio.client_updates import ClientUpdates
from nightmist.studio.drafts import Drafts
from nightmist.studio.parts import MappingPart
from nightmist.studio.stack_messages import ChangeNode

from ..shapes import sphere
from .test_project import entered, studio  # noqa: F401

SIDE = 1024


def washed(tmp_path):
    """A ball with a picture laid three ways in two maps, a painted layer with a softened mask, a blur."""
    rng = np.random.default_rng(3)
    cv2.imwrite(str(tmp_path / "stone.png"), cv2.GaussianBlur(rng.integers(0, 255, (64, 64, 3), np.uint8), (0, 0), 6))
    doc = Document.from_mesh(sphere(), "ball", (SIDE, SIDE))
    surface = doc.surfaces["surface"]
    coat = surface.layers.add("brushed", name="Coat")
    doc.fill(coat, Pigment(base_color="#336699", height=0.6, opacity=0.4))
    top = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 1] > 0.2)
    doc.fill(coat, Pigment(base_color="#ffffff", height=0.5), region=top)
    coat.add_mask(value=0.7).change(soften=6)
    stone = tmp_path / "stone.png"
    wash = surface.layers.add(
        "wash", images={"base_color": stone, "height": stone}, mapping=Mapping("triplanar", repeat=(2, 2))
    )
    wash.opacity = 0.6
    surface.layers.add("adjustment", effect="blur", radius=8)
    return doc, surface, wash


def small(picture: np.ndarray, factor: int) -> np.ndarray:
    return picture.reshape(SIDE // factor, factor, SIDE // factor, factor, -1).mean(axis=(1, 3))


def test_a_draft_is_the_document_on_smaller_maps_and_follows_it(tmp_path):
    doc, surface, wash = washed(tmp_path)
    doc.refresh()
    draft = Draft(doc)
    coat = surface.layers[0]
    top = np.flatnonzero(doc.mesh.corners.mean(axis=1)[:, 2] > 0.3)
    for change in (
        lambda: wash.change(mapping=Mapping("triplanar", repeat=(3, 3), turn=20)),
        lambda: wash.change(opacity=1.0),
        lambda: doc.fill(coat, Pigment(base_color="#205080"), region=top),
        lambda: surface.layers.remove(wash),
        lambda: doc.undo(),
    ):
        change()
        assert draft.fits()
        found = draft.show({surface.value.id: ["color", "values", "relief"]})
        doc.refresh()
        for (_, name), pixels in found.items():
            full = doc.composite(surface.value).pictures[name].read()
            # One pixel tells a picture of one color.
            assert pixels.shape[:2] in ((SIDE // 2, SIDE // 2), (1, 1))
            wanted = small(to_bytes(full).astype(float), 2)
            own = surface.layout.ownership.covered().reshape(SIDE // 2, 2, -1, 2).all(axis=(1, 3))
            away = np.abs(pixels.astype(float) - wanted)[own]
            assert away.mean() < 2, name
            assert np.quantile(away, 0.99) < 16, name
    doc.resize("surface", (512, 512))
    assert not draft.fits()


def test_only_what_takes_long_waits_for_a_draft(tmp_path):
    doc, surface, wash = washed(tmp_path)
    assert waiting(doc) == {surface.value.id: ["color", "values", "relief"]}
    doc.refresh()
    assert waiting(doc) == {}
    wash.maps["height"].on = False
    doc.refresh()
    wash.opacity = 0.5
    assert waiting(doc) == {surface.value.id: ["color", "values", "relief"]}
    doc.refresh()
    surface.layers.remove(wash)
    surface.layers.remove(surface.layers[1])
    surface.layers[0].remove_mask()
    assert waiting(doc) == {}


@pytest.mark.usefixtures("studio")
def test_a_moving_number_is_seen_coarsely_and_as_it_is_when_it_rests(studio, tmp_path):  # noqa: F811
    doc, _surface, wash = washed(tmp_path)
    browser = entered(studio, studio.create(doc), side=SIDE)
    project = browser.project

    def settled():
        project.call(lambda doc: None)
        updates = project.updates[id(browser)]
        browser.wait(lambda: not updates.waiting and updates.acknowledged == updates.sent)

    settled()
    before = {key: picture.copy() for key, picture in browser.pictures.items()}
    for repeat in (2.2, 2.4, 3.0):
        edit = ChangeNode(
            type="change_node", node=wash.id, mapping=MappingPart(shape="triplanar", repeat=(repeat, repeat))
        )
        project.ask(browser, say.ShowEdit(type="show", edit=edit))
    project.ask(browser, edit)
    settled()
    drafts = [r for batch in browser.batches for r in batch.rectangles if coarse(r)]
    assert {(r.width, r.height, r.pixels.shape[0]) for r in drafts} == {(SIDE, SIDE, SIDE // 2)}
    pictures = project.call(lambda doc: [doc.composite(doc.surface_values()[0]).pictures[n].read() for n in NAMES])
    for number, picture in enumerate(pictures):
        np.testing.assert_array_equal(browser.pictures[0, number], to_bytes(picture))
        assert not np.array_equal(browser.pictures[0, number], before[0, number]) or number == 1
    # Taken back, all is as it was.
    project.ask(browser, say.ShowEdit(type="show", edit=ChangeNode(type="change_node", node=wash.id, opacity=0.1)))
    project.ask(browser, say.ShowEdit(type="show", edit=None))
    settled()
    for number, picture in enumerate(pictures):
        np.testing.assert_array_equal(browser.pictures[0, number], to_bytes(picture))


class Screen:
    """A browser that shows what has come when it is told to, at a time that it is told."""

    name = "screen"

    def __init__(self, doc: Document) -> None:
        self.doc, self.now, self.shown = doc, 0.0, []
        self.updates = ClientUpdates(self)
        self.drafts = Drafts(lambda: self.now)

    def show(self, batch) -> None:
        self.shown.append([rectangle.pixels for rectangle in batch.rectangles])

    def tell(self, message) -> None:
        raise AssertionError(message)

    def move(self, wash, repeat: float) -> None:
        """A slider moves."""
        wash.change(mapping=Mapping("triplanar", repeat=(repeat, repeat)))
        assert self.drafts.show(self.doc, [self.updates])

    def draw(self) -> None:
        """All that was sent has been drawn."""
        self.updates.acknowledged = self.updates.sent
        self.updates.pump(self.doc)
        if self.drafts.due:
            self.drafts.show(self.doc, [self.updates])


def test_no_draft_is_worked_out_that_nobody_sees(tmp_path, monkeypatch):
    """One is under way, one is ready; of what is moved to meanwhile only the last counts."""
    doc, surface, wash = washed(tmp_path)
    made = []
    show = Draft.show
    monkeypatch.setattr(Draft, "show", lambda self, wanted: made.append(1) or show(self, wanted))
    screen = Screen(doc)
    for repeat in (2.1, 2.2, 2.3, 2.4, 2.5):
        screen.move(wash, repeat)
    assert len(screen.shown) == 1
    assert len(made) == 2
    screen.draw()
    assert (len(screen.shown), len(made)) == (2, 3)
    screen.draw()
    assert (len(screen.shown), len(made)) == (3, 3)
    newest = Draft(doc).show({surface.value.id: ["color"]})[surface.value.id, "color"]
    np.testing.assert_array_equal(screen.shown[2][0], newest)
    screen.draw()
    assert len(screen.shown) == 3


def test_drafts_are_as_fine_as_a_browser_keeps_pace_with(tmp_path):
    """Where it shows five a second they get coarser, and finer again where it shows fifty."""
    doc, _surface, wash = washed(tmp_path)
    screen = Screen(doc)
    repeats = iter(np.linspace(2, 4, 200))

    def sides(seconds: float, count: int) -> list[int]:
        """How large the last drafts are, when each takes so long to be seen while the slider moves on."""
        first = len(screen.shown)
        while len(screen.shown) < first + count:
            screen.move(wash, next(repeats))
            screen.move(wash, next(repeats))
            screen.now += seconds
            screen.draw()
        return [len(pixels[0]) for pixels in screen.shown[first:]]

    assert sides(0.05, 8) == [SIDE // 2] * 8
    slow = sides(0.2, 10)
    assert slow == sorted(slow, reverse=True)
    assert slow[-1] == SIDE // 4
    assert set(sides(0.05, 8)) == {SIDE // 4}
    assert sides(0.02, 8)[-1] == SIDE // 2
    # A hand that rests between two pictures is no slow browser.
    for _ in range(6):
        screen.draw()
        screen.now += 3
        screen.move(wash, next(repeats))
    assert len(screen.shown[-1][0]) == SIDE // 2


NAMES = ("color", "values", "relief")


def coarse(rectangle) -> bool:
    return rectangle.pixels.shape[:2] not in ((1, 1), (rectangle.height, rectangle.width))
