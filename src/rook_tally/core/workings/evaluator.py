"""The parts of a checked formula, each of which can be worked out at many moments at once.

All values are in coherent units (SI; °C for temperatures); yes and no are 1 and 0; NaN is a gap.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.quantities.averaging import Averaging
from rook_tally.core.series.rolling import last_before
from rook_tally.core.workings.alignment import Input, Inputs
from rook_tally.core.workings.lookback import Lookback


class Node(Protocol):
    """A part that gives a value at moments."""

    @property
    def inputs(self) -> tuple[Input, ...]:
        """Every series it uses."""

    @property
    def reach_us(self) -> int:
        """The time it looks back from a moment, µs."""

    def at(self, inputs: Inputs, times: TimeArray) -> FloatArray:
        """Its values at (M,) rising moments; NaN for a gap."""


def _all_inputs(nodes: tuple[Node, ...]) -> tuple[Input, ...]:
    return tuple(dict.fromkeys(one for node in nodes for one in node.inputs))


@dataclass(frozen=True)
class Constant:
    """A number."""

    value: float

    inputs = ()
    reach_us = 0

    def at(self, inputs: Inputs, times: TimeArray) -> FloatArray:
        """The number, at any moments."""
        return np.asarray(self.value)


@dataclass(frozen=True)
class LatestValue:
    """The newest reading of a series; of a state, whether it is on."""

    input: Input
    is_state: bool = False

    @cached_property
    def inputs(self) -> tuple[Input, ...]:
        """The series."""
        return (self.input,)

    @cached_property
    def reach_us(self) -> int:
        """The greatest age of its reading, µs."""
        return self.input.held_us

    def at(self, inputs: Inputs, times: TimeArray) -> FloatArray:
        """Its readings at moments."""
        value = inputs.held(self.input, times)
        if self.is_state:
            return np.where(np.isfinite(value), (value >= 0.5).astype(np.float64), np.nan)
        return value


@dataclass(frozen=True)
class MissingSeries:
    """A reference that matches nothing yet: a gap at every moment."""

    inputs = ()
    reach_us = 0

    def at(self, inputs: Inputs, times: TimeArray) -> FloatArray:
        """Nothing."""
        return np.full(len(times), np.nan)


@dataclass(frozen=True)
class FunctionNode:
    """A function of other parts, element by element. What is not finite becomes a gap."""

    function: Callable[..., FloatArray]
    parts: tuple[Node, ...]

    @cached_property
    def inputs(self) -> tuple[Input, ...]:
        """Those of its parts."""
        return _all_inputs(self.parts)

    @cached_property
    def reach_us(self) -> int:
        """The farthest of its parts."""
        return max((part.reach_us for part in self.parts), default=0)

    def at(self, inputs: Inputs, times: TimeArray) -> FloatArray:
        """The function of its parts' values."""
        values = [part.at(inputs, times) for part in self.parts]
        with np.errstate(all="ignore"):
            result = self.function(*values)
        finite = np.isfinite(result)
        return result if finite.all() else np.where(finite, result, np.nan)


@dataclass(frozen=True)
class AggregateNode:
    """Several series of one quantity as one: those that are fresh, whichever they are."""

    members: tuple[Input, ...]
    function: Callable[[FloatArray, TimeArray], FloatArray]

    @cached_property
    def inputs(self) -> tuple[Input, ...]:
        """Its members."""
        return self.members

    @cached_property
    def reach_us(self) -> int:
        """The greatest age of any member's reading, µs."""
        return max((one.held_us for one in self.members), default=0)

    def at(self, inputs: Inputs, times: TimeArray) -> FloatArray:
        """The function of (members, M) values and the moments of their readings."""
        if not self.members:
            return np.full(len(times), np.nan)
        values = np.stack([inputs.held(one, times) for one in self.members])
        moments = np.stack([_read_at(inputs, one, times) for one in self.members])
        is_heard = np.isfinite(values).any(axis=0)
        result = np.full(len(times), np.nan)
        if is_heard.any():
            result[is_heard] = self.function(values[:, is_heard], moments[:, is_heard])
        return result


def _at_each(value: FloatArray, times: TimeArray) -> FloatArray:
    """A value for each moment; a constant says the same at all of them."""
    return value if value.shape == times.shape else np.broadcast_to(value, times.shape)


def _read_at(inputs: Inputs, one: Input, times: TimeArray) -> TimeArray:
    heard = inputs.of(one.series_id).time_us
    if not len(heard):
        return np.zeros(len(times), dtype=np.int64)
    return heard[np.maximum(last_before(times, heard), 0)]


@dataclass(frozen=True)
class WindowNode:
    """Something of the last while of a part."""

    part: Node
    window_us: int
    gap_us: int
    function: Callable[[Lookback], FloatArray]
    further_us: int = 0
    averaging: Averaging = Averaging.ARITHMETIC

    @cached_property
    def inputs(self) -> tuple[Input, ...]:
        """Those of its part."""
        return self.part.inputs

    @cached_property
    def reach_us(self) -> int:
        """The window, the line that leads into it, and how far its part looks from there."""
        return self.part.reach_us + self.window_us + self.gap_us + self.further_us

    @cached_property
    def _series_ids(self) -> frozenset[int]:
        return frozenset(one.series_id for one in self.part.inputs)

    def at(self, inputs: Inputs, times: TimeArray) -> FloatArray:
        """The windows that end at moments."""
        if not len(times):
            return np.empty(0)
        # Only what the windows asked for can touch.
        first_us = int(times[0]) - self.window_us - self.gap_us - self.further_us
        moments = inputs.moments(self._series_ids, first_us, int(times[-1]) + 1)
        if not len(moments):
            return np.full(len(times), np.nan)
        value = _at_each(self.part.at(inputs, moments), moments)
        with np.errstate(all="ignore"):
            return self.function(
                Lookback(moments, value, self.gap_us, self.window_us, times, self.averaging)
            )


@dataclass(frozen=True)
class LaggedNode:
    """The value of a part a while before."""

    part: Node
    ago_us: int

    @cached_property
    def inputs(self) -> tuple[Input, ...]:
        """Those of its part."""
        return self.part.inputs

    @cached_property
    def reach_us(self) -> int:
        """The while, and how far its part looks from there."""
        return self.part.reach_us + self.ago_us

    def at(self, inputs: Inputs, times: TimeArray) -> FloatArray:
        """Its part's values that long before moments."""
        return self.part.at(inputs, times - self.ago_us)


@dataclass(frozen=True)
class Program:
    """A whole formula, ready to be worked out.

    `alone` are inputs that must be fresh, each; of every group in `together`, one must be. The
    result is in coherent units divided by `factor`.
    """

    node: Node
    alone: tuple[Input, ...]
    together: tuple[tuple[Input, ...], ...]
    factor: float

    @cached_property
    def inputs(self) -> tuple[Input, ...]:
        """Every series it uses."""
        return tuple(
            dict.fromkeys((*self.alone, *(one for group in self.together for one in group)))
        )

    @cached_property
    def series_ids(self) -> frozenset[int]:
        """The series it uses, by their ids."""
        return frozenset(one.series_id for one in self.inputs)

    @cached_property
    def reach_us(self) -> int:
        """The time it looks back from a moment, µs: a change within it may change the value."""
        return max([self.node.reach_us, *(one.held_us for one in self.inputs)])

    def worked_out(
        self, inputs: Inputs, start_us: int | None = None, end_us: int | None = None
    ) -> tuple[TimeArray, FloatArray]:
        """Its values in [start, end): (M,) moments at which an input reported, NaN for gaps.

        Give readings from `reach_us` before the start.
        """
        times = inputs.moments(self.series_ids, start_us, end_us)
        return times, self.at(inputs, times)

    def at(self, inputs: Inputs, times: TimeArray) -> FloatArray:
        """Its values at (M,) rising moments, NaN for gaps."""
        if not len(times):
            return np.empty(0)
        value = _at_each(self.node.at(inputs, times), times) / self.factor
        speaks = np.isfinite(value)
        for one in self.alone:
            speaks &= inputs.is_fresh(one, times)
        for group in self.together:
            heard = np.zeros(len(times), dtype=np.bool_)
            for one in group:
                heard |= inputs.is_fresh(one, times)
            speaks &= heard
        if not speaks.all():
            value[~speaks] = np.nan
        return value
