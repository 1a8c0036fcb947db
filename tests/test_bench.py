"""Every part of the bench runs to its end, those in a browser in `browser`; their figures are not looked at here."""

from __future__ import annotations

import pytest
from bench.run import PARTS


@pytest.mark.parametrize("part", [name for name in PARTS if name not in ("browser", "page")])
def test_a_part_of_the_bench_runs(part, capsys):
    """On small work, printing something for people."""
    PARTS[part](True)
    assert ":" in capsys.readouterr().out
