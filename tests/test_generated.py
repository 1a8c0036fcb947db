"""What is generated from the Python types is up to date."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
from pathlib import Path

from nightmist.api import create_app

ROOT = Path(__file__).resolve().parents[1]


def test_the_pages_types_are_current(tmp_path):
    """OpenAPI and TypeScript types are what ./nightmist types would write now."""
    described = create_app(None).openapi()
    assert json.loads((ROOT / "web/openapi.json").read_text()) == described, "run ./nightmist types"
    path = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
    out = tmp_path / "schema.generated.ts"
    arguments = re.search(r'"types": "(.*?)"', (ROOT / "web/package.json").read_text()).group(1).split()
    arguments[arguments.index("-o") + 1] = str(out)
    subprocess.run(
        ["npx", "--no-install", *arguments],
        cwd=ROOT / "web",
        env={**os.environ, "PATH": path},
        check=True,
        capture_output=True,
    )
    assert out.read_text() == (ROOT / "web/src/api/schema.generated.ts").read_text(), "run ./nightmist types"


def test_the_pages_blend_modes_are_the_engines():
    """The list the painter chooses from is the engine's, in its order."""
    from nightmist.core.compose import BLEND_MODES

    source = (ROOT / "web/src/workspace/modes.ts").read_text()
    listed = re.search(r"MODES.*?= \[(.*?)\];", source, re.DOTALL).group(1)
    assert tuple(re.findall(r'"([a-z-]+)"', listed)) == BLEND_MODES
