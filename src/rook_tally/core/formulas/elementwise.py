"""Working element by element: broadcasting, ranges, and what is no number."""

from __future__ import annotations

import functools
import inspect
import math
from collections.abc import Callable, Mapping
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import ArrayLike, NDArray

from rook_tally.core.arrays import BoolArray, FloatArray, are_finite
from rook_tally.core.formulas.chunked import BLOCK, in_blocks

FormulaArgument: TypeAlias = ArrayLike
"""A number or an array of any shape; None in a list counts as NaN."""


def elementwise(
    *names: str, dear: bool = False
) -> Callable[[Callable[..., FloatArray]], Callable[..., FloatArray]]:
    """Let a formula written for float arrays take numbers and arrays of any shape.

    The parameters named are broadcast against one another; the others are options and reach the
    formula as they are. Invalid operations (a logarithm of a negative) give NaN without a warning;
    infinities given or made become NaN as well. A formula that is `dear` takes five nanoseconds an
    element or more: a logarithm and an exponential, say.

    Returns
    -------
    A function that returns a zero-dimensional float64 for plain numbers, else an array of the
    broadcast shape; its `elements` are the names.
    """

    def wrap(formula: Callable[..., FloatArray]) -> Callable[..., FloatArray]:
        signature = inspect.signature(formula)
        positions = tuple(signature.parameters)
        defaults = {
            name: floats(one.default)
            for name, one in signature.parameters.items()
            if name in names and one.default is not inspect.Parameter.empty
        }

        @functools.wraps(formula)
        def called(*args: Any, **options: Any) -> FloatArray:
            # By hand: a working asks for every reading that comes in, and `bind` takes as long as
            # the formula. What does not fit is left to it to complain of.
            told = dict(zip(positions, args, strict=False))
            if len(args) > len(positions) or not told.keys().isdisjoint(options):
                signature.bind(*args, **options)
            options |= told
            given = {
                name: floats(options.pop(name)) if name in options else defaults[name]
                for name in names
                if name in options or name in defaults
            }
            shape = np.broadcast(*given.values()).shape
            count = math.prod(shape)
            # NumPy reckons with its plain numbers ten times as fast as with arrays of one.
            if count == 1:
                plain = {name: one.flat[0] for name, one in given.items()}
                with np.errstate(all="ignore"):
                    only = float(formula(**plain, **options))
                return np.full(shape, only if math.isfinite(only) else math.nan)
            given = {name: one if one.ndim else one[()] for name, one in given.items()}
            if count <= BLOCK:
                with np.errstate(all="ignore"):
                    whole = np.asarray(_finite(formula(**given, **options)))
                return whole if whole.shape == shape else np.full(shape, whole)

            def of_block(block: Mapping[str, FloatArray]) -> FloatArray:
                with np.errstate(all="ignore"):
                    return _finite(formula(**block, **options))

            flat = {
                name: np.broadcast_to(one, shape).ravel() if one.ndim else one
                for name, one in given.items()
            }
            return in_blocks(of_block, flat, count, dear=dear).reshape(shape)

        called.elements = names  # type: ignore[attr-defined]
        return called

    return wrap


def floats(given: FormulaArgument | NDArray[Any]) -> FloatArray:
    """Anything as float64, None as NaN."""
    return np.asarray(given, dtype=np.float64)


def _finite(result: FloatArray) -> FloatArray:
    if are_finite(result):
        return result
    infinite = np.isinf(result)
    return where(~infinite, result) if np.logical_or.reduce(infinite, axis=None) else result


def within(value: FloatArray, low: float, high: float) -> BoolArray:
    """Where a value lies in a range, ends included; False for NaN."""
    inside: BoolArray = value >= low
    inside &= value <= high
    return inside


def every(*conditions: BoolArray) -> BoolArray:
    """Where all of some conditions hold, of arrays of one shape and of plain numbers."""
    # A truth beside an array of them costs NumPy ten times what two arrays do.
    arrays = [one for one in conditions if one.ndim]
    if not all(one for one in conditions if not one.ndim):
        return np.asarray(False)
    return functools.reduce(np.logical_and, arrays) if arrays else np.asarray(True)


def where(valid: BoolArray, result: FloatArray) -> FloatArray:
    """A result where its inputs are valid, else NaN."""
    if np.logical_and.reduce(valid, axis=None):
        return result
    # All bits set are a NaN. So joined, it takes as long wherever the invalid ones lie; picked one
    # by one among valid ones, five times as long.
    bits = np.asarray(valid).astype(np.int64)
    bits -= 1
    bits = bits | np.asarray(result).view(np.int64)
    return bits.view(np.float64)


def power(base: FloatArray, exponent: float) -> FloatArray:
    """Powers of positive numbers, to about 15 digits; NaN for negative ones.

    By way of the logarithm, which takes half as long as `**`.
    """
    exponents = np.log(base)
    exponents *= exponent
    return np.exp(exponents)


def rounded_half_up(value: FloatArray) -> FloatArray:
    """Whole numbers, halves upwards (NumPy rounds them to even ones)."""
    return np.floor(value + 0.5)


def series(time_s: FormulaArgument, *values: FormulaArgument) -> tuple[FloatArray, ...] | None:
    """Times and values as float arrays; None unless the times rise strictly."""
    times = floats(time_s)
    # Rising from one finite number to another: so none between is anything else.
    is_rising = bool((times[1:] > times[:-1]).all())
    if not is_rising or not np.isfinite(times[:1]).all() or not np.isfinite(times[-1:]).all():
        return None
    return (times, *(floats(one) for one in values))


def heard_of(times: FloatArray, values: FloatArray) -> tuple[FloatArray, FloatArray]:
    """The samples of a series whose values are numbers."""
    if are_finite(values):
        return times, values
    heard = np.isfinite(values)
    return times[heard], values[heard]
