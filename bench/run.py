"""./nightmist bench: speed as ratios against general-purpose libraries, measured in one run.

Arguments choose parts: dab, stroke, compose, growth, tools, bytes, prepare, browser. Without any, all are run.
--quick makes each part small: to see that it runs, not for its figures.
"""

from __future__ import annotations

import sys

from . import browser, bytes_touched, compose, dab, growth, prepare, tools, whole_stroke

PARTS = {
    "dab": dab.main,
    "stroke": whole_stroke.main,
    "compose": compose.main,
    "growth": growth.main,
    "tools": tools.main,
    "bytes": bytes_touched.main,
    "prepare": prepare.main,
    "browser": browser.main,
}


def main() -> int:
    quick = "--quick" in sys.argv
    chosen = [name for name in sys.argv[1:] if name != "--quick"] or list(PARTS)
    for name in chosen:
        if name not in PARTS:
            print(f"there is no part {name!r}; there are {', '.join(PARTS)}", file=sys.stderr)
            return 2
    for name in chosen:
        PARTS[name](quick)
    return 0


if __name__ == "__main__":
    sys.exit(main())
