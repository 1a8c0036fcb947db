"""The command line as these tests start it: at its end it writes which kernels the warm-up had left to be compiled."""

from __future__ import annotations

import os
import sys
from pathlib import Path

from numba.core.dispatcher import Dispatcher

from nightmist import cli


def kernels() -> set[str]:
    """All that can run: a kernel once for each kind of arguments that it was given."""
    modules = [module for name, module in sorted(sys.modules.items()) if name.startswith("nightmist.")]
    found = {each for module in modules for each in vars(module).values() if isinstance(each, Dispatcher)}
    return {f"{each.py_func.__qualname__}{types}" for each in found for types in each.signatures}


def main() -> int:
    warmed: set[str] = set()
    warm_up = cli.warm_up

    def warm_and_look() -> None:
        warm_up()
        warmed.update(kernels())

    cli.warm_up = warm_and_look
    try:
        return cli.main()
    finally:
        with Path(os.environ["LATE_KERNELS"]).open("a") as file:
            file.writelines(f"{each}\n" for each in sorted(kernels() - warmed))


if __name__ == "__main__":
    sys.exit(main())
