"""What a formula and its loop are both given."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any, TypeAlias

from numpy.typing import NDArray

from rook_tally.core.arrays import FloatArray, TimeArray

Loop: TypeAlias = Callable[[int], object]
"""Answers for so many of the first readings."""


@dataclass(frozen=True, slots=True)
class Case:
    """A formula's keywords, and the loop over the same arrays.

    It makes lists of them first: going through an array itself takes three times as long.
    """

    given: dict[str, Any]
    loop: Loop
    formula: Callable[..., object] | None = None
    """What takes a whole history, where the function of that name takes a single moment."""


@dataclass(frozen=True)
class Columns:
    """Readings to work with, (N,) each: a room's temperature, °C, and humidity, %; a series that
    wanders about zero; and their moments, rising."""

    t_us: TimeArray
    warm: FloatArray
    damp: FloatArray
    walk: FloatArray

    @cached_property
    def time_s(self) -> FloatArray:
        """The moments in seconds."""
        return self.t_us / 1e6

    def series(self, count: int) -> tuple[list[int], list[float]]:
        """The first moments and values of the series that wanders, as plain lists."""
        moments, values = lists_of(count, self.t_us, self.walk)
        return moments, values


def lists_of(count: int, *columns: NDArray[Any]) -> list[list[Any]]:
    """The first so many of each column, as plain lists."""
    return [column[:count].tolist() for column in columns]


def asked_of_each(formula: Callable[..., float], *columns: FloatArray) -> Loop:
    """The loop that asks a formula for what stands side by side in some columns."""
    if len(columns) == 1:
        return lambda count: [formula(one) for one in columns[0][:count].tolist()]
    if len(columns) == 2:
        return lambda count: [
            formula(one, other) for one, other in zip(*lists_of(count, *columns), strict=True)
        ]
    return lambda count: [formula(*row) for row in zip(*lists_of(count, *columns), strict=True)]
