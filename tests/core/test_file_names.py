"""File names: what file systems refuse is gone, scripts stay, and nothing collides."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nightmist.core.errors import NightmistError
from nightmist.core.formats.file_names import file_name, file_names, names_by


@pytest.mark.parametrize(
    ("name", "wanted"),
    [
        ("корпус", "корпус"),
        ("船体 上", "船体-上"),
        ("Hull A", "Hull-A"),
        ("a/b\\c:d*e?f", "a-b-c-d-e-f"),
        ("..", "untitled"),
        ("", "untitled"),
        ("CON", "CON-"),
        ("lpt1.old", "lpt1.old-"),
        ("control", "control"),
        ("mast.", "mast"),
        ("e\u0301", "\u00e9"),
    ],
)
def test_names_become_files(name, wanted):
    assert file_name(name) == wanted


def test_names_that_would_be_one_file_are_told_apart():
    """Other case, other white space, composed or not, and a name that looks like a numbered one."""
    names = [
        "Hull A",
        "Hull-A",
        "hull a",
        "hull-a-2",
        "корпус",
        "КОРПУС",
        "e\u0301",
        "\u00c9",
        "strasse",
        "stra\u00dfe",
    ]
    found = file_names(names)
    assert len({name.casefold() for name in found}) == len(names)
    assert found[:2] == ["Hull-A", "Hull-A-2"]
    assert (found[4], found[5]) == ("корпус", "КОРПУС-2")


@given(st.lists(st.text(max_size=100), max_size=12))
def test_any_names_make_files_that_a_folder_takes(names):
    """None empty, none too long in bytes, no two alike, nothing refused."""
    found = file_names(names)
    assert len({name.casefold() for name in found}) == len(names)
    for name in found:
        assert 0 < len(name.encode()) <= 96
        assert not set(name) & set('/\\:*?"<>|\0\n')
        assert not name.endswith((".", " "))


WORDS = {"surface": ["hull", "корпус", "Hull"], "map": ["height", "normal"]}
ENTRIES = [{"surface": surface, "map": name} for surface in WORDS["surface"][:2] for name in WORDS["map"]]


@pytest.mark.parametrize(
    ("template", "wanted"),
    [
        ("{surface}_{map}", "hull_height.png"),
        ("{map}.{surface}.png", "height.hull.png"),
        (" a/b {surface}{{{map}}}.PNG ", "a-b-hull{height}.png"),
        ("nul.{surface}{map}", "nul.hullheight-.png"),
    ],
)
def test_templates_are_filled(template, wanted):
    assert names_by(template, "png", ENTRIES)[0] == wanted


@pytest.mark.parametrize(
    "template", ["{map", "map}", "{}", "{0}", "{map!r}", "{map:9}", "{map.x}", "{side}", "{surface}", "", "{map}" * 60]
)
def test_templates_that_make_no_names_are_refused_in_words(template):
    with pytest.raises(NightmistError, match=r"\.$"):
        names_by(template, "png", ENTRIES)


def test_names_that_only_case_tells_apart_are_refused():
    """As on file systems that do not tell cases apart one map would lie over the other."""
    entries = [{"surface": surface, "map": "height"} for surface in WORDS["surface"]]
    with pytest.raises(NightmistError, match=re.escape("hull_height.png")):
        names_by("{surface}_{map}", "png", entries)
