"""Memory that is not needed any more goes back to the system."""

from __future__ import annotations

import ctypes
import gc


def give_back() -> None:
    """After large documents are gone: the allocator would keep what they took, often a gigabyte, for later."""
    gc.collect()
    # The GNU C library's; others give memory back by themselves.
    if trim := getattr(ctypes.CDLL(None), "malloc_trim", None):
        trim(0)
