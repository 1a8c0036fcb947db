"""What several browsers see of one project: edits that are only shown, those who join late, long days of painting."""

from __future__ import annotations

import numpy as np

from nightmist.document import Pigment, Tip
from nightmist.studio import Studio
from nightmist.studio import messages as say
from nightmist.studio.inbox import Samples
from nightmist.studio.picture_messages import UsePainted
from nightmist.studio.stack_messages import AddNode, ChangeNode, SetStart

from .test_project import CAMERA, Browser, begin, draw, opened, studio  # noqa: F401


def settled(browser: Browser) -> None:
    """Everything asked so far is done, and shown."""
    browser.project.call(lambda doc: None)
    updates = browser.project.updates[id(browser)]
    browser.wait(lambda: not updates.waiting and updates.acknowledged == updates.sent)


def shown(browser: Browser) -> dict:
    settled(browser)
    return {key: picture.copy() for key, picture in browser.pictures.items()}


def same(one: dict, other: dict) -> bool:
    return one.keys() == other.keys() and all(np.array_equal(one[key], other[key]) for key in one)


def show_opacity(browser: Browser, layer: str, opacity: float | None) -> None:
    edit = None if opacity is None else ChangeNode(type="change_node", node=layer, opacity=opacity)
    browser.project.ask(browser, say.ShowEdit(type="show", edit=edit))


def test_a_moving_slider_is_shown_to_all_and_is_one_step_at_rest(opened):  # noqa: F811
    """Others see the pixels of each opacity; history and values stay until it rests, then one step is made."""
    one, other = opened(), opened()
    draw(one)
    one.wait_kept(1)
    layer = one.layers(one.surfaces()[0])[0]
    full = shown(other)
    for opacity in (0.8, 0.5, 0.25):
        show_opacity(one, layer.id, opacity)
    faint = shown(other)
    assert not same(full, faint)
    assert other.layers(other.surfaces()[0])[0].opacity == 1
    assert one.last(say.StateChanged).history.place == 1
    one.project.ask(one, ChangeNode(type="change_node", node=layer.id, opacity=0.25))
    assert same(shown(other), faint)
    assert one.last(say.StateChanged).history.place == 2
    assert other.layers(other.surfaces()[0])[0].opacity == 0.25
    one.project.ask(one, say.Undo(type="undo"))
    assert same(shown(other), full)


def test_what_was_only_shown_leaves_nothing_behind(opened):  # noqa: F811
    """Taken back, given up for something that looks at the maps, refused, by a browser that is gone."""
    one, other = opened(), opened()
    draw(one)
    one.wait_kept(1)
    layer = one.layers(one.surfaces()[0])[0].id
    full = shown(other)
    show_opacity(one, layer, 0.3)
    assert not same(shown(other), full)
    show_opacity(one, layer, None)
    assert same(shown(other), full)
    show_opacity(one, layer, 0.3)
    assert not same(shown(other), full)
    one.project.ask(one, say.TakeSample(type="sample", surface="left", uv=(0.5, 0.5)))
    assert same(shown(other), full)
    show_opacity(one, "nobody", 0.3)
    one.wait(lambda: one.last(say.Refused))
    show_opacity(one, layer, 0.3)
    assert not same(shown(other), full)
    one.project.leave(one)
    assert same(shown(other), full)
    assert not other.project.call(lambda doc: doc.previews)


def test_who_joins_late_sees_what_those_see_who_were_there(opened):  # noqa: F811
    """In the middle of a stroke, of a slider, and after both: the same pixels."""
    one = opened()
    draw(one)
    one.project.ask(one, AddNode(type="add_node", surface=one.surfaces()[0].name))
    show_opacity(one, one.layers(one.surfaces()[0])[0].id, 0.4)
    late = opened()
    assert same(shown(one), shown(late))
    begin(one, 2)
    one.project.ask(one, Samples(2, [(120, 100, 1.0), (160, 150, 0.7)]))
    later = opened()
    assert same(shown(one), shown(later))
    one.project.ask(one, Samples(2, [(200, 180, 1.0)]))
    one.project.ask(one, say.EndStroke(type="end", stroke=2))
    latest = opened()
    assert same(shown(one), shown(latest))
    assert same(shown(late), shown(later))
    assert same(shown(late), shown(latest))


def test_a_long_day_leaves_memory_and_messages_bounded(opened):  # noqa: F811
    """3,000 strokes over the same place: what history holds stays within its bytes, and nothing waits in the end."""
    browser = opened()
    layer = {s.name: browser.layers(s)[0].id for s in browser.surfaces()}
    tip = Tip(radius=12, strength=0.5)
    limit = browser.project.document.pool.limit = 4 << 20

    def strokes(doc, first):
        for number in range(first, first + 500):
            pigment = Pigment(base_color=f"#{number % 256:02x}40{255 - number % 256:02x}")
            layers = {name: doc.layer(key) for name, key in layer.items()}
            stroke = doc.begin_stroke(layers, CAMERA, tip, pigment)
            stroke.extend([(150 + number % 7, 150, 1.0), (170, 150 + number % 5, 1.0)])
            doc.finish_stroke(stroke)
            doc.refresh()

    cached = []
    for first in range(0, 3000, 500):
        browser.project.edit(lambda doc, first=first: strokes(doc, first))
        browser.wait_kept(first + 500)
        cached.append(browser.project.document.cache.total)
    doc = browser.project.document
    assert doc.pool.bytes <= limit + 64 * 64 * 8 * 16
    assert len(doc.history.changes) == 1000
    assert cached[-1] <= 1.1 * cached[1]
    assert not doc.previews
    # What memory has let go of comes back from the database.
    browser.project.edit(lambda doc: [doc.undo() for _ in range(400)])
    browser.wait_kept(3400)
    settled(browser)
    assert not browser.project.updates[id(browser)].waiting


def test_two_quick_edits_of_one_value_both_count(opened):  # noqa: F811
    """Each says only what is another: of a wash's mapping and pigment, of start values, of a decal's frame."""
    one = opened()
    surface = one.surfaces()[0]
    one.project.ask(one, AddNode(type="add_node", surface=surface.name, kind="wash"))
    settled(one)
    wash = one.layers(surface)[-1]
    for part in (
        {"mapping": {"turn": 30}}, {"mapping": {"shape": "box"}}, {"mapping": {"repeat": [3, 2]}},
        {"pigment": {"roughness": 0.25}}, {"pigment": {"base_color": "#102030"}}, {"pigment": {"metallic": None}},
    ):  # fmt: skip
        one.project.ask(one, ChangeNode.model_validate({"type": "change_node", "node": wash.id, **part}))
    for start in ({"roughness": 0.75}, {"height": 0.25}):
        edit = SetStart.model_validate({"type": "set_start", "surface": surface.name, "start": start})
        one.project.ask(one, edit)
    settled(one)
    now = one.layers(surface)[-1]
    assert (now.mapping.turn, now.mapping.shape, now.mapping.repeat) == (30, "box", (3, 2))
    assert (now.pigment.roughness, now.pigment.base_color, now.pigment.metallic) == (0.25, "#102030", None)
    after = one.surfaces()[0].start
    assert (after.roughness, after.height) == (0.75, 0.25)
    assert after.base_color == surface.start.base_color


def test_what_follows_a_painted_layer_is_there_again_with_its_history(opened, store):  # noqa: F811
    """A wash that lays what a layer holds: followed stroke by stroke, kept, undone by another server."""
    one = opened()
    surface = one.surfaces()[0]
    draw(one)
    one.wait_kept(1)
    coat = one.layers(surface)[0]
    one.project.ask(one, AddNode(type="add_node", surface=surface.name, kind="wash"))
    settled(one)
    wash = one.layers(surface)[-1]
    used = {"wash": wash.id, "map": "height", "source": coat.id, "source_map": "base_color"}
    one.project.ask(one, UsePainted.model_validate({"type": "use_painted", **used}))
    settled(one)
    first = one.project.call(lambda doc: doc.surfaces[surface.name].read("height"))
    draw(one, 2, x=90, layers={surface.name: coat.id})
    one.wait_kept(4)
    second = one.project.call(lambda doc: doc.surfaces[surface.name].read("height"))
    assert not np.array_equal(first, second)
    later = Studio(store)
    found = later.with_document(one.id, lambda doc: doc.surfaces[surface.name].read("height"))
    np.testing.assert_array_equal(found, second)
    undone = later.work_on(one.id, lambda doc: (doc.undo(), doc.surfaces[surface.name].read("height"))[1])
    np.testing.assert_array_equal(undone, first)
    later.close()
