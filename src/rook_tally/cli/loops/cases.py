"""What a formula and its loop are both given."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Any, TypeAlias

from rook_tally.core.arrays import FloatArray, TimeArray

Loop: TypeAlias = Callable[[int], object]
"""Answers for so many of the first readings."""


@dataclass(frozen=True, slots=True)
class Case:
    """A formula's keywords, and the loop over the same readings as plain lists."""

    given: dict[str, Any]
    loop: Loop


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

    @cached_property
    def moments(self) -> list[int]:
        """The moments as a plain list, µs."""
        found: list[int] = self.t_us.tolist()
        return found

    @cached_property
    def values(self) -> list[float]:
        """The wandering series as a plain list."""
        found: list[float] = self.walk.tolist()
        return found


def one_by_one(formula: Callable[[float], float], a: FloatArray) -> Loop:
    """The loop that asks a formula for every value of a column."""
    given = a.tolist()
    return lambda count: [formula(one) for one in given[:count]]


def two_by_two(formula: Callable[[float, float], float], a: FloatArray, b: FloatArray) -> Loop:
    """The loop that asks a formula for every two values side by side."""
    left, right = a.tolist(), b.tolist()
    return lambda count: [
        formula(one, other) for one, other in zip(left[:count], right[:count], strict=True)
    ]


def three_by_three(
    formula: Callable[[float, float, float], float], a: FloatArray, b: FloatArray, c: FloatArray
) -> Loop:
    """The loop that asks a formula for every three values side by side."""
    first, second, third = a.tolist(), b.tolist(), c.tolist()
    return lambda count: [
        formula(*three) for three in zip(first[:count], second[:count], third[:count], strict=True)
    ]
