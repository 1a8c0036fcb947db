"""./nightmist bench: speed as ratios against general-purpose libraries, measured in one run.

Arguments choose parts, those of PARTS by name. Without
any, all are run, each in a process of its own, so that the memory told is that part's.
--quick makes each part small: to see that it runs, not for its figures.
"""

from __future__ import annotations

import subprocess
import sys

from . import (
    browser,
    bytes_touched,
    compose,
    dab,
    filters,
    growth,
    in_page,
    many_surfaces,
    moving_wash,
    opening,
    prepare,
    projected,
    tools,
    unwrap,
    washes,
    whole_stroke,
)
from .measure import memory_peak

PARTS = {
    "dab": dab.main,
    "stroke": whole_stroke.main,
    "compose": compose.main,
    "growth": growth.main,
    "surfaces": many_surfaces.main,
    "washes": washes.main,
    "moving": moving_wash.main,
    "projected": projected.main,
    "filters": filters.main,
    "opening": opening.main,
    "tools": tools.main,
    "bytes": bytes_touched.main,
    "prepare": prepare.main,
    "unwrap": unwrap.main,
    "browser": browser.main,
    "page": in_page.main,
}


def main() -> int:
    quick = "--quick" in sys.argv
    chosen = [name for name in sys.argv[1:] if name != "--quick"] or list(PARTS)
    for name in chosen:
        if name not in PARTS:
            print(f"there is no part {name!r}; there are {', '.join(PARTS)}", file=sys.stderr)
            return 2
    if len(chosen) > 1:
        options = ["--quick"] if quick else []
        return max(subprocess.run([sys.executable, "-m", "bench.run", name, *options]).returncode for name in chosen)
    PARTS[chosen[0]](quick)
    print(f"  memory at its highest {memory_peak()} MB", flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
