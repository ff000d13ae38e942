"""Array types used in signatures, so that a signature says what it holds."""

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
