"""Working element by element: broadcasting, ranges, and long arrays a block at a time.

A long array is taken in blocks that stay in the processor's cache: a formula of ten steps then
costs little more than its dearest one, where whole arrays would go to memory and back ten times.
"""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import ArrayLike, NDArray

from rook_tally.core.arrays import BoolArray, FloatArray

BLOCK = 1 << 14
"""Elements a block: eight arrays of doubles of this length fit an ordinary level-2 cache."""

Given: TypeAlias = ArrayLike
"""A number or an array of any shape; None in a list counts as NaN."""


def elementwise(*names: str) -> Callable[[Callable[..., FloatArray]], Callable[..., FloatArray]]:
    """Let a formula written for float arrays take numbers and arrays of any shape.

    The parameters named are broadcast against one another; the others are options and reach the
    formula as they are. Invalid operations (a logarithm of a negative) give NaN without a warning;
    infinities given or made become NaN as well.

    Returns
    -------
    A function that returns a zero-dimensional float64 for plain numbers, else an array of the
    broadcast shape.
    """

    def wrap(formula: Callable[..., FloatArray]) -> Callable[..., FloatArray]:
        signature = inspect.signature(formula)

        @functools.wraps(formula)
        def called(*args: Any, **kwargs: Any) -> FloatArray:
            bound = signature.bind(*args, **kwargs)
            bound.apply_defaults()
            options: dict[str, Any] = dict(bound.arguments)
            given = [floats(options.pop(name)) for name in names]
            shape = np.broadcast_shapes(*(one.shape for one in given))
            count = int(np.prod(shape))
            with np.errstate(all="ignore"):
                if count <= BLOCK:
                    whole = formula(**dict(zip(names, given, strict=True)), **options)
                    return _finite(np.broadcast_to(whole, shape))
                flat = [one if one.ndim == 0 else np.broadcast_to(one, shape).ravel()
                        for one in given]  # fmt: skip
                result = np.empty(count)
                for start in range(0, count, BLOCK):
                    part = slice(start, start + BLOCK)
                    blocks = [one if one.ndim == 0 else one[part] for one in flat]
                    result[part] = _finite(
                        formula(**dict(zip(names, blocks, strict=True)), **options)
                    )
            return result.reshape(shape)

        return called

    return wrap


def floats(given: Given | NDArray[Any]) -> FloatArray:
    """Anything as float64, None as NaN."""
    return np.asarray(given, dtype=np.float64)


def _finite(result: FloatArray) -> FloatArray:
    # A sum is finite when all of it is: one pass in place of three.
    if np.isfinite(result.sum()):
        return result if result.flags.writeable else np.array(result)
    finite = np.isfinite(result)
    return np.where(finite, result, np.nan)


def within(value: FloatArray, low: float, high: float) -> BoolArray:
    """Where a value lies in a range, ends included; False for NaN."""
    return np.asarray((value >= low) & (value <= high), np.bool_)


def where(valid: BoolArray, result: FloatArray) -> FloatArray:
    """A result where its inputs are valid, else NaN."""
    return result if valid.all() else np.where(valid, result, np.nan)


def rounded_half_up(value: FloatArray) -> FloatArray:
    """Whole numbers, halves upwards (NumPy rounds them to even ones)."""
    return np.floor(value + 0.5)


def series(time_s: Given, *values: Given) -> tuple[FloatArray, ...] | None:
    """Times and values as float arrays; None unless the times rise strictly."""
    times = floats(time_s)
    if not np.isfinite(times).all() or np.any(np.diff(times) <= 0):
        return None
    return (times, *(floats(one) for one in values))
