"""An open project: one thread that owns the document; whatever browsers ask is done there, in order."""

from __future__ import annotations

import logging
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

from ..core.errors import NightmistError
from ..document import Document
from ..document.change import Change
from ..document.derived.composites import PICTURES
from ..document.document import Event
from ..document.painting.covered import why_covered
from ..document.painting.stroke import Stroke
from ..document.painting.unchanged import why_unchanged, why_unseen
from ..document.preview import Preview
from ..document.stacking.decals import find_decal
from ..document.values import Decals, Surface
from ..store import Store, StoreError
from . import messages as say
from .client_updates import Client, ClientUpdates
from .decal_messages import ChangeDecal, MoveDecal
from .drafts import Drafts
from .edits import do_edit, nodes_of
from .inbox import Ask, Edit, Inbox, Request, Samples, Work
from .journal import MOST_WAITING, Journal, Word
from .long_work import LongWork
from .persistence import Opened, entry_for, open_project
from .prepare_messages import Preparation
from .stack_messages import Showable

log = logging.getLogger(__name__)

T = TypeVar("T")


#: Seconds in which nothing is asked after which there is time to get ready for the next stroke.
CALM = 0.5
#: Seconds of that which may be spent before anybody sees the model.
WHILE_OPENING = 1.0
#: Seconds without a sample after which a press that never ends is over for those who wait.
STALLED = 20.0

DRAWN_MEANWHILE = (
    "Nothing was undone or redone: another page was drawing just then, and its stroke is the last step now."
)


@dataclass
class _Drawing:
    client: Client
    number: int
    stroke: Stroke
    heard: float  # when its last sample came


class OpenProject:
    """Browsers join, ask, and leave. One stroke is drawn at a time; others wait until it is over."""

    def __init__(self, store: Store, project: str, opened: Opened) -> None:
        self.store, self.project = store, project
        self.document, self.revision, self.to_say = opened
        #: What the store has, and what the gallery's picture shows, if there is one.
        self.kept = self.revision
        self.pictured = self.revision if store.picture(project) is not None else None
        self.trouble: str | None = None
        self.updates: dict[int, ClientUpdates] = {}
        self.drawing: _Drawing | None = None
        #: What browsers show while their sliders move, by browser.
        self.shown: dict[int, Preview] = {}
        self.drafts = Drafts()
        self.put_off: deque[Ask | Edit] = deque()
        self.long_work = LongWork(self.updates)
        #: Whether all is worked out that the next stroke needs.
        self.ready = False
        #: Seconds spent on it.
        self.spent = 0.0
        self.inbox = Inbox()
        self.listen()
        self.thread = threading.Thread(target=self._run, name=f"project {project}", daemon=True)
        self.thread.start()

    def listen(self) -> None:
        """Hear of what happens to the document, and keep it."""
        self.document.listener = self._changed
        self.document.progress = self.long_work.progress
        self.journal = Journal(self.store, self.project, lambda word: self.inbox.put(lambda: self._heard(word)))

    # From any thread

    def join(self, client: Client) -> None:
        """A browser opens the project: it is welcomed, and everything is sent to it."""
        self.inbox.put(lambda: self._join(client))

    def leave(self, client: Client) -> None:
        """A browser is gone; a stroke it was drawing is finished, not lost."""
        self.inbox.put(lambda: self._leave(client))

    def ask(self, client: Client, request: Request) -> None:
        """Do what a browser asks, after everything asked before; only calling work off does not wait."""
        if isinstance(request, say.CancelWork):
            self.long_work.call_off(client)
        else:
            self.inbox.put(Ask(client, request))

    def tell_desk(self, desk: dict[str, Any], client: str) -> None:
        """All browsers but that of this name learn what is at hand there."""
        self.inbox.put(lambda: self._tell_desk(desk, client))

    def call(self, work: Callable[[Document], T]) -> T:
        """Read from the document, in the project's thread, and wait for the answer."""
        return self._wait_for(work, self.inbox.put)

    def edit(self, work: Callable[[Document], T]) -> T:
        """Change the document, once no stroke is being drawn, and wait for the answer."""
        return self._wait_for(work, lambda run: self.inbox.put(Edit(run)))

    def _wait_for(self, work: Callable[[Document], T], post: Callable[[Callable[[], None]], None]) -> T:
        done = threading.Event()
        result: list[T] = []
        failure: list[BaseException] = []

        def run() -> None:
            try:
                started = time.perf_counter()
                result.append(work(self.document))
                self._refresh(started, None)
            except BaseException as error:
                failure.append(error)
            done.set()

        post(run)
        done.wait()
        if failure:
            raise failure[0]
        return result[0]

    def client(self, name: str | None) -> Client | None:
        """The browser of that name, if it has the project open."""
        return next((u.client for u in list(self.updates.values()) if name and u.client.name == name), None)

    def close(self) -> None:
        """Finish what is under way, keep everything, and end the threads."""
        self.inbox.put(None)
        self.thread.join(30)
        self.journal.close()

    # In the project's thread

    def _run(self) -> None:
        self.document.refresh()
        while (item := self._next()) is not None:
            before = self.revision
            try:
                if isinstance(item, Edit):
                    self._in_turn(item)
                elif isinstance(item, Ask):
                    self._handle(item.client, item.request)
                else:
                    item()
                self.ready = self.ready and self.revision == before
            except Exception:
                # Whatever goes wrong with one request must not end the project for everybody.
                log.exception("project %s: a request failed", self.project)
                if isinstance(item, Ask):
                    try:
                        self._failed(item, self.revision != before)
                    except Exception:
                        log.exception("project %s: nor can it be taken back", self.project)
        if self.drawing:
            self._end_drawing()

    def _in_turn(self, item: Edit) -> None:
        if self.drawing:
            self.put_off.append(item)
        else:
            item.run()

    def _failed(self, ask: Ask, changed: bool) -> None:
        """A request met a fault of ours: its stroke is broken off, and what is said about it is true."""
        if self.drawing and self.drawing.client is ask.client:
            self.drawing.stroke.cancel()
            self._drawing_over(None)
        self._show(ask.client, None)
        after = "It had been done, and can be undone." if changed else "The project is as it was before."
        try:
            self._refresh(time.perf_counter(), None)
        except Exception:
            log.exception("project %s: it cannot be shown as it is", self.project)
            if changed:
                after = "It was taken back."
                self.document.redo() if isinstance(ask.request, say.Undo) else self.document.undo()
                self._refresh(time.perf_counter(), None)
        ask.client.tell(say.Refused(message=f"Something went wrong inside Nightmist. {after}"))

    def _next(self) -> Work:
        """The next piece of work; a press that does not end while others wait is ended for them."""
        if self.drawing and self.put_off:
            timeout, instead = max(self.drawing.heard + STALLED - time.monotonic(), 0.01), self._end_stalled
        elif self._may_get_ready:
            timeout, instead = CALM, self._get_ready
        elif self.document.rough and not self.document.previews:
            timeout, instead = CALM, self._settle
        else:
            return self.inbox.next()
        try:
            return self.inbox.next(timeout)
        except TimeoutError:
            return instead

    @property
    def _may_get_ready(self) -> bool:
        """Long work for the first stroke would keep a page waiting that opens, and nobody paints who sees nothing."""
        if self.ready:
            return False
        return self.spent < WHILE_OPENING or any(updates.up_to_date for updates in self.updates.values())

    def _get_ready(self) -> None:
        while self.inbox.empty and self._may_get_ready:
            started = time.monotonic()
            self.ready = not self.document.get_ready()
            self.spent += time.monotonic() - started

    def _settle(self) -> None:
        """What was composited roughly while somebody drew becomes exact; nobody waits for it meanwhile."""
        self._refresh(time.perf_counter(), None, thoroughly=True)

    def _end_stalled(self) -> None:
        if self.drawing and time.monotonic() - self.drawing.heard >= STALLED:
            self._end_drawing()
            self._refresh(time.perf_counter(), None)

    def _join(self, client: Client) -> None:
        self.updates[id(client)] = ClientUpdates(client)
        self._welcome(client)
        self._refresh(time.perf_counter(), None)
        self._tell_all(say.People(count=len(self.updates)))
        self.drafts.prepare(self.document)

    def _welcome(self, client: Client) -> None:
        """All that a browser has to know, and all pixels."""
        try:
            desk = self.store.desk(self.project)
        except StoreError:
            desk = {}
        values = list(self.document.values.values())
        client.tell(say.Welcome(project=self.project, values=values, history=self._history(), desk=desk))
        client.tell(self._kept_state())
        if self.to_say:
            client.tell(say.Notice(message=self.to_say))
            self.to_say = None
        # Colors first: they are what is looked at.
        for picture in PICTURES:
            for surface in self.document.surface_values():
                self.updates[id(client)].add_whole(surface, picture)

    def _tell_desk(self, desk: dict[str, Any], client: str) -> None:
        for other in self.updates.values():
            if not client or other.client.name != client:
                other.client.tell(say.DeskBeside(desk=desk))

    def _leave(self, client: Client) -> None:
        self.updates.pop(id(client), None)
        self._show(client, None)
        self.put_off = deque(item for item in self.put_off if isinstance(item, Edit) or item.client is not client)
        if self.drawing and self.drawing.client is client:
            self._end_drawing()
        self._tell_all(say.People(count=len(self.updates)))

    def _handle(self, client: Client, request: Request) -> None:
        if isinstance(request, say.Acknowledge):
            if updates := self.updates.get(id(client)):
                updates.acknowledged = max(updates.acknowledged, min(request.batch, updates.sent))
                updates.pump(self.document)
            if self.drafts.due:
                self.drafts.show(self.document, self.updates.values())
            return
        if self.drawing and self.drawing.client is not client:
            if isinstance(request, say.Undo | say.Redo):
                # By then the last step is this stroke, which its painter has only just drawn.
                self.put_off.append(Edit(lambda: client.tell(say.Refused(message=DRAWN_MEANWHILE))))
            elif not isinstance(request, say.ShowEdit):
                self.put_off.append(Ask(client, request))
            return
        started = time.perf_counter()
        try:
            self._do(client, request)
        except NightmistError as error:
            number = request.stroke if isinstance(request, say.BeginStroke) else None
            client.tell(say.Refused(message=str(error), stroke=number))
        self._refresh(started, client, isinstance(request, say.ShowEdit) and request.edit is not None)

    def _do(self, client: Client, request: Request) -> None:
        document = self.document
        drawing = self.drawing
        match request:
            case Samples():
                if drawing and drawing.number == request.stroke:
                    drawing.heard = time.monotonic()
                    drawing.stroke.extend(request.points)
                    if updates := self.updates.get(id(client)):
                        updates.timing.stamp = request.stamp
            case say.BeginStroke():
                if drawing:
                    self._end_drawing()
                self._check_room()
                layers = nodes_of(document, request.layers)
                if request.camera is None and request.in_map is None:
                    raise NightmistError("A stroke needs a camera, or the map that it is drawn in.")
                stroke = Stroke(
                    document, layers, None if request.in_map else request.camera, request.tip, request.pigment,
                    request.tool, in_map=request.in_map, mirror=request.mirror, seed=request.seed,
                    source=request.source, mask_value=request.mask_value, fence=request.fence, stencil=request.stencil,
                )  # fmt: skip
                self.drawing = _Drawing(client, request.stroke, stroke, time.monotonic())
            case say.EndStroke():
                if drawing and drawing.number == request.stroke:
                    self._end_drawing()
            case say.CancelStroke():
                if drawing and drawing.number == request.stroke:
                    drawing.stroke.cancel()
                    self._drawing_over(None)
            case _:
                if drawing:
                    raise NightmistError("A stroke is being drawn; let go first.")
                self._check_room()
                self._edit(client, request)

    def _check_room(self) -> None:
        """Raises NightmistError when so much waits to be kept that more might be lost."""
        if self.journal.bytes > MOST_WAITING:
            waits = self.journal.bytes >> 20
            raise NightmistError(
                f"The database does not answer, and {waits} MB wait to be kept. Nothing is lost, but nothing more can"
                " be painted until it answers."
            )

    def _edit(self, client: Client, request: Request) -> None:
        self._show(client, request.edit if isinstance(request, say.ShowEdit) else None)
        if isinstance(request, Preparation):
            for note in self.long_work.run(lambda: request.run(self.document), client):
                client.tell(say.Notice(message=note))
        elif not isinstance(request, Samples):
            for answer in self.long_work.run(lambda: do_edit(self.document, request), client):
                client.tell(answer)

    def _show(self, client: Client, edit: Showable | None) -> None:
        """Lay an edit over the document for everybody to see, in place of the one this browser showed before."""
        if id(client) in self.shown:
            self.shown.pop(id(client)).drop()
        if edit is None:
            return
        change = edit.change(self.document)
        preview = self.shown[id(client)] = Preview(self.document)
        preview.lay({key: after for key, (_, after) in change.values.items() if after is not None})
        if isinstance(edit, ChangeDecal | MoveDecal):
            shown = [node.decal(edit.decal) for node in preview.values.values() if isinstance(node, Decals)]
            decal = next((each for each in shown if each), None) or find_decal(self.document, edit.decal)[1]
            client.tell(say.DecalShown(decal=decal))

    def _end_drawing(self) -> None:
        assert self.drawing
        stroke, client = self.drawing.stroke, self.drawing.client
        change, failed = None, True
        try:
            change = self.document.finish_stroke(stroke)
            failed = False
        finally:
            if failed:
                stroke.cancel()
            self._drawing_over(self.revision if change else None)
        document = self.document
        reason = why_unseen(document, change) or why_covered(document, change) if change else why_unchanged(stroke)
        if reason:
            layer = reason.instead.id if reason.instead else None
            client.tell(say.Notice(message=reason.sentence, layer=layer))

    def _drawing_over(self, revision: int | None) -> None:
        assert self.drawing
        self.drawing.client.tell(say.StrokeEnded(stroke=self.drawing.number, revision=revision))
        self.drawing = None
        # What others asked meanwhile comes before anything that is queued now.
        self.inbox.put_first(self.put_off)
        self.put_off.clear()

    def _changed(self, event: Event, change: Change) -> None:
        # Who sees what it made may go on at once.
        self.long_work.over()
        self.revision += 1
        self.journal.add(entry_for(self.document, event, change, self.revision))
        values = {key: self.document.values.get(key) for key in change.values}
        if any(isinstance(value, Surface) for pair in change.values.values() for value in pair):
            for updates in self.updates.values():
                updates.follow(_now(event, change).values)
        touched = sorted({*change.rasters, *(edit.raster for edit in change.edits)})
        self._tell_all(say.StateChanged(values=values, touched=touched, history=self._history()))
        self._tell_all(self._kept_state())

    def _heard(self, word: Word) -> None:
        self.trouble = word.why
        if word.never:
            self._take_back(word)
        elif word.why is None:
            self.kept = word.entry.revision
            self.document.pool.stored(word.entry.tiles)
            self.document.arrays.stored(word.entry.arrays)
        self._tell_all(self._kept_state())

    def _take_back(self, word: Word) -> None:
        """A change can never be kept: the project is what the database holds, and everybody is told."""
        lost = self.revision - word.entry.revision
        if self.drawing:
            self.drawing.stroke.cancel()
            self._drawing_over(None)
        try:
            self.document, self.revision, _ = open_project(self.store, self.project)
        except StoreError as error:
            self.trouble = str(error)
            return
        self.kept, self.trouble = self.revision, None
        self.shown.clear()
        self.listen()
        self.document.refresh()
        after = "was the step after it" if lost == 1 else f"were the {lost} steps after it"
        also = f", and so {after}" if lost else ""
        message = f"The last change could not be kept ({word.why}). It was taken back{also}."
        for updates in self.updates.values():
            self._welcome(updates.client)
            updates.client.tell(say.Refused(message=message))
        self._refresh(time.perf_counter(), None)

    def _refresh(
        self, started: float, asked: Client | None, only_shown: bool = False, thoroughly: bool = False
    ) -> None:
        """Composite what changed and send it on; what takes long is seen coarsely before.

        only_shown: an edit that is not made yet, which may stay coarse until it is. thoroughly: as a document's.
        """
        computed = time.perf_counter()
        if self.drafts.show(self.document, self.updates.values()) and only_shown:
            return
        for updates in self.updates.values():
            updates.release()
        for (key, picture), area in self.document.refresh(thoroughly).items():
            surface = self.document.values[key]
            assert isinstance(surface, Surface)
            for updates in self.updates.values():
                updates.add(surface, picture, area)
        composited = time.perf_counter()
        for updates in self.updates.values():
            if updates.client is asked:
                updates.timing.engine += computed - started
                updates.timing.composite += composited - computed
            updates.pump(self.document)

    def _kept_state(self) -> say.KeptState:
        return say.KeptState(revision=self.kept, waiting=self.revision - self.kept, trouble=self.trouble)

    def _history(self) -> say.HistoryState:
        history = self.document.history
        after = history.changes[history.cursor].label if history.cursor < len(history.changes) else None
        before = history.changes[history.cursor - 1].label if history.cursor else None
        return say.HistoryState(undo=before, redo=after, place=history.place)

    def _tell_all(self, message: say.ServerMessage) -> None:
        for updates in self.updates.values():
            updates.client.tell(message)


def _now(event: Event, change: Change) -> Change:
    """What has just come into force."""
    return change.inverse() if event == "undo" else change
