"""Array types used in signatures, so that a signature says what it holds."""

import math
from collections.abc import Sequence
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

TimeArray: TypeAlias = NDArray[np.int64]
"""Moments, microseconds UTC since 1970."""

FloatArray: TypeAlias = NDArray[np.float64]
"""Values in a quantity's base unit, or seconds."""

QualityArray: TypeAlias = NDArray[np.uint8]
"""`Quality` members; 0 is good."""

IntArray: TypeAlias = NDArray[np.int64]
BoolArray: TypeAlias = NDArray[np.bool_]

StructuredArray: TypeAlias = NDArray[np.void]
"""Rows of named columns."""


def inner(a: FloatArray, b: FloatArray) -> float:
    """Sum of products of two (N,) arrays.

    Not `@`: that wakes threads for so little, which on a busy machine takes ten times as long.
    """
    return float(np.einsum("i,i->", a, b))


def are_finite(values: FloatArray) -> bool:
    """True if all of some values are numbers, told by their sum: one pass in place of three.

    False as well for sums that no double holds; whoever asks then looks at them one by one.
    """
    with np.errstate(invalid="ignore", over="ignore"):
        return math.isfinite(np.add.reduce(values, axis=None))


def finite_of(values: FloatArray) -> FloatArray:
    """Those of (N,) values that are numbers; the array itself when all of them are."""
    return values if are_finite(values) else values[np.isfinite(values)]


def median_of(values: FloatArray) -> float:
    """Median of (N,) values, N ≥ 1, none NaN; the values themselves are put in another order.

    A third of the time of `np.median`, which asks for both middles and for a NaN at once.
    """
    half = len(values) // 2
    values.partition(half)
    upper = float(values[half])
    return upper if len(values) % 2 else (float(values[:half].max()) + upper) / 2


def quantiles_of(values: FloatArray, shares: Sequence[float]) -> FloatArray:
    """Quantiles 0…1 of (N,) values, N ≥ 1, none NaN (Hyndman & Fan 1996, type 7), (len(shares),).

    The values are put in another order: each quantile is looked for above the one before it.
    """
    result = np.empty(len(shares))
    rest, below = values, 0
    for which in np.argsort(shares).tolist():
        at = (len(values) - 1) * shares[which]
        low = int(at)
        rest.partition(low - below)
        rest, below = rest[low - below :], low
        result[which] = rest[0]
        if at > low:
            result[which] += (at - low) * (rest[1:].min() - rest[0])
    return result
