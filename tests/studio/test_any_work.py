"""Whatever two browsers say, also while one of them draws: both know the same, nothing breaks, all of it is kept."""

from __future__ import annotations

import contextlib
from random import Random

import numpy as np
import pytest

from nightmist import NightmistError
from nightmist.document.values import Surface
from nightmist.studio import Studio
from nightmist.studio import messages as say
from nightmist.studio.inbox import Samples

from ..document.test_together import pictures
from .any_files import take_any_file
from .any_messages import Painter
from .test_any_messages import assert_same, begun, state
from .test_project import Browser, entered

STEPS = 80


class Watcher(Browser):
    """A browser whose pictures are as large as it has been told that maps are."""

    def __init__(self, **options):
        super().__init__(**options)
        self.sizes = {}

    def tell(self, message):
        values = message.values if isinstance(message, say.Welcome) else []
        if isinstance(message, say.StateChanged):
            values = message.values.values()
        self.sizes.update((s.number, (s.height, s.width)) for s in values if isinstance(s, Surface))
        super().tell(message)

    def show(self, batch):
        for r in batch.rectangles:
            size = (*self.sizes[r.surface], 4)
            held = self.pictures.get((r.surface, r.picture))
            if held is None or held.shape != size:
                self.pictures[r.surface, r.picture] = np.zeros(size, np.uint8)
        super().show(batch)

    def seen(self):
        """The pictures of the surfaces that there are, once all has arrived."""
        self.project.call(lambda _: None)
        self.wait(lambda: all(updates.up_to_date for updates in list(self.project.updates.values())))
        numbers = {surface.number for surface in self.surfaces()}
        return {key: picture for key, picture in self.pictures.items() if key[0] in numbers}


def history(doc):
    """What can be undone and redone, and all that there is now."""
    labels = [change.label for change in doc.history.changes]
    return state(doc), pictures(doc), labels[: doc.history.cursor], labels[doc.history.cursor :]


def undone(doc):
    """Everything, once all that can be undone is."""
    while doc.history.cursor:
        doc.undo()
    return state(doc), pictures(doc)


def work(project, painter: Painter, browsers, random: Random, by_rest) -> None:
    """Both say something or other; who has begun a stroke mostly goes on with it, and ends it, calls it off or not.

    by_rest: does something that comes by REST, which waits for strokes to end.
    """
    drawn: dict[int, Browser] = {}
    for number in range(STEPS):
        if random.random() < 0.06:
            for stroke, who in drawn.items():
                project.ask(who, say.EndStroke(type="end", stroke=stroke))
            drawn.clear()
            with contextlib.suppress(NightmistError):
                by_rest()
        message = project.call(lambda _: painter.say())
        who = random.choice(browsers)
        if message is None:
            continue
        if isinstance(message, say.BeginStroke):
            message = message.model_copy(update={"stroke": number})
            drawn[number] = who
        project.ask(who, message)
        if isinstance(message, say.BeginStroke):
            for count in (1, 2, 3):
                project.ask(who, Samples(number, [painter.place() for _ in range(count)], 1.0))
            end = random.choice(["end", "end", "end", "cancel", None])
            if end:
                project.ask(who, {"end": say.EndStroke, "cancel": say.CancelStroke}[end](type=end, stroke=number))


@pytest.mark.parametrize("seed", range(5))
def test_whatever_two_browsers_say_both_know_it_and_it_is_there_after_a_restart(seed, store, caplog, tmp_path):
    random = Random(seed)
    studio = Studio(store)
    doc = begun(seed)
    key = studio.create(doc)
    one, other = entered(studio, key, Watcher()), entered(studio, key, Watcher(acknowledges=False))
    project = one.project
    painter = Painter(project.document, random)
    work(
        project, painter, [one, other], random,
        lambda: studio.work_on(key, lambda doc: take_any_file(doc, random, tmp_path)),
    )  # fmt: skip
    # Whoever leaves ends what it was drawing, and what it was showing.
    studio.leave(key, other)
    for kind in (say.CancelStroke, say.EndStroke):
        for number in range(STEPS):
            project.ask(one, kind(type="cancel" if kind is say.CancelStroke else "end", stroke=number))
    project.ask(one, say.ShowEdit(type="show", edit=None))
    late = entered(studio, key, Watcher())
    seen = one.seen()
    assert len(seen) >= len(late.surfaces())
    assert_same(seen, late.seen())
    studio.leave(key, one)
    before, values = project.call(history), project.call(lambda now: dict(now.values))
    late.wait_kept(project.call(lambda _: project.revision))
    # Whatever is caught and logged is a fault of ours.
    assert not [record for record in caplog.records if record.levelname == "ERROR"]
    assert late.values() == values
    all_undone = project.call(undone)
    for _ in before[2]:
        project.call(lambda now: now.redo())
    late.wait_kept(project.call(lambda _: project.revision))
    studio.close()
    again = Studio(store)
    after = again.with_document(key, history)
    assert (after[0], after[2], after[3]) == (before[0], before[2], before[3])
    assert_same(after[1], before[1])
    state_then, shown_then = again.with_document(key, undone)
    assert state_then == all_undone[0]
    assert_same(shown_then, all_undone[1])
    again.close()
