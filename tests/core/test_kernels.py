"""Work in two threads: each item once, however it is cut; what goes wrong is heard of; arrays are borrowed."""

from __future__ import annotations

import sys
import threading
import time
import weakref

import numpy as np
import pytest

from nightmist.core import kernels


@pytest.mark.parametrize("seconds", [0.0, 1e-5, 1e-3])
@pytest.mark.parametrize("count", [0, 1, 15, 16, 17, 100])
def test_each_item_is_worked_on_once_however_long_it_took_last(count, seconds, monkeypatch):
    done = np.zeros(count, int)

    def run(first: int, last: int) -> None:
        done[first:last] += 1

    monkeypatch.setitem(kernels._seconds, run.__code__, seconds)
    for times in (1, 2, 3):
        kernels.in_two_threads(count, run, 2)
        assert (done == times).all()


def test_short_work_stays_in_its_thread_and_long_work_does_not(monkeypatch):
    threads: set[str] = set()

    def short(first: int, last: int) -> None:
        threads.add(threading.current_thread().name)

    def long(first: int, last: int) -> None:
        threads.add(threading.current_thread().name)
        time.sleep(0.02)

    monkeypatch.setitem(kernels._seconds, short.__code__, kernels.WORTH_IT / 101)
    kernels.in_two_threads(100, short)
    assert len(threads) == 1
    threads.clear()
    kernels.in_two_threads(100, long)
    assert len(threads) == 2


def test_what_goes_wrong_in_the_other_thread_is_heard_of():
    caller = threading.current_thread()

    def fails(first: int, last: int) -> None:
        time.sleep(0.02)
        if threading.current_thread() is not caller:
            raise ValueError("there")

    with pytest.raises(ValueError, match="there"):
        kernels.in_two_threads(100, fails)


@kernels.kernel
def _rows_summed(table, sums):
    table = kernels.borrowed(table)
    for i in range(len(table)):
        sums[i] = _summed(table[i])


@kernels.kernel
def _summed(row):
    return row.sum()


@pytest.mark.parametrize("kind", [np.int32, np.float64])
def test_a_borrowed_array_is_the_same_array_and_is_let_go_of_once(kind):
    table = np.arange(35).reshape(7, 5).astype(kind)
    held, sums = sys.getrefcount(table), np.zeros(7)
    for _ in range(3):
        _rows_summed(table, sums)
    assert np.array_equal(sums, table.sum(axis=1))
    assert sys.getrefcount(table) == held
    gone = weakref.ref(table)
    del table
    assert gone() is None
