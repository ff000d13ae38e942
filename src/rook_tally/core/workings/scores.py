"""Scores worked out over whole arrays: each input by its curve, added up by weight or the worst."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from rook_tally.core.arrays import FloatArray, TimeArray
from rook_tally.core.formulas.scoring import Composite, composite, piecewise_score
from rook_tally.core.workings.alignment import Input, Inputs
from rook_tally.core.workings.definitions import Aggregation, Score
from rook_tally.core.workings.evaluator import Program


@dataclass(frozen=True)
class ScoreProgram:
    """A score ready to be worked out: a program an input, None where a place has no such thing."""

    score: Score
    programs: tuple[Program | None, ...]

    @cached_property
    def inputs(self) -> tuple[Input, ...]:
        """Every series it uses."""
        told = [one for program in self.programs if program for one in program.inputs]
        return tuple(dict.fromkeys(told))

    @cached_property
    def series_ids(self) -> frozenset[int]:
        """The series it uses, by their ids."""
        return frozenset(one.series_id for one in self.inputs)

    @cached_property
    def reach_us(self) -> int:
        """The time it looks back from a moment, µs."""
        return max((program.reach_us for program in self.programs if program), default=0)

    def readings(self, inputs: Inputs, times: TimeArray) -> FloatArray:
        """(I, M) what each input reads at moments, in the unit it is kept in; NaN where missing."""
        return np.stack(
            [
                np.full(len(times), np.nan) if program is None else program.at(inputs, times)
                for program in self.programs
            ]
        )

    def added_up(self, readings: FloatArray) -> Composite:
        """The score of (I, M) readings, with what each input gives and takes."""
        return added_up(self.score, readings)

    def worked_out(
        self, inputs: Inputs, start_us: int | None = None, end_us: int | None = None
    ) -> tuple[TimeArray, FloatArray]:
        """Its values in [start, end): moments at which an input reported, NaN for gaps."""
        times = inputs.moments(self.series_ids, start_us, end_us)
        if not len(times):
            return times, np.empty(0)
        return times, self.added_up(self.readings(inputs, times)).score


def added_up(score: Score, readings: FloatArray) -> Composite:
    """As `ScoreProgram.added_up`, for a score that need not be bound to any series."""
    sub_scores = np.stack(
        [
            piecewise_score(
                value, [x for x, _ in one.points], [points for _, points in one.points]
            ).reshape(value.shape)
            for one, value in zip(score.inputs, readings, strict=True)
        ]
    )
    return composite(
        sub_scores,
        [one.weight for one in score.inputs],
        min_completeness=score.least,
        worst_of=score.way is Aggregation.WORST,
    )


def parted_us(times: TimeArray, one: FloatArray, other: FloatArray, *, by: float) -> int:
    """For how long two ways of adding up are more than so many points apart, µs.

    Each moment counts until the next, for a minute at most where nothing follows soon.
    """
    apart = np.abs(one - other) > by
    length = np.diff(times, append=times[-1:] if len(times) else times)
    usual = int(np.median(length)) if len(length) else 0
    return int(np.minimum(length, 3 * max(usual, 1))[apart].sum())


def parted_stretches(
    times: TimeArray, one: FloatArray, other: FloatArray, *, by: float
) -> Sequence[tuple[int, int]]:
    """Where two ways of adding up are more than so many points apart, as (start, end)."""
    apart = np.concatenate(([False], np.abs(one - other) > by, [False]))
    edges = np.flatnonzero(apart[1:] != apart[:-1])
    last = len(times) - 1
    return [
        (int(times[start]), int(times[min(end, last)]))
        for start, end in zip(edges[0::2].tolist(), edges[1::2].tolist(), strict=True)
    ]
