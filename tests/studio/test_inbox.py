"""What an open project is asked: nothing out of order, nothing lost, and nothing done that the next request undoes."""

from __future__ import annotations

import pytest

from nightmist.studio.inbox import Ask, Edit, Inbox, Samples
from nightmist.studio.messages import Acknowledge, ShowEdit
from nightmist.studio.stack_messages import ChangeNode


class Someone:
    name = "someone"

    def tell(self, message): ...

    def show(self, batch): ...


def shows(opacity):
    return ShowEdit(type="show", edit=ChangeNode(type="change_node", node="coat", opacity=opacity))


def emptied(inbox):
    found = []
    while True:
        try:
            found.append(inbox.next(0.01))
        except TimeoutError:
            return found


def test_samples_of_a_stroke_become_one_and_only_the_last_shown_edit_counts():
    inbox, one, other = Inbox(), Someone(), Someone()
    first, second = (0.0, 0.0, 1.0, 0.0, 0.0), (5.0, 0.0, 1.0, 0.0, 0.0)
    works = [
        Ask(one, Samples(3, [first], 1.0)), Ask(one, Samples(3, [second], 2.0)), Ask(one, Samples(4, [first], 3.0)),
        Ask(other, Samples(4, [second], 4.0)), Ask(one, shows(0.1)), Ask(one, shows(0.2)), Ask(one, shows(0.3)),
        Ask(other, shows(0.4)), Edit(lambda: None), Ask(other, shows(0.5)),
    ]  # fmt: skip
    for work in works:
        inbox.put(work)
    merged = Ask(one, Samples(3, [first, second], 2.0))
    assert emptied(inbox) == [merged, *works[2:4], works[6], *works[7:]]


def test_pixels_that_have_come_are_heard_of_first_and_leave_what_is_shown_in_a_row():
    inbox, one = Inbox(), Someone()
    words = [Ask(one, Acknowledge(type="ack", batch=number)) for number in (7, 8)]
    shown = [Ask(one, shows(share)) for share in (0.1, 0.2, 0.3)]
    for work in (shown[0], words[0], shown[1], words[1], shown[2]):
        inbox.put(work)
    assert emptied(inbox) == [*words, shown[2]]


def test_what_was_put_off_comes_first_in_its_order():
    inbox, runs = Inbox(), [Edit(lambda: None) for _ in range(4)]
    inbox.put(runs[2])
    assert inbox.next() is runs[2]
    inbox.put(runs[3])
    inbox.put_first(runs[:2])
    assert emptied(inbox) == [runs[0], runs[1], runs[3]]
    with pytest.raises(TimeoutError):
        inbox.next(0.01)
