"""The bench's parts in the browser run to their end; their figures are not looked at here."""

from __future__ import annotations

import re

from bench import browser, in_page


def test_the_lag_of_a_stroke_is_told_by_its_parts(chromium, server, capsys):
    """On a small map, with one layer and with two."""
    browser.report(chromium, server, quick=True)
    told = capsys.readouterr().out
    assert told.count("frames: ") == 2
    assert all(part in told for part in ("engine", "composite", "encode", "upload", "draw"))


def test_what_is_dragged_in_a_page_that_nobody_watches_arrives(server, capsys):
    in_page.report(server, quick=True)
    rates = [float(rate) for rate in re.findall(r": ([\d.]+), of 10 wanted", capsys.readouterr().out)]
    assert len(rates) == 2
    assert min(rates) > 0
