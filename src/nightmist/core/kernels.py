"""How loops are compiled here: one decorator, and views of tiles by their address.

Sparse rasters keep each tile as an array of its own. A kernel cannot take a list of arrays whose length
changes without being compiled anew, so it takes a table of addresses and looks at each tile through it.
Whoever calls a kernel keeps the arrays alive meanwhile.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from time import perf_counter
from types import CodeType
from typing import Any

import numba as nb
import numpy as np
from numba import carray as carray  # type: ignore[attr-defined]
from numba.core import types
from numba.extending import intrinsic
from numpy.typing import NDArray

_FAST = {"nsz", "arcp", "contract", "afn", "reassoc"}
kernel = nb.njit(cache=True, nogil=True, fastmath=_FAST, error_model="numpy")
#: For what kernels call row by row: handing over ten arrays takes as long as fifty texels.
inlined = nb.njit(cache=True, nogil=True, fastmath=_FAST, error_model="numpy", inline="always")

#: Portions into which work is cut at most, so that one thread does not wait long for the other; and the seconds that
#: one should take at least, as each hands over a kernel's arrays again.
PORTIONS, PORTION = 16, 1e-4
#: Seconds of work from which another thread is worth waking.
WORTH_IT = 5e-4
#: Seconds that an item took last, by the code that works on it.
_seconds: dict[CodeType, float] = {}
#: One worker more than the calling thread: the machines painters have, have at least two cores.
_helper = ThreadPoolExecutor(max_workers=1, thread_name_prefix="kernel")


def _pointer(item: types.Type) -> Any:
    @intrinsic
    def cast(typingctx: Any, address: Any) -> Any:
        def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            return builder.inttoptr(args[0], context.get_value_type(signature.return_type))

        return types.CPointer(item)(types.int64), generate  # type: ignore[no-untyped-call]

    return cast


as_uint8 = _pointer(types.uint8)
as_uint16 = _pointer(types.uint16)
as_uint32 = _pointer(types.uint32)
as_float32 = _pointer(types.float32)
as_bool = _pointer(types.boolean)
as_int32 = _pointer(types.int32)
as_int64 = _pointer(types.int64)


def _borrow(typingctx: Any, array: Any) -> Any:
    def generate(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        view = context.make_array(array)(context, builder, args[0])
        view.meminfo, view.parent = view.meminfo.type(None), view.parent.type(None)
        return view._getvalue()

    return array(array), generate


#: A kernel's argument, to which references are not counted: counted ones make two threads wait for each other at each
#: row that is cut out or handed on. For arguments only, which the caller keeps alive.
borrowed: Any = intrinsic(_borrow)


def read_only(array: NDArray[Any]) -> NDArray[Any]:
    """The same array as one that cannot be written: a kernel is compiled for such, and once more for others."""
    view = array.view()
    view.flags.writeable = False
    return view


@kernel
def held_or(addresses, t, other):  # type: ignore[no-untyped-def]
    """Where tile t lies by a table, which may be empty; `other` when there is none."""
    return addresses[t] if len(addresses) > 0 and addresses[t] != 0 else other


# Lines by their addresses: cutting one out of an array takes a kernel as long as twenty texels.
@kernel
def bytes_at(address, count):  # type: ignore[no-untyped-def]
    """`count` uint8 that lie at an address."""
    return carray(as_uint8(address), (count,))


@kernel
def shorts_at(address, count):  # type: ignore[no-untyped-def]
    """`count` uint16 that lie at an address."""
    return carray(as_uint16(address), (count,))


@kernel
def floats_at(address, count):  # type: ignore[no-untyped-def]
    """`count` float32 that lie at an address."""
    return carray(as_float32(address), (count,))


@kernel
def copy_line(source, line):  # type: ignore[no-untyped-def]
    """Copy number by number: an array that is assigned to a slice takes a kernel eight times as long."""
    for j in range(len(line)):
        line[j] = source[j]


def address_of(array: NDArray[Any]) -> int:
    """Where the first item of a C-contiguous array lies in memory."""
    return int(array.__array_interface__["data"][0])


def addresses_in(array: NDArray[Any]) -> NDArray[np.int64]:
    """(n,) where each of the n parts of an array lies in memory."""
    found: NDArray[np.int64] = address_of(array) + np.arange(len(array)) * array.strides[0]
    return found


def in_two_threads(count: int, run: Callable[[int, int], None], least: int = 16) -> None:
    """Run `run(first, last)` over range(count), in portions that two threads take in turn, when worth it.

    least: items below which it is not; nor is it where what such items took last time adds up to less than WORTH_IT.
    Kernels release the GIL; numba's own parallel loops are not used because they must not be entered by
    two projects' threads at once.
    """
    expected = _seconds.get(run.__code__, 1.0) * count
    if count < least or expected < WORTH_IT:
        began = perf_counter()
        run(0, count)
        if count:
            _seconds[run.__code__] = (perf_counter() - began) / count
        return
    size = -(-count // int(min(PORTIONS, max(2, expected / PORTION))))
    # One iterator for both: whoever is done first takes the next portion.
    portions = iter(range(0, count, size))
    busy = []

    def work() -> None:
        began = perf_counter()
        for first in portions:
            run(first, min(first + size, count))
        busy.append(perf_counter() - began)

    other = _helper.submit(work)
    work()
    # A helper that has not woken up yet is not waited for.
    if not other.cancel():
        other.result()
    _seconds[run.__code__] = sum(busy) / count


def no_rows() -> NDArray[np.int32]:
    """An empty list of tiles or pixels."""
    return np.zeros(0, np.int32)
