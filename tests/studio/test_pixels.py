"""How pixels come to browsers: whole maps at once, coarse first, and to those that are slow."""

from __future__ import annotations

import sys
import threading

import numpy as np

from nightmist import Document, Pigment, Tip
from nightmist.core.texels import TileArea
from nightmist.core.texels.encode import to_bytes
from nightmist.studio import messages as say
from nightmist.studio import project as project_module
from nightmist.studio.client_updates import IN_FLIGHT, ClientUpdates, rectangles_of

from ..shapes import walls
from .test_project import CAMERA, document, draw, entered, opened, studio  # noqa: F401


def test_a_slow_browser_gets_newer_pixels_not_more(opened):  # noqa: F811
    """Without acknowledgement nothing piles up; one later shows the newest state at once."""
    slow = opened(acknowledges=False)
    slow.wait(lambda: len(slow.batches) == 1)
    for number in range(12):
        draw(slow, number, 60 + 20 * number)
    slow.wait_kept(12)
    assert len(slow.batches) <= IN_FLIGHT
    slow.acknowledges = True
    slow.project.ask(slow, say.Acknowledge(type="ack", batch=len(slow.batches)))
    whole = slow.project.call(lambda doc: doc.composite(doc.surface_value("left")).pictures["color"].read())
    slow.wait(lambda: (slow.pictures[0, 0] == np.floor(whole / 257 + 0.5)).all())
    assert len(slow.batches) <= IN_FLIGHT + 3


def test_getting_ready_does_not_keep_a_page_waiting_that_opens(studio, monkeypatch):  # noqa: F811
    """Of what the first stroke needs little is worked out before somebody sees the model; the rest then."""
    monkeypatch.setattr(project_module, "CALM", 0.01)
    monkeypatch.setattr(project_module, "WHILE_OPENING", 0.02)
    pieces = [threading.Event() for _ in range(5)]

    def get_ready(doc):
        # Each piece takes longer than what there is time for.
        next(piece for piece in pieces if not piece.wait(0.03)).set()
        return not pieces[-1].is_set()

    monkeypatch.setattr(Document, "get_ready", get_ready)
    slow = entered(studio, studio.create(document()), acknowledges=False)
    slow.wait(lambda: slow.batches)
    assert pieces[0].wait(10)
    assert not pieces[1].wait(0.5)
    slow.project.ask(slow, say.Acknowledge(type="ack", batch=len(slow.batches)))
    assert pieces[-1].wait(10)


def test_once_nobody_draws_what_is_seen_becomes_exact(studio, monkeypatch):  # noqa: F811
    """Among layers a stroke is composited roughly; a moment after it, as by a stack composited anew."""
    monkeypatch.setattr(project_module, "CALM", 0.05)
    exact = threading.Event()
    refresh = Document.refresh

    def observed(doc, thoroughly=True):
        was_rough, changed = doc.rough, refresh(doc, thoroughly)
        if was_rough and not doc.rough:
            exact.set()
        return changed

    monkeypatch.setattr(Document, "refresh", observed)
    made = document()
    for layers in (surface.layers for surface in made.surfaces.values()):
        for color in ("#205080", "#c0a020"):
            made.fill(coat := layers.add("brushed"), Pigment(base_color=color))
            coat.opacity = 0.4
    browser = entered(studio, studio.create(made))
    draw(browser)
    browser.wait_kept(1)
    assert exact.wait(10)

    def anew(doc):
        seen = doc.composite(doc.surface_value("left")).read("base_color")
        doc.forget_composites()
        refresh(doc)
        return seen, doc.composite(doc.surface_value("left")).read("base_color")

    seen, whole = browser.project.call(anew)
    np.testing.assert_array_equal(seen, whole)


def test_rectangles_cover_each_tile_once():
    """Random masks, against counting."""
    rng = np.random.default_rng(3)
    for share in (0.05, 0.5, 0.95, 1.0):
        mask = rng.random((20, 33)) < share
        count = np.zeros(mask.shape, int)
        for rectangle in rectangles_of(mask):
            assert not any(side % 64 for side in rectangle)
            top, bottom, left, right = (side // 64 for side in rectangle)
            count[top:bottom, left:right] += 1
        assert (count == mask).all()


def test_much_at_once_comes_coarse_first(monkeypatch):
    """Of a picture that changed all over a quarter of the detail comes first, in one go; a stroke comes as it is."""
    monkeypatch.setattr(sys.modules[ClientUpdates.__module__], "COARSE_FROM", 32)
    doc = Document.from_mesh(walls(), "Pier", (512, 512))
    surface = doc.surfaces["left"]
    layer = surface.layers.add("brushed")
    doc.gradient(layer, (0, 0, 0), (1, 1, 0), (Pigment(base_color="#102030"), Pigment(base_color="#f0e0d0")))
    doc.refresh()
    shown = np.zeros((512, 512, 4), np.uint8)
    forms = []

    class Screen:
        name = ""

        def tell(self, message): ...

        def show(self, batch):
            for r in batch.rectangles:
                scale = r.height // r.pixels.shape[0] if r.pixels.shape[0] > 1 else 1
                whole = r.pixels.repeat(scale, 0).repeat(scale, 1)
                shown[r.y : r.y + r.height, r.x : r.x + r.width] = whole
                forms.append((scale, r.pixels.nbytes))

    wanted = to_bytes(doc.composite(surface.value).pictures["color"].read()).astype(int)
    updates = ClientUpdates(Screen())
    updates.add_whole(surface.value, "color")
    updates.pump(doc)
    assert {scale for scale, _ in forms[: len(forms) // 2]} <= {1, 4}
    assert any(scale == 4 for scale, _ in forms)
    assert sum(size for scale, size in forms if scale == 4) <= 512 * 512 * 4 // 16
    while updates.waiting:
        updates.acknowledged = updates.sent
        updates.pump(doc)
    assert np.array_equal(shown, wanted)
    forms.clear()
    updates.add(surface.value, "color", TileArea.of_tiles(np.arange(20, dtype=np.int32)))
    updates.acknowledged = updates.sent
    updates.pump(doc)
    assert {scale for scale, _ in forms} == {1}
    # Between the two: what changed once more is coarse again, and all of it is right in the end.
    updates.add_whole(surface.value, "color")
    updates.pump(doc)
    doc.stroke(layer, [(150, 150), (160, 150)], CAMERA, Tip(radius=10), Pigment(base_color="#ff0000"))
    for (_, name), area in doc.refresh().items():
        updates.add(surface.value, name, area)
    while updates.waiting:
        updates.acknowledged = updates.sent
        updates.pump(doc)
    assert np.array_equal(shown, to_bytes(doc.composite(surface.value).pictures["color"].read()))
    # What is seen as a draft need not come coarse once more; the next time it does.
    forms.clear()
    updates.add_draft(surface.value, "color", to_bytes(doc.composite(surface.value).pictures["color"].read()[::2, ::2]))
    for _ in range(2):
        updates.acknowledged = updates.sent
        updates.pump(doc)
        updates.release()
    while updates.waiting:
        updates.acknowledged = updates.sent
        updates.pump(doc)
    assert {scale for scale, _ in forms} == {2, 1}
    assert np.array_equal(shown, to_bytes(doc.composite(surface.value).pictures["color"].read()))
    updates.add_whole(surface.value, "color")
    updates.acknowledged = updates.sent
    updates.pump(doc)
    assert 4 in {scale for scale, _ in forms}
