"""Laws that hold whatever is said: undo and redo meet the same states again, and what is shown is as made anew."""

from __future__ import annotations

import contextlib
from random import Random

import cv2
import numpy as np
import pytest

from nightmist import Document, NightmistError
from nightmist.core.mesh.bodies import practice_body
from nightmist.document.contents import InOrder
from nightmist.document.painting.stroke import Stroke
from nightmist.document.preview import Preview
from nightmist.document.values import PROJECT, Picture, TipPicture, Version
from nightmist.studio import messages as say
from nightmist.studio.edits import do_edit, nodes_of
from nightmist.studio.prepare_messages import Preparation

from ..document.test_together import anew, pictures
from ..shapes import half_unwrapped, walls
from .any_files import take_any_file
from .any_messages import Painter

STEPS = 100
BODIES = [walls, lambda: practice_body("box", 100.0), lambda: practice_body("cylinder", 0.01), half_unwrapped]
#: They lie beside what is undone.
BESIDE = (Picture, TipPicture, Version)


def begun(seed: int) -> Document:
    """A document with a layer of each kind on each surface, and pictures, as nobody has touched it yet."""
    doc = Document.from_mesh(BODIES[seed % len(BODIES)](), "any", (64, 128))
    for surface in doc.surfaces.values():
        for kind in ("brushed", "wash", "decals"):
            surface.layers.add(kind)
    for number, shape in enumerate([(16, 24, 4), (40, 33, 3), (1, 1, 3)]):
        noise = np.random.default_rng(seed + number).integers(0, 256, shape, np.uint8)
        doc.add_picture_data(f"{number}.png", cv2.imencode(".png", noise)[1].tobytes())
    return doc


def state(doc: Document):
    """All that undo gives back: values, and the pixels of layers and masks."""
    assert doc.in_order == InOrder.of(doc.values.values())
    values = {key: value for key, value in doc.values.items() if not isinstance(value, BESIDE)}
    planes = [(key, name) for key in values if hasattr(values[key], "parent") for name in doc.painted_planes(key)]
    pixels = {plane: doc.raster(*plane).read().tobytes() for plane in planes}
    return {**values, PROJECT: doc.project.but(hidden_parts=())}, pixels


class Page:
    """Does with a document what is said, as the studio does, with another page's slider that moves meanwhile."""

    def __init__(self, doc: Document, painter: Painter, random: Random) -> None:
        self.doc, self.painter, self.random, self.shown = doc, painter, random, None

    def take(self, message) -> None:
        if self.shown and (isinstance(message, say.ShowEdit) or self.random.random() < 0.6):
            self.rest()
        if isinstance(message, say.BeginStroke):
            self.draw(message)
        elif isinstance(message, say.ShowEdit):
            if message.edit:
                change = message.edit.change(self.doc)
                self.shown = Preview(self.doc)
                self.shown.lay({key: after for key, (_, after) in change.values.items() if after})
                self.doc.refresh()
        elif isinstance(message, Preparation):
            message.run(self.doc)
        else:
            do_edit(self.doc, message)

    def rest(self) -> None:
        if self.shown:
            self.shown.drop()
        self.shown = None

    def draw(self, said: say.BeginStroke) -> None:
        camera = None if said.in_map else said.camera
        if camera is None and said.in_map is None:
            return
        about = said.model_dump(exclude={"type", "stroke", "layers", "camera", "tip", "pigment", "tool"})
        options = {name: getattr(said, name) for name in about}
        stroke = Stroke(self.doc, nodes_of(self.doc, said.layers), camera, said.tip, said.pigment, said.tool, **options)
        try:
            for count in (1, 2, 3):
                stroke.extend([self.painter.place() for _ in range(count)])
                self.doc.refresh()
            if self.random.random() > 0.15:
                self.doc.finish_stroke(stroke)
                return
        except NightmistError:
            stroke.cancel()
            raise
        stroke.cancel()


@pytest.mark.parametrize("seed", range(12))
def test_whatever_is_said_is_undone_to_the_bit_kept_and_shown_as_if_made_anew(seed, tmp_path, caplog):
    random = Random(seed)
    doc = begun(seed)
    painter = Painter(doc, random)
    page = Page(doc, painter, random)
    first = doc.history.cursor
    states = {first: state(doc)}
    done = 0
    for _ in range(STEPS):
        message = painter.say()
        if message is None:
            continue
        # Whatever else is raised is a fault of ours.
        with contextlib.suppress(NightmistError):
            if random.random() < 0.1 and not isinstance(message, say.Undo | say.Redo):
                page.rest()
                take_any_file(doc, random, tmp_path)
            else:
                page.take(message)
            done += 1
        place = doc.history.cursor
        if not isinstance(message, say.Undo | say.Redo):
            states = {one: held for one, held in states.items() if one < place}
        if page.shown:
            continue
        if random.random() < 0.3:
            assert_as_anew(doc)
        now = state(doc)
        assert states.setdefault(place, now) == now, message
    page.rest()
    assert not caplog.records
    assert done > STEPS / 8
    last, final = doc.history.cursor, pictures(doc)
    doc.save(tmp_path / "any.nightmist")
    assert_same(pictures(Document.load(tmp_path / "any.nightmist")), final)
    while doc.history.cursor > first:
        doc.undo()
        place = doc.history.cursor
        assert states.get(place, state(doc)) == state(doc), doc.history.changes[place].label
    assert_as_anew(doc)
    while doc.history.cursor < last:
        doc.redo()
    assert_same(pictures(doc), final)


def assert_as_anew(doc: Document) -> None:
    kept = pictures(doc)
    assert_same(kept, anew(doc))


def assert_same(some, others) -> None:
    assert some.keys() == others.keys()
    for key, picture in some.items():
        assert (picture == others[key]).all(), key
