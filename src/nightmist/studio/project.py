"""An open project: one thread that owns the document; whatever browsers ask is done there, in order."""

from __future__ import annotations

import contextlib
import logging
import queue
import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

from ..core.brush.path import Sample
from ..core.errors import NightmistError
from ..core.progress import CancelledError
from ..document import Document
from ..document.commands import Command, Refit
from ..document.document import Event
from ..document.layer import Layer
from ..document.shape import faces_of_runs
from ..document.stroke import Stroke
from ..document.types import Hit
from ..document.unchanged import why_unchanged
from ..store import Change, Store, StoreError
from . import messages as say
from .journal import Journal
from .keeping import change_for
from .outbox import PICTURES, Client, Outbox
from .prepare_messages import Preparation

log = logging.getLogger(__name__)

T = TypeVar("T")


#: For places that are known by their UV alone.
NOWHERE = (0.0, 0.0, 0.0)
#: Seconds between two words about how far long work has got.
TELL_EVERY = 0.15


@dataclass
class Samples:
    """Pointer samples of a stroke: x, y, pressure, lean x, y; and when the browser took the newest (its own clock)."""

    stroke: int
    points: list[Sample]
    stamp: float = 0.0


Request = say.ClientMessage | Samples


@dataclass
class Ask:
    """What one browser asks."""

    client: Client
    request: Request


#: What the project's thread does next; None ends it.
Work = Callable[[], None] | Ask | None


@dataclass
class _Drawing:
    client: Client
    number: int
    stroke: Stroke


class OpenProject:
    """Browsers join, ask, and leave. One stroke is drawn at a time; others wait until it is over."""

    def __init__(self, store: Store, project: str, document: Document, revision: int) -> None:
        self.store, self.project, self.document = store, project, document
        self.revision = revision
        self.first_revision = self.kept = revision
        self.trouble: str | None = None
        self.outboxes: dict[int, Outbox] = {}
        self.drawing: _Drawing | None = None
        self.put_off: deque[Ask] = deque()
        self.surfaces = list(document.surfaces.values())
        self.unwanted = threading.Event()
        self.told_work = 0.0
        self.queue: queue.Queue[Work] = queue.Queue()
        self.ahead: deque[Work] = deque()
        document.listener = self._changed
        document.progress = self._progress
        self.journal = Journal(store, project, lambda change, why: self._post(lambda: self._heard(change, why)))
        self.thread = threading.Thread(target=self._run, name=f"project {project}", daemon=True)
        self.thread.start()

    # From any thread

    def join(self, client: Client) -> None:
        """A browser opens the project: it is welcomed, and everything is sent to it."""
        self._post(lambda: self._join(client))

    def leave(self, client: Client) -> None:
        """A browser is gone; a stroke it was drawing is finished, not lost."""
        self._post(lambda: self._leave(client))

    def ask(self, client: Client, request: Request) -> None:
        """Do what a browser asks, after everything asked before; only calling work off does not wait."""
        if isinstance(request, say.CancelWork):
            self.unwanted.set()
        else:
            self.queue.put(Ask(client, request))

    def call(self, work: Callable[[Document], T]) -> T:
        """Run `work` on the document in the project's thread and wait for what it returns."""
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

        self._post(run)
        done.wait()
        if failure:
            raise failure[0]
        return result[0]

    def close(self) -> None:
        """Finish what is under way, keep everything, and end the threads."""
        self.queue.put(None)
        self.thread.join(30)
        self.journal.close()

    # In the project's thread

    def _post(self, work: Callable[[], None]) -> None:
        self.queue.put(work)

    def _run(self) -> None:
        self.document.refresh()
        while (item := self._next()) is not None:
            try:
                if isinstance(item, Ask):
                    self._handle(item.client, item.request)
                else:
                    item()
            except Exception:
                # Whatever goes wrong with one request must not end the project for everybody.
                log.exception("project %s: a request failed", self.project)
                if isinstance(item, Ask):
                    item.client.tell(say.Refused(message="That went wrong inside Nightmist; nothing was changed."))
        if self.drawing:
            self._end_drawing()

    def _next(self) -> Work:
        """The next piece of work; samples of one stroke that are queued behind each other become one."""
        with contextlib.suppress(queue.Empty):
            while True:
                self.ahead.append(self.queue.get_nowait())
        if not self.ahead:
            self.ahead.append(self.queue.get())
        item = self.ahead.popleft()
        if not isinstance(item, Ask) or not isinstance(item.request, Samples):
            return item
        merged = item.request
        while self.ahead and (more := _continued(self.ahead[0], item.client, merged)):
            self.ahead.popleft()
            merged = Samples(merged.stroke, merged.points + more.points, more.stamp)
        return Ask(item.client, merged)

    def _join(self, client: Client) -> None:
        outbox = self.outboxes[id(client)] = Outbox(client)
        try:
            desk = self.store.desk(self.project)
        except StoreError:
            desk = {}
        client.tell(say.Welcome(project=self.project, state=self.document.state(), history=self._history(), desk=desk))
        client.tell(self._kept_state())
        # Colors first: they are what is looked at.
        for picture in PICTURES:
            for surface in self.surfaces:
                outbox.add(surface, picture, surface.everywhere)
        self._refresh(time.perf_counter(), None)
        self._tell_all(say.People(count=len(self.outboxes)))

    def _leave(self, client: Client) -> None:
        self.outboxes.pop(id(client), None)
        self.put_off = deque(ask for ask in self.put_off if ask.client is not client)
        if self.drawing and self.drawing.client is client:
            self._end_drawing()
        self._tell_all(say.People(count=len(self.outboxes)))

    def _handle(self, client: Client, request: Request) -> None:
        if isinstance(request, say.Acknowledge):
            if outbox := self.outboxes.get(id(client)):
                outbox.acknowledged = max(outbox.acknowledged, min(request.batch, outbox.sent))
                outbox.pump(self.surfaces)
            return
        if isinstance(request, say.KeepDesk):
            with contextlib.suppress(StoreError):
                self.store.set_desk(self.project, request.desk)
            return
        if self.drawing and self.drawing.client is not client:
            self.put_off.append(Ask(client, request))
            return
        started = time.perf_counter()
        try:
            self._do(client, request)
        except NightmistError as error:
            number = request.stroke if isinstance(request, say.BeginStroke) else None
            client.tell(say.Refused(message=str(error), stroke=number))
        self._refresh(started, client)

    def _do(self, client: Client, request: Request) -> None:
        document = self.document
        drawing = self.drawing
        match request:
            case Samples():
                if drawing and drawing.number == request.stroke:
                    drawing.stroke.extend(request.points)
                    if outbox := self.outboxes.get(id(client)):
                        outbox.timing.stamp = request.stamp
            case say.BeginStroke():
                if drawing:
                    self._end_drawing()
                layers = self._layers(request.layers)
                if request.camera is None and request.in_map is None:
                    raise NightmistError("A stroke needs a camera, or the map that it is drawn in.")
                stroke = document.begin_stroke(
                    layers, None if request.in_map else request.camera, request.tip, request.pigment, request.tool,
                    in_map=request.in_map, mirror=request.mirror, seed=request.seed, source=request.source,
                )  # fmt: skip
                self.drawing = _Drawing(client, request.stroke, stroke)
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
                self._edit(client, request)

    def _edit(self, client: Client, request: Request) -> None:
        document = self.document
        match request:
            case say.Undo():
                document.undo()
            case say.Redo():
                document.redo()
            case say.NewLayer():
                stack = document.surface(request.surface).layers
                above = next((i for i, layer in enumerate(stack) if layer.id == request.above), len(stack) - 1)
                layer = stack.add(index=above + 1)
                client.tell(say.StateChanged(state=document.state(), history=self._history(), added_layer=layer.id))
            case say.DeleteLayer():
                layer = document.layer(request.layer)
                layer.surface.layers.remove(layer)
            case say.ReorderLayer():
                layer = document.layer(request.layer)
                layer.surface.layers.move(layer, request.index)
            case say.SetDepth():
                document.surface(request.surface).depth = request.depth
            case say.Fill():
                self._fill(request)
            case say.FillColor():
                layer = document.layer(request.layer)
                like = Hit(layer.surface.name, request.face, NOWHERE, NOWHERE, request.uv)
                if request.away:
                    document.take_away_color(layer, like, request.tolerance, request.pigment.values())
                else:
                    document.fill_color(layer, request.pigment, like, request.tolerance)
            case say.BumpFromColor():
                document.bump_from_color(document.layer(request.layer))
            case say.DrawGradient():
                document.gradient(document.layer(request.layer), request.start, request.end, request.pigments)
            case say.TakeSample():
                place = Hit(request.surface, 0, NOWHERE, NOWHERE, request.uv)
                chosen = document.layer(request.layer) if request.layer else None
                client.tell(say.Sampled(pigment=document.sample(place, chosen)))
            case Preparation():
                for note in self.work(lambda: request.run(document)):
                    client.tell(say.Notice(message=note))
            case say.ChangeLayer():
                wanted = request.model_dump(exclude_none=True, exclude={"type", "layer"})
                document.layer(request.layer).change(**wanted)

    def _layers(self, ids: dict[str, str]) -> dict[str, Layer]:
        layers = {name: self.document.layer(layer) for name, layer in ids.items()}
        for name, layer in layers.items():
            if layer.surface is not self.document.surface(name):
                raise NightmistError(f"The layer {layer.name} is not in the stack of {name}.")
        return layers

    def _fill(self, request: say.Fill) -> None:
        document, layer = self.document, self.document.layer(request.layer)
        runs = request.faces
        region = faces_of_runs(runs, len(document.mesh.faces)) if runs is not None else None
        layers = self._layers(request.layers) or None
        if request.away:
            document.take_away(layer, region=region, layers=layers, maps=request.pigment.values())
        else:
            document.fill(layer, request.pigment, region=region, layers=layers)

    def work(self, run: Callable[[], T]) -> T:
        """Run long work in the project's thread; browsers see how far it is, and can call it off."""
        self.unwanted.clear()
        try:
            return run()
        finally:
            if self.told_work:
                self.told_work = 0.0
                self._tell_all(say.WorkState(label="", share=None))

    def _progress(self, label: str, share: float) -> None:
        if self.unwanted.is_set():
            raise CancelledError("Called off; nothing was changed.")
        now = time.monotonic()
        if now - self.told_work > TELL_EVERY:
            self.told_work = now
            self._tell_all(say.WorkState(label=label, share=min(max(share, 0.0), 1.0)))

    def _end_drawing(self) -> None:
        assert self.drawing
        command = self.document.finish_stroke(self.drawing.stroke)
        if command is None and (reason := why_unchanged(self.drawing.stroke)):
            layer = reason.instead.id if reason.instead else None
            self.drawing.client.tell(say.Notice(message=reason.sentence, layer=layer))
        self._drawing_over(self.revision if command else None)

    def _drawing_over(self, revision: int | None) -> None:
        assert self.drawing
        self.drawing.client.tell(say.StrokeEnded(stroke=self.drawing.number, revision=revision))
        self.drawing = None
        # What others asked meanwhile comes before anything that is queued now.
        self.ahead.extendleft(reversed(self.put_off))
        self.put_off.clear()

    def _changed(self, event: Event, command: Command) -> None:
        self.revision += 1
        self.journal.add(change_for(self.document, event, command, self.revision))
        if isinstance(command, Refit):
            self._surfaces_changed()
        self._tell_all(say.StateChanged(state=self.document.state(), history=self._history()))
        self._tell_all(self._kept_state())

    def _surfaces_changed(self) -> None:
        """Other surfaces, or other sizes: what waits for browsers is numbered and cut anew."""
        before = [(surface.name, surface.size) for surface in self.surfaces]
        self.surfaces = list(self.document.surfaces.values())
        now = [(surface.name, surface.size) for surface in self.surfaces]
        for outbox in self.outboxes.values():
            for number, surface in enumerate(self.surfaces):
                if number >= len(before) or before[number] != now[number]:
                    for picture in PICTURES:
                        outbox.waiting.pop((number, picture), None)
                        outbox.add(surface, picture, surface.everywhere)
            for number in range(len(now), len(before)):
                for picture in PICTURES:
                    outbox.waiting.pop((number, picture), None)

    def _heard(self, change: Change | None, why: str | None) -> None:
        self.trouble = why
        if change is not None:
            self.kept = change.revision
            self.document.pool.stored(change.tiles)
            self.document.arrays.stored(change.arrays)
        self._tell_all(self._kept_state())

    def _refresh(self, started: float, asked: Client | None) -> None:
        """Composite what changed and send it on."""
        computed = time.perf_counter()
        for (name, picture), area in self.document.refresh().items():
            for outbox in self.outboxes.values():
                outbox.add(self.document.surface(name), picture, area)
        composited = time.perf_counter()
        for outbox in self.outboxes.values():
            if outbox.client is asked:
                outbox.timing.engine += computed - started
                outbox.timing.composite += composited - computed
            outbox.pump(self.surfaces)

    def _kept_state(self) -> say.KeptState:
        return say.KeptState(revision=self.kept, waiting=self.revision - self.kept, trouble=self.trouble)

    def _history(self) -> say.HistoryState:
        history = self.document.history
        after = history.commands[history.cursor].label if history.cursor < len(history.commands) else None
        before = history.commands[history.cursor - 1].label if history.cursor else None
        return say.HistoryState(undo=before, redo=after, place=history.place)

    def _tell_all(self, message: say.ServerMessage) -> None:
        for outbox in self.outboxes.values():
            outbox.client.tell(message)


def _continued(work: Work, client: Client, samples: Samples) -> Samples | None:
    """The samples in `work` when they belong to the same stroke, else None."""
    if not isinstance(work, Ask) or work.client is not client or not isinstance(work.request, Samples):
        return None
    return work.request if work.request.stroke == samples.stroke else None
