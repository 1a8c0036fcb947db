"""Nothing is lost or wrong when browsers, scripts and a stroke meet, when names are odd, or when something fails."""

from __future__ import annotations

import json
import threading
from dataclasses import replace

import numpy as np
import pytest
from sqlalchemy import text

from nightmist import Document, Pigment
from nightmist.core.formats.gltf_write import write_glb
from nightmist.document import stale
from nightmist.document.derived.pool import digest_of
from nightmist.document.values import MAPS
from nightmist.studio import Studio
from nightmist.studio import messages as say
from nightmist.studio import prepare_messages as prepare
from nightmist.studio import project as open_projects
from nightmist.studio.inbox import Samples
from nightmist.studio.stack_messages import ChangeNode

from ..shapes import walls
from .test_project import RED, begin, document, draw, opened, pixels, studio  # noqa: F401

ODD_NAMES = {
    "rust\0weep": "rustweep",
    "half \ud83d buoy": "half buoy",
    "a\tb\n c": "a b c",
    "e\u0301": "é",
    "quay\u202etsor": "quaytsor",
    "\ufeffquay\u200b wall": "quay wall",
    "نمی\u200cخواهم\u200d": "نمی\u200cخواهم",
}


def in_background(run):
    thread = threading.Thread(target=run)
    thread.start()
    return thread


def test_a_change_from_outside_waits_for_the_stroke(studio, opened):  # noqa: F811
    """Another model arrives while somebody draws: the stroke is kept whole, then the model changes."""
    browser = opened()
    begin(browser)
    browser.project.ask(browser, Samples(1, [(150, 150, 1.0)]))
    mesh = walls()
    for look, name in zip(mesh.surfaces, ("port", "starboard"), strict=True):
        look.name = name
    files = {"other.glb": write_glb(mesh)}
    waiting = in_background(lambda: studio.work_on(browser.id, lambda doc: doc.replace_mesh(files=files)))
    browser.project.call(lambda doc: None)
    browser.project.ask(browser, Samples(1, [(210, 160, 1.0)]))
    browser.project.ask(browser, say.EndStroke(type="end", stroke=1))
    waiting.join(60)
    browser.wait_kept(2)
    assert browser.last(say.StateChanged).history.undo == "Replace the model"
    kept = Studio(browser.project.store)
    assert kept.with_document(browser.id, pixels) == browser.project.call(pixels)
    kept.close()
    labels = browser.project.edit(lambda doc: [doc.undo().label for _ in range(2)])
    assert labels == ["Replace the model", "Brush"]
    assert not any(np.frombuffer(data, np.uint16).any() for data in browser.project.call(pixels).values())


def test_what_cannot_be_shown_is_taken_back_and_the_project_goes_on(opened, studio, monkeypatch):  # noqa: F811
    """A fault of ours that every look at the maps meets again ends nothing: the step is undone, the next one kept."""
    browser = opened()
    layer = browser.layers(browser.surfaces()[0])[0].id
    composite = Document.bring_up_to_date

    def bring_up_to_date(doc: Document, thoroughly: bool = True) -> None:
        if any(getattr(value, "name", "") == "Cursed" for value in doc.values.values()):
            raise ZeroDivisionError
        composite(doc, thoroughly)

    monkeypatch.setattr(Document, "bring_up_to_date", bring_up_to_date)
    browser.project.ask(browser, ChangeNode(type="change_node", node=layer, name="Cursed"))
    browser.wait(lambda: browser.last(say.Refused))
    assert browser.last(say.Refused).message == "Something went wrong inside Nightmist. It was taken back."
    draw(browser)
    browser.wait(lambda: browser.last(say.StrokeEnded))
    browser.wait_kept(3)
    shown = browser.project.call(pixels)
    later = Studio(browser.project.store)
    assert later.with_document(browser.id, pixels) == shown
    assert later.with_document(browser.id, lambda doc: doc.node(layer).name) == "Coat"
    later.close()


def test_a_change_stands_though_it_cannot_be_told_where_it_shows(monkeypatch):
    doc = document()
    layer = doc.surfaces["left"].layers[0]
    doc.fill(layer, RED, "left")
    red = doc.surfaces["left"].read("base_color")
    monkeypatch.setattr(stale, "reach", lambda *_: {}["nowhere"])
    layer.visible = False
    assert (doc.surfaces["left"].read("base_color") != red).any()
    doc.undo()
    assert (doc.surfaces["left"].read("base_color") == red).all()
    assert doc.history.cursor == 3


@pytest.mark.parametrize("odd", ODD_NAMES)
def test_odd_names_are_cleaned_at_every_door_and_kept(opened, odd):  # noqa: F811
    """Layers, surfaces made from faces, tips and parts of files take a name that the database and files can hold."""
    browser = opened()
    browser.project.edit(lambda doc: setattr(doc.surfaces["left"].layers[0], "name", odd))
    browser.project.ask(browser, prepare.AssignFaces(type="assign_faces", faces=[(0, 2)], name=odd))
    picture = Document.practice("plane", 64)
    tip = browser.project.edit(lambda doc: doc.add_tip(f"{odd}.png", _png()))
    mesh = walls()
    mesh.parts = [odd, odd]
    browser.project.edit(lambda doc: doc.replace_mesh(files={"m.glb": write_glb(mesh)}))
    browser.wait_kept(4)
    clean = ODD_NAMES[odd]
    names = browser.project.call(lambda doc: (doc.surfaces["left"].layers[0].name, list(doc.surfaces)))
    assert names[0] == clean
    assert tip.startswith(clean)
    assert picture.name == "Practice plane"
    later = Studio(browser.project.store)
    assert later.with_document(browser.id, lambda doc: doc.surfaces["left"].layers[0].name) == clean
    later.close()


def _png() -> bytes:
    from nightmist.core.formats.image_files import write_png

    return write_png(np.full((32, 32), 99, np.uint8))


def test_what_can_never_be_kept_is_taken_back_and_said(opened, store, monkeypatch):  # noqa: F811
    """A change that the database refuses for good goes, with what came after it; the project stays usable."""
    browser, other = opened(), opened()
    draw(browser)
    browser.wait_kept(1)
    before = browser.project.call(pixels)
    real = open_projects.entry_for

    def spoiled(*arguments):
        entry = real(*arguments)
        entry.state = {"bad": "a\0b"}
        return entry

    monkeypatch.setattr(open_projects, "entry_for", spoiled)
    draw(browser, 2, x=230)
    browser.wait(lambda: browser.last(say.Refused))
    monkeypatch.setattr(open_projects, "entry_for", real)
    for page in (browser, other):
        page.wait(lambda p=page: p.last(say.Refused) and "taken back" in p.last(say.Refused).message)
    assert browser.project.call(pixels) == before
    draw(browser, 3, x=100)
    browser.wait_kept(2)
    later = Studio(store)
    assert later.with_document(browser.id, pixels) == browser.project.call(pixels) != before
    later.close()


def test_of_changes_that_wait_together_only_those_from_the_bad_one_on_are_taken_back(opened, store, monkeypatch):  # noqa: F811
    """The database is away for five strokes, and would never take the fourth: three are kept."""
    browser = opened()
    real, keep, back = open_projects.entry_for, store.keep, threading.Event()

    def spoiled(document, event, change, revision):
        entry = real(document, event, change, revision)
        return replace(entry, state={"bad": "a\0b"}) if revision == 4 else entry

    monkeypatch.setattr(open_projects, "entry_for", spoiled)
    monkeypatch.setattr(store, "keep", lambda *what: (back.wait(60), keep(*what)))
    for number in (1, 2, 3):
        draw(browser, number, x=60 + 50 * number)
    three = browser.project.call(pixels)
    for number in (4, 5):
        draw(browser, number, x=60 + 50 * number)
    browser.wait(lambda: (kept := browser.last(say.KeptState)) and kept.waiting == 5)
    back.set()
    browser.wait(lambda: browser.last(say.Refused))
    assert "and so was the step after it" in browser.last(say.Refused).message
    assert browser.project.call(pixels) == three
    monkeypatch.setattr(open_projects, "entry_for", real)
    draw(browser, 6, x=100)
    browser.wait_kept(4)
    later = Studio(store)
    assert later.with_document(browser.id, pixels) == browser.project.call(pixels) != three
    later.close()


def test_a_release_that_fails_does_not_lock_others_out(opened, monkeypatch):  # noqa: F811
    """The stroke is broken off, what is said is true, and the next painter's stroke is drawn."""
    one, two = opened(), opened()
    before = one.project.call(pixels)
    begin(one)
    one.project.ask(one, Samples(1, [(150, 150, 1.0)]))
    one.project.call(lambda doc: None)
    stroke = one.project.drawing.stroke
    monkeypatch.setattr(stroke, "finish", lambda: 1 / 0)
    draw(two, 7, x=230)
    one.project.ask(one, say.EndStroke(type="end", stroke=1))
    one.wait(lambda: one.last(say.Refused))
    assert "as it was before" in one.last(say.Refused).message
    two.wait(lambda: two.last(say.StrokeEnded))
    two.wait_kept(1)
    two.project.edit(lambda doc: doc.undo())
    assert one.project.call(pixels) == before


def test_a_press_that_never_ends_is_ended_for_those_who_wait(opened, monkeypatch):  # noqa: F811
    """After a while without a sample the stroke is kept as it is, and the others go on."""
    monkeypatch.setattr(open_projects, "STALLED", 0.2)
    one, two = opened(), opened()
    begin(one)
    one.project.ask(one, Samples(1, [(150, 150, 1.0), (200, 150, 1.0)]))
    draw(two, 7, x=230)
    two.wait_kept(2)
    assert one.last(say.StrokeEnded).revision == 1


def test_only_who_asked_for_long_work_can_cancel_it(opened):  # noqa: F811
    """Another page's cancel changes nothing; the work is done."""
    browser, other = opened(), opened()
    browser.project.ask(browser, prepare.Unwrap(type="unwrap", surface="left", method="auto"))
    browser.wait(lambda: browser.last(say.WorkState))
    other.project.ask(other, say.CancelWork(type="cancel_work"))
    browser.wait_kept(1)
    told = [
        [m.mine for m in page.told if isinstance(m, say.WorkState) and m.share is not None] for page in (browser, other)
    ]
    assert all(told[0])
    assert not any(told[1])


def test_tips_are_no_steps_among_the_strokes(opened):  # noqa: F811
    """Undo after adding a tip takes the stroke back; the tip stays, also in the database."""
    browser = opened()
    draw(browser)
    name = browser.project.edit(lambda doc: doc.add_tip("reed.png", _png()))
    browser.wait_kept(2)
    assert browser.project.edit(lambda doc: doc.undo()).label == "Brush"
    browser.wait_kept(3)
    later = Studio(browser.project.store)
    assert later.with_document(browser.id, lambda doc: [tip.name for tip in doc.tip_values()]) == [name]
    later.close()


def test_a_project_of_an_earlier_version_comes_along(studio, store):  # noqa: F811
    """All paint, layers and names of a database made before are there; that its history ended is said once."""
    doc = document()
    left = doc.surfaces["left"]
    rust = left.layers.add("brushed", name="Rust")
    doc.fill(left.layers[0], RED)
    doc.fill(rust, Pigment(roughness=0.25), region=[0, 1])
    rust.change(opacity=0.5, blend="multiply", visible=False)
    left.depth = 0.5
    project = studio.create(doc)
    with store.engine.begin() as connection:
        connection.execute(
            text("update project set state = cast(:state as jsonb), cursor = 1"), {"state": json.dumps(nested(doc))}
        )
        command = json.dumps({"kind": "paint", "label": "Brush", "edits": []})
        connection.execute(text("insert into step values (:p, 0, cast(:c as jsonb))"), {"p": project, "c": command})
    later = Studio(store)
    again = later.with_document(project, lambda doc: doc)
    assert pixels(again) == pixels(doc)
    for surface in doc.surface_values():
        same = again.surface_value(surface.name)
        assert same.model_dump(exclude={"id"}) == surface.model_dump(exclude={"id"})
        stacks = [
            [node.model_dump(exclude={"parent", "order"}) for node in d.stack(s.id)]
            for d, s in ((doc, surface), (again, same))
        ]
        assert stacks[0] == stacks[1]
        for name in MAPS:
            assert (again.surfaces[surface.name].read(name) == doc.surfaces[surface.name].read(name)).all()
    assert not again.history.changes
    assert "history begins anew" in later.open_projects[project].to_say
    later.close()
    last = Studio(store)
    last.with_document(project, lambda doc: None)
    assert last.open_projects[project].to_say is None
    last.close()


def nested(doc: Document) -> dict:
    """The structure of a project as it was stored before surfaces and layers had been values of their own."""
    surfaces = []
    for surface in doc.surface_values():
        layers = [node.model_dump(exclude={"parent", "order"}) for node in doc.stack(surface.id)]
        surfaces.append({**surface.model_dump(mode="json", exclude={"kind", "id", "number"}), "layers": layers})
    return {
        "name": doc.name, "size": list(doc.project.size), "mesh": doc.model.model_dump(exclude={"kind", "id"}),
        "hidden_parts": [], "tips": {"reed": digest_of(np.zeros((2, 2), np.float32))}, "surfaces": surfaces,
        "notes": [],
    }  # fmt: skip


def test_nothing_more_is_painted_when_too_much_waits_to_be_kept(opened, monkeypatch):  # noqa: F811
    """The database is away: strokes are taken up to a bound in bytes, then refused in words; all is kept later."""
    browser = opened()
    store = browser.project.store
    back, keep = threading.Event(), store.keep
    monkeypatch.setattr(store, "keep", lambda *what: (back.wait(60), keep(*what)))
    monkeypatch.setattr(open_projects, "MOST_WAITING", 100_000)
    for number in range(1, 8):
        draw(browser, number, x=100 + 20 * number)
    browser.wait(lambda: browser.last(say.Refused))
    assert "wait to be kept" in browser.last(say.Refused).message
    taken = browser.last(say.StateChanged).history.place
    assert 1 <= taken < 7
    assert browser.project.journal.bytes < 100_000 + 8 * 64 * 64 * 8
    back.set()
    browser.wait_kept(taken)
    assert browser.project.journal.bytes == 0
    draw(browser, 9)
    browser.wait_kept(taken + 1)
