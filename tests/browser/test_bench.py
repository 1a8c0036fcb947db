"""The bench's part in the browser runs to its end; its figures are not looked at here."""

from __future__ import annotations

from bench.browser import report


def test_the_lag_of_a_stroke_is_told_by_its_parts(chromium, server, capsys):
    """On a small map, with one layer and with two."""
    report(chromium, server, quick=True)
    told = capsys.readouterr().out
    assert told.count("frames: ") == 2
    assert all(part in told for part in ("engine", "composite", "encode", "upload", "draw"))
