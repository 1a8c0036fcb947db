"""Open projects: kept only when committed, back to the bit, several browsers, and slow ones."""

from __future__ import annotations

import threading
from itertools import pairwise

import numpy as np
import pytest

from nightmist import Camera, Document, NightmistError, Pigment, Tip
from nightmist.document.values import MAPS
from nightmist.store import StoreError
from nightmist.studio import Studio
from nightmist.studio import messages as say
from nightmist.studio import prepare_messages as prepare
from nightmist.studio.inbox import Samples
from nightmist.studio.stack_messages import AddNode, ChangeNode, MoveNodes, RemoveNodes

from ..shapes import walls

CAMERA = Camera.look_at((0, 0, 6), (0, 0, 0), 40, (400, 300))
RED = Pigment(base_color="#ff0000", height=0.7)
TIP = Tip(radius=30, strength=1, hardness=0.9)


class Browser:
    """A browser that remembers what it was told and shown, and paints rectangles into pictures of its own."""

    def __init__(self, acknowledges=True, name="", side=128):
        self.name, self.side = name, side
        self.acknowledges = acknowledges
        self.told, self.batches = [], []
        self.pictures: dict[tuple[int, int], np.ndarray] = {}
        self.news = threading.Condition()
        self.project = None

    def tell(self, message):
        with self.news:
            self.told.append(message)
            self.news.notify_all()

    def show(self, batch):
        with self.news:
            self.batches.append(batch)
            for r in batch.rectangles:
                picture = self.pictures.setdefault(
                    (r.surface, r.picture), np.zeros((self.side, self.side, 4), np.uint8)
                )
                # A texel for several where a rectangle is coarse.
                step = r.height // len(r.pixels) if r.pixels.shape[:2] != (1, 1) else 1
                picture[r.y : r.y + r.height, r.x : r.x + r.width] = r.pixels.repeat(step, 0).repeat(step, 1)
            self.news.notify_all()
        if self.acknowledges:
            self.project.ask(self, say.Acknowledge(type="ack", batch=batch.number))

    def wait(self, true, seconds=90):
        with self.news:
            assert self.news.wait_for(true, seconds), [type(m).__name__ for m in self.told]

    def values(self):
        """The document's values as this browser has been told of them."""
        found = {value.id: value for value in self.last(say.Welcome).values}
        for message in self.told[self.told.index(self.last(say.Welcome)) :]:
            if isinstance(message, say.StateChanged):
                found.update(message.values)
        return {key: value for key, value in found.items() if value is not None}

    def surfaces(self):
        """Surfaces by number."""
        return sorted((v for v in self.values().values() if v.kind == "surface"), key=lambda s: s.number)

    def layers(self, surface):
        """The layers of a surface, bottom first."""
        return sorted(
            (v for v in self.values().values() if getattr(v, "parent", "") == surface.id), key=lambda n: n.order
        )

    def last(self, kind):
        return next((m for m in reversed(self.told) if isinstance(m, kind)), None)

    def wait_kept(self, revision):
        self.wait(lambda: (k := self.last(say.KeptState)) and k.revision >= revision and not k.waiting, 300)


def document() -> Document:
    doc = Document.from_mesh(walls(), "Pier", (128, 128))
    for surface in doc.surfaces.values():
        surface.layers.add("brushed", name="Coat")
    return doc


@pytest.fixture
def studio(store):
    made = Studio(store)
    yield made
    made.close()


@pytest.fixture
def opened(studio):
    """A project, and a way to enter it with another browser."""
    project = studio.create(document())
    return lambda **options: entered(studio, project, **options)


def entered(studio, project, browser=None, **options) -> Browser:
    """A browser that has a project open."""
    browser = browser or Browser(**options)
    browser.project = studio.open_projects.get(project)
    if browser.project is None:
        studio._visit(project)
        browser.project = studio.open_projects[project]
    studio.enter(project, browser)
    browser.wait(lambda: browser.last(say.Welcome))
    browser.id = project
    return browser


def begin(browser, number=1, tool="brush", layers=None, pigment=RED):
    layers = layers or {s.name: browser.layers(s)[0].id for s in browser.surfaces()}
    browser.project.ask(
        browser,
        say.BeginStroke(type="begin", stroke=number, tool=tool, tip=TIP, pigment=pigment, camera=CAMERA, layers=layers),
    )


def draw(browser, number=1, x=150, **options):
    begin(browser, number, **options)
    browser.project.ask(browser, Samples(number, [(x, 150, 1.0)], 5.0))
    browser.project.ask(browser, Samples(number, [(x + 60, 160, 1.0)], 6.0))
    browser.project.ask(browser, say.EndStroke(type="end", stroke=number))


def pixels(doc):
    return {(i, n): layer.read(n).tobytes() for i, layer in doc.layers.items() for n in MAPS}


def test_a_stroke_is_kept_and_comes_back_to_the_bit(studio, opened, store):
    """After the word that it is kept, a new server finds all tiles and the undo history."""
    browser = opened()
    draw(browser, pigment=RED.but(opacity=0.2))
    browser.wait(lambda: browser.last(say.StrokeEnded))
    browser.wait_kept(1)
    before = browser.project.call(pixels)
    later = Studio(store)
    again = later.with_document(browser.id, pixels)
    assert again == before
    clean = later.with_document(browser.id, lambda doc: (doc.undo(), doc.undo, pixels(doc))[2])
    assert not any(np.frombuffer(data, np.uint16).any() for data in clean.values())
    later.close()
    final = Studio(store)
    assert final.with_document(browser.id, pixels) == clean
    assert final.with_document(browser.id, lambda doc: (doc.redo(), pixels(doc))[1]) == before
    final.close()


def test_nothing_is_called_kept_before_the_commit(opened, store, monkeypatch):
    """While the database refuses, strokes go on and wait; when it is back, all are kept in order."""
    browser = opened()
    real, refuse = store.keep, threading.Event()
    refuse.set()
    order = []

    def keep(project, change):
        if refuse.is_set():
            raise StoreError("the server closed the connection")
        order.extend(place + 1 for place in change.steps)
        real(project, change)

    monkeypatch.setattr(store, "keep", keep)
    for number in (1, 2, 3):
        draw(browser, number, 60 + 60 * number)
    browser.wait(lambda: (k := browser.last(say.KeptState)) and k.waiting == 3 and k.trouble)
    assert browser.last(say.KeptState).revision == 0
    refuse.clear()
    browser.wait_kept(3)
    assert order == [1, 2, 3]
    assert browser.last(say.KeptState).trouble is None
    later = Studio(store)
    assert later.with_document(browser.id, pixels) == browser.project.call(pixels)
    assert later.with_document(browser.id, lambda doc: len(doc.history.changes)) == 3
    later.close()


def test_the_database_dies_mid_stroke(opened, cluster, store):
    """Killed between press and release and started again: the stroke is kept after all."""
    browser = opened()
    begin(browser)
    browser.project.ask(browser, Samples(1, [(150, 150, 1.0)]))
    cluster.kill()
    browser.project.ask(browser, Samples(1, [(200, 150, 1.0)]))
    browser.project.ask(browser, say.EndStroke(type="end", stroke=1))
    browser.wait(lambda: (k := browser.last(say.KeptState)) and k.waiting == 1)
    port = store.engine.url.port
    cluster._run(
        "pg_ctl", "start", "-w", "-D", str(cluster.data), "-l", "/dev/null", "-o",
        f"-c listen_addresses=127.0.0.1 -c port={port} -c unix_socket_directories=",
    )  # fmt: skip
    cluster.started = True
    browser.wait_kept(1)


def test_a_browser_that_leaves_mid_stroke_loses_nothing(studio, opened):
    """What had been drawn when the tab died is one stroke, kept."""
    browser, other = opened(), opened()
    begin(browser)
    browser.project.ask(browser, Samples(1, [(150, 150, 1.0), (200, 150, 1.0)]))
    studio.leave(browser.id, browser)
    other.wait_kept(1)
    assert other.last(say.StateChanged).history.undo == "Brush"
    assert other.last(say.People).count == 1


def test_browsers_see_each_others_strokes(opened):
    """Both end with the same pictures as the document, though only one paints."""
    painter, watcher = opened(), opened()
    draw(painter)
    painter.wait_kept(1)
    whole = painter.project.call(lambda doc: [doc.composite(s).pictures["color"].read() for s in doc.surface_values()])
    for browser in (painter, watcher):
        for number, picture in enumerate(whole):
            wanted = np.floor(picture / 257 + 0.5)
            browser.wait(lambda b=browser, n=number, w=wanted: (n, 0) in b.pictures and (b.pictures[n, 0] == w).all())


def test_two_painters_at_once_wait_for_each_other(opened):
    """A second stroke begun during the first is drawn after it; both are undo steps."""
    one, two = opened(), opened()
    begin(one, 1)
    one.project.ask(one, Samples(1, [(150, 150, 1.0)]))
    draw(two, 7, x=230)
    one.project.ask(one, say.Undo(type="undo"))
    one.wait(lambda: one.last(say.Refused))
    assert "let go" in one.last(say.Refused).message
    assert two.last(say.StrokeEnded) is None
    one.project.ask(one, Samples(1, [(160, 150, 1.0)]))
    one.project.ask(one, say.EndStroke(type="end", stroke=1))
    two.wait(lambda: two.last(say.StrokeEnded))
    assert two.last(say.StrokeEnded).stroke == 7
    two.wait_kept(2)
    assert one.project.call(lambda doc: len(doc.history.changes)) == 2


def test_undo_during_another_painters_stroke_takes_nothing_back(opened):
    """What it was meant for is not the last step any more; once more it takes the stroke back, as is said then."""
    one, two = opened(), opened()
    draw(two, 7, x=230)
    two.wait_kept(1)
    begin(one, 1)
    one.project.ask(one, Samples(1, [(150, 150, 1.0)]))
    for request in (say.Undo(type="undo"), say.Redo(type="redo")):
        two.project.ask(two, request)
    one.project.ask(one, Samples(1, [(160, 150, 1.0)]))
    one.project.ask(one, say.EndStroke(type="end", stroke=1))
    two.wait(lambda: two.last(say.Refused))
    assert "another page was drawing" in two.last(say.Refused).message
    two.wait_kept(2)
    assert one.project.call(lambda doc: (len(doc.history.changes), doc.history.cursor)) == (2, 2)
    two.project.ask(two, say.Undo(type="undo"))
    two.wait_kept(3)
    assert one.project.call(lambda doc: doc.history.cursor) == 1


def test_layers_through_messages(opened):
    """Add, change, move and remove a layer, each one step; what cannot be done is told to who asked."""
    browser = opened()
    ask = lambda message: browser.project.ask(browser, message)  # noqa: E731
    ask(AddNode(type="add_node", surface="left"))
    browser.wait(lambda: browser.last(say.Made))
    added = browser.last(say.Made).ids[0]
    ask(ChangeNode(type="change_node", node=added, opacity=0.5, visible=False))
    ask(MoveNodes(type="move_nodes", nodes=[added], parent=browser.surfaces()[0].id, index=0))
    browser.wait(lambda: browser.last(say.StateChanged).history.place == 3)
    left = browser.layers(browser.surfaces()[0])
    assert [layer.id == added for layer in left] == [True, False]
    assert (left[0].opacity, left[0].visible) == (0.5, False)
    ask(RemoveNodes(type="remove_nodes", nodes=[added]))
    ask(RemoveNodes(type="remove_nodes", nodes=[added]))
    browser.wait(lambda: browser.last(say.Refused))
    assert "does not exist" in browser.last(say.Refused).message
    ask(say.Undo(type="undo"))
    browser.wait(lambda: browser.last(say.StateChanged).history.redo is not None)
    assert len(browser.layers(browser.surfaces()[0])) == 2
    browser.wait_kept(5)


def test_refused_strokes_say_why(opened):
    """A layer that is gone, or of another surface; the project stays usable."""
    browser = opened()
    begin(browser, 1, layers={"left": "nothing"})
    browser.wait(lambda: browser.last(say.Refused))
    assert browser.last(say.Refused).stroke == 1
    right = browser.layers(browser.surfaces()[1])[0].id
    begin(browser, 2, layers={"left": right})
    browser.wait(lambda: browser.last(say.Refused).stroke == 2)
    assert "not in the stack of left" in browser.last(say.Refused).message
    draw(browser, 3)
    browser.wait_kept(1)


def test_a_deep_queue_of_samples_becomes_one_batch(opened):
    """Samples that pile up are drawn together, and the result is the same stroke."""
    browser = opened()
    begin(browser)
    blocked = threading.Event()
    browser.project.inbox.put(blocked.wait)
    for x in range(100, 300):
        browser.project.ask(browser, Samples(1, [(float(x), 150.0, 1.0)], float(x)))
    browser.project.ask(browser, say.EndStroke(type="end", stroke=1))
    blocked.set()
    browser.wait_kept(1)
    record = browser.project.call(lambda doc: doc.history.changes[-1].stroke)
    assert len(record.samples) == 200
    assert browser.batches[-1].number <= 8


def test_projects_that_are_open_or_gone(studio, opened):
    """An open project cannot be deleted; an unknown one cannot be opened."""
    browser = opened()
    with pytest.raises(NightmistError, match="open in a browser"):
        studio.delete(browser.id)
    with pytest.raises(NightmistError, match="no such project"):
        studio.enter("0" * 12, Browser())


def test_the_desk_comes_back(studio, opened):
    """Tool, tip and palette as left are part of the next welcome."""
    browser = opened(name="one")
    studio.keep_desk(browser.id, {"tool": "erase", "palette": ["#123456"]}, browser.name)
    other = opened(name="other")
    assert other.last(say.Welcome).desk == {"tool": "erase", "palette": ["#123456"]}
    studio.keep_desk(browser.id, {"palette": []}, other.name)
    browser.wait(lambda: browser.last(say.DeskBeside))
    assert browser.last(say.DeskBeside).desk == {"palette": []}
    other.project.call(lambda doc: None)
    assert other.last(say.DeskBeside) is None


def test_preparing_is_kept_and_comes_back_to_the_bit(opened, store):
    """New UVs, other sizes and a new surface: other browsers are told, and all of it survives a restart."""
    browser, other = opened(), opened()
    draw(browser)
    browser.wait_kept(1)
    requests = (
        prepare.Unwrap(type="unwrap", surface="left", method="box", margin=2),
        prepare.Resize(type="resize", surface="right", width=64, height=128),
        prepare.AssignFaces(type="assign_faces", faces=[(0, 4)], name="rim"),
        prepare.HideParts(type="hide_parts", parts=[1]),
    )
    for revision, request in enumerate(requests, 2):
        browser.project.ask(browser, request)
        browser.wait_kept(revision)
    other.wait(lambda: other.values()["project"].hidden_parts == (1,))
    assert [surface.name for surface in other.surfaces()] == ["left", "right", "rim"]
    before = browser.project.call(everything)
    later = Studio(store)
    assert later.with_document(browser.id, everything) == before
    names = later.with_document(browser.id, lambda doc: ([doc.undo() for _ in range(3)], list(doc.surfaces))[1])
    assert names == ["left", "right"]
    later.close()


def last_face(doc: Document) -> tuple[int, tuple[float, float]]:
    """Of the left wall: the face, and where its middle lies in the map."""
    face = doc.surfaces["left"].faces[-1]
    u, v = doc.surfaces["left"].uvs[face].mean(axis=0)
    return int(face), (float(u), float(v))


def test_fills_are_kept_and_come_back_to_the_bit(opened, store):
    """Laid on and taken away, by faces and by color, and bump from color; what makes no sense is refused in words."""
    browser = opened()
    layers = {s.name: browser.layers(s)[0].id for s in browser.surfaces()}
    laid = {"layer": layers["left"], "layers": layers, "pigment": RED, "type": "fill"}
    face, uv = browser.project.call(last_face)
    like = {"type": "fill_color", "layer": layers["left"], "pigment": RED, "face": face, "uv": uv}
    requests = (
        say.Fill(**laid, faces=[(0, 100_000)]),
        say.Fill(**laid, faces=[(0, 1)], away=True),
        say.BumpFromColor(type="bump_from_color", layer=layers["left"]),
        say.FillColor(**like, tolerance=0.1, away=True),
        say.FillColor(**like, tolerance=0.1),
        say.Fill(**laid, away=True),
    )
    seen = []
    for revision, request in enumerate(requests, 1):
        browser.project.ask(browser, request)
        browser.wait_kept(revision)
        seen.append(browser.project.call(pixels))
    assert all(a != b for a, b in pairwise(seen))
    later = Studio(store)
    assert later.with_document(browser.id, pixels) == seen[-1]
    for before in reversed(seen[:-1]):
        assert later.with_document(browser.id, lambda doc: (doc.undo(), pixels(doc))[1]) == before
    later.close()
    wrong = {"left": layers["right"]}
    browser.project.ask(browser, say.Fill(**{**laid, "layers": wrong}, faces=[(0, 4)]))
    browser.wait(lambda: browser.last(say.Refused))
    assert "not in the stack of left" in browser.last(say.Refused).message


def test_a_fill_that_changes_nothing_says_so(opened):
    """Once more with the same pigment, and taking away where nothing lies: a sentence each, and no undo step."""
    browser = opened()
    layer = browser.layers(browser.surfaces()[0])[0].id
    laid = {"layer": layer, "pigment": RED, "type": "fill"}
    away, again = say.Fill(**laid, away=True), say.Fill(**laid)
    told = lambda words: any(words in each.message for each in browser.told if isinstance(each, say.Notice))  # noqa: E731
    browser.project.ask(browser, away)
    browser.wait(lambda: told("Nothing was erased: nothing lies there."))
    browser.project.ask(browser, again)
    browser.project.ask(browser, again)
    browser.wait(lambda: told("lies there already"))
    assert browser.project.call(lambda doc: doc.history.place) == 1


def everything(doc: Document):
    mesh = doc.mesh
    arrays = [array.tobytes() for array in (mesh.positions, mesh.faces, *mesh.uvs, mesh.face_surface)]
    return dict(doc.values), pixels(doc), arrays


def test_long_work_is_called_off(opened):
    """A cancel does not wait its turn; the document stays as it was, and browsers see the work end."""
    browser = opened()
    browser.project.ask(browser, prepare.Unwrap(type="unwrap", surface="left", method="auto"))
    browser.wait(lambda: browser.last(say.WorkState))
    browser.project.ask(browser, say.CancelWork(type="cancel_work"))
    browser.wait(lambda: browser.last(say.Refused))
    assert browser.last(say.Refused).message == "Called off; nothing was changed."
    browser.wait(lambda: browser.last(say.WorkState).share is None)
    assert browser.project.call(lambda doc: doc.history.place) == 0


def test_work_is_over_for_who_sees_what_it_made(opened):
    """The end is told before the change: who presses a key on seeing that is not kept waiting."""
    browser = opened()
    browser.project.ask(browser, prepare.Unwrap(type="unwrap", surface="left", method="auto"))
    browser.wait(lambda: browser.last(say.StateChanged))
    told = [m for m in browser.told if isinstance(m, say.WorkState | say.StateChanged)]
    kinds = [m.share is not None if isinstance(m, say.WorkState) else "changed" for m in told]
    assert kinds[: kinds.index("changed")][-2:] == [True, False]
