"""Every part of the bench runs to its end, the browser's in `browser`; their figures are not looked at here."""

from __future__ import annotations

import pytest
from bench.run import PARTS


@pytest.mark.parametrize("part", [name for name in PARTS if name != "browser"])
def test_a_part_of_the_bench_runs(part, capsys):
    """On small work, printing something for people."""
    PARTS[part](True)
    assert ":" in capsys.readouterr().out
