"""Names of what is made beside others of the same name, and of copies."""

from __future__ import annotations

import pytest

from nightmist.core.names import LONGEST, counted_on, unused_name


@pytest.mark.parametrize(
    ("name", "taken", "copy", "other"),
    [
        ("Coat", {"Paint"}, "Coat", "Coat"),
        ("Coat", {"Coat"}, "Coat 2", "Coat 2"),
        ("Coat", {"Coat", "Coat 2", "Coat 4"}, "Coat 3", "Coat 3"),
        ("Coat 2", {"Coat", "Coat 2"}, "Coat 3", "Coat 2 2"),
        ("Berth 12", {"Berth 12"}, "Berth 13", "Berth 12 2"),
        ("Berth 9", {"Berth 9", "Berth 10"}, "Berth 11", "Berth 9 2"),
        ("Berth 07", {"Berth 07"}, "Berth 07 2", "Berth 07 2"),
        ("B17", {"B17"}, "B17 2", "B17 2"),
        ("12", {"12"}, "12 2", "12 2"),
    ],
)
def test_copies_are_counted_on(name, taken, copy, other):
    assert counted_on(name, taken) == copy
    assert unused_name(name, taken) == other


def test_no_name_grows_longer_than_names_are():
    name = "n" * LONGEST
    found = [name]
    for _ in range(12):
        found.append(counted_on(found[-1], {*found}))
    assert len(set(found)) == 13
    assert {len(one) for one in found} == {LONGEST}
