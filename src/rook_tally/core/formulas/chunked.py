"""Long arrays worked through a block at a time, by every core.

A block stays in the processor's cache: a formula of ten steps then costs little more than its
dearest one, where whole arrays would go to memory and back ten times. NumPy lets go of Python's
lock while it works on a block, so that two threads take little more than half the time of one.
"""

from __future__ import annotations

import functools
import itertools
import math
import os
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

import numpy as np

from rook_tally.core.arrays import FloatArray

if TYPE_CHECKING:
    from concurrent.futures import Executor

BLOCK = 25_000
"""Elements a block: five arrays of doubles of this length fit a level-2 cache of a megabyte."""

_SHARED_BLOCK = 2 * BLOCK
"""Threads that share the work meet at the lock after every step: so they take longer ones."""
_SHARED_FROM = 20 * BLOCK
_SHARED_FROM_IF_DEAR = 3 * BLOCK
_MOST_THREADS = 4


def in_blocks(
    formula: Callable[[Mapping[str, FloatArray]], FloatArray],
    given: Mapping[str, FloatArray],
    count: int,
    *,
    dear: bool,
) -> FloatArray:
    """Apply a formula to arrays of `count` elements (and plain numbers), block by block.

    Parameters
    ----------
    formula : of a part of each array, and of the plain numbers as they are
    given : by name (count,) float64, or a number
    dear : whether it takes so long an element that even a few blocks are worth sharing

    Returns
    -------
    (count,) float64
    """
    result = np.empty(count)

    def fill(start: int, stop: int, longest: int) -> None:
        # Blocks of one size: a short last one would take as many steps as the others.
        size = math.ceil((stop - start) / max(1, round((stop - start) / longest)))
        for begin in range(start, stop, size):
            part = slice(begin, min(begin + size, stop))
            result[part] = formula(
                {name: one[part] if one.ndim else one for name, one in given.items()}
            )

    threads = _threads() if count >= (_SHARED_FROM_IF_DEAR if dear else _SHARED_FROM) else 1
    if threads == 1:
        fill(0, count, BLOCK)
        return result
    shares = [count * number // threads for number in range(threads + 1)]
    others = [
        _helpers().submit(fill, start, stop, _SHARED_BLOCK)
        for start, stop in itertools.pairwise(shares[1:])
    ]
    fill(0, shares[1], _SHARED_BLOCK)
    for task in others:
        task.result()
    return result


@functools.cache
def _threads() -> int:
    return min(len(os.sched_getaffinity(0)), _MOST_THREADS)


@functools.cache
def _helpers() -> Executor:
    # Loaded late: a window opens without a formula over a long array.
    from concurrent.futures import ThreadPoolExecutor

    return ThreadPoolExecutor(_threads() - 1, thread_name_prefix="formula")
