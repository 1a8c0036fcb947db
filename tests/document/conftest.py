"""Pictures that decals are made of."""

from __future__ import annotations

import numpy as np
import pytest

from .test_stencils import waves, write


@pytest.fixture
def waved(tmp_path):
    """Smooth waves, twice as wide as high."""
    return waves(tmp_path / "waves.png")


@pytest.fixture
def square(tmp_path):
    """Opaque red all over."""
    return write(tmp_path / "square.png", np.full((32, 32, 4), (0.8, 0.1, 0.1, 1.0)))
